"""Convex bodies that stand in a view as a whole, as round ones do, and what is seen past them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.radiation.section.lines import Ends, cross, distance
from blunt_ember.radiation.section.partial_views import AT_ONCE, PLACES, between, samples, slopes, visible

#: How near the ends of a facet lie to an obstacle it is part of, as a share of the obstacle: in a narrow gap the next
#: body is not much farther away.
_ON = 1e-9


class Obstacle:
    """A convex body: its ``corners`` (n, 2), a circle round it and one within it, and which facets lie ``on`` it."""

    def __init__(self, corners: Floats, start: Floats, end: Floats) -> None:
        self.corners = corners
        along = np.roll(corners, -1, axis=0) - corners
        unit = along / np.linalg.norm(along, axis=1, keepdims=True)
        self.middle = corners.mean(axis=0)
        self.outer = float(np.linalg.norm(corners - self.middle, axis=1).max())
        self.inner = float(cross(unit, self.middle - corners).min())
        self._unit = unit
        depth = np.minimum(self.depth(start), self.depth(end))
        # What lies within, as the bore of a ring does, never looks at it from outside.
        self.on = depth > -_ON * self.outer
        self.holds_facets = bool((depth > _ON * self.outer).any())

    def depth(self, places: Floats) -> Floats:
        """Return how far places (p, 2) lie within it, m; below zero outside."""
        return cross(self._unit[:, None], places[None] - self.corners[:, None]).min(axis=0, initial=np.inf)

    def near(self, ends: Ends, first: Ints, second: Ints) -> tuple[Flags, Flags]:
        """Tell which pairs it may stand between, and which it hides wholly, both (p,)."""
        a1, a2, b1, b2 = ends
        beside = self.on[first] | self.on[second]
        for begin, end in ((a1, a2), (a2, b1), (b1, b2), (b2, a1)):
            beside |= cross(end - begin, self.middle - begin) < -self.outer * distance(begin, end)
        hidden = ~beside & self._cuts(a2, b1) & self._cuts(a1, b2)
        return ~beside & ~hidden, hidden

    def _cuts(self, begin: Floats, end: Floats) -> Flags:
        """Whether lines (p,) cut the circle within it, and do not end there."""
        along, to = end - begin, self.middle - begin
        length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-100)
        share = (along * to).sum(axis=1) / length**2
        return (np.abs(cross(along, to)) < self.inner * length) & (share > 0) & (share < 1)

    def slopes(self, ends: Ends, places: Floats) -> Floats:
        """Lowest and highest sine (p, s, 2) at which it is seen from places (p, s, 2) past which the pairs look; twice
        the same where nothing of it is in between."""
        a1, a2, b1, b2 = ends
        edges = np.stack([self.corners, np.roll(self.corners, -1, axis=0)], axis=1)
        k1, k2 = between(a1, a2, b1, b2, np.broadcast_to(edges, (len(a1), *edges.shape)))
        there = (np.abs(k1 - k2).sum(axis=-1) > 0)[:, None]
        slope = np.concatenate([slopes(places, a2 - a1, k1), slopes(places, a2 - a1, k2)], axis=2)
        there = np.concatenate([there, there], axis=2)
        low, high = np.where(there, slope, np.inf).min(axis=2), np.where(there, slope, -np.inf).max(axis=2)
        nothing = low > high
        return np.stack([np.where(nothing, 2.0, low), np.where(nothing, 2.0, high)], axis=-1)


def seen_past(
    ends: Ends, past: Ints, obstacles: Sequence[Obstacle], stands: Flags, blocked: tuple[Ints, Ints], standing: Floats
) -> Floats:
    """Exchanged lengths of the pairs numbered ``past`` (p,), between which ``obstacles`` and single edges stand.

    ``ends`` are those of all pairs, ``stands`` (o, all pairs) tells which obstacle may stand in which view; ``blocked``
    lists pairs with the numbers of the ``standing`` edges between them.
    """
    pairs, blockers = blocked
    found = np.zeros(len(past))
    most = np.bincount(pairs, minlength=len(ends[0]))[past].max(initial=0) if len(pairs) else 0
    corners = max((len(each.corners) for each in obstacles), default=1)
    run = max(1, AT_ONCE // (PLACES * 2 * max(corners, most + 1)))
    order = np.argsort(pairs, kind="stable")
    begins, stops = np.searchsorted(pairs[order], past), np.searchsorted(pairs[order], past, side="right")
    for begin in range(0, len(past), run):
        own = past[begin : begin + run]
        a1, a2, b1, b2 = (place[own] for place in ends)
        # Of pairs with fewer edges in between the first is taken again: what it hides, it hides once.
        count = stops[begin : begin + run] - begins[begin : begin + run]
        at = begins[begin : begin + run, None] + np.minimum(np.arange(int(count.max(initial=0))), count[:, None] - 1)
        listed = blockers[order][np.maximum(at, 0)] if len(pairs) else np.zeros((len(own), 0), dtype=np.int64)
        k1, k2 = between(a1, a2, b1, b2, standing[listed]) if listed.shape[1] else (np.zeros((len(own), 0, 2)),) * 2
        places, weights = samples(a1, a2)
        slope = slopes(places, a2 - a1, np.concatenate([b1[:, None], b2[:, None], k1, k2], axis=1))
        none = np.broadcast_to((count == 0)[:, None, None], slope[..., 2:].shape)
        slope[..., 2:][none] = 2.0
        edges = listed.shape[1]
        lows, highs = [slope[..., 2 : 2 + edges]], [slope[..., 2 + edges :]]
        for number, obstacle in enumerate(obstacles):
            there = np.flatnonzero(stands[number, own])
            seen = np.full((*places.shape[:2], 2), 2.0)
            seen[there] = obstacle.slopes((a1[there], a2[there], b1[there], b2[there]), places[there])
            lows.append(seen[..., :1])
            highs.append(seen[..., 1:])
        every = np.concatenate([slope[..., :2], *lows, *highs], axis=-1)
        share = visible(every, every, edges + len(obstacles))
        found[begin : begin + run] = share @ weights * np.linalg.norm(a2 - a1, axis=1) / 2
    return np.maximum(found, 0.0)
