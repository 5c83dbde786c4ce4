"""The geometry of stacked and turned solids: a plan cut into columns, swept through stations.

Outlines of all regions are laid over each other in the plan, whatever their level. Each face of the plan is a column
that holds one region, or nothing, between every two stations; where that changes there is a surface. Sides of the plan
keep their names (of a stacked body ``front`` and ``back`` in y), what bounds a column below and above is its ``bottom``
and ``top``, what bounds a turn of less than 360° its ``first cut`` and ``last cut``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.case.document.bodies import Stacked, TurnedSolid
from blunt_ember.case.document.case_document import SurfacePart
from blunt_ember.case.document.regions import AnyRegion
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID, Arrangement, bounded, split_outlines
from blunt_ember.geometry.body_geometry import BodyGeometry, thirds
from blunt_ember.geometry.changes import changes
from blunt_ember.geometry.path import Path, Round, Upward
from blunt_ember.geometry.placing import box_of, placed_regions
from blunt_ember.geometry.primitives import Shape
from blunt_ember.geometry.regions import RegionGeometry, Surface
from blunt_ember.geometry.section import SectionGeometry, SectionSurface, reach, require_right_of_axis, straight_pieces
from blunt_ember.geometry.space import Plane, Solid
from blunt_ember.geometry.surface_parts import PartsByName, cut_at, part_fault, require_surface
from blunt_ember.geometry.swept_names import SideCuts, SweptNames, column_integral
from blunt_ember.immutable import immutable

#: Outlines that meet at less than this are drawn as one smooth surface, radians.
_SMOOTH = 0.35
_LINE_SAMPLES = 801
_NO_PARTS: PartsByName = MappingProxyType({})


@immutable
class SolidGeometry(BodyGeometry):
    """A plan whose regions are columns, the path it is swept along, and what each column holds between stations.

    ``holds`` (c, s − 1) is the region of column c behind each station, ``VOID`` for nothing. ``sides`` names the
    surface that the edges of a surface of the plan sweep behind a station, ``ends`` the one that a column has at a
    station. ``creases`` (n, 2, 3) in m are the edges of the body as straight lines, ``stated`` the regions of the plan.
    """

    space: Solid
    plan: SectionGeometry
    path: Path
    regions: tuple[RegionGeometry, ...]
    holds: Ints
    surfaces: Mapping[str, Surface]
    sides: Mapping[tuple[str, int], str]
    ends: Mapping[tuple[int, int], str]
    low: tuple[float, ...]
    high: tuple[float, ...]
    volume: float
    creases: Floats = field(repr=False, compare=False)
    stated: Mapping[str, AnyRegion] = field(repr=False, compare=False)

    @property
    def upright(self) -> int:
        """The axis a turned solid is turned about, or up through the levels."""
        return 2 if self.path.straight else 1

    def plan_of(self, places: Floats) -> tuple[Floats, Floats]:
        """Return the points of the plan (p, 2) in m and the way along the path (p,) of ``places`` (p, 3)."""
        return self.path.plan_of(places)

    def levels_at(self, places: Floats) -> Floats | None:
        """Return the heights (p,) in m of ``places`` (p, 3) among the levels; None where the body has none."""
        return self.path.plan_of(places)[1] if self.path.straight else None

    def levels_of(self, surface: str) -> list[float] | None:
        """Return the heights in m at which a surface bounds levels, in order; None where the body has none."""
        at = sorted({station for (_, station), name in self.ends.items() if name == surface})
        return self.path.stations[at].tolist() if self.path.straight else None

    def in_plan(self, surface: str) -> list[str]:
        """Return the surfaces of the plan that a surface is swept from; none for one across the path."""
        return sorted({group for (group, _), side in self.sides.items() if side == surface})

    def middle_third(self, surface: str) -> tuple[Floats, Floats] | None:
        """The middle third of the pieces of the plan a side is swept from, half way along its sweep."""
        swept = next((key for key, name in self.sides.items() if name == surface), None)
        if swept is None:
            return None
        along = np.array([float(self.path.stations[swept[1] : swept[1] + 2].mean())])
        start, end = thirds(self.plan.surfaces[swept[0]].segments)
        return self.path.places(start[None], along)[0], self.path.places(end[None], along)[0]

    def middle_spot(self, surface: str) -> tuple[Floats, float] | None:
        """A spot in the middle of the plan, an eighth of it wide."""
        if surface not in self.ends.values():
            return None
        low, high = np.array(self.plan.low), np.array(self.plan.high)
        return (low + high) / 2, float((high - low).min()) / 8

    def owner_at(self, points: Floats) -> Ints:
        """Return the region each of ``points`` (p, 3) in m lies in, ``VOID`` where there is none."""
        plan, along = self.path.plan_of(points)
        column = self.plan.owner_at(plan)
        slab = np.searchsorted(self.path.stations, along, side="right") - 1
        inside = (column != VOID) & (slab >= 0) & (slab < self.holds.shape[1])
        owner = np.full(len(points), VOID, dtype=np.int64)
        owner[inside] = self.holds[column[inside], slab[inside]]
        return owner

    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return the shares, in order, at which a straight line from ``start`` to ``end`` (3,) enters a region."""
        return changes(lambda share: self.owner_at(start + share[:, None] * (end - start)))


def stacked_geometry(body: Stacked, parts: PartsByName = _NO_PARTS) -> SolidGeometry:
    """Place, pile, cut and name; raise :class:`CaseError` for a region nothing is left of."""
    spans = [
        entry.z
        for region in body.regions.values()
        for entry in ([region] if region.levels is None else region.levels.values())
    ]
    heights = np.array([[place.si for place in span] for span in spans if span is not None])
    reach_of_parts = [part.start[2].si for part in parts.values() if part.start is not None]
    reach_of_parts += [part.end[2].si for part in parts.values() if part.end is not None]
    inside = [z for z in reach_of_parts if heights.min() < z < heights.max()]
    stations = _merged(np.append(heights.ravel(), inside), 1e-9 * float(np.ptp(heights)))
    middle = (stations[:-1] + stations[1:]) / 2
    reaches = (heights[:, :1] < middle) & (middle < heights[:, 1:])
    plan_of = [place for place, region in enumerate(body.regions.values()) for _ in (region.levels or [region.z])]
    return _swept(body, plan_of, reaches, Upward(stations), parts)


def turned_solid_geometry(body: TurnedSolid, parts: PartsByName = _NO_PARTS) -> SolidGeometry:
    """Place, cut, turn and name; raise :class:`CaseError` for a region that crosses the axis or has nothing left."""
    path = Round(np.array([0.0, min(body.angle.si, 2 * np.pi)]))
    count = len(body.regions)
    return _swept(body, list(range(count)), np.ones((count, 1), dtype=bool), path, parts)


@immutable
class _Holding:
    """Tells the last region that holds each place of the plan behind each station, void ones too, and after that
    whether each of the ``marks`` holds it: (p, slabs + marks)."""

    shapes: Sequence[Sequence[Shape]]
    plan_of: Sequence[int]
    reaches: Flags
    marks: Sequence[Sequence[Shape]]

    def __call__(self, points: Floats) -> Ints:
        within = [_inside(pieces, points) for pieces in self.shapes]
        found = np.full((len(points), self.reaches.shape[1]), VOID, dtype=np.int64)
        for region, place in enumerate(self.plan_of):
            found[within[place][:, None] & self.reaches[region]] = region
        empty = (found == VOID).all(axis=1)
        marked = [_inside(mark, points) & ~empty for mark in self.marks]
        return np.column_stack([found, *marked])


@immutable
class _Columns:
    """Tells which column of the plan places lie in."""

    held: _Holding
    numbers: Mapping[bytes, int]

    def __call__(self, points: Floats) -> Ints:
        rows, which = np.unique(self.held(points), axis=0, return_inverse=True)
        numbers = np.array([self.numbers.get(row.tobytes(), VOID) for row in rows], dtype=np.int64)
        return numbers[which.reshape(-1)]


def _merged(values: Floats, tolerance: float) -> Floats:
    ordered = np.unique(values)
    return ordered[np.concatenate([[True], np.diff(ordered) > tolerance])]


def _swept(
    body: Stacked | TurnedSolid, plan_of: list[int], reaches: Flags, path: Path, parts: PartsByName
) -> SolidGeometry:
    """Cut the plan into columns and name what bounds them.

    ``plan_of`` is the region of the plan that each region of the body stands on, ``reaches`` (regions, slabs) tells
    behind which stations it stands.
    """
    shapes = placed_regions(body.regions)
    boxes = [box_of(pieces) for pieces in shapes]
    fillings = body.fillings
    regions = tuple(
        RegionGeometry(name, boxes[place], filling.void)
        for (name, filling), place in zip(fillings.items(), plan_of, strict=True)
    )
    corners = np.array(boxes)
    extent = float((corners[:, 2:].max(axis=0) - corners[:, :2].min(axis=0)).max())
    if not path.straight:
        require_right_of_axis(regions, extent)

    spots = {name: _mark(name, part.within) for name, part in parts.items() if part.within is not None}
    held = _Holding(shapes, plan_of, reaches, list(spots.values()))
    pieces = split_outlines([*shapes, *spots.values()], extent)
    voids = [index for index, region in enumerate(regions) if region.void]
    slabs = reaches.shape[1]
    rows, column = _columns(np.concatenate([held(pieces.beside_left), held(pieces.beside_right)]), voids, slabs)
    stated, marked = rows[:, :slabs], rows[:, slabs:] > 0
    holds = np.where(np.isin(stated, voids), VOID, stated)
    _require_something_left(regions, holds, [filling.path[:-1] for filling in fillings.values()])
    count = len(pieces.start)
    arrangement = bounded(pieces, column[:count], column[count:])
    owning = _Columns(held, {row.tobytes(): number for number, row in enumerate(rows)})
    columns = {name: marked[:, number] for number, name in enumerate(spots)}
    cuts, known = SideCuts(()), dict[str, SurfacePart]()

    def named(plan: SectionGeometry) -> SweptNames:
        return SweptNames(
            regions, plan_of, list(body.regions), plan, stated, holds, reaches, path, known, cuts, columns
        )

    plan = _plan(arrangement, owning, cuts)
    names = named(plan)
    for name, part in parts.items():
        require_surface(name, part, list(names.surfaces()))
        if part.within is None:
            arrangement, cuts = _cut_part(name, part, arrangement, cuts, names, path, extent)
            plan = _plan(arrangement, owning, cuts)
        known[name] = part
        names = named(plan)
    _require_every_part(parts, names.surfaces())
    low, high = _box(plan.arrangement, path)
    amount = column_integral(plan.arrangement, len(holds), 2 if not path.straight else 1)
    volume = float(amount @ ((holds != VOID) @ np.diff(path.stations)))
    return SolidGeometry(
        Solid(turned=not path.straight),
        plan,
        path,
        regions,
        holds,
        names.surfaces(),
        names.sides,
        names.ends,
        low,
        high,
        volume,
        _creases(plan.arrangement, holds, path),
        body.regions,
    )


def _inside(pieces: Sequence[Shape], points: Floats) -> Flags:
    inside = np.zeros(len(points), dtype=bool)
    for piece in pieces:
        inside |= piece.contains(points)
    return inside


def _columns(rows: Ints, voids: list[int], slabs: int) -> tuple[Ints, Ints]:
    """Number the different rows; return them and the number of each, ``VOID`` for one with nothing in its slabs."""
    stated, column = np.unique(rows, axis=0, return_inverse=True)
    empty = (np.isin(stated[:, :slabs], voids) | (stated[:, :slabs] == VOID)).all(axis=1)
    number = np.where(empty, VOID, np.cumsum(~empty) - 1)
    return stated[~empty], number[column.reshape(-1)]


def _mark(name: str, region: AnyRegion) -> list[Shape]:
    """The outlines of a spot and its copies at their places in the plan."""
    try:
        (pieces,) = placed_regions({name: region})
    except CaseError as error:
        raise part_fault(name, "within", error.faults[0].message) from error
    return pieces


def _cut_part(
    name: str, part: SurfacePart, plan: Arrangement, cuts: SideCuts, names: SweptNames, path: Path, extent: float
) -> tuple[Arrangement, SideCuts]:
    """Cut the edges of the plan where a part of a side begins and ends."""
    assert part.start is not None and part.end is not None
    groups = sorted({group for (group, _), side in names.sides.items() if side == part.on})
    if not groups:
        raise part_fault(name, "on", f"'{part.on}' is an end of the sweep; say what lies 'within' a shape on it")
    edges = np.unique(np.concatenate([names.plan.surfaces[group].edges for group in groups]))
    places, along = path.plan_of(np.array([[c.si for c in place] for place in (part.start, part.end)]))
    cut, within = cut_at(plan, edges, name, {"start": places[0], "end": places[1]}, extent)
    added = range(len(plan.start), len(cut.start))
    low, high = sorted(along.tolist()) if path.straight and along[0] != along[1] else (-np.inf, np.inf)
    grown = tuple((known, _with_pieces(cut, own, added), a, b) for known, own, a, b in cuts.parts)
    return cut, SideCuts((*grown, (name, frozenset(within.tolist()), float(low), float(high))))


def _with_pieces(plan: Arrangement, edges: frozenset[int], added: range) -> frozenset[int]:
    """What was cut before owns both pieces of an edge that is cut again: an added piece begins where its other ends."""
    own = set(edges)
    for piece in added:
        if any(plan.end[edge] == plan.start[piece] for edge in own):
            own.add(piece)
    return frozenset(own)


def _require_every_part(parts: PartsByName, found: Mapping[str, Surface]) -> None:
    for name, part in parts.items():
        if name not in found:
            what = f"nothing of '{part.on}' lies there; on a side say 'start' and 'end'"
            raise part_fault(name, "within" if part.within is not None else "start", what)


def _plan(arrangement: Arrangement, owning: _Columns, cuts: SideCuts) -> SectionGeometry:
    """Make the plan a section of its own: columns are its regions, and edges alike in all respects one surface."""
    groups: dict[Any, list[int]] = {}
    for edge, (left, right) in enumerate(zip(arrangement.left.tolist(), arrangement.right.tolist(), strict=True)):
        key = (min(left, right), max(left, right), arrangement.side[edge], cuts.of_edge(edge))
        groups.setdefault(key, []).append(edge)
    surfaces = {}
    for number, ((a, b, *_), edges) in enumerate(groups.items()):
        chosen = np.array(edges)
        curves = arrangement.curves.take(chosen)
        length = float(curves.length.sum())
        owners = (b,) if a == VOID else (a, b)
        surfaces[str(number)] = SectionSurface(str(number), owners, length, chosen, straight_pieces(curves), length)
    low, high = reach(arrangement)
    regions = tuple(
        RegionGeometry(str(number), (low[0], low[1], high[0], high[1])) for number in range(len(owning.numbers))
    )
    return SectionGeometry(Plane(1.0), regions, arrangement, surfaces, low, high, owning)


def _require_something_left(
    regions: tuple[RegionGeometry, ...], holds: Ints, paths: Sequence[tuple[str | int, ...]]
) -> None:
    seen = set(holds.ravel().tolist())
    covered = [index for index, region in enumerate(regions) if index not in seen and not region.void]
    if covered:
        what = "nothing is left of it: later regions cover all of it, or its outline has no area; move or mend it"
        raise CaseError(tuple(Fault(paths[index], what) for index in covered))
    if all(region.void for region in regions):
        raise CaseError((Fault(("body", "regions"), "every region is void, so there is no body"),))


def _box(plan: Arrangement, path: Path) -> tuple[tuple[float, ...], tuple[float, ...]]:
    low, high = reach(plan)
    corners = np.array([[x, y] for x in (low[0], high[0]) for y in (low[1], high[1])])
    along = path.drawn(float(path.stations[0]), float(path.stations[-1]))
    if not path.straight:
        quarters = np.arange(5) * np.pi / 2
        along = np.append(along, quarters[quarters <= path.stations[-1] + 1e-9])
    places = path.places(np.tile(corners, (len(along), 1)), np.repeat(along, 4))
    return tuple(places.min(axis=0).tolist()), tuple(places.max(axis=0).tolist())


def _creases(plan: Arrangement, holds: Ints, path: Path) -> Floats:
    """Return the edges of the body as straight lines (n, 2, 3) in m."""
    behind = np.vstack([holds, np.full((1, holds.shape[1]), VOID)])  # the last row is what lies outside: column −1
    left, right = behind[plan.left], behind[plan.right]
    lines = [np.zeros((0, 2, 3))]
    if not path.closed:
        framed_left, framed_right = (np.pad(each, ((0, 0), (1, 1)), constant_values=VOID) for each in (left, right))
        for station, along in enumerate(path.stations.tolist()):
            level_left, level_right = framed_left[:, station : station + 2], framed_right[:, station : station + 2]
            no_side = (level_left == level_right).all(axis=1)
            no_end = (level_left[:, 0] == level_left[:, 1]) & (level_right[:, 0] == level_right[:, 1])
            drawn = straight_pieces(plan.curves.take(~no_side & ~no_end)).reshape(-1, 2)
            lines.append(path.places(drawn, np.full(len(drawn), along)).reshape(-1, 2, 3))
    for slab in range(holds.shape[1]):
        corners = plan.points[_sharp_corners(plan, left[:, slab] != right[:, slab])]
        if not path.straight:
            corners = corners[corners[:, 0] > 0]
        along = path.drawn(float(path.stations[slab]), float(path.stations[slab + 1]))
        run = path.places(np.repeat(corners, len(along), axis=0), np.tile(along, len(corners)))
        run = run.reshape(len(corners), len(along), 3)
        lines.append(np.stack([run[:, :-1], run[:, 1:]], axis=2).reshape(-1, 2, 3))
    return np.concatenate(lines)


def _sharp_corners(plan: Arrangement, active: Flags) -> Flags:
    """Tell which corners of the plan part two smooth pieces of the ``active`` edges, (p,)."""
    zero, one = np.zeros(len(active)), np.ones(len(active))
    away = np.zeros_like(plan.points)
    np.add.at(away, plan.start[active], plan.curves.direction(zero)[active])
    np.add.at(away, plan.end[active], -plan.curves.direction(one)[active])
    count = np.bincount(np.concatenate([plan.start[active], plan.end[active]]), minlength=len(plan.points))
    bent = np.linalg.norm(away, axis=1) > 2 * np.sin(_SMOOTH / 2)
    return (count > 2) | ((count > 0) & bent)
