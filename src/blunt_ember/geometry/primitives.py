"""Primitives as outlines: curves with the name of the side each belongs to, and the inside they bound."""

from __future__ import annotations

from functools import cached_property, singledispatch
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Flags, Floats
from blunt_ember.case.document.regions import Disc, Outline, Polygon, Rectangle, RegularPolygon, Ring, RingSector, Sheet
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.curves import Curves, arc, crossings, joined, lines
from blunt_ember.immutable import immutable


@immutable
class Shape:
    """One closed outline or several; a point is inside when an odd number of them surround it."""

    curves: Curves
    sides: tuple[str, ...]

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Bounding box (x0, y0, x1, y1) in m, exact for arcs."""
        places = [self.curves.start, self.curves.end]
        arcs = self.curves.take(self.curves.is_arc)
        for angle in (0.0, np.pi / 2, np.pi, -np.pi / 2):
            extreme = arcs.centre + arcs.radius[:, None] * np.array([np.cos(angle), np.sin(angle)])
            share = arcs.share_of(extreme)
            places.append(extreme[(share >= 0) & (share <= 1)])
        every = np.concatenate(places)
        (x0, y0), (x1, y1) = every.min(axis=0).tolist(), every.max(axis=0).tolist()
        return x0, y0, x1, y1

    @cached_property
    def _round(self) -> tuple[float, float, float] | None:
        """Centre and squared radius, in m and m², of what is a disc."""
        c = self.curves
        if not c.is_arc.all() or (c.centre != c.centre[0]).any() or abs(abs(c.sweep.sum()) - 2 * np.pi) > 1e-12:
            return None
        (u, v), (x, y) = c.centre[0].tolist(), c.start[0].tolist()
        return u, v, (x - u) ** 2 + (y - v) ** 2

    def contains(self, points: Floats) -> Flags:
        """Tell which of ``points`` (p, 2) lie inside, (p,); exact for arcs, undecided on the outline itself."""
        x0, y0, x1, y1 = self.box
        inside = np.zeros(len(points), dtype=bool)
        near = np.flatnonzero((points[:, 0] >= x0) & (points[:, 0] <= x1) & (points[:, 1] >= y0) & (points[:, 1] <= y1))
        x, y = points[near].T
        if self._round is not None:
            u, v, square = self._round
            inside[near] = (x - u) ** 2 + (y - v) ** 2 < square
            return inside
        odd = np.zeros(len(near), dtype=bool)
        c = self.curves
        for (ax, ay), (bx, by), (u, v), sweep in zip(
            c.start.tolist(), c.end.tolist(), c.centre.tolist(), c.sweep.tolist(), strict=True
        ):
            # One predicate serves the chord and the sliver between chord and arc, so that a point on the chord counts
            # for exactly one of the two.
            cross = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
            right = cross <= 0 if by > ay or (by == ay and bx < ax) else cross < 0
            if by != ay:
                odd ^= (y >= min(ay, by)) & (y < max(ay, by)) & (~right if by > ay else right)
            if sweep:
                sliver = right if sweep > 0 else ~right
                odd ^= sliver & ((x - u) ** 2 + (y - v) ** 2 < (ax - u) ** 2 + (ay - v) ** 2)
        inside[near] = odd
        return inside

    def moved(self, step: Floats) -> Shape:
        """Return the shape shifted by ``step`` (2,) in m."""
        c = self.curves
        return Shape(Curves(c.start + step, c.end + step, c.centre + step, c.sweep), self.sides)

    def turned(self, about: Floats, angle: float) -> Shape:
        """Return the shape turned about a point (2,) in m by an angle in radians."""
        matrix = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        c = self.curves
        start, end, centre = ((places - about) @ matrix + about for places in (c.start, c.end, c.centre))
        return Shape(Curves(start, end, centre, c.sweep), self.sides)

    def clipped(self, through: Floats, along: float, side: str) -> Shape | None:
        """Return what lies right of a line through a point (2,) in m in direction ``along``; None for nothing.

        The new straight sides are called ``side``.
        """
        direction = np.array([np.cos(along), np.sin(along)])
        right = np.array([direction[1], -direction[0]])
        x0, y0, x1, y1 = self.box
        size = float(np.hypot(x1 - x0, y1 - y0))
        foot = through + direction * (direction @ (np.array([x0 + x1, y0 + y1]) / 2 - through))
        line = _straight((foot - 2 * size * direction)[None], (foot + 2 * size * direction)[None])
        number, share = crossings(joined([self.curves, line]), 1e-12 * size)
        pieces, names = [], []
        for curve, name in enumerate(self.sides):
            whole = self.curves.take(np.array([curve]))
            stops = np.concatenate([[0.0], np.unique(share[number == curve]), [1.0]])
            for low, high in pairwise(stops.tolist()):
                middle = whole.at(np.array([(low + high) / 2]))[0]
                if (middle - through) @ right > 1e-9 * size:
                    start, end = (whole.at(np.array([at])) for at in (low, high))
                    pieces.append(Curves(start, end, whole.centre, whole.sweep * (high - low)))
                    names.append(name)
        stops = np.unique(share[number == len(self.sides)])
        for low, high in pairwise(stops.tolist()):
            beside = line.at(np.array([(low + high) / 2])) + 1e-7 * size * right
            if self.contains(beside)[0]:
                pieces.append(_straight(line.at(np.array([low])), line.at(np.array([high]))))
                names.append(side)
        return Shape(joined(pieces), tuple(names)) if pieces else None


#: Thickness of a sheet, as a share of its length, where nothing is said.
_THIN = 1e-3


@singledispatch
def shape_of(region: object) -> Shape:
    """Return the outline of a stated region about its own reference point, which is then placed.

    The reference point is the lower left corner of a rectangle, the centre of what is round, and the origin of the
    coordinates of an outline or polygon.
    """
    raise BluntEmberError(f"{type(region).__name__} has no outline")


@shape_of.register
def _rectangle(region: Rectangle) -> Shape:
    width, height = region.size[0].si, region.size[1].si
    corners = np.array([[0.0, 0.0], [width, 0.0], [width, height], [0.0, height]])
    return Shape(lines(corners), ("bottom", "right", "top", "left"))


_ORIGIN = np.zeros(2)


@shape_of.register
def _disc(region: Disc) -> Shape:
    return Shape(arc(_ORIGIN, region.radius.si, -np.pi, 2 * np.pi), ("rim",) * 4)


@shape_of.register
def _ring(region: Ring) -> Shape:
    rim = arc(_ORIGIN, region.outer.si, -np.pi, 2 * np.pi)
    bore = arc(_ORIGIN, region.inner.si, np.pi, -2 * np.pi)
    return Shape(joined([rim, bore]), ("rim",) * 4 + ("bore",) * 4)


@shape_of.register
def _ring_sector(region: RingSector) -> Shape:
    start, sweep = region.start.si, region.end.si - region.start.si
    inner = region.inner.si if region.inner is not None else 0.0
    rim = arc(_ORIGIN, region.outer.si, start, sweep)
    parts, sides = [rim], ["rim"] * len(rim)
    ends = [rim.end[-1:], rim.start[:1]]
    if inner > 0:
        bore = arc(_ORIGIN, inner, start + sweep, -sweep)
        parts += [_straight(ends[0], bore.start[:1]), bore, _straight(bore.end[-1:], ends[1])]
        sides += ["end", *["bore"] * len(bore), "start"]
    else:
        parts += [_straight(ends[0], _ORIGIN[None]), _straight(_ORIGIN[None], ends[1])]
        sides += ["end", "start"]
    return Shape(joined(parts), tuple(sides))


def _straight(start: Floats, end: Floats) -> Curves:
    return Curves(start, end, np.zeros((1, 2)), np.zeros(1))


@shape_of.register
def _regular_polygon(region: RegularPolygon) -> Shape:
    first = region.turn.si if region.turn is not None else 0.0
    angles = first + 2 * np.pi * np.arange(region.sides) / region.sides
    corners = region.radius.si * np.column_stack([np.cos(angles), np.sin(angles)])
    return Shape(lines(corners), _numbered(region.sides))


@shape_of.register
def _polygon(region: Polygon) -> Shape:
    corners = np.array([[x.si, y.si] for x, y in region.points])
    return Shape(lines(corners), _numbered(len(corners)))


@shape_of.register
def _sheet(region: Sheet) -> Shape:
    """Its left face is on the left going from its start to its end."""
    start, end = (np.array([x.si, y.si]) for x, y in (region.start, region.end))
    along = end - start
    length = float(np.linalg.norm(along))
    half = (region.thickness.si if region.thickness is not None else _THIN * length) / 2
    across = half * np.array([-along[1], along[0]]) / length
    corners = np.array([start - across, end - across, end + across, start + across])
    return Shape(lines(corners), ("right", "end", "left", "start"))


@shape_of.register
def _outline(region: Outline) -> Shape:
    here = np.array([place.si for place in region.start])
    parts: list[Curves] = []
    sides: list[str] = []
    for number, step in enumerate(region.path, start=1):
        target = np.array([place.si for place in step.to])
        through = None if step.through is None else np.array([place.si for place in step.through])
        piece = _straight(here[None], target[None]) if through is None else arc_through(here, through, target)
        parts.append(piece)
        sides += [step.side or f"side {number}"] * len(piece)
        here = target
    first = parts[0].start[0]
    if np.linalg.norm(here - first) > 0:
        parts.append(_straight(here[None], first[None]))
        sides.append(f"side {len(region.path) + 1}")
    return Shape(joined(parts), tuple(sides))


def arc_through(start: Floats, through: Floats, end: Floats) -> Curves:
    """Return the arc from ``start`` to ``end`` that passes ``through``; a straight line when the three are in line."""
    (ax, ay), (bx, by) = through - start, end - start
    twice = 2 * (ax * by - ay * bx)
    if abs(twice) < 1e-12 * (np.hypot(ax, ay) * np.hypot(bx, by) + 1e-300):
        return _straight(start[None], end[None])
    a2, b2 = ax * ax + ay * ay, bx * bx + by * by
    centre = start + np.array([by * a2 - ay * b2, ax * b2 - bx * a2]) / twice
    first, last = (np.arctan2(*(place - centre)[::-1]) for place in (start, end))
    sweep = (last - first) % (2 * np.pi) if twice > 0 else -((first - last) % (2 * np.pi))
    piece = arc(centre, float(np.linalg.norm(start - centre)), float(first), float(sweep))
    piece.start[0], piece.end[-1] = start, end
    return piece


def _numbered(count: int) -> tuple[str, ...]:
    return tuple(f"side {number}" for number in range(1, count + 1))
