"""View factors of surfaces of plane and turned sections that see each other across an empty convex space."""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from blunt_ember.arrays import Flags, Floats
from blunt_ember.checks.references.views.known import KnownView
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.curves import Curves
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.radiating.view_factors import (
    ball_and_disc,
    coaxial_discs,
    cylinder_and_strip,
    parallel_cylinders,
    strings,
    strings_past,
)

#: What lies closer than this share of the body is together.
_TOGETHER = 1e-7
#: Straight pieces that stand for an arc of a quarter turn at most where it is looked what stands in the way.
_PIECES = 32


@immutable
class _Run:
    """Part of the rim of a convex hull, between two places on it in the order of the rim, m from its beginning."""

    start: float
    end: float
    ends: tuple[tuple[float, float], tuple[float, float]]


class SectionViews:
    """What surfaces of a section see of each other, where a closed form says it: exchanged areas in m²."""

    def __init__(self, geometry: SectionGeometry) -> None:
        self._geometry = geometry
        self._near = _TOGETHER * geometry.extent
        self._turned = geometry.turned
        self._depth = geometry.depth or 1.0

    def of_itself(self, surface: str) -> KnownView | None:
        """Return what a surface sees of itself."""
        pieces = self._pieces(surface)
        hull = self._hull(pieces)
        if hull.area <= self._near * self._geometry.extent:
            return KnownView(0.0, "flat")
        if not self._on_rim(pieces, hull):
            return None
        if self._backed(surface):
            return KnownView(0.0, "convex")
        if not self._empty(hull):
            return None
        run = self._run(surface, hull)
        if run is None:
            return None
        area = self._geometry.surfaces[surface].area
        (first, second) = run.ends
        if not self._turned:
            return KnownView(area - self._depth * float(np.hypot(*np.subtract(first, second))), "crossed strings")
        low, high = np.pi * first[0] ** 2, np.pi * second[0] ** 2
        return KnownView(area - low - high + 2 * _discs(first, second), "coaxial discs")

    def between(self, first: str, second: str) -> KnownView | None:
        """Return what two surfaces see of each other."""
        both = [*self._pieces(first), *self._pieces(second)]
        hull = self._hull(both)
        if hull.area <= self._near * self._geometry.extent:
            return KnownView(0.0, "flat")
        if self._all_body(hull):
            return KnownView(0.0, "turned away from each other")
        if self._on_rim(both, hull) and self._empty(hull):
            runs = [self._run(name, hull) for name in (first, second)]
            if runs[0] is not None and runs[1] is not None:
                return self._across(runs[0], runs[1])
        past = self._past_one(first, second, hull) if self._on_rim(both, hull) else None
        return past or self._round_and_flat(first, second) or self._two_round(first, second)

    def _past_one(self, first: str, second: str, hull: BaseGeometry) -> KnownView | None:
        """Two strips with one convex body of straight sides between them."""
        inner = self._kept_off(hull)
        between = [body for body in self._bodies if body.intersects(inner)]
        runs = [self._run(name, hull) for name in (first, second) if self._straight(name) is not None]
        if self._turned or len(between) != 1 or len(runs) != 2 or runs[0] is None or runs[1] is None:
            return None
        (body,) = between
        arcs = self._geometry.arrangement.curves
        arcs = arcs.take(arcs.is_arc)
        bent = shapely.distance(shapely.points(arcs.at(np.full(len(arcs), 0.5))), body.boundary) <= self._near
        if bent.any() or len(body.interiors) or body.convex_hull.area - body.area > self._near * body.length:
            return None
        corners = [(x, y) for x, y in body.exterior.coords[:-1]]
        return KnownView(self._depth * strings_past(runs[0].ends, runs[1].ends, corners), "crossed strings past a body")

    def _across(self, first: _Run, second: _Run) -> KnownView:
        if not self._turned:
            return KnownView(self._depth * strings(first.ends, second.ends), "crossed strings")
        low, high = sorted((first, second), key=lambda run: run.start)
        (a, b), (c, d) = low.ends, high.ends
        return KnownView(_discs(b, c) - _discs(a, c) - _discs(b, d) + _discs(a, d), "coaxial discs")

    def _two_round(self, first: str, second: str) -> KnownView | None:
        """Two whole cylinders side by side."""
        one, other = self._circle(first), self._circle(second)
        if self._turned or one is None or other is None:
            return None
        apart = float(np.hypot(*np.subtract(one[0], other[0])))
        if apart <= one[1] + other[1] or not self._empty(self._space_between(first, second)):
            return None
        return KnownView(self._depth * parallel_cylinders(one[1], other[1], apart), "parallel cylinders")

    def _round_and_flat(self, first: str, second: str) -> KnownView | None:
        """A cylinder before a strip, a ball before a disc."""
        for name, other in ((first, second), (second, first)):
            circle, flat = self._circle(name), self._straight(other)
            if circle is None or flat is None or not self._empty(self._space_between(name, other)):
                continue
            (centre, radius), (start, end) = circle, flat
            along = (end - start) / np.linalg.norm(end - start)
            away = abs(float(along[0] * (centre - start)[1] - along[1] * (centre - start)[0]))
            if away <= radius:
                continue
            if not self._turned:
                feet = sorted((float((start - centre) @ along), float((end - centre) @ along)))
                seen = self._depth * cylinder_and_strip(radius, away, (feet[0], feet[1]))
                return KnownView(seen, "cylinder and strip")
            if abs(along[1]) < _TOGETHER and abs(centre[0]) <= self._near:
                inner, outer = sorted((start[0], end[0]))
                seen = ball_and_disc(radius, outer, away) - ball_and_disc(radius, max(inner, 0.0), away)
                return KnownView(seen, "ball and disc")
        return None

    def _circle(self, surface: str) -> tuple[Floats, float] | None:
        """Centre (2,) and radius, m, of a surface that is a whole circle, of a turned section a whole ball, seen from
        outside."""
        curves = self._curves(surface)
        turn = np.pi if self._turned else 2 * np.pi
        if not curves.is_arc.all() or abs(np.abs(curves.sweep).sum() - turn) > 1e-6:
            return None
        alike = np.ptp(curves.centre, axis=0).max() <= self._near and np.ptp(curves.radius) <= self._near
        on_axis = not self._turned or abs(curves.centre[0, 0]) <= self._near
        return (curves.centre[0], float(curves.radius[0])) if alike and on_axis and self._backed(surface) else None

    def _straight(self, surface: str) -> Floats | None:
        """The ends (2, 2) of a surface that is one straight line."""
        run = self._geometry.surfaces[surface]
        points = run.segments.reshape(-1, 2)
        apart = np.linalg.norm(points[:, None] - points[None], axis=2)
        first, second = np.unravel_index(int(apart.argmax()), apart.shape)
        return points[[first, second]] if apart.max() >= run.length * (1 - 1e-12) - self._near else None

    def _curves(self, surface: str) -> Curves:
        return self._geometry.arrangement.curves.take(self._geometry.surfaces[surface].edges)

    def _pieces(self, surface: str) -> list[Floats]:
        """A surface as straight lines (k, 2), an arc as one of many corners; of a turned section both its sides."""
        curves = self._curves(surface)
        lines = [self._corners(curves.take(np.array([place]))) for place in range(len(curves))]
        return [*lines, *(line * [-1, 1] for line in lines)] if self._turned else lines

    @staticmethod
    def _corners(curve: Curves) -> Floats:
        many = curve.take(np.zeros(_PIECES + 1 if curve.is_arc[0] else 2, dtype=int))
        return many.at(np.linspace(0, 1, len(many)))

    @staticmethod
    def _hull(pieces: list[Floats]) -> BaseGeometry:
        return shapely.MultiPoint(np.concatenate(pieces)).convex_hull

    def _on_rim(self, pieces: list[Floats], hull: BaseGeometry) -> bool:
        places = shapely.points(np.concatenate(pieces))
        return bool((shapely.distance(places, hull.boundary) <= self._near).all())

    @cached_property
    def _outlines(self) -> BaseGeometry:
        """All lines that bound something of the body."""
        plan = self._geometry.arrangement
        bounding = np.flatnonzero((plan.left == VOID) | (plan.right == VOID))
        lines = [self._corners(plan.curves.take(np.array([edge]))) for edge in bounding.tolist()]
        sides = [*lines, *(line * [-1, 1] for line in lines)] if self._turned else lines
        return shapely.MultiLineString(sides)

    @cached_property
    def _bodies(self) -> list[BaseGeometry]:
        """The parts of the body that do not touch each other."""
        faces = shapely.get_parts(shapely.polygonize([self._outlines]))
        inside = [(face, face.representative_point().coords[0]) for face in faces]
        return [face for face, place in inside if self._geometry.owner_at(np.array([place]))[0] != VOID]

    def _kept_off(self, hull: BaseGeometry) -> BaseGeometry:
        """A hull without its rim, and without the axis of a turned section, which bounds nothing."""
        inner = hull.buffer(-10 * self._near)
        if self._turned:
            low, high = self._geometry.low[1] - 1, self._geometry.high[1] + 1
            inner = inner.difference(shapely.box(-10 * self._near, low, 10 * self._near, high))
        return inner

    def _crossed(self, hull: BaseGeometry) -> bool:
        """Whether an outline runs through a hull."""
        return bool(self._kept_off(hull).intersection(self._outlines).length > 0)

    def _space_between(self, first: str, second: str) -> BaseGeometry:
        """What lies between two convex surfaces."""
        one, other = self._pieces(first), self._pieces(second)
        return self._hull([*one, *other]).difference(self._hull(one)).difference(self._hull(other))

    def _empty(self, space: BaseGeometry) -> bool:
        """Whether nothing stands within a space."""
        return not self._crossed(space) and not self._owned(space).any()

    def _all_body(self, space: BaseGeometry) -> bool:
        return not self._crossed(space) and bool(self._owned(space).all())

    def _owned(self, space: BaseGeometry) -> Flags:
        """Whether the body holds a place of every part of a space."""
        parts = [part for part in shapely.get_parts(self._kept_off(space)) if part.area > 0]
        places = np.array([part.representative_point().coords[0] for part in parts]).reshape(-1, 2)
        places[:, 0] = np.abs(places[:, 0]) if self._turned else places[:, 0]
        return np.asarray(self._geometry.owner_at(places) != VOID)

    def _backed(self, surface: str) -> bool:
        """Whether the body lies on the inner side of a convex surface."""
        curves = self._curves(surface)
        middle = curves.at(np.full(len(curves), 0.5))
        centre = np.array(self._hull(self._pieces(surface)).centroid.coords)[0]
        places = middle + 1e-4 * (centre - middle)
        return bool((self._geometry.owner_at(places) != VOID).all())

    def _run(self, surface: str, hull: BaseGeometry) -> _Run | None:
        """A surface as a part of the rim of a hull, counter-clockwise; of a turned section from the bottom up. None
        where it is in several parts."""
        rim = self._rim(hull)
        curves = self._curves(surface)
        points = np.concatenate([curves.start, curves.end])
        names = np.round(points / (10 * self._near)).astype(np.int64)
        _, first, count = np.unique(names, axis=0, return_index=True, return_counts=True)
        ends = points[first[count == 1]]
        if len(ends) != 2:
            return None
        at = shapely.line_locate_point(rim, shapely.points(ends))
        lengths = [float(np.linalg.norm(np.diff(piece, axis=0), axis=1).sum()) for piece in self._own_side(surface)]
        (start, begin), (stop, finish) = sorted(zip(at.tolist(), ends.tolist(), strict=True))
        inside = stop - start
        if not self._turned and abs(inside - sum(lengths)) > abs(rim.length - inside - sum(lengths)):
            start, stop, begin, finish = stop, start, finish, begin
        return _Run(start, stop, ((begin[0], begin[1]), (finish[0], finish[1])))

    def _own_side(self, surface: str) -> list[Floats]:
        pieces = self._pieces(surface)
        return pieces[: len(pieces) // 2] if self._turned else pieces

    def _rim(self, hull: BaseGeometry) -> BaseGeometry:
        corners = np.array(shapely.geometry.polygon.orient(hull, 1.0).exterior.coords)
        if not self._turned:
            return shapely.LineString(corners)
        # Counter-clockwise the right half goes up; what lies flat below and above it reaches the axis.
        right = [part for part in pairwise(corners.tolist()) if part[0][0] + part[1][0] > self._near]
        first = next(place for place, part in enumerate(right) if right[place - 1][1] != part[0])
        ordered = [*right[first:], *right[:first]]
        begin, finish = ordered[0][0], ordered[-1][1]
        return shapely.LineString([(0.0, begin[1]), begin, *(part[1] for part in ordered), (0.0, finish[1])])


def _discs(first: tuple[float, float], second: tuple[float, float]) -> float:
    """What discs see of each other that reach to two places (radius, height) from the axis."""
    return coaxial_discs(max(first[0], 0.0), max(second[0], 0.0), abs(second[1] - first[1]))
