"""Where on the way along a line the region changes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats, Ints

#: Places looked at beforehand, and halvings that follow: what is thinner than a share of the way may be missed.
_SAMPLES, _HALVINGS = 801, 45


def changes(owner: Callable[[Floats], Ints]) -> Floats:
    """Return the shares (c,) of the way, in order, at which what ``owner`` tells of shares (p,) changes."""
    share = (np.arange(_SAMPLES) + 0.5) / _SAMPLES
    found = owner(share)
    change = np.flatnonzero(found[1:] != found[:-1])
    low, high, before = share[change], share[change + 1], found[change]
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        same = owner(middle) == before
        low, high = np.where(same, middle, low), np.where(same, high, middle)
    return (low + high) / 2
