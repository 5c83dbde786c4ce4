"""Plane and composite walls along x or y of a plane section."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from blunt_ember.checks.fits.field import Floats, crossings_of, passing_heat, side_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.lattice import Lattice, lattice_of
from blunt_ember.reference.composite_wall import SOURCE, CompositeWall, Layer


@dataclass(frozen=True)
class WallField:
    """A composite wall laid along axis 0 (x) or 1 (y) of the case."""

    wall: CompositeWall
    axis: int
    origin: float
    area: float
    #: Sign of the heat through each surface that crosses the wall, relative to the flux from start to end.
    crossing: dict[str, float]
    name: str = "composite-wall"
    source: str = SOURCE

    def temperature(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        return self.wall.temperature_at(points[:, self.axis] - self.origin)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; the long sides of the wall pass none."""
        return self.crossing.get(surface, 0.0) * self.wall.flux * self.area


def plane_wall(geometry: SectionGeometry, problem: Problem) -> WallField:
    """Fit a wall of one layer."""
    field = composite_wall(geometry, problem)
    if len(field.wall.layers) > 1:
        raise ReferenceRefusedError("a plane wall has one layer; this one has more, ask for 'composite-wall'")
    return replace(field, name="plane-wall")


def composite_wall(geometry: SectionGeometry, problem: Problem) -> WallField:
    """Fit a wall of several layers; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = lattice_of(geometry)
    if geometry.turned or lattice is None or lattice.centre is not None or (lattice.owner == VOID).any():
        raise ReferenceRefusedError("the regions do not fill a rectangle, so heat does not flow straight through")
    reasons = []
    for axis in (0, 1):
        try:
            return _wall_along(axis, lattice, geometry, problem)
        except ReferenceRefusedError as error:
            reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(dict.fromkeys(reasons)))


def _wall_along(axis: int, lattice: Lattice, geometry: SectionGeometry, problem: Problem) -> WallField:
    owner = lattice.owner if axis == 0 else lattice.owner.T
    lines, across = (lattice.us, lattice.vs) if axis == 0 else (lattice.vs, lattice.us)
    direction = "xy"[axis]
    if (owner != owner[:, :1]).any():
        raise ReferenceRefusedError(f"along {direction} the layers do not run through the whole wall")
    order = owner[:, 0].tolist()
    layers = tuple(
        Layer(float(width), problem.conductivity[region]) for region, width in zip(order, np.diff(lines), strict=True)
    )
    first, last = flat_ends(axis, lines, geometry)
    for name in sorted(passing_heat(geometry, problem) - {first, last}):
        raise ReferenceRefusedError(f"along {direction} heat passes through {name} at the side of the wall")
    wall = CompositeWall(layers, side_of(first, problem), side_of(last, problem))
    crossing = {first: 1.0, last: -1.0, **crossings_of(order, geometry)}
    return WallField(wall, axis, float(lines[0]), float(np.ptp(across)) * (geometry.depth or 0.0), crossing)


def flat_ends(axis: int, lines: Floats, geometry: SectionGeometry) -> tuple[str, str]:
    """Names of the surfaces that lie whole at the first and at the last line of a lattice."""
    found = []
    for line in (lines[0], lines[-1]):
        reach = 1e-9 * geometry.extent
        at = [s.name for s in geometry.outer_surfaces if np.abs(s.segments[..., axis] - line).max() < reach]
        if len(at) != 1:
            raise ReferenceRefusedError(f"along {'xy'[axis]} an end is no single surface")
        found.append(at[0])
    return found[0], found[1]
