"""Bodies of layers: walls in a plane section; rings, discs and rectangles about the axis; shells and balls."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field as dataclass_field
from dataclasses import replace
from functools import partial

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law, constant_law
from blunt_ember.case.values.units import CONDUCTIVITY
from blunt_ember.checks.references.fits.field import (
    conductivity_towards,
    contact_of,
    crossings_of,
    generation_of,
    side_of,
    surfaces_passing_heat,
)
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.immutable import immutable
from blunt_ember.reference.in_layers.layers import LayerForm, Layers, ReferenceLayer
from blunt_ember.reference.side import Side

#: By how much of their views facets of a gap may differ in what they see: about as much as chords of round faces do.
_EVEN = 0.03
#: Stands for what an empty layer conducts.
_NO_K = constant_law(1.0, CONDUCTIVITY)


@immutable
class LayeredField:
    """Layers across which s grows: along ``axis`` 0 (x) or 1 (y), or by the distance from a ``centre``.

    ``origin`` is where the layers begin; ``factor`` what one unit of their heat stands for, m², radians times metres,
    or steradians. ``crossing`` tells for each interface the layers before it and the signs of heat through it.
    """

    layers: Layers
    axis: int
    origin: float
    centre: tuple[float, float] | None
    factor: float
    ends: tuple[str, str]
    crossing: dict[str, list[tuple[int, float]]]
    order: tuple[int, ...]
    name: str
    #: Heat in W through sides that it drifts through.
    drifting: Mapping[str, float] = dataclass_field(default_factory=dict)

    @property
    def source(self) -> str:
        """Where it comes from."""
        return self.layers.source

    def distance(self, points: Floats) -> Floats:
        """Distance (p,) in m from where the layers begin, or from the centre."""
        if self.centre is None:
            return points[:, self.axis] - self.origin
        return np.linalg.norm(points - np.array(self.centre), axis=1)

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        s = self.distance(points)
        if region is None or self.order.count(region) != 1:
            return self.layers.temperature_at(s)
        return self.layers.temperature_at(s, self.order.index(region))

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; those along the flow pass none but what drifts aslant."""
        if surface in self.drifting:
            return self.drifting[surface]
        if surface == self.ends[0]:
            return self.layers.heat_in * self.factor
        if surface == self.ends[1]:
            return -self.layers.heat_out * self.factor
        through = (sign * self.layers.heat_after(place) for place, sign in self.crossing.get(surface, ()))
        return sum(through) * self.factor


def plane_wall(geometry: SectionGeometry, problem: Problem) -> LayeredField:
    """Fit a wall of one layer."""
    field = composite_wall(geometry, problem)
    if len(field.layers.layers) > 1:
        raise ReferenceRefusedError("a plane wall has one layer; this one has more, ask for 'composite-wall'")
    return replace(field, name="plane-wall")


def composite_wall(geometry: SectionGeometry, problem: Problem) -> LayeredField:
    """Fit a wall of several layers; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = geometry.lattice
    gaps = bool(problem.enclosures)
    if geometry.turned or lattice is None or lattice.centre is not None or (not gaps and (lattice.owner == VOID).any()):
        raise ReferenceRefusedError("the regions do not fill a rectangle, so heat does not flow straight through")
    reasons = []
    for axis in (0, 1):
        try:
            return _straight(axis, lattice, geometry, problem)
        except ReferenceRefusedError as error:
            reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(dict.fromkeys(reasons)))


def _straight(axis: int, lattice: Lattice, geometry: SectionGeometry, problem: Problem) -> LayeredField:
    along, across = (lattice.us, lattice.vs) if axis == 0 else (lattice.vs, lattice.us)
    owner = lattice.owner if axis == 0 else lattice.owner.T
    if (owner != owner[:, :1]).any():
        raise ReferenceRefusedError(f"along {'xy'[axis]} the layers do not run through the whole wall")
    ends = flat_ends(axis, along, geometry)
    order = owner[:, 0].tolist()
    gaps = _gaps(order, [partial(flat_end, axis, float(at), geometry) for at in along], problem)
    endless = _endless(1 - axis, across, geometry, problem)
    for surface in sorted(
        surfaces_passing_heat(geometry, problem) - {*ends, *endless, *(name for gap in gaps for name in gap.faces)}
    ):
        raise ReferenceRefusedError(f"along {'xy'[axis]} heat passes through {surface} at the side of the wall")
    ks = [_NO_K if region == VOID else conductivity_towards(problem, region, axis, bool(endless)) for region in order]
    stack = _Stack("wall", along - along[0], order, ks, ends, float(np.ptp(across)) * (geometry.depth or 0.0), gaps)
    field = stack.field("composite-wall", geometry, problem, axis=axis, origin=float(along[0]))
    return replace(field, drifting=_drifting(field, endless, axis, geometry, problem)) if endless else field


def _drifting(
    field: LayeredField, endless: tuple[str, ...], axis: int, geometry: SectionGeometry, problem: Problem
) -> dict[str, float]:
    """Heat into the body through the two periodic sides of a wall whose layers conduct aslant: −k_xy dT/ds along each,
    out of the one and in through the other."""
    drifts, lines = 0.0, np.array([field.layers.start, *(layer.end for layer in field.layers.layers)])
    for place, region in enumerate(field.order):
        conductor = problem.conductors[region]
        if region != VOID and len(conductor.k) > 1:
            along, across = (float(law.constant or 0.0) for law in conductor.k[:2])
            first, last = field.layers.temperature_at(lines[place : place + 2], place)
            aslant = (along - across) * np.sin(conductor.angle) * np.cos(conductor.angle)
            drifts -= aslant * float(last - first) * (geometry.depth or 0.0)
    low, high = sorted(endless, key=lambda name: float(geometry.surfaces[name].segments[..., 1 - axis].mean()))
    return {low: drifts, high: -drifts}


def _endless(axis: int, lines: Floats, geometry: SectionGeometry, problem: Problem) -> tuple[str, ...]:
    """The two sides of a wall where they are periodic, so that it goes on for ever."""
    for pair in problem.periodic:
        places = [geometry.surfaces[name].segments[..., axis] for name in pair]
        at = [place.mean() for place in places]
        gaps = [np.abs(place - middle).max() for place, middle in zip(places, at, strict=True)]
        gaps += np.abs(np.sort(at) - np.array([lines[0], lines[-1]])).tolist()
        if max(gaps) < 1e-9 * geometry.extent:
            return pair
    return ()


def hollow_cylinder(geometry: SectionGeometry, problem: Problem) -> LayeredField:
    """Fit a hollow or solid cylinder; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = geometry.lattice if geometry.turned else geometry.rings
    if lattice is None or (lattice.centre is None) != geometry.turned:
        raise ReferenceRefusedError("the layers are no rings about one centre, nor rectangles about the axis")
    if geometry.turned:
        factor = 2 * np.pi * float(np.ptp(lattice.vs))
    else:
        factor = float(np.ptp(lattice.vs)) * (geometry.depth or 0.0)
    return _radial("cylinder", "hollow-cylinder", lattice, factor, geometry, problem)


def hollow_sphere(geometry: SectionGeometry, problem: Problem) -> LayeredField:
    """Fit a hollow or solid sphere; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = geometry.rings
    if lattice is None or lattice.centre is None or not geometry.turned:
        raise ReferenceRefusedError("the layers are no ring sectors of a turned section")
    if abs(lattice.centre[0]) > 1e-9 * geometry.extent:
        raise ReferenceRefusedError("the centre of the layers does not lie on the axis")
    factor = 2 * np.pi * float(np.sin(lattice.vs[-1]) - np.sin(lattice.vs[0]))
    return _radial("sphere", "hollow-sphere", lattice, factor, geometry, problem)


def _radial(
    form: LayerForm, name: str, lattice: Lattice, factor: float, geometry: SectionGeometry, problem: Problem
) -> LayeredField:
    owner, radii = lattice.owner, lattice.us
    if (not problem.enclosures and (owner == VOID).any()) or (owner != owner[:, :1]).any():
        raise ReferenceRefusedError("the layers do not run round evenly")
    solid = radii[0] < 1e-9 * radii[-1]
    if lattice.centre is None:
        outer = flat_end(0, radii[-1], geometry)
        inner = "" if solid else flat_end(0, radii[0], geometry)
    else:
        outer = _round_end(lattice.centre, radii[-1], geometry)
        inner = "" if solid else _round_end(lattice.centre, radii[0], geometry)
    order = owner[:, 0].tolist()

    def end_at(radius: float) -> str:
        if lattice.centre is None:
            return flat_end(0, radius, geometry)
        return _round_end(lattice.centre, radius, geometry)

    gaps = _gaps(order, [partial(end_at, float(at)) for at in radii], problem)
    for surface in sorted(
        surfaces_passing_heat(geometry, problem) - {inner, outer, *(name for gap in gaps for name in gap.faces)}
    ):
        raise ReferenceRefusedError(f"heat passes through {surface}, across the radius")
    ks = [
        _NO_K if region == VOID else _radial_conductivity(problem, region, lattice.centre, geometry) for region in order
    ]
    stack = _Stack(form, np.where(radii < 1e-9 * radii[-1], 0.0, radii), order, ks, (inner, outer), factor, gaps)
    return stack.field(name, geometry, problem, centre=lattice.centre)


def _radial_conductivity(
    problem: Problem, region: int, centre: tuple[float, float] | None, geometry: SectionGeometry
) -> Law:
    """Conductivity along the radius."""
    conductor = problem.conductors[region]
    if centre is None or len(conductor.k) == 1:
        return conductivity_towards(problem, region, 0, slanted=False)
    if conductor.centre is None or np.abs(np.array(conductor.centre) - centre).max() > 1e-9 * geometry.extent:
        raise ReferenceRefusedError("a material conducts by directions that are not radial")
    if conductor.k[0].variables - {"T"}:
        raise ReferenceRefusedError("a conductivity differs from place to place")
    return conductor.k[0]


@immutable
class _Gap:
    """An empty layer by its place, the surfaces on both sides of it, and their emissivities."""

    place: int
    faces: tuple[str, str]
    emissivity: tuple[float, float]


def _gaps(order: list[int], ends: Sequence[Callable[[], str]], problem: Problem) -> tuple[_Gap, ...]:
    """Return the empty layers, each of which must be an enclosure of the two faces beside it.

    ``ends`` name the surface at each line. Raises :class:`ReferenceRefusedError` where an enclosure is something else.
    """
    found = []
    for place in (place for place, region in enumerate(order) if region == VOID):
        if place in (0, len(order) - 1):
            raise ReferenceRefusedError("an empty layer bounds the body")
        faces = ends[place](), ends[place + 1]()
        law = next((law for law in problem.enclosures if set(law.chamber.surfaces) == set(faces)), None)
        if law is None or law.opening is not None:
            raise ReferenceRefusedError("a gap is no closed enclosure of the two faces beside it")
        if law.chamber.unevenness() > _EVEN:
            raise ReferenceRefusedError("the faces of a gap see more of each other in one place than in another")
        stated = dict(zip(law.chamber.surfaces, law.emissivity, strict=True))
        shares = [stated[face].constant for face in faces]
        if any(not share for share in shares) or any({*problem.held, *problem.exchanges} & {face} for face in faces):
            raise ReferenceRefusedError("an emissivity in a gap is not the same everywhere, or heat is given there too")
        found.append(_Gap(place, faces, (shares[0] or 0.0, shares[1] or 0.0)))
    if len(found) < len(problem.enclosures):
        raise ReferenceRefusedError("an enclosure is no gap between two layers")
    return tuple(found)


@immutable
class _Stack:
    """Layers of regions in ``order`` between ``lines``, with their conductivities; ``ends`` are the surfaces on both
    sides, the first empty where there is none."""

    form: LayerForm
    lines: Floats
    order: list[int]
    ks: list[Law]
    ends: tuple[str, str]
    factor: float
    gaps: tuple[_Gap, ...] = ()

    def field(
        self,
        name: str,
        geometry: SectionGeometry,
        problem: Problem,
        axis: int = 0,
        origin: float = 0.0,
        centre: tuple[float, float] | None = None,
    ) -> LayeredField:
        """Solve it with what is stated in the regions, on the joints and on both sides."""
        crossing = crossings_of(self.order, geometry)
        emissivities = {gap.place: gap.emissivity for gap in self.gaps}
        contact = {place: contact_of(problem, surface) for surface, each in crossing.items() for place, _ in each}
        heat = generation_of(problem)
        layers = tuple(
            ReferenceLayer(float(end), k, heat.get(region, 0.0), contact.get(place, 0.0), emissivities.get(place))
            for place, (end, k, region) in enumerate(zip(self.lines[1:], self.ks, self.order, strict=True))
        )
        inner = side_of(self.ends[0], problem) if self.ends[0] else Side()
        made = Layers(self.form, float(self.lines[0]), layers, inner, side_of(self.ends[1], problem))
        for gap in self.gaps:  # out of the body through its near face, and in again through the far one
            crossing[gap.faces[0]], crossing[gap.faces[1]] = [(gap.place - 1, -1.0)], [(gap.place, 1.0)]
        return LayeredField(made, axis, origin, centre, self.factor, self.ends, crossing, tuple(self.order), name)


def flat_ends(axis: int, lines: Floats, geometry: SectionGeometry) -> tuple[str, str]:
    """Names of the surfaces that lie whole at the first and at the last line of a lattice."""
    return flat_end(axis, float(lines[0]), geometry), flat_end(axis, float(lines[-1]), geometry)


def flat_end(axis: int, line: float, geometry: SectionGeometry) -> str:
    """Name of the surface that lies whole at a line of a lattice; raises :class:`ReferenceRefusedError` for several."""
    reach = 1e-9 * geometry.extent
    at = [s.name for s in geometry.outer_surfaces if np.abs(s.segments[..., axis] - line).max() < reach]
    if len(at) != 1:
        raise ReferenceRefusedError(f"along {'xy'[axis]} an end is no single surface")
    return at[0]


def _round_end(centre: tuple[float, float], radius: float, geometry: SectionGeometry) -> str:
    """Name of the surface that runs round at a radius."""
    at = []
    for surface in geometry.outer_surfaces:
        away = np.linalg.norm(surface.segments - np.array(centre), axis=-1)
        if np.abs(away - radius).max() < 1e-9 * geometry.extent:
            at.append(surface.name)
    if len(at) != 1:
        raise ReferenceRefusedError("the bore or the rim is no single surface")
    return at[0]
