"""Lines in a plane: which side of one a place lies on, and the part of one that lies in front of another."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats

#: The ends of two facets a1 to a2 and b1 to b2, each (p, 2).
Ends = tuple[Floats, Floats, Floats, Floats]


def cross(first: Floats, second: Floats) -> Floats:
    """Return the cross product (…) of vectors (…, 2): above zero where the second points to the left."""
    return first[..., 0] * second[..., 1] - first[..., 1] * second[..., 0]


def line_lengths(along: Floats) -> Floats:
    """About how long lines are, m."""
    return np.abs(along[..., 0]) + np.abs(along[..., 1])


def distance(first: Floats, second: Floats) -> Floats:
    """Return how far places (…, 2) lie apart, m."""
    return np.hypot(second[..., 0] - first[..., 0], second[..., 1] - first[..., 1])


def cut_line(first: Floats, last: Floats, near: Floats, far: Floats) -> tuple[Floats, Floats]:
    """The part of lines where what is ``near`` at the first end and ``far`` at the last is above zero; a point where it
    is nowhere."""
    share = np.clip(near / np.where(near == far, 1.0, near - far), 0.0, 1.0)
    crossing = first + share[..., None] * (last - first)
    begins = np.where((near < 0)[..., None], crossing, first)
    ends = np.where((far < 0)[..., None], crossing, last)
    nowhere = ((near <= 0) & (far <= 0))[..., None]
    return np.where(nowhere, first, begins), np.where(nowhere, first, ends)
