"""Rectangles in layers, cylinders of any length, and boxes: series along every axis."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import field, replace
from functools import cached_property
from typing import Literal

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.bodies import Section
from blunt_ember.checks.references.fits.field import (
    conductivity_towards,
    contact_of,
    crossings_of,
    generation_of,
    require_no_radiation,
    require_whole,
    side_of,
    single_rectangle,
)
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry, section_geometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.limits import extrapolated
from blunt_ember.reference.crosswise.separated import SEPARATED_SOURCE, Along, Separated, Spot
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer
from blunt_ember.reference.side import Side
from blunt_ember.sent_bare import SentBare

#: Terms of one sum and, by how near to a face a place is, of two; those from which a heat flow is extrapolated.
_SINGLE, _DOUBLE = 2_048, (24, 48, 96, 160)
_SUMS_SINGLE, _SUMS_DOUBLE = (128, 256, 512, 1_024, 2_048), (20, 40, 80, 160, 320)
#: A term with an exponent beyond this adds nothing to a double.
_SPENT = 40.0
_Bodies = dict[tuple[tuple[int, ...], int, int], Separated]
_NO_CYLINDER = "the body is no cylinder of one height, nor rings of one"


@immutable
class BodyAxis:
    """An axis of a body between ``lines`` in m, with conductivity ``k`` and ``contact`` resistances behind each layer,
    what both ends meet, and the surfaces there; there is none in the middle of a solid cylinder."""

    lines: tuple[float, ...]
    k: tuple[float, ...]
    sides: tuple[Side, Side]
    names: tuple[tuple[str, ...], tuple[str, ...]]
    contacts: tuple[float, ...] = ()

    @property
    def length(self) -> float:
        """From end to end, m."""
        return self.lines[-1] - self.lines[0]


@immutable
class Places:
    """Takes points to coordinates along axes ``order``, from an ``origin``, or to a radius from it and the height."""

    origin: tuple[float, ...]
    order: tuple[int, ...] = (0, 1, 2)
    radial: bool = False

    def __call__(self, points: Floats) -> Floats:
        """Return coordinates (p, axes) in m of ``points`` (p, d)."""
        away = points - np.array(self.origin)
        if self.radial:
            return np.column_stack([np.linalg.norm(away[:, :2], axis=1), away[:, 2]])
        return away[:, list(self.order)]

    def points(self, coordinates: Floats, angle: float = 0.0) -> Floats:
        """Return points (p, d) in m of coordinates (p, axes), about an axis at an angle in radians."""
        if self.radial:
            r, height = coordinates.T
            return np.column_stack([r * np.cos(angle), r * np.sin(angle), height]) + np.array(self.origin)
        found = np.empty_like(coordinates)
        found[:, list(self.order)[: coordinates.shape[1]]] = coordinates
        return found + np.array(self.origin)


@immutable
class SeparableField(SentBare):
    """A body of ``axes``, the first of which is a radius or has layers where one does; ``generation`` in W/m³ by layer.

    ``places`` takes points to coordinates along the axes, ``factor`` is what one unit of heat stands for, ``order`` the
    regions of the layers.
    """

    name: str
    form: Literal["wall", "cylinder"]
    axes: tuple[BodyAxis, ...]
    generation: tuple[float, ...]
    places: Places
    factor: float
    order: tuple[int, ...] = ()
    #: Parts of the ends of the last axis that are heated besides.
    spots: tuple[Spot, ...] = ()
    source: str = SEPARATED_SOURCE
    _made: _Bodies = field(default_factory=dict, compare=False, repr=False)

    def __post_init__(self) -> None:
        sides = [side for axis in self.axes for side in axis.sides]
        require_no_radiation(*sides)
        if not any(side.drives for side in sides):
            raise ReferenceRefusedError("no face is held or meets a fluid, so any temperature would do")
        if len(self.axes[0].k) > 1 and any(side.h for axis in self.axes[1:] for side in axis.sides):
            raise ReferenceRefusedError("a film lies along layers that conduct differently")

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m, in one region if one is given; on a held face its temperature."""
        places = self.places(points)
        if len(self.axes) == 2:
            layer = self.order.index(region) if region is not None and self.order.count(region) == 1 else None
            result = self._body((0, 1), _SINGLE).temperature_at(places, layer)
        else:
            result = self._in_box(places)
        for number, axis in enumerate(self.axes):
            for side, at in zip(axis.sides, (axis.lines[0], axis.lines[-1]), strict=True):
                if side.held is not None:
                    result = np.where(np.abs(places[:, number] - at) <= 1e-12 * axis.length, side.held, result)
        return result

    def _in_box(self, places: Floats) -> Floats:
        """What lies near two faces is best summed along the third axis, by as many terms as that takes."""
        lengths = np.array([axis.length for axis in self.axes])
        away = np.minimum(places, lengths - places)
        orders = np.argsort(away, axis=1)
        if self.spots:  # their axis must be the last
            orders = np.column_stack([np.argsort(away[:, :2], axis=1), np.full(len(away), 2)])
        longest = lengths[orders[:, :2]].max(axis=1)
        wanted = _SPENT * longest / (np.pi * np.maximum(away[np.arange(len(away)), orders[:, 2]], 1e-9 * longest))
        classes = np.minimum(np.searchsorted(_DOUBLE, wanted), len(_DOUBLE) - 1)
        kinds, which = np.unique(np.column_stack([orders, classes]), axis=0, return_inverse=True)
        result = np.empty(len(places))
        for number, (*order, kind) in enumerate(kinds.tolist()):
            own = which.ravel() == number
            result[own] = self._body(tuple(order), _SINGLE, _DOUBLE[kind]).temperature_at(places[own][:, order])
        return result

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; NaN where held faces of two temperatures meet at its edge, and inside."""
        for number, axis in enumerate(self.axes):
            for end, names in enumerate(axis.names):
                if names == (surface,):
                    return self._heat(number, end)
        return float("nan")

    def _heat(self, number: int, end: int) -> float:
        side = self.axes[number].sides[end]
        if self.spots and len(self.axes) == 3:
            return float("nan")
        beside = (each for place, axis in enumerate(self.axes) if place != number for each in axis.sides)
        if side.held is not None and any(each.held not in (None, side.held) for each in beside):
            return float("nan")
        if len(self.axes) == 2:
            counts = _SUMS_SINGLE if len(self.axes[0].k) == 1 else _SUMS_SINGLE[-2:]
            sums = [self._body((0, 1), count, known=self._summed).heat_in(number, end) for count in counts]
        else:
            order = (number, *(place for place in range(3) if place != number))
            sums = [self._body(order, count, count, self._summed).heat_in(0, end) for count in _SUMS_DOUBLE]
        return extrapolated(sums) * self.factor

    @cached_property
    def _summed(self) -> _Bodies:
        """Bodies that heat is summed with, which are large and stay where it is."""
        return {}

    def _body(self, order: tuple[int, ...], terms: int, pairs: int = 0, known: _Bodies | None = None) -> Separated:
        """The body with its axes in an order, of which the first is across layers, and so many terms."""
        key, known = (order, terms, pairs), self._made if known is None else known
        if key in known:
            return known[key]
        first, *others = (self.axes[place] for place in order)
        last = others[-1].k
        layers = tuple(
            WarmingLayer(end, k, k / along, 0.0, heat, contact)
            for end, k, along, heat, contact in zip(
                first.lines[1:],
                first.k,
                last * (len(first.k) // len(last)),
                self.generation,
                (*first.contacts, 0.0),
                strict=True,
            )
        )
        warming = Warming(self.form, first.lines[0], layers, first.sides)
        alongs = tuple(Along(axis.length, axis.k[0] / last[0], _over(axis.sides, last[0])) for axis in others)
        made = Separated(warming, alongs, terms, pairs, _placed(self.spots, order))
        known[key] = made
        return made


def _placed(spots: Iterable[Spot], order: tuple[int, ...]) -> tuple[Spot, ...]:
    """Spots with the axes before the last in an order."""
    return tuple(replace(spot, within=tuple(spot.within[place] for place in order[:-1])) for spot in spots)


def _over(sides: tuple[Side, Side], k: float) -> tuple[Side, Side]:
    """Films over a conductivity."""
    first, second = (replace(side, h=side.h / k) for side in sides)
    return first, second


def layered_rectangle(geometry: SectionGeometry, problem: Problem) -> SeparableField:
    """Fit a rectangle of layers of its whole width or height.

    Raises :class:`ReferenceRefusedError` with the reason it does not hold, as all here do.
    """
    lattice = geometry.lattice
    if geometry.turned or lattice is None or lattice.centre is not None or (lattice.owner == VOID).any():
        raise ReferenceRefusedError("the regions do not fill a rectangle")
    for across, owner in enumerate((lattice.owner, lattice.owner.T)):
        if (owner == owner[:, :1]).all() and len(np.unique(owner)) > 1:
            return _layers(geometry, problem, across, (lattice.us, lattice.vs), owner[:, 0].tolist())
    raise ReferenceRefusedError("the body is no rectangle of layers")


def one_rectangle(geometry: SectionGeometry, problem: Problem) -> SeparableField:
    """Fit a rectangle of one material, by its axes."""
    lattice = single_rectangle(geometry)
    if geometry.turned:
        raise ReferenceRefusedError("the section is turned about an axis")
    return _layers(geometry, problem, 0, (lattice.us, lattice.vs), lattice.owner[:, 0].tolist())


def finite_cylinder(geometry: SectionGeometry, problem: Problem) -> SeparableField:
    """Fit a cylinder of any length, solid or hollow, of rings about each other, as a turned section."""
    lattice = geometry.lattice
    if not geometry.turned or lattice is None or lattice.centre is not None or (lattice.owner == VOID).any():
        raise ReferenceRefusedError(_NO_CYLINDER)
    if (lattice.owner != lattice.owner[:, :1]).any():
        raise ReferenceRefusedError(_NO_CYLINDER)
    return _layers(geometry, problem, 0, (lattice.us, lattice.vs), lattice.owner[:, 0].tolist())


def _layers(
    geometry: SectionGeometry, problem: Problem, across: int, lines: tuple[Floats, Floats], order: list[int]
) -> SeparableField:
    """A section of layers ``across`` x (0) or y (1), in a turned one about the axis."""
    lines, order = merged(lines, across, order)
    axes = []
    spots: list[Spot] = []
    origins = [0.0 if geometry.turned and axis == 0 else float(lines[axis][0]) for axis in (0, 1)]
    left = {surface.name for surface in geometry.outer_surfaces}
    for axis in (across, 1 - across):
        ends = float(lines[axis][0]), float(lines[axis][-1])
        names = at_line(axis, ends[0], geometry), at_line(axis, ends[1], geometry)
        left -= {*names[0], *names[1]}
        places = lines[axis] - origins[axis]
        places = np.where(np.abs(places) < 1e-9 * places[-1], 0.0, places)
        ks = (conductivity_towards(problem, region, axis, slanted=False).constant for region in order)
        contacts: list[float] = []
        rests = []
        if axis != across:
            for end, own in enumerate(names):
                rest, parts = parts_of(own, problem)
                rests.append(rest)
                for name, flux in parts:
                    along = geometry.surfaces[name].segments[..., across] - float(origins[across])
                    spots.append(Spot(end, ((float(along.min()), float(along.max())),), flux))
        if axis == across:
            stated = crossings_of(order, geometry)
            behind = {at: contact_of(problem, name) for name, each in stated.items() for at, _ in each}
            contacts = [behind.get(at, 0.0) for at in range(len(order) - 1)]
        axes.append(
            BodyAxis(
                tuple(places.tolist()) if axis == across else (0.0, float(places[-1])),
                tuple(_constant(k) for k in ks),
                (_met(names[0], problem), _met(names[1], problem)) if axis == across else (rests[0], rests[1]),
                names,
                tuple(contacts),
            )
        )
    if left:
        raise ReferenceRefusedError(f"{min(left)} is no side of the body")
    heat = generation_of(problem)
    return SeparableField(
        "finite-cylinder" if geometry.turned else "layered-rectangle",
        "cylinder" if geometry.turned else "wall",
        tuple(axes),
        tuple(heat.get(region, 0.0) for region in order),
        Places(tuple(origins), (across, 1 - across)),
        2 * np.pi if geometry.turned else geometry.depth or 0.0,
        tuple(order),
        tuple(spots),
    )


def merged(lines: tuple[Floats, Floats], across: int, order: list[int]) -> tuple[tuple[Floats, Floats], list[int]]:
    """Return lines and layers without those at which nothing but a surface is cut."""
    changes = np.flatnonzero(np.diff(order)) + 1
    kept = lines[across][[0, *changes.tolist(), len(order)]]
    return (kept, lines[1]) if across == 0 else (lines[0], kept), [order[at] for at in (0, *changes.tolist())]


def parts_of(names: tuple[str, ...], problem: Problem) -> tuple[Side, list[tuple[str, float]]]:
    """Return what all surfaces of an end meet, and the parts of it into which more flux comes than into the rest."""
    met = {name: side_of(name, problem) for name in names}
    rests = {replace(side, flux=0.0) for side in met.values()}
    if len(rests) > 1:
        raise ReferenceRefusedError(f"{names[0]} and what lies in line with it do not meet the same")
    least = min((side.flux for side in met.values()), key=abs, default=0.0)
    rest = replace(rests.pop(), flux=least) if rests else Side()
    return rest, [(name, side.flux - least) for name, side in met.items() if side.flux != least]


def box(geometry: SolidGeometry, problem: Problem) -> SeparableField:
    """Fit a box of one material."""
    plan = _plan_of(geometry)
    lattice, region = single_rectangle(plan), geometry.regions[0].name
    lows, highs = tuple(geometry.low), tuple(geometry.high)
    if abs(float(np.ptp(lattice.us)) - (highs[0] - lows[0])) > 1e-9 * geometry.extent:
        raise ReferenceRefusedError("the body is no box")
    ks = problem.conductors[0].constant
    if ks is None:
        raise ReferenceRefusedError("a conductivity is no constant, or differs with the direction")
    ends = (("left", "right"), ("front", "back"), ("bottom", "top"))
    sides = tuple(
        _named_axis(float(high - low), 0.0, ks, (f"{region}.{first}", f"{region}.{last}"), problem)
        for low, high, (first, last) in zip(lows[:2], highs[:2], ends[:2], strict=True)
    )
    up, heated = _upright_axis(geometry, ks, problem)
    spots = [Spot(end, rectangle_of(column, geometry), flux) for end, column, flux in heated]
    require_whole(geometry, (name for axis in (*sides, up) for names in axis.names for name in names))
    heat = (generation_of(problem).get(0, 0.0),)
    return SeparableField("box", "wall", (*sides, up), heat, Places(lows), 1.0, spots=tuple(spots))


def _upright_axis(geometry: SolidGeometry, k: float, problem: Problem) -> tuple[BodyAxis, list[tuple[int, int, float]]]:
    """The axis up, and the ends, columns and fluxes of what is heated besides."""
    stations = geometry.path.stations
    sides, names, heated = flat_ends(geometry, problem)
    return BodyAxis((0.0, float(stations[-1] - stations[0])), (k,), sides, names), heated


def flat_ends(
    geometry: SolidGeometry, problem: Problem
) -> tuple[tuple[Side, Side], tuple[tuple[str, ...], tuple[str, ...]], list[tuple[int, int, float]]]:
    """What all of the lowest and the highest faces of a solid meet, their names, and the ends, columns of the plan and
    fluxes of what is heated besides."""
    names, rests, heated = [], [], []
    for end, station in ((0, 0), (1, len(geometry.path.stations) - 1)):
        own = {column: name for (column, at), name in geometry.ends.items() if at == station}
        rest, parts = parts_of(tuple(own.values()), problem)
        more = dict(parts)
        heated += [(end, column, more[name]) for column, name in own.items() if name in more]
        names.append(tuple(dict.fromkeys(own.values())))
        rests.append(rest)
    return (rests[0], rests[1]), (names[0], names[1]), heated


def rectangle_of(column: int, geometry: SolidGeometry) -> tuple[tuple[float, float], ...]:
    """Return where a column of the plan that is a rectangle along the axes begins and ends along each, m from the
    lowest corner of the body."""
    plan, own = geometry.plan.arrangement, _edges_of(column, geometry)
    first, last = plan.points[plan.start[own]], plan.points[plan.end[own]]
    low, high = first.min(axis=0), first.max(axis=0)
    way = np.where(plan.left[own] == column, 0.5, -0.5)
    area = float((first[:, 0] * last[:, 1] - last[:, 0] * first[:, 1]) @ way)
    if plan.curves.take(own).is_arc.any() or abs(area - float(np.prod(high - low))) > 1e-9 * geometry.extent**2:
        raise ReferenceRefusedError("what is heated is no rectangle along the sides")
    lows = geometry.low[:2]
    return tuple((float(a - o), float(b - o)) for a, b, o in zip(low, high, lows, strict=True))


def ring_of(column: int, geometry: SolidGeometry, centre: tuple[float, float]) -> tuple[float, float]:
    """Return the radii in m between which a column of the plan lies that is a disc or a ring about a centre."""
    plan, own = geometry.plan.arrangement, _edges_of(column, geometry)
    curves = plan.curves.take(own)
    aside = np.abs(curves.centre - np.array(centre)).max() > 1e-9 * geometry.extent
    away = np.linalg.norm(plan.points[plan.start[own]] - np.array(centre), axis=1)
    reaches = np.unique(np.round(away / (1e-9 * geometry.extent))) * 1e-9 * geometry.extent
    if not curves.is_arc.all() or aside or len(reaches) > 2:
        raise ReferenceRefusedError("what is heated is no disc or ring about the middle")
    return float(reaches[0]) if len(reaches) == 2 else 0.0, float(reaches[-1])


def _edges_of(column: int, geometry: SolidGeometry) -> Ints:
    """The edges (e,) of the plan that bound a column."""
    plan = geometry.plan.arrangement
    return np.flatnonzero((plan.left == column) != (plan.right == column))


def upright_cylinder(geometry: SolidGeometry, problem: Problem) -> SeparableField:
    """Fit an upright cylinder of one material, solid or hollow."""
    rings, region = _plan_of(geometry).rings, geometry.regions[0].name
    if rings is None or not rings.closed or rings.owner.size != len(rings.vs) - 1 or rings.centre is None:
        raise ReferenceRefusedError("the plan is no single disc or ring")
    k = problem.conductors[0].constant
    if k is None:
        raise ReferenceRefusedError("a conductivity is no constant, or differs with the direction")
    low = float(geometry.path.stations[0])
    inner, outer = rings.us.tolist()
    bore = "" if inner == 0 else f"{region}.bore"
    up, heated = _upright_axis(geometry, k, problem)
    spots = [Spot(end, (ring_of(column, geometry, rings.centre),), flux) for end, column, flux in heated]
    axes = _named_axis(outer, inner, k, (bore, f"{region}.rim"), problem), up
    require_whole(geometry, (name for axis in axes for names in axis.names for name in names))
    heat, places = (generation_of(problem).get(0, 0.0),), Places((*rings.centre, low), radial=True)
    return SeparableField("upright-cylinder", "cylinder", axes, heat, places, 2 * np.pi, spots=tuple(spots))


def _plan_of(geometry: SolidGeometry) -> SectionGeometry:
    if not geometry.path.straight or geometry.holds.shape[1] != 1 or len(geometry.regions) != 1:
        raise ReferenceRefusedError("the body is no single region of one height")
    return section_geometry(Section(kind="section", regions=dict(geometry.stated)))


def _named_axis(end: float, start: float, k: float, names: tuple[str, str], problem: Problem) -> BodyAxis:
    first, last = (side_of(name, problem) if name else Side() for name in names)
    return BodyAxis((start, end), (k,), (first, last), ((names[0],), (names[1],)))


def _constant(k: float | None) -> float:
    if k is None:
        raise ReferenceRefusedError("the conductivity follows the temperature")
    return k


def at_line(axis: int, line: float, geometry: SectionGeometry) -> tuple[str, ...]:
    """Return names of the surfaces that lie whole at a line of a lattice; none on the axis of a turned section."""
    reach = 1e-9 * geometry.extent
    return tuple(s.name for s in geometry.outer_surfaces if np.abs(s.segments[..., axis] - line).max() < reach)


def _met(names: tuple[str, ...], problem: Problem) -> Side:
    """What all surfaces of an end meet alike."""
    met = {side_of(name, problem) for name in names}
    if len(met) > 1:
        raise ReferenceRefusedError(f"{names[0]} and what lies in line with it do not meet the same")
    return met.pop() if met else Side()
