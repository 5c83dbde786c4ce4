"""Lines of one value over the linear pieces a field is drawn by."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints


def isolines(corners: Floats, values: Floats, levels: Floats) -> tuple[Floats, Ints]:
    """Return the pieces (n, 2, d) in m of the lines at ``levels`` (l,), and the number (n,) of the level of each.

    ``corners`` (t, 3, d) are triangles over which a field of ``values`` (t, 3) is linear.
    """
    pieces, numbers = [np.zeros((0, 2, corners.shape[2]))], [np.zeros(0, dtype=np.int64)]
    for number, level in enumerate(levels.tolist()):
        above = values >= level
        # Where one corner stands against two, the line cuts both sides that meet in it.
        count = above.sum(axis=1)
        cut = np.flatnonzero((count == 1) | (count == 2))
        if not len(cut):
            continue
        single = np.where(count[cut] == 1, above[cut].argmax(axis=1), (~above[cut]).argmax(axis=1))
        order = (single[:, None] + np.arange(3)) % 3
        at, value = np.take_along_axis(corners[cut], order[..., None], 1), np.take_along_axis(values[cut], order, 1)
        share = (level - value[:, :1]) / (value[:, 1:] - value[:, :1])
        pieces.append(at[:, :1] + share[..., None] * (at[:, 1:] - at[:, :1]))
        numbers.append(np.full(len(cut), number))
    return np.concatenate(pieces), np.concatenate(numbers)
