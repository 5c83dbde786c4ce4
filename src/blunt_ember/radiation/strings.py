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

#: Lengths below this share of the extent are none.
_NONE = 1e-11
#: Pairs of facets that are looked at together.
_PAIRS = 400_000
#: Numbers held at once for pairs that see a part of each other.
_AT_ONCE = 3_000_000
#: Blockers of one pair up to which the looking facet is cut at every line of sight; with more of them it is sampled.
_MOST_EXACT = 8
_GAUSS = np.polynomial.legendre.leggauss(8)
_PANELS = 4
#: How near a facet lies to an obstacle it is part of, as a share of the obstacle.
_ON = 1e-3
#: Marks what is looked at among the blockers, of which there are never so many.
_SOUGHT = 10_000


def exchange_lengths(start: Floats, end: Floats, blockers: Floats, obstacles: Sequence[Floats] = ()) -> Floats:
    """Return the exchanged lengths (m, m), m, of facets from ``start`` to ``end``, both (m, 2) in m.

    ``blockers`` (k, 2, 2) in m are straight edges no view passes; the facets themselves may be among them.
    ``obstacles`` are convex bodies by their corners (n, 2) in m, counter-clockwise, that facets may lie on: as many
    corners as a round body has are looked past at sampled places, which is a little less than exact.
    """
    count = len(start)
    extent = float(np.ptp(np.concatenate([start, end]), axis=0).max(initial=0.0))
    facets = _Facets(start, end, _NONE * max(extent, 1e-300))
    round_ones = [_Obstacle(each, facets) for each in obstacles]
    for shut in [each for each in round_ones if not each.holds_facets]:  # what it holds is never seen
        blockers = blockers[~(shut.depth(blockers.reshape(-1, 2)) > 0).reshape(-1, 2).all(axis=1)]
        round_ones = [each for each in round_ones if each is shut or not (shut.depth(each.corners) > 0).all()]
    standing = blockers[_standing(facets, blockers)]
    found = np.zeros((count, count))
    for first, second in _facing_pairs(facets):
        seen = _seen(facets, first, second, standing, round_ones)
        found[first, second] = seen
        found[second, first] = seen
    return found


#: The ends of two facets a1 to a2 and b1 to b2, each (p, 2).
_Ends = tuple[Floats, Floats, Floats, Floats]


class _Facets:
    """Facets with their unit directions (m, 2); lengths below ``none`` in m are none."""

    def __init__(self, start: Floats, end: Floats, none: float) -> None:
        self.start, self.end, self.none = start, end, none
        along = end - start
        self.along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)

    def in_front(self, facet: Ints, place: Floats) -> Floats:
        """Return how far places (p, 2) lie in front of facets (p,), m."""
        return _cross(self.along[facet], place - self.start[facet])


def _cross(first: Floats, second: Floats) -> Floats:
    return first[..., 0] * second[..., 1] - first[..., 1] * second[..., 0]


def _reach(along: Floats) -> Floats:
    """About how long lines are, m."""
    return np.abs(along[..., 0]) + np.abs(along[..., 1])


def _distance(first: Floats, second: Floats) -> Floats:
    return np.hypot(second[..., 0] - first[..., 0], second[..., 1] - first[..., 1])


def _standing(facets: _Facets, blockers: Floats) -> Flags:
    """Which blockers have ends of facets on both sides: only these can stand in a view."""
    places = np.concatenate([facets.start, facets.end])
    along = blockers[:, 1] - blockers[:, 0]
    along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    both = np.zeros(len(blockers), dtype=bool)
    for number in range(len(blockers)):
        side = _cross(along[number], places - blockers[number, 0])
        both[number] = side.max(initial=0.0) > facets.none and side.min(initial=0.0) < -facets.none
    return both


def _facing_pairs(facets: _Facets) -> Iterator[tuple[Ints, Ints]]:
    """Yield pairs of facets, each once, that have a part in front of each other."""
    count = len(facets.start)
    rows = max(1, _PAIRS // max(count, 1))
    for begin in range(0, count, rows):
        own = np.arange(begin, min(begin + rows, count))
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
    return np.maximum(_cross(along, first - start), _cross(along, last - start)) > none


class _Obstacle:
    """A convex body: its ``corners`` (n, 2), a circle round it and one within it, and which facets lie ``on`` it."""

    def __init__(self, corners: Floats, facets: _Facets) -> None:
        self.corners = corners
        along = np.roll(corners, -1, axis=0) - corners
        unit = along / np.linalg.norm(along, axis=1, keepdims=True)
        self.middle = corners.mean(axis=0)
        self.outer = float(np.linalg.norm(corners - self.middle, axis=1).max())
        self.inner = float(_cross(unit, self.middle - corners).min())
        self._unit = unit
        depth = self.depth((facets.start + facets.end) / 2)
        # A facet of a round body may be a chord of what is taken for its skin, or the skin a chord of it; what lies
        # within, as the bore of a ring does, never looks at it from outside.
        self.on = depth > -_ON * self.outer
        self.holds_facets = bool((depth > _ON * self.outer).any())

    def depth(self, places: Floats) -> Floats:
        """Return how far places (p, 2) lie within it, m; below zero outside."""
        return _cross(self._unit[:, None], places[None] - self.corners[:, None]).min(axis=0, initial=np.inf)

    def near(self, ends: _Ends, first: Ints, second: Ints) -> tuple[Flags, Flags]:
        """Tell which pairs it may stand between, and which it hides wholly, both (p,)."""
        a1, a2, b1, b2 = ends
        beside = self.on[first] | self.on[second]
        for begin, end in ((a1, a2), (a2, b1), (b1, b2), (b2, a1)):
            beside |= _cross(end - begin, self.middle - begin) < -self.outer * _distance(begin, end)
        hidden = ~beside & self._cuts(a2, b1) & self._cuts(a1, b2)
        return ~beside & ~hidden, hidden

    def _cuts(self, begin: Floats, end: Floats) -> Flags:
        """Whether lines (p,) cut the circle within it, and do not end there."""
        along, to = end - begin, self.middle - begin
        length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-100)
        share = (along * to).sum(axis=1) / length**2
        return (np.abs(_cross(along, to)) < self.inner * length) & (share > 0) & (share < 1)

    def slopes(self, ends: _Ends, places: Floats) -> Floats:
        """Lowest and highest sine (p, s, 2) at which it is seen from places (p, s, 2) past which the pairs look; twice
        the same where nothing of it is in between."""
        a1, a2, b1, b2 = ends
        edges = np.stack([self.corners, np.roll(self.corners, -1, axis=0)], axis=1)
        k1, k2 = _between(a1, a2, b1, b2, np.broadcast_to(edges, (len(a1), *edges.shape)))
        there = (np.abs(k1 - k2).sum(axis=-1) > 0)[:, None]
        slope = np.concatenate([_slopes(places, a2 - a1, k1), _slopes(places, a2 - a1, k2)], axis=2)
        there = np.concatenate([there, there], axis=2)
        low, high = np.where(there, slope, np.inf).min(axis=2), np.where(there, slope, -np.inf).max(axis=2)
        nothing = low > high
        return np.stack([np.where(nothing, 2.0, low), np.where(nothing, 2.0, high)], axis=-1)


def _seen(facets: _Facets, first: Ints, second: Ints, standing: Floats, obstacles: Sequence[_Obstacle]) -> Floats:
    """Exchanged lengths (p,) of pairs of facets."""
    b1, b2 = _clipped(facets, first, facets.start[second], facets.end[second])
    a1, a2 = _clipped(facets, second, facets.start[first], facets.end[first])
    seen = (_distance(a1, b1) + _distance(a2, b2) - _distance(a2, b1) - _distance(a1, b2)) / 2
    seen = np.maximum(seen, 0.0)
    hidden, pairs, blockers = _blocked((a1, a2, b1, b2), standing, facets.none)
    seen[hidden] = 0.0
    between = np.zeros((len(obstacles), len(seen)), dtype=bool)
    for number, obstacle in enumerate(obstacles):
        between[number], behind = obstacle.near((a1, a2, b1, b2), first, second)
        seen[behind] = 0.0
        hidden |= behind
    past = np.flatnonzero(between.any(axis=0) & ~hidden)
    seen[past] = _seen_past((a1, a2, b1, b2), past, obstacles, between, (pairs, blockers), standing)
    hidden[past] = True
    kept = ~hidden[pairs]
    pairs, blockers = pairs[kept], blockers[kept]
    order = np.argsort(pairs, kind="stable")
    partly, begin, counts = np.unique(pairs[order], return_index=True, return_counts=True)
    for most in np.unique(counts).tolist():
        own = counts == most
        own_blockers = standing[blockers[order][begin[own][:, None] + np.arange(most)]]
        pair = partly[own]
        seen[pair] = _partly_seen((a1[pair], a2[pair], b1[pair], b2[pair]), own_blockers)
    return seen


def _seen_past(
    ends: _Ends,
    past: Ints,
    obstacles: Sequence[_Obstacle],
    between: Flags,
    blocked: tuple[Ints, Ints],
    standing: Floats,
) -> Floats:
    """Exchanged lengths of the pairs numbered ``past`` (p,), between which ``obstacles`` and single edges stand."""
    pairs, blockers = blocked
    found = np.zeros(len(past))
    most = np.bincount(pairs, minlength=len(ends[0]))[past].max(initial=0) if len(pairs) else 0
    corners = max((len(each.corners) for each in obstacles), default=1)
    run = max(1, _AT_ONCE // (_PANELS * len(_GAUSS[0]) * 2 * max(corners, most + 1)))
    order = np.argsort(pairs, kind="stable")
    begins, stops = np.searchsorted(pairs[order], past), np.searchsorted(pairs[order], past, side="right")
    for begin in range(0, len(past), run):
        own = past[begin : begin + run]
        a1, a2, b1, b2 = (place[own] for place in ends)
        # Of pairs with fewer edges in between the first is taken again: what it hides, it hides once.
        count = stops[begin : begin + run] - begins[begin : begin + run]
        at = begins[begin : begin + run, None] + np.minimum(np.arange(int(count.max(initial=0))), count[:, None] - 1)
        listed = blockers[order][np.maximum(at, 0)] if len(pairs) else np.zeros((len(own), 0), dtype=np.int64)
        k1, k2 = _between(a1, a2, b1, b2, standing[listed]) if listed.shape[1] else (np.zeros((len(own), 0, 2)),) * 2
        places, weights = _samples(a1, a2)
        slope = _slopes(places, a2 - a1, np.concatenate([b1[:, None], b2[:, None], k1, k2], axis=1))
        none = np.broadcast_to((count == 0)[:, None, None], slope[..., 2:].shape)
        slope[..., 2:][none] = 2.0
        edges = listed.shape[1]
        lows, highs = [slope[..., 2 : 2 + edges]], [slope[..., 2 + edges :]]
        for number, obstacle in enumerate(obstacles):
            seen = obstacle.slopes((a1, a2, b1, b2), places)
            seen[~between[number, own]] = 2.0
            lows.append(seen[..., :1])
            highs.append(seen[..., 1:])
        every = np.concatenate([slope[..., :2], *lows, *highs], axis=-1)
        visible = _visible(every, every, edges + len(obstacles))
        found[begin : begin + run] = visible @ weights * np.linalg.norm(a2 - a1, axis=1) / 2
    return np.maximum(found, 0.0)


def _clipped(facets: _Facets, viewer: Ints, first: Floats, last: Floats) -> tuple[Floats, Floats]:
    """The part of the lines from ``first`` to ``last`` (p, 2) that lies in front of the viewers (p,)."""
    near, far = facets.in_front(viewer, first), facets.in_front(viewer, last)
    return _cut(first, last, near, far)


def _cut(first: Floats, last: Floats, near: Floats, far: Floats) -> tuple[Floats, Floats]:
    """The part of lines where what is ``near`` at the first end and ``far`` at the last is above zero; a point where it
    is nowhere."""
    share = np.clip(near / np.where(near == far, 1.0, near - far), 0.0, 1.0)
    crossing = first + share[..., None] * (last - first)
    begins = np.where((near < 0)[..., None], crossing, first)
    ends = np.where((far < 0)[..., None], crossing, last)
    nowhere = ((near <= 0) & (far <= 0))[..., None]
    return np.where(nowhere, first, begins), np.where(nowhere, first, ends)


def _blocked(ends: _Ends, standing: Floats, none: float) -> tuple[Flags, Ints, Ints]:
    """Tell which pairs a single blocker hides wholly (p,), and list pairs with the blockers that stand in between."""
    hidden = np.zeros(len(ends[0]), dtype=bool)
    pairs, blockers = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for number, (k1, k2) in enumerate(standing):
        along = (k2 - k1) / max(float(np.linalg.norm(k2 - k1)), 1e-300)
        sides = [_cross(along, place - k1) for place in ends]
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
    first, second = _cross(along, k1 - p), _cross(along, k2 - p)
    slack = none * np.maximum(_reach(along), none)
    return apart & (((first > slack) & (second < -slack)) | ((first < -slack) & (second > slack)))


def _within(p1: Floats, p2: Floats, q1: Floats, q2: Floats, place: Floats, none: float) -> Flags:
    """Whether a place lies inside the four-sided figures from p1 over p2 and q1 to q2 (n, 2)."""
    inside = np.ones(len(p1), dtype=bool)
    for begin, end in ((p1, p2), (p2, q1), (q1, q2), (q2, p1)):
        along = end - begin
        inside &= _cross(along, place - begin) >= -none * _reach(along)
    return inside


def _partly_seen(ends: _Ends, blockers: Floats) -> Floats:
    """Exchanged lengths (p,) of pairs between which ``blockers`` (p, b, 2, 2) stand."""
    count, most = blockers.shape[:2]
    vertices = 2 + 2 * most
    pieces = vertices * (vertices - 1) // 2 + 1 if most <= _MOST_EXACT else _PANELS * len(_GAUSS[0])
    run = max(1, _AT_ONCE // (pieces * vertices))
    look = _strung if most <= _MOST_EXACT else _sampled
    parts = []
    for begin in range(0, count, run):
        own = slice(begin, begin + run)
        a1, a2, b1, b2 = (place[own] for place in ends)
        k1, k2 = _between(a1, a2, b1, b2, blockers[own])
        corners = np.concatenate([b1[:, None], b2[:, None], k1, k2], axis=1)
        parts.append(look(a1, a2, corners, most))
    return np.maximum(np.concatenate(parts), 0.0)


def _between(a1: Floats, a2: Floats, b1: Floats, b2: Floats, blockers: Floats) -> tuple[Floats, Floats]:
    """The ends (p, b, 2) of what of the blockers lies in front of both facets."""
    k1, k2 = blockers[:, :, 0], blockers[:, :, 1]
    for first, last in ((a1, a2), (b1, b2)):
        along, base = (last - first)[:, None], first[:, None]
        k1, k2 = _cut(k1, k2, _cross(along, k1 - base), _cross(along, k2 - base))
    return k1, k2


def _strung(a1: Floats, a2: Floats, corners: Floats, most: int) -> Floats:
    """What is seen from a1 to a2, cut where two of the ``corners`` (p, v, 2) come to lie in one line of sight."""
    along = a2 - a1
    one, two = np.triu_indices(corners.shape[1], 1)
    line = corners[:, two] - corners[:, one]
    with np.errstate(all="ignore"):
        cut = -_cross(line, a1[:, None] - corners[:, one]) / _cross(line, along[:, None])
    cut = np.clip(np.where(np.isfinite(cut), cut, 0.0), 0.0, 1.0)
    whole = np.zeros((len(a1), 1))
    cuts = np.sort(np.concatenate([whole, cut, whole + 1.0], axis=1), axis=1)
    places = a1[:, None] + cuts[..., None] * along[:, None]
    middles = (places[:, 1:] + places[:, :-1]) / 2
    slope = _slopes(middles, along, corners)
    away = _distance(places[:, :, None], corners[:, None])
    return _visible(slope, away[:, :-1] - away[:, 1:], most).sum(axis=1) / 2


def _sampled(a1: Floats, a2: Floats, corners: Floats, most: int) -> Floats:
    """What is seen from a1 to a2, at many places on it."""
    places, weights = _samples(a1, a2)
    slope = _slopes(places, a2 - a1, corners)
    return _visible(slope, slope, most) @ weights * np.linalg.norm(a2 - a1, axis=1) / 2


def _samples(a1: Floats, a2: Floats) -> tuple[Floats, Floats]:
    """Places (p, s, 2) from a1 to a2, and the share (s,) each stands for."""
    at = ((np.arange(_PANELS)[:, None] + (_GAUSS[0] + 1) / 2) / _PANELS).ravel()
    weights = np.tile(_GAUSS[1] / (2 * _PANELS), _PANELS)
    return a1[:, None] + at[:, None] * (a2 - a1)[:, None], weights


def _slopes(places: Floats, along: Floats, corners: Floats) -> Floats:
    """Sines (p, s, v) of the angles at which corners (p, v, 2) are seen from places (p, s, 2), off the normal."""
    to = corners[:, None] - places[:, :, None]
    unit = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    ahead = (to * unit[:, None, None]).sum(axis=-1)
    return ahead / np.maximum(np.linalg.norm(to, axis=-1), 1e-300)


def _visible(slope: Floats, amount: Floats, most: int) -> Floats:
    """The sum (p, s) of what ``amount`` (p, s, v) grows by between corners next to each other that bound a view.

    The first two corners are the ends of what is looked at, the rest the ends of blockers.
    """
    order = np.argsort(slope, axis=-1)
    grown = np.diff(np.take_along_axis(amount, order, axis=-1), axis=-1)
    # What lies before a corner is counted on: of the blockers that begin and do not end there, and what is looked at.
    before = np.empty(slope.shape, dtype=np.int16)
    looked_at = slope[..., 0] < slope[..., 1]
    before[..., 0] = np.where(looked_at, -_SOUGHT, _SOUGHT)
    before[..., 1] = -before[..., 0]
    first = np.where(slope[..., 2 : 2 + most] < slope[..., 2 + most :], 1, -1)
    before[..., 2 : 2 + most] = first
    before[..., 2 + most :] = -first
    state = np.cumsum(np.take_along_axis(before, order, axis=-1), axis=-1, dtype=np.int16)[..., :-1]
    return np.where(state == -_SOUGHT, grown, 0.0).sum(axis=-1)
