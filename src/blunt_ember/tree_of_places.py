"""Places that lie near others or in boxes, found quickly: by SciPy's tree, which is imported when one is needed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from blunt_ember.arrays import Floats, Ints

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

#: Pairs of point and box up to which all are compared.
_PAIRS_AT_ONCE = 4_000_000


def tree_of(places: Floats) -> cKDTree:
    """Return the tree of places (p, d)."""
    from scipy.spatial import cKDTree  # which small mapped meshes do without

    return cKDTree(places)


def boxed(points: Floats, low: Floats, high: Floats) -> tuple[Ints, Ints]:
    """Return the pairs of points (p, d) and boxes between ``low`` and ``high`` (m, d) that hold them: the numbers (k,)
    of the points, in order, and of the boxes."""
    if len(points) * len(low) <= _PAIRS_AT_ONCE:
        inside = np.ones((len(points), len(low)), dtype=bool)
        for axis in range(points.shape[1]):
            inside &= (points[:, None, axis] >= low[:, axis]) & (points[:, None, axis] <= high[:, axis])
        place, box = np.nonzero(inside)
        return place, box
    middle, reach = (low + high) / 2, (high - low).max(axis=1) / 2
    octave = np.floor(np.log2(np.maximum(reach, 1e-300))).astype(np.int64)
    places, boxes = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for size in np.unique(octave).tolist():  # boxes of about one size are found by their middles
        own = np.flatnonzero(octave == size)
        within = float(reach[own].max()) * (1 + 1e-9)
        near: Any = tree_of(middle[own]).query_ball_point(points, within, p=np.inf)
        counts = np.array([len(each) for each in near])
        if not counts.any():
            continue
        place = np.repeat(np.arange(len(points)), counts)
        box = own[np.concatenate([each for each in near if each]).astype(np.int64)]
        held = ((points[place] >= low[box]) & (points[place] <= high[box])).all(axis=1)
        places.append(place[held])
        boxes.append(box[held])
    place, box = np.concatenate(places), np.concatenate(boxes)
    order = np.lexsort([box, place])
    return place[order], box[order]
