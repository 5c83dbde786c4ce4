"""Triangles paired into quadrilaterals, the best pairs first."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints

#: No corner of a quadrilateral is further than this from a right angle, degrees.
_CROOKED = 62.0


def paired(points: Floats, cells: Ints, region: Ints) -> tuple[Ints, Ints]:
    """Return quadrilaterals (q, 4), counter-clockwise, and the pair of triangles (q, 2) that each is made of.

    Only triangles (m, 3) of one region are paired. Every round takes the pairs that are the best of both their
    triangles, so that the outcome does not depend on their order.
    """
    first, second, corners = _neighbours(cells)
    same = region[first] == region[second]
    first, second, corners = first[same], second[same], corners[same]
    crooked = _crookedness(points[corners])
    fair = crooked < _CROOKED
    first, second, corners, crooked = first[fair], second[fair], corners[fair], crooked[fair]
    rank = np.empty(len(crooked), dtype=np.int64)
    rank[np.lexsort([second, first, crooked])] = np.arange(len(crooked))
    free = np.ones(len(cells), dtype=bool)
    chosen = []
    while len(rank):
        best = np.full(len(cells), np.iinfo(np.int64).max)
        np.minimum.at(best, first, rank)
        np.minimum.at(best, second, rank)
        won = np.flatnonzero((best[first] == rank) & (best[second] == rank))
        chosen.append((corners[won], np.column_stack([first[won], second[won]])))
        free[first[won]] = free[second[won]] = False
        left = free[first] & free[second]
        first, second, corners, rank = first[left], second[left], corners[left], rank[left]
    if not chosen:
        return np.zeros((0, 4), dtype=np.int64), np.zeros((0, 2), dtype=np.int64)
    return np.concatenate([quads for quads, _ in chosen]), np.concatenate([pairs for _, pairs in chosen])


def _neighbours(cells: Ints) -> tuple[Ints, Ints, Ints]:
    """Return the two triangles at every inner side, and the corners (s, 4) of what they make together."""
    sides = np.concatenate([cells[:, [0, 1]], cells[:, [1, 2]], cells[:, [2, 0]]])
    apex = np.concatenate([cells[:, 2], cells[:, 0], cells[:, 1]])
    owner = np.tile(np.arange(len(cells)), 3)
    key = np.sort(sides, axis=1)
    order = np.lexsort([key[:, 1], key[:, 0]])
    a, b = order[:-1], order[1:]
    twice = (key[a] == key[b]).all(axis=1)
    a, b = a[twice], b[twice]
    return owner[a], owner[b], np.column_stack([sides[a, 0], apex[b], sides[a, 1], apex[a]])


def _crookedness(corners: Floats) -> Floats:
    """Return how far the worst corner of each quadrilateral (q, 4, 2) is from a right angle, degrees."""
    ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    cross = ahead[..., 0] * behind[..., 1] - ahead[..., 1] * behind[..., 0]
    angle = np.degrees(np.arctan2(cross, (ahead * behind).sum(axis=-1))) % 360
    return np.abs(angle - 90).max(axis=1)
