"""Straight lines and circular arcs, many at a time."""

from __future__ import annotations

from dataclasses import fields
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable

#: Arcs are stated in pieces no longer than this, so that a piece is always less than half a turn, radians.
LONGEST_SWEEP = np.pi / 2


@immutable
class Curves:
    """``n`` curves from ``start`` to ``end``, (n, 2) in m.

    An arc turns about ``centre`` (n, 2) by ``sweep`` (n,) radians, + counter-clockwise; a line has sweep 0 and its
    ``centre`` is of no meaning. Places on a curve are given by their share of it, 0 at the start and 1 at the end.
    """

    start: Floats
    end: Floats
    centre: Floats
    sweep: Floats

    def __len__(self) -> int:
        return len(self.sweep)

    @cached_property
    def _straight(self) -> bool:
        """Whether none is an arc, which spares most of the work on most bodies."""
        return not self.sweep.any()

    @cached_property
    def is_arc(self) -> Flags:
        """Which curves are arcs, (n,)."""
        return self.sweep != 0

    @cached_property
    def radius(self) -> Floats:
        """Radii in m, (n,); 0 for lines."""
        return np.where(self.is_arc, np.linalg.norm(self.start - self.centre, axis=1), 0.0)

    @cached_property
    def length(self) -> Floats:
        """Lengths in m, (n,)."""
        chord = np.linalg.norm(self.end - self.start, axis=1)
        return np.where(self.is_arc, self.radius * np.abs(self.sweep), chord)

    @cached_property
    def start_angle(self) -> Floats:
        """Angle of the start about the centre in radians, (n,)."""
        away = self.start - self.centre
        return np.arctan2(away[:, 1], away[:, 0])

    def take(self, chosen: Ints | Flags) -> Curves:
        """Return some of the curves, in the order asked for."""
        return Curves(*(getattr(self, field.name)[chosen] for field in fields(self)))

    def at(self, share: Floats) -> Floats:
        """Return the places at ``share`` (n,) of each curve, (n, 2)."""
        straight = self.start + share[:, None] * (self.end - self.start)
        if self._straight:
            return straight
        angle = self.start_angle + share * self.sweep
        round_ = self.centre + self.radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
        return np.where(self.is_arc[:, None], round_, straight)

    def direction(self, share: Floats) -> Floats:
        """Return unit vectors along each curve at ``share`` (n,), (n, 2)."""
        chord = self.end - self.start
        size = np.linalg.norm(chord, axis=1)[:, None]
        along_line = np.divide(chord, size, out=np.zeros_like(chord), where=size > 0)
        if self._straight:
            return along_line
        angle = self.start_angle + share * self.sweep
        turn = np.sign(self.sweep)
        along_arc = turn[:, None] * np.column_stack([-np.sin(angle), np.cos(angle)])
        return np.where(self.is_arc[:, None], along_arc, along_line)

    def share_of(self, points: Floats) -> Floats:
        """Return the share at which each of ``points`` (n, 2), taken to lie on its curve, does so."""
        chord = self.end - self.start
        square = (chord**2).sum(axis=1)
        along = ((points - self.start) * chord).sum(axis=1)
        straight = np.divide(along, square, out=np.zeros_like(square), where=square > 0)
        if self._straight:
            return straight
        away = points - self.centre
        turned = np.arctan2(away[:, 1], away[:, 0]) - self.start_angle
        # Seen from the middle of the arc, so that both ends keep their side whatever the round-off.
        middle = self.sweep / 2
        turned = (turned - middle + np.pi) % (2 * np.pi) - np.pi + middle
        round_ = np.divide(turned, self.sweep, out=np.zeros_like(turned), where=self.is_arc)
        return np.where(self.is_arc, round_, straight)

    def distance(self, points: Floats) -> Floats:
        """Return the distance of each of ``points`` (n, 2) from the line or circle its curve is part of, m."""
        chord = self.end - self.start
        size = np.linalg.norm(chord, axis=1)
        away = points - self.start
        cross = np.abs(chord[:, 0] * away[:, 1] - chord[:, 1] * away[:, 0])
        straight = np.divide(cross, size, out=np.linalg.norm(away, axis=1), where=size > 0)
        if self._straight:
            return straight
        round_ = np.abs(np.linalg.norm(points - self.centre, axis=1) - self.radius)
        return np.where(self.is_arc, round_, straight)

    def boxes(self) -> tuple[Floats, Floats]:
        """Return lower and upper corners (n, 2) of boxes that hold the curves."""
        low, high = np.minimum(self.start, self.end), np.maximum(self.start, self.end)
        bulge = np.where(self.is_arc, self.radius * (1 - np.cos(self.sweep / 2)), 0.0)[:, None]
        return low - bulge, high + bulge


def joined(parts: list[Curves]) -> Curves:
    """Return all curves in one."""
    return Curves(*(np.concatenate([getattr(part, field.name) for part in parts]) for field in fields(Curves)))


def lines(points: Floats) -> Curves:
    """Return the closed run of straight lines through ``points`` (n, 2)."""
    zero = np.zeros(len(points))
    return Curves(points, np.roll(points, -1, axis=0), np.zeros_like(points), zero)


def arc(centre: Floats, radius: float, start: float, sweep: float) -> Curves:
    """Return an arc about ``centre`` (2,) from angle ``start`` over ``sweep`` radians, in pieces of a quarter turn."""
    count = max(1, int(np.ceil(abs(sweep) / LONGEST_SWEEP - 1e-12)))
    angles = start + sweep * np.arange(count + 1) / count
    points = centre + radius * np.column_stack([np.cos(angles), np.sin(angles)])
    if abs(abs(sweep) - 2 * np.pi) < 1e-12:
        points[-1] = points[0]
    return Curves(points[:-1], points[1:], np.tile(centre, (count, 1)), np.full(count, sweep / count))


def crossings(curves: Curves, tolerance: float) -> tuple[Ints, Floats]:
    """Return where curves meet each other: (curve numbers, shares), both (k,), ends not counted.

    Lines and arcs are met exactly, by formula. A curve that runs along another is met at the other's ends.
    """
    low, high = curves.boxes()
    order = np.argsort(low[:, 0])
    first, second = _overlapping(low[order] - tolerance, high[order] + tolerance)
    first, second = order[first], order[second]
    found: list[tuple[Ints, Floats]] = []
    for points, pairs in _meetings(curves, first, second):
        (a, share_a, near_a), (b, share_b, near_b) = (
            _place_on(curves, owner[pairs], points, tolerance) for owner in (first, second)
        )
        both = near_a & near_b
        found += [(a[both], share_a[both]), (b[both], share_b[both])]
    for one, other in ((first, second), (second, first)):
        for points in (curves.start[other], curves.end[other]):
            number, share, near = _place_on(curves, one, points, tolerance)
            found.append((number[near], share[near]))
    if not found:
        return np.zeros(0, dtype=np.int64), np.zeros(0)
    number, share = (np.concatenate(parts) for parts in zip(*found, strict=True))
    margin = tolerance / np.maximum(curves.length[number], tolerance)
    within = (share > margin) & (share < 1 - margin)
    return number[within], share[within]


def self_crossings(curves: Curves, closed: bool = True) -> Floats:
    """Return the places (k, 2) in m at which a chain of curves, one behind the other, crosses or touches itself.

    Where it is ``closed``, its last curve ends where the first begins, which is no crossing.
    """
    box = np.concatenate([curves.start, curves.end])
    tolerance = 1e-9 * float(np.ptp(box, axis=0).max())
    curves = curves.take(curves.length > tolerance)  # a point that is stated twice is no crossing
    number, share = crossings(curves, tolerance)
    crossed = curves.take(number).at(share)
    # A corner that is come to twice is not within any curve; the last end counts where the chain is open.
    corners = curves.start if closed else np.concatenate([curves.start, curves.end[-1:]])
    order = np.lexsort(np.round(corners / max(tolerance * 10, 1e-300)).T)
    twice = np.linalg.norm(np.diff(corners[order], axis=0), axis=1) <= tolerance * 10
    found = np.concatenate([crossed, corners[order][1:][twice]])
    step = max(tolerance * 100, 1e-300)
    _, first = np.unique(np.round(found / step), axis=0, return_index=True)
    return np.where(np.abs(found) < step, 0.0, found)[np.sort(first)]


def _place_on(curves: Curves, numbers: Ints, points: Floats, tolerance: float) -> tuple[Ints, Floats, Flags]:
    """Return the curves, the shares of the points on them, and whether each lies on its curve, ends included."""
    own = curves.take(numbers)
    share = own.share_of(points)
    margin = tolerance / np.maximum(own.length, tolerance)
    return numbers, share, (own.distance(points) <= tolerance) & (share >= -margin) & (share <= 1 + margin)


def _overlapping(low: Floats, high: Floats) -> tuple[Ints, Ints]:
    """Return pairs of boxes that overlap; boxes are sorted by their lower x."""
    stop = np.searchsorted(low[:, 0], high[:, 0], side="right")
    counts = np.maximum(stop - np.arange(len(low)) - 1, 0)
    first = np.repeat(np.arange(len(low)), counts)
    offset = np.arange(len(first)) - np.repeat(np.cumsum(counts) - counts, counts)
    second = first + 1 + offset
    meet = (low[first, 1] <= high[second, 1]) & (low[second, 1] <= high[first, 1])
    return first[meet], second[meet]


def _meetings(curves: Curves, first: Ints, second: Ints) -> list[tuple[Floats, Ints]]:
    """Return candidate meeting points (k, 2) with the numbers (k,) of their pairs."""
    is_arc = curves.is_arc
    straight = np.flatnonzero(~is_arc[first] & ~is_arc[second])
    mixed = np.flatnonzero(is_arc[first] != is_arc[second])
    round_ = np.flatnonzero(is_arc[first] & is_arc[second])
    results = [_line_line(curves.take(first[straight]), curves.take(second[straight]), straight)]
    line = np.where(is_arc[first[mixed]], second[mixed], first[mixed])
    bow = np.where(is_arc[first[mixed]], first[mixed], second[mixed])
    results += _line_circle(curves.take(line), curves.take(bow), mixed)
    results += _circle_circle(curves.take(first[round_]), curves.take(second[round_]), round_)
    return results


def _line_line(a: Curves, b: Curves, pairs: Ints) -> tuple[Floats, Ints]:
    u, v = a.end - a.start, b.end - b.start
    cross = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    sizes = np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
    meet = np.abs(cross) > 1e-12 * sizes
    w = (b.start - a.start)[meet]
    share = (w[:, 0] * v[meet, 1] - w[:, 1] * v[meet, 0]) / cross[meet]
    return a.start[meet] + share[:, None] * u[meet], pairs[meet]


def _line_circle(line: Curves, bow: Curves, pairs: Ints) -> list[tuple[Floats, Ints]]:
    along = line.direction(np.zeros(len(line)))
    foot = line.start + ((bow.centre - line.start) * along).sum(axis=1)[:, None] * along
    return _both_sides(foot, np.linalg.norm(foot - bow.centre, axis=1), bow.radius, along, pairs)


def _circle_circle(a: Curves, b: Curves, pairs: Ints) -> list[tuple[Floats, Ints]]:
    between = b.centre - a.centre
    apart = np.linalg.norm(between, axis=1)
    separate = apart > 1e-12 * (a.radius + b.radius)
    a, b, between, apart = a.take(separate), b.take(separate), between[separate], apart[separate]
    along = between / apart[:, None]
    near = (apart**2 + a.radius**2 - b.radius**2) / (2 * apart)
    foot = a.centre + near[:, None] * along
    across = np.column_stack([-along[:, 1], along[:, 0]])
    return _both_sides(foot, np.abs(near), a.radius, across, pairs[separate])


def _both_sides(foot: Floats, away: Floats, radius: Floats, along: Floats, pairs: Ints) -> list[tuple[Floats, Ints]]:
    """Points of a circle on a line whose foot from the centre is ``away``; a touching line gives its foot."""
    square = radius**2 - away**2
    # A line that misses by round-off touches: half a digit of the radius is lost in the square.
    meet = square > -1e-9 * radius**2
    half = np.sqrt(np.maximum(square[meet], 0.0))[:, None] * along[meet]
    return [(foot[meet] + half, pairs[meet]), (foot[meet] - half, pairs[meet])]
