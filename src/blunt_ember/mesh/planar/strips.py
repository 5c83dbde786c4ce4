"""Thin strips of a section: meshed by long cells between their two long sides, not by cells as wide as they are thin.

A strip is a part with four corners, two of whose sides are very short beside the other two. Its long sides are divided
alike; what lies between is filled by layers, from side to side at the same shares of their lengths.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.mesh.planar.boundary import Boundary

#: How many times longer than wide a strip is, at least, and how much finer than other cells it would be meshed.
_SLENDER, _FINER = 60.0, 8.0
#: Sides that turn by less go on, radians.
_STRAIGHT_ON = 0.2
#: Where along a strip it is looked how thick it is, and how much thicker than its ends it may be there.
_LOOKED_AT, _BULGING = np.linspace(0.05, 0.95, 19), 3.0
#: How far an arc may rise above its chord, eight times as a share of the height of a layer.
_RISE = 1.0
#: Nodes nearer to a corner than this share of the next step are left out, and shares that differ by less are one.
_NEAR, _SAME = 0.4, 1e-9


@dataclass(frozen=True)
class Strip:
    """A part of a ``region`` between two ``long`` sides, each a chain of edges run through in one direction (where it
    is against the edge, ``back``), and the two ``short`` edges from the first to the second, at the start and end; none
    where it goes all round."""

    region: int
    long: tuple[Ints, Ints]
    back: tuple[Flags, Flags]
    short: tuple[int, ...]


def strips_of(plan: Arrangement, wide: float) -> tuple[Strip, ...]:
    """Return the strips of an arrangement that are thinner than ``wide`` in m, of regions that have no other parts."""
    found: list[Strip] = []
    for region in np.unique(np.concatenate([plan.left, plan.right])).tolist():
        if region == VOID:
            continue
        parts: list[Strip] = []
        loops = list(_loops(plan, region))
        ring = _ring(plan, region, loops, wide) if len(loops) == 2 else None
        if ring is not None:
            found.append(ring)
            continue
        for loop in loops:
            strip = _strip(plan, region, loop, wide)
            if strip is None:
                break
            parts.append(strip)
        else:
            found += parts
    return tuple(found)


def tips_of(plan: Arrangement, strips: Sequence[Strip]) -> list[tuple[Floats, float]]:
    """Return the ends (2, 2) in m of strips that something is bonded to, each with its length: heat crowds there."""
    found = []
    for strip in strips:
        sides = np.concatenate(strip.long)
        if strip.short and ((plan.left[sides] != VOID) & (plan.right[sides] != VOID)).any():
            ends = [np.array([plan.start[edge], plan.end[edge]]) for edge in strip.short]
            found += [
                (plan.points[corners], float(plan.curves.length[edge]))
                for corners, edge in zip(ends, strip.short, strict=True)
            ]
    return found


def thinner_than(size: float, across: float) -> float:
    """Return how thin in m a strip is that cells of a ``size``, with so many ``across`` it, are far too large for."""
    return size * across / _FINER


def divided_alike(plan: Arrangement, shares: Sequence[Floats], strips: Sequence[Strip], layers: int) -> list[Floats]:
    """Return the ``shares`` at which edges are divided, with the long sides of strips alike and the short ones in
    ``layers``."""
    found = list(shares)
    for strip in strips:
        for edge in strip.short:
            found[edge] = np.linspace(0, 1, layers + 1)
        sides = [_chain(plan, strip, which) for which in (0, 1)]
        taken = [np.unique(np.concatenate([each.along(found) for each in side])) for side in sides]
        base = _bending(plan, strip, max(taken, key=len), layers)
        for side in sides:
            for each in side:
                found[each.edge] = each.shares_of(base)
    return found


def _bending(plan: Arrangement, strip: Strip, base: Floats, layers: int) -> Floats:
    """Divide the sides of a bent strip so often that no arc rises far above its chord beside the height of a layer."""
    edges = np.concatenate(strip.long)
    arcs = edges[plan.curves.is_arc[edges]]
    if not len(arcs):
        return base
    height = _thickness(plan, strip) / layers
    most = float(np.sqrt(_RISE * height * plan.curves.take(arcs).radius.min()))
    length = max(float(plan.curves.length[side].sum()) for side in strip.long)
    parts = np.maximum(np.ceil(np.diff(base) * length / most), 1).astype(int)
    ends = [low + (high - low) * np.arange(n) / n for low, high, n in zip(base, base[1:], parts, strict=False)]
    return np.concatenate([*ends, base[-1:]])


def _thickness(plan: Arrangement, strip: Strip) -> float:
    """How thick a strip is where it is thinnest of the places looked at, m."""
    near, far = (_at(plan, _chain(plan, strip, which), _LOOKED_AT) for which in (0, 1))
    return float(np.linalg.norm(near - far, axis=1).min())


def filled(
    plan: Arrangement, boundary: Boundary, points: Floats, strips: Sequence[Strip], layers: int
) -> tuple[Floats, Ints, Ints]:
    """Return more points (n, 2) in m, and cells (m, 3) with their regions (m,) that fill the strips; ``points`` begin
    with those of the ``boundary``, as the numbers of the new ones go on from them.

    Raises :class:`StripError` where a short side is divided otherwise than in ``layers``.
    """
    more, cells, regions = [np.zeros((0, 2))], [np.zeros((0, 3), np.int64)], [np.zeros(0, np.int64)]
    count = len(points)
    for strip in strips:
        lines, added = _lines(plan, boundary, strip, layers, count)
        for near, far in pairwise(lines):
            made = _zipped(near, far)
            cells.append(made)
            regions.append(np.full(len(made), strip.region))
        more.append(added)
        count += len(added)
    every = np.concatenate([points, *more])
    return np.concatenate(more), _counter_clockwise(every, np.concatenate(cells)), np.concatenate(regions)


class StripError(BluntEmberError):
    """A strip was divided otherwise than it was asked for."""


@dataclass(frozen=True)
class _Piece:
    """An ``edge`` of a long side: from share ``low`` to ``high`` of it, run through ``back`` to front or not."""

    edge: int
    low: float
    high: float
    back: bool

    def along(self, shares: Sequence[Floats]) -> Floats:
        """Where the divisions of the edge lie along the side."""
        return np.sort(self.places(shares[self.edge]))

    def places(self, share: Floats) -> Floats:
        """Return shares of the side from ``share`` (n,) of the edge."""
        return self.low + (self.high - self.low) * (1 - share if self.back else share)

    def shares_of(self, places: Floats) -> Floats:
        """Return the divisions of the edge at ``places`` along the side, without those that are near its ends."""
        own = (places - self.low) / (self.high - self.low)
        own = own[(own > _SAME) & (own < 1 - _SAME)]
        if len(own):
            step = np.diff(own, prepend=0.0, append=1.0)
            whole = float(np.median(step))
            own = own[(own > _NEAR * min(whole, 1.0)) & (1 - own > _NEAR * min(whole, 1.0))]
        found = np.concatenate([[0.0], own, [1.0]])
        return np.sort(1 - found) if self.back else found


def _chain(plan: Arrangement, strip: Strip, which: int) -> list[_Piece]:
    edges = strip.long[which]
    ends = np.concatenate([[0.0], np.cumsum(plan.curves.length[edges])]) / plan.curves.length[edges].sum()
    back: list[bool] = strip.back[which].tolist()
    pairs = zip(edges.tolist(), pairwise(ends.tolist()), back, strict=True)
    return [_Piece(edge, low, high, against) for edge, (low, high), against in pairs]


def _lines(
    plan: Arrangement, boundary: Boundary, strip: Strip, layers: int, count: int
) -> tuple[list[tuple[Ints, Floats]], Floats]:
    """The lines of nodes from one long side to the other with their shares, and the points that are new."""
    sides = [_chain(plan, strip, which) for which in (0, 1)]
    outer = [_side_nodes(boundary, side) for side in sides]
    if not strip.short:  # it ends where it begins
        outer = [(np.append(nodes, nodes[0]), np.append(along, 1.0)) for nodes, along in outer]
    ends = [_end_nodes(boundary, edge, layers) for edge in strip.short]
    for place, nodes in enumerate(ends):  # from the first side to the second
        first = outer[0][0][0 if place == 0 else -1]
        ends[place] = nodes if nodes[0] == first else nodes[::-1]
    both = np.unique(np.concatenate([outer[0][1], outer[1][1]]).round(12))
    inner = both[(both > 0) & (both < 1)] if strip.short else both[both < 1]
    places = [_at(plan, side, inner) for side in sides]
    lines = [outer[0]]
    added: list[Floats] = []
    for layer in range(1, layers):
        share = layer / layers
        number = count + sum(len(each) for each in added) + np.arange(len(inner))
        added.append((1 - share) * places[0] + share * places[1])
        if not strip.short:
            lines.append((np.append(number, number[0]), np.append(inner, 1.0)))
            continue
        nodes = np.concatenate([ends[0][layer : layer + 1], number, ends[1][layer : layer + 1]])
        lines.append((nodes, np.concatenate([[0.0], inner, [1.0]])))
    return [*lines, outer[1]], np.concatenate([np.zeros((0, 2)), *added])


def _side_nodes(boundary: Boundary, side: Sequence[_Piece]) -> tuple[Ints, Floats]:
    """The nodes along a long side, and where along it they lie."""
    nodes, places = [], []
    for each in side:
        own = np.flatnonzero(boundary.edge == each.edge)
        nodes += [boundary.nodes[own].ravel()]
        places += [each.places(boundary.share[own].ravel())]
    every, first = np.unique(np.concatenate(nodes), return_index=True)
    along = np.concatenate(places)[first]
    order = np.argsort(along)
    return every[order], along[order]


def _end_nodes(boundary: Boundary, edge: int, layers: int) -> Ints:
    own = np.flatnonzero(boundary.edge == edge)
    if len(own) != layers:
        raise StripError(f"a short side of a strip has {len(own)} segments, {layers} are wanted")
    own = own[np.argsort(boundary.share[own, 0])]
    return np.append(boundary.nodes[own, 0], boundary.nodes[own[-1], 1])


def _at(plan: Arrangement, side: Sequence[_Piece], places: Floats) -> Floats:
    """The points (n, 2) in m at ``places`` (n,) along a side."""
    number = np.clip(np.searchsorted([each.high for each in side], places), 0, len(side) - 1)
    low, high, back, edge = (np.array([getattr(each, key) for each in side])[number] for key in _KEYS)
    share = (places - low) / (high - low)
    return plan.curves.take(edge).at(np.where(back, 1 - share, share))


_KEYS = ("low", "high", "back", "edge")


def _zipped(near: tuple[Ints, Floats], far: tuple[Ints, Floats]) -> Ints:
    """Triangles (m, 3) between two lines of nodes, each with its shares: along both, always to the node that comes
    next."""
    (a, s), (b, t) = near, far
    steps = np.concatenate([s[1:], t[1:]])
    of_far = np.concatenate([np.zeros(len(a) - 1, dtype=bool), np.ones(len(b) - 1, dtype=bool)])
    order = np.lexsort([of_far, steps])
    of_far = of_far[order]
    on_a = np.cumsum(~of_far) - ~of_far
    on_b = np.cumsum(of_far) - of_far
    third = np.where(of_far, b[np.minimum(on_b + 1, len(b) - 1)], a[np.minimum(on_a + 1, len(a) - 1)])
    return np.column_stack([a[on_a], b[on_b], third])


def _counter_clockwise(points: Floats, cells: Ints) -> Ints:
    a, b, c = (points[cells[:, corner]] for corner in range(3))
    cross = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return np.where((cross < 0)[:, None], cells[:, [0, 2, 1]], cells)


def _strip(plan: Arrangement, region: int, loop: list[tuple[int, bool]], wide: float) -> Strip | None:
    """The strip that a loop of edges bounds, each with whether it is run through backwards; or None."""
    edges, back, sharp = _corners(plan, loop)
    corners = np.flatnonzero(sharp)
    if len(corners) != 4:
        return None
    edges, back = np.roll(edges, -corners[0]), np.roll(back, -corners[0])
    ends = np.append(corners - corners[0], len(edges))
    sides = [np.arange(low, high) for low, high in pairwise(ends.tolist())]
    length = [float(plan.curves.length[edges[side]].sum()) for side in sides]
    if length[0] < length[1]:
        sides, length = sides[1:] + sides[:1], length[1:] + length[:1]
    thick, slender = max(length[1], length[3]), min(length[0], length[2])
    if len(sides[1]) != 1 or len(sides[3]) != 1 or slender < _SLENDER * thick or thick >= wide:
        return None
    first, second = sides[0], sides[2][::-1]
    found = Strip(
        region,
        (edges[first], edges[second]),
        (back[first], ~back[second]),
        (int(edges[sides[3]][0]), int(edges[sides[1]][0])),
    )
    near, far = (_at(plan, _chain(plan, found, which), _LOOKED_AT) for which in (0, 1))
    return found if np.linalg.norm(near - far, axis=1).max() < _BULGING * thick else None


def _ring(plan: Arrangement, region: int, loops: Sequence[list[tuple[int, bool]]], wide: float) -> Strip | None:
    """The strip between two loops that turn nowhere sharply and begin at about one place; or None."""
    chains = []
    for loop in loops:
        if _corners(plan, loop)[2].any():
            return None
        chains.append((np.array([edge for edge, _ in loop]), np.array([back for _, back in loop])))
    (first, first_back), (second, second_back) = chains
    second, second_back = second[::-1], ~second_back[::-1]
    start = _starts(plan, first[:1], first_back[:1])[0]
    nearest = int(np.linalg.norm(_starts(plan, second, second_back) - start, axis=1).argmin())
    second, second_back = np.roll(second, -nearest), np.roll(second_back, -nearest)
    found = Strip(region, (first, second), (first_back, second_back), ())
    near, far = (_at(plan, _chain(plan, found, which), np.append(_LOOKED_AT, 0.0)) for which in (0, 1))
    across = np.linalg.norm(near - far, axis=1)
    length = min(float(plan.curves.length[side].sum()) for side in found.long)
    if across.max() >= min(wide, length / _SLENDER) or across.max() > _BULGING * across.min():
        return None
    return found


def _starts(plan: Arrangement, edges: Ints, back: Flags) -> Floats:
    """Where edges (n,) begin that are run through in a direction, (n, 2) in m."""
    return np.asarray(plan.points[np.where(back, plan.end[edges], plan.start[edges])])


def _corners(plan: Arrangement, loop: Sequence[tuple[int, bool]]) -> tuple[Ints, Flags, Flags]:
    """The edges of a loop, which of them are run through backwards, and where it turns before one."""
    edges = np.array([edge for edge, _ in loop])
    back = np.array([against for _, against in loop])
    curves = plan.curves.take(edges)
    leaving = np.where(back[:, None], -curves.direction(np.ones(len(edges))), curves.direction(np.zeros(len(edges))))
    arriving = np.where(back[:, None], -curves.direction(np.zeros(len(edges))), curves.direction(np.ones(len(edges))))
    before = np.roll(arriving, 1, axis=0)
    across = before[:, 0] * leaving[:, 1] - before[:, 1] * leaving[:, 0]
    turn = np.abs(np.arctan2(across, (before * leaving).sum(axis=1)))
    return edges, back, turn > _STRAIGHT_ON


def _loops(plan: Arrangement, region: int) -> Iterator[list[tuple[int, bool]]]:
    """The loops of edges round the parts of a region, which lies on their left, each edge with whether it is run
    through backwards."""
    own = [(int(edge), False) for edge in np.flatnonzero(plan.left == region)]
    own += [(int(edge), True) for edge in np.flatnonzero(plan.right == region)]
    leaving: dict[int, list[tuple[int, bool]]] = {}
    for edge, back in own:
        leaving.setdefault(int(plan.end[edge] if back else plan.start[edge]), []).append((edge, back))
    left = set(own)
    for first in own:
        if first not in left:
            continue
        loop = [first]
        left.discard(first)
        while True:
            edge, back = loop[-1]
            there = int(plan.start[edge] if back else plan.end[edge])
            after = [each for each in leaving.get(there, ()) if each in left]
            if not after:
                break
            loop.append(after[0])
            left.discard(after[0])
        yield loop
