"""Plates on each other, of one outline, into which heat enters over a part of an end: chips, spreaders, cold plates."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import (
    ExactField,
    conductivity_towards,
    contact_of,
    crossings_of,
    generation_of,
    require_no_radiation,
    side_of,
)
from blunt_ember.checks.references.fits.separable import (
    Places,
    at_line,
    flat_ends,
    merged,
    parts_of,
    rectangle_of,
    ring_of,
)
from blunt_ember.checks.references.fits.solids import solid_field
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.plans import Plan, disc, rectangle, strip
from blunt_ember.reference.crosswise.spreading import SPREADING_SOURCE, Patch, Plate, Spreading
from blunt_ember.reference.side import Side

#: Modes along one axis of the plan, and along each of two.
_ALONE, _OF_TWO = (32, 128, 512, 4_096), (24, 48, 96, 192, 320)


@immutable
class PlatesField:
    """A pile of plates; ``places`` takes points to the plan and the height, ``order`` names the regions from below, and
    ``known`` is the heat in W through each surface that is known."""

    spreading: Spreading
    places: Places
    #: The surfaces at both ends.
    ends: tuple[tuple[str, ...], tuple[str, ...]]
    order: tuple[int, ...]
    known: dict[str, float]
    name: str = "plates"
    source: str = SPREADING_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m, in one region if one is given."""
        layer = self.order.index(region) if region is not None and self.order.count(region) == 1 else None
        return self.spreading.temperature_at(self.places(points), layer)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; NaN through parts of an end that meets a fluid, and inside."""
        return self.known.get(surface, float("nan"))


def plates(geometry: SolidGeometry, problem: Problem) -> ExactField:
    """Fit a pile of plates of one rectangular or round outline, each of one material, or layers of a section in which
    heat flows as in the solid.

    Raises :class:`ReferenceRefusedError` with the reason it does not hold, as all here do.
    """
    try:
        return pile(geometry, problem)
    except ReferenceRefusedError as refused:
        try:
            return solid_field(plates_in_section, geometry, problem)
        except ReferenceRefusedError:
            raise refused from None


def pile(geometry: SolidGeometry, problem: Problem) -> PlatesField:
    """Fit a pile of plates; raise as :func:`plates` does."""
    holds, stations = geometry.holds, geometry.path.stations
    if not geometry.path.straight or (holds != holds[:1]).any() or (holds == VOID).any():
        raise ReferenceRefusedError("the body is no pile of plates of one outline")
    sides, names, heated = flat_ends(geometry, problem)
    rings = geometry.plan.rings
    origin: tuple[float, ...]
    if rings is not None:
        if not rings.closed or rings.centre is None or rings.us[0] != 0 or (rings.owner == VOID).any():
            raise ReferenceRefusedError("the plates are no whole discs")
        plan = disc(float(rings.us[-1]))
        patches = [Patch(end, (ring_of(column, geometry, rings.centre),), flux) for end, column, flux in heated]
        origin, radial = (*rings.centre, float(stations[0])), True
    else:
        wide, deep = (float(high - low) for low, high in zip(geometry.low[:2], geometry.high[:2], strict=True))
        if abs(geometry.volume / float(stations[-1] - stations[0]) - wide * deep) > 1e-9 * geometry.extent**2:
            raise ReferenceRefusedError("the plates are no rectangles")
        plan = rectangle(wide, deep)
        patches = [Patch(end, rectangle_of(column, geometry), flux) for end, column, flux in heated]
        origin, radial = (*geometry.low[:2], float(stations[0])), False
    pile = _without_cuts(stations, holds[0].tolist())
    conducting = [_in_space(problem, region) for region in pile[1]]
    return _field(geometry, problem, plan, (*pile, conducting), (sides, names), patches, Places(origin, radial=radial))


def plates_in_section(geometry: SectionGeometry, problem: Problem) -> PlatesField:
    """Fit layers on each other from below up, in a section or about an axis."""
    lattice = geometry.lattice
    if lattice is None or lattice.centre is not None or (lattice.owner == VOID).any():
        raise ReferenceRefusedError("the regions do not fill a rectangle")
    if (lattice.owner != lattice.owner[:1]).any():
        raise ReferenceRefusedError("the body is no pile of plates of one outline")
    if geometry.turned and lattice.us[0] > 1e-9 * geometry.extent:
        raise ReferenceRefusedError("the plates are no whole discs")
    (_, heights), order = merged((lattice.us, lattice.vs), 1, lattice.owner[0].tolist())
    wide = float(np.ptp(lattice.us))
    ends = [at_line(1, float(at), geometry) for at in (heights[0], heights[-1])]
    rests, patches = [], []
    for end, names in enumerate(ends):
        rest, parts = parts_of(names, problem)
        rests.append(rest)
        for name, flux in parts:
            along = geometry.surfaces[name].segments[..., 0] - float(lattice.us[0])
            patches.append(Patch(end, ((float(along.min()), float(along.max())),), flux))
    return _field(
        geometry,
        problem,
        disc(wide) if geometry.turned else strip(wide),
        (heights, order, [_in_section(problem, region) for region in order]),
        ((rests[0], rests[1]), (ends[0], ends[1])),
        patches,
        Places((0.0 if geometry.turned else float(lattice.us[0]), float(heights[0])), order=(0, 1)),
    )


def _without_cuts(stations: Floats, held: list[int]) -> tuple[Floats, list[int]]:
    """Heights and regions without the stations at which nothing changes."""
    changes = np.flatnonzero(np.diff(held)) + 1
    return stations[[0, *changes.tolist(), len(held)]], [held[at] for at in (0, *changes.tolist())]


def _field(
    geometry: BodyGeometry,
    problem: Problem,
    plan: Plan,
    pile: tuple[Floats, list[int], list[tuple[float, float]]],
    ends: tuple[tuple[Side, Side], tuple[tuple[str, ...], tuple[str, ...]]],
    patches: list[Patch],
    places: Places,
) -> PlatesField:
    """The ``pile`` (its lines, regions, and conductivities through and along them) between ``ends``, with what heats it
    besides."""
    (heights, order, conducting), (sides, names) = pile, ends
    areas = {surface.name: surface.area for surface in geometry.outer_surfaces}
    require_no_radiation(*sides)
    if not any(side.drives for side in sides):
        raise ReferenceRefusedError("neither end is held or meets a fluid, so any temperature would do")
    for surface in set(areas) - {*names[0], *names[1]}:
        if side_of(surface, problem) != Side():
            raise ReferenceRefusedError(f"heat passes {surface}, at the edge of a plate")
    heat = generation_of(problem)
    contacts = [0.0] * len(order)
    for name, crossed in crossings_of(order, geometry).items():
        for at, _ in crossed:
            contacts[at] = contact_of(problem, name)
    layers = tuple(
        Plate(float(end - heights[0]), *ks, heat.get(region, 0.0), contact)
        for end, region, ks, contact in zip(heights[1:], order, conducting, contacts, strict=True)
    )
    counts = _OF_TWO if len(plan.axes) == 2 else _ALONE
    spreading = Spreading(plan, layers, sides, tuple(patches), counts)
    return PlatesField(spreading, places, names, tuple(order), _known(problem, spreading, names, areas))


def _in_space(problem: Problem, region: int) -> tuple[float, float]:
    """Conductivity through and along a plate, W/(m K)."""
    conductor = problem.conductors[region]
    ks = [law.constant for law in conductor.k] * (3 if len(conductor.k) == 1 else 1)
    if len(ks) < 3 or ks[0] is None or ks[2] is None or ks[0] != ks[1]:
        raise ReferenceRefusedError("a plate does not conduct the same everywhere and in every direction along it")
    return ks[2], ks[0]


def _in_section(problem: Problem, region: int) -> tuple[float, float]:
    """The same of a section."""
    through, along = (conductivity_towards(problem, region, axis, slanted=False).constant for axis in (1, 0))
    if through is None or along is None:
        raise ReferenceRefusedError("a conductivity follows the temperature")
    return through, along


def _known(
    problem: Problem, spreading: Spreading, names: tuple[tuple[str, ...], tuple[str, ...]], areas: dict[str, float]
) -> dict[str, float]:
    """Heat in W through the surfaces of which it is known: whole ends, and parts that meet nothing but a flux."""
    known = {}
    mean = spreading.mean
    for end, own in enumerate(names):
        side = spreading.sides[end]
        if len(own) == 1:
            inward = 1.0 if end else -1.0
            layer = len(spreading.plates) - 1 if end else 0
            known[own[0]] = inward * mean.settled_flow(layer, end) * areas[own[0]]
        elif side.held is None and side.h == 0:
            known |= {name: side_of(name, problem).flux * areas[name] for name in own}
    return known
