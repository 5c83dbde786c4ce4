"""Places that lie on a grid, where products of functions of each coordinate are worked out axis by axis."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints

#: How many places a grid may have for each of those that are asked for.
_MORE = 4


def grid_of(places: Floats) -> tuple[list[Floats], tuple[Ints, ...]] | None:
    """Return the coordinates that places (p, d) have along each axis, and the numbers (p,) of theirs among them.

    None where a grid of these would have far more places than are asked for.
    """
    lines, at = zip(*(np.unique(each, return_inverse=True) for each in places.T), strict=True)
    if float(np.prod([float(len(each)) for each in lines])) > _MORE * len(places):
        return None
    return list(lines), tuple(each.reshape(-1) for each in at)
