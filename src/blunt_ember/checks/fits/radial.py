"""Hollow cylinders and spheres: rings in a plane section, and rectangles or ring sectors in a turned one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.checks.fits.field import Floats, crossings_of, passing_heat, side_of
from blunt_ember.checks.fits.walls import flat_ends
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.lattice import Lattice, lattice_of
from blunt_ember.reference.radial_layers import SOURCE, RadialLayers


@dataclass(frozen=True)
class RadialField:
    """Radial layers about a point or the axis of the case; ``factor`` is radians times metres, or steradians."""

    layers: RadialLayers
    centre: tuple[float, float]
    #: Whether the radius is simply x, the layers standing about the axis of a turned section.
    about_axis: bool
    factor: float
    crossing: dict[str, float]
    name: str
    source: str = SOURCE

    def temperature(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        if self.about_axis:
            return self.layers.temperature_at(points[:, 0])
        return self.layers.temperature_at(np.linalg.norm(points - np.array(self.centre), axis=1))

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; ends and flanks pass none."""
        return self.crossing.get(surface, 0.0) * self.layers.heat * self.factor


def hollow_cylinder(geometry: SectionGeometry, problem: Problem) -> RadialField:
    """Fit a hollow cylinder; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = lattice_of(geometry)
    if lattice is not None and geometry.turned and lattice.centre is None:
        inner, outer = flat_ends(0, lattice.us, geometry)
        height = float(np.ptp(lattice.vs))
        return _fitted("cylinder", lattice, (inner, outer), 2 * np.pi * height, geometry, problem)
    if lattice is not None and not geometry.turned and lattice.centre is not None:
        angle = float(np.ptp(lattice.vs))
        return _fitted(
            "cylinder", lattice, _round_ends(lattice, geometry), angle * (geometry.depth or 0.0), geometry, problem
        )
    raise ReferenceRefusedError("the layers are no rings about one centre, nor rectangles about the axis")


def hollow_sphere(geometry: SectionGeometry, problem: Problem) -> RadialField:
    """Fit a hollow sphere; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = lattice_of(geometry)
    if lattice is None or not geometry.turned or lattice.centre is None:
        raise ReferenceRefusedError("the layers are no ring sectors of a turned section")
    if abs(lattice.centre[0]) > 1e-9 * geometry.extent:
        raise ReferenceRefusedError("the centre of the layers does not lie on the axis")
    steradians = 2 * np.pi * float(np.sin(lattice.vs[-1]) - np.sin(lattice.vs[0]))
    return _fitted("sphere", lattice, _round_ends(lattice, geometry), steradians, geometry, problem)


def _fitted(
    kind: str, lattice: Lattice, ends: tuple[str, str], factor: float, geometry: SectionGeometry, problem: Problem
) -> RadialField:
    owner = lattice.owner
    if (owner == VOID).any() or (owner != owner[:, :1]).any():
        raise ReferenceRefusedError("the layers do not run round evenly")
    for name in sorted(passing_heat(geometry, problem) - set(ends)):
        raise ReferenceRefusedError(f"heat passes through {name}, across the radius")
    order = owner[:, 0].tolist()
    layers = RadialLayers(
        "cylinder" if kind == "cylinder" else "sphere", tuple(lattice.us.tolist()),
        tuple(problem.conductivity[region] for region in order), side_of(ends[0], problem), side_of(ends[1], problem),
    )  # fmt: skip
    crossing = {ends[0]: 1.0, ends[1]: -1.0, **crossings_of(order, geometry)}
    centre = lattice.centre or (0.0, 0.0)
    return RadialField(layers, centre, lattice.centre is None, factor, crossing, f"hollow-{kind}")


def _round_ends(lattice: Lattice, geometry: SectionGeometry) -> tuple[str, str]:
    """Names of the surfaces that run round at the smallest and at the largest radius."""
    found = []
    for radius in (lattice.us[0], lattice.us[-1]):
        at = []
        for surface in geometry.outer_surfaces:
            away = np.linalg.norm(surface.segments - np.array(lattice.centre), axis=-1)
            if np.abs(away - radius).max() < 1e-9 * geometry.extent:
                at.append(surface.name)
        if len(at) != 1:
            raise ReferenceRefusedError("the bore or the rim is no single surface")
        found.append(at[0])
    return found[0], found[1]
