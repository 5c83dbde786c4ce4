"""Shares an error out evenly among the cells that a finer mesh may have."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats


def shared_evenly(share: Floats, cells: Callable[[Floats], float], wanted: float, least: float, most: float) -> Floats:
    """Return by how much sizes (n,) are multiplied, from ``least`` to ``most``, so that all have about the same of what
    each has of the error, ``share`` (n,), and there are as many ``cells`` of them as are ``wanted``."""
    low, high = 1e-6 * share.min(), 1e6 * share.max()
    factor = np.ones(len(share))
    for _ in range(60):  # how large the even share is that gives the number of cells
        even = np.sqrt(low * high)
        factor = np.clip(even / share, least, most)
        low, high = (even, high) if cells(factor) > wanted else (low, even)
    return factor
