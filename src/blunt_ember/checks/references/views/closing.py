"""What follows of view factors from reciprocity and closure, once some of them are known."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats

#: A direction in which what is not known may still move, as a share.
_FREE = 1e-9


def completed(area: Floats, known: Floats, closed: bool) -> Floats:
    """Return the exchanged areas (s + 1, s + 1) in m² of surfaces of an ``area`` (s,), NaN where nothing says them.

    ``known`` (s, s) is symmetric, NaN where it is not. The last row and column are of the opening, which is seen by
    none of a ``closed`` chamber; what it sees of itself stays open.
    """
    count = len(area)
    whole = np.full((count + 1, count + 1), np.nan)
    whole[:count, :count] = known
    if closed:
        whole[count, :] = whole[:, count] = 0.0
    first, second = np.triu_indices(count + 1)
    sought = np.isnan(whole[first, second]) & (first < count)
    first, second = first[sought], second[sought]
    if not len(first):
        return whole
    rows = np.zeros((count, len(first)))
    rows[first, np.arange(len(first))] = 1.0
    within = second < count
    rows[second[within], np.flatnonzero(within)] = 1.0
    right = area - np.nansum(whole[:count], axis=1)
    _, sizes, directions = np.linalg.svd(rows)
    rank = int((sizes > _FREE).sum())
    told = np.linalg.norm(directions[rank:], axis=0) < _FREE
    values = np.linalg.lstsq(rows, right, rcond=None)[0]
    whole[first[told], second[told]] = whole[second[told], first[told]] = values[told]
    return whole
