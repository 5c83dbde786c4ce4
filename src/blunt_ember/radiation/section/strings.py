"""View factors in a plane by crossed strings, with what blocks the view clipped exactly.

H. C. Hottel, Radiant-heat transmission, in W. H. McAdams, Heat Transmission, 3rd ed. (1954), ch. 4: what two facets see
of each other is half of what the crossed strings between their ends are longer than the uncrossed ones. Where
something stands in between, the facet that looks is cut where two corners come to lie in one line of sight; on each
piece the same corners bound what is seen, and strings to these are exact again.

Facets run with the space they look into on their left. Lengths are exchanged lengths, L F in m: they are symmetric.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.radiation.section.into import Into, every_one
from blunt_ember.radiation.section.lines import Ends, cross, cut_line, distance, line_lengths
from blunt_ember.radiation.section.obstacles import Obstacle, seen_past
from blunt_ember.radiation.section.partial_views import partly_seen

#: Lengths below this share of the extent are none.
_NONE = 1e-11
#: Pairs of facets that are looked at together.
_PAIRS = 400_000


def exchange_lengths(
    start: Floats, end: Floats, blockers: Floats, obstacles: Sequence[Floats] = (), into: Into | None = None
) -> Floats:
    """Return the exchanged lengths (p, q), m, of facets from ``start`` to ``end``, both (m, 2) in m: of each with all,
    or summed ``into`` rows and columns.

    ``blockers`` (k, 2, 2) in m are straight edges no view passes; the facets themselves may be among them.
    ``obstacles`` are convex bodies by their corners (n, 2) in m, counter-clockwise, that facets may lie on: as many
    corners as a round body has are looked past at sampled places, which is a little less than exact.
    """
    into = into or every_one(len(start))
    extent = float(np.ptp(np.concatenate([start, end]), axis=0).max(initial=0.0))
    facets = _Facets(start, end, _NONE * max(extent, 1e-300))
    round_ones = [Obstacle(each, start, end) for each in obstacles]
    for shut in [each for each in round_ones if not each.holds_facets]:  # what it holds is never seen
        blockers = blockers[~(shut.depth(blockers.reshape(-1, 2)) > 0).reshape(-1, 2).all(axis=1)]
        round_ones = [each for each in round_ones if each is shut or not (shut.depth(each.corners) > 0).all()]
    standing = blockers[_standing(facets, blockers)]
    found = into.nothing()
    for first, second in _facing_pairs(facets, into.looking):
        into.add(found, first, second, _seen(facets, first, second, standing, round_ones))
    return found


class _Facets:
    """Facets with their unit directions (m, 2); lengths below ``none`` in m are none."""

    def __init__(self, start: Floats, end: Floats, none: float) -> None:
        self.start, self.end, self.none = start, end, none
        along = end - start
        self.along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)

    def in_front(self, facet: Ints, place: Floats) -> Floats:
        """Return how far places (p, 2) lie in front of facets (p,), m."""
        return cross(self.along[facet], place - self.start[facet])


def _standing(facets: _Facets, blockers: Floats) -> Flags:
    """Which blockers have ends of facets on both sides: only these can stand in a view."""
    places = np.concatenate([facets.start, facets.end])
    along = blockers[:, 1] - blockers[:, 0]
    along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    both = np.zeros(len(blockers), dtype=bool)
    for number in range(len(blockers)):
        side = cross(along[number], places - blockers[number, 0])
        both[number] = side.max(initial=0.0) > facets.none and side.min(initial=0.0) < -facets.none
    return both


def _facing_pairs(facets: _Facets, looking: int) -> Iterator[tuple[Ints, Ints]]:
    """Yield pairs of facets, each once, that have a part in front of each other, one of them among those ``looking``,
    which come first."""
    count = len(facets.start)
    rows = max(1, _PAIRS // max(count, 1))
    for begin in range(0, looking, rows):
        own = np.arange(begin, min(begin + rows, looking))
        others = np.arange(begin + 1, count)
        along, start = facets.along[own][:, None], facets.start[own][:, None]
        ahead = _ahead(along, start, facets.start[others], facets.end[others], facets.none)
        along, start = facets.along[others], facets.start[others]
        ahead &= _ahead(along, start, facets.start[own][:, None], facets.end[own][:, None], facets.none)
        ahead &= others > own[:, None]
        first, second = np.nonzero(ahead)
        if len(first):
            yield own[first], others[second]


def _ahead(along: Floats, start: Floats, first: Floats, last: Floats, none: float) -> Flags:
    return np.maximum(cross(along, first - start), cross(along, last - start)) > none


def _seen(facets: _Facets, first: Ints, second: Ints, standing: Floats, obstacles: Sequence[Obstacle]) -> Floats:
    """Exchanged lengths (p,) of pairs of facets."""
    b1, b2 = _clipped(facets, first, facets.start[second], facets.end[second])
    a1, a2 = _clipped(facets, second, facets.start[first], facets.end[first])
    seen = (distance(a1, b1) + distance(a2, b2) - distance(a2, b1) - distance(a1, b2)) / 2
    seen = np.maximum(seen, 0.0)
    hidden, pairs, blockers = _blocked((a1, a2, b1, b2), standing, facets.none)
    seen[hidden] = 0.0
    between = np.zeros((len(obstacles), len(seen)), dtype=bool)
    for number, obstacle in enumerate(obstacles):
        between[number], behind = obstacle.near((a1, a2, b1, b2), first, second)
        seen[behind] = 0.0
        hidden |= behind
    past = np.flatnonzero(between.any(axis=0) & ~hidden)
    seen[past] = seen_past((a1, a2, b1, b2), past, obstacles, between, (pairs, blockers), standing)
    hidden[past] = True
    kept = ~hidden[pairs]
    pairs, blockers = pairs[kept], blockers[kept]
    order = np.argsort(pairs, kind="stable")
    partly, begin, counts = np.unique(pairs[order], return_index=True, return_counts=True)
    for most in np.unique(counts).tolist():
        own = counts == most
        own_blockers = standing[blockers[order][begin[own][:, None] + np.arange(most)]]
        pair = partly[own]
        seen[pair] = partly_seen((a1[pair], a2[pair], b1[pair], b2[pair]), own_blockers)
    return seen


def _clipped(facets: _Facets, viewer: Ints, first: Floats, last: Floats) -> tuple[Floats, Floats]:
    """The part of the lines from ``first`` to ``last`` (p, 2) that lies in front of the viewers (p,)."""
    near, far = facets.in_front(viewer, first), facets.in_front(viewer, last)
    return cut_line(first, last, near, far)


def _blocked(ends: Ends, standing: Floats, none: float) -> tuple[Flags, Ints, Ints]:
    """Tell which pairs a single blocker hides wholly (p,), and list pairs with the blockers that stand in between."""
    hidden = np.zeros(len(ends[0]), dtype=bool)
    pairs, blockers = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for number, (k1, k2) in enumerate(standing):
        along = (k2 - k1) / max(float(np.linalg.norm(k2 - k1)), 1e-300)
        sides = [cross(along, place - k1) for place in ends]
        low = np.minimum(np.minimum(sides[0], sides[1]), np.minimum(sides[2], sides[3]))
        high = np.maximum(np.maximum(sides[0], sides[1]), np.maximum(sides[2], sides[3]))
        near = np.flatnonzero((low < -none) & (high > none) & ~hidden)
        if not len(near):
            continue
        p1, p2, q1, q2 = (place[near] for place in ends)
        s1, s2, r1, r2 = (side[near] for side in sides)
        outer = [_crosses(p2, q1, s2, r1, k1, k2, none), _crosses(p1, q2, s1, r2, k1, k2, none)]
        inner = [_crosses(p1, q1, s1, r1, k1, k2, none), _crosses(p2, q2, s2, r2, k1, k2, none)]
        within = _within(p1, p2, q1, q2, k1, none) | _within(p1, p2, q1, q2, k2, none)
        hidden[near[outer[0] & outer[1]]] = True
        partly = near[outer[0] | outer[1] | inner[0] | inner[1] | within]
        pairs.append(partly)
        blockers.append(np.full(len(partly), number, dtype=np.int64))
    return hidden, np.concatenate(pairs), np.concatenate(blockers)


def _crosses(p: Floats, q: Floats, side_p: Floats, side_q: Floats, k1: Floats, k2: Floats, none: float) -> Flags:
    """Whether lines from p to q (n, 2) cross a blocker, whose ends they may touch."""
    apart = ((side_p > none) & (side_q < -none)) | ((side_p < -none) & (side_q > none))
    along = q - p
    first, second = cross(along, k1 - p), cross(along, k2 - p)
    slack = none * np.maximum(line_lengths(along), none)
    return apart & (((first > slack) & (second < -slack)) | ((first < -slack) & (second > slack)))


def _within(p1: Floats, p2: Floats, q1: Floats, q2: Floats, place: Floats, none: float) -> Flags:
    """Whether a place lies inside the four-sided figures from p1 over p2 and q1 to q2 (n, 2)."""
    inside = np.ones(len(p1), dtype=bool)
    for begin, end in ((p1, p2), (p2, q1), (q1, q2), (q2, p1)):
        along = end - begin
        inside &= cross(along, place - begin) >= -none * line_lengths(along)
    return inside
