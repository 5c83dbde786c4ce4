"""What facets see of each other, before it is closed."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.radiation.closure import closed_exchange


@immutable
class Views:
    """Areas times view factors ``exchange`` (p, p) in m² of patches, and their ``size`` (p,) in m² as flat as they are
    seen; ``patch`` (m,) is that of every facet.

    Where ``ends_meet``, patches leave no gap between each other, and below the ``least`` share of all that is seen
    there is no opening.
    """

    exchange: Floats
    size: Floats
    patch: Ints
    least: float
    ends_meet: bool


def seen_beyond(ends: Floats, far: Floats) -> Floats:
    """Return what patches (p, p) exchange by the copies of a row that are beyond all that are looked at, m², from what
    they see of its two ``ends`` (p, 2) in m²; nothing where there is no row (p, 0).

    They see there what they see in ``far`` (p, p) copies; where that is nothing, all that looks out at the other end.
    """
    if not ends.shape[1] or not ends.any():
        return np.zeros((len(ends), len(ends)))
    ahead, behind = ends.T
    beyond, seen = ahead + behind, far.sum(axis=1)
    known = np.where(seen > 0, beyond, 0.0)
    found, _ = closed_exchange(far * known.sum() / max(float(seen.sum()), 1e-300), known)
    even = np.outer(np.where(seen > 0, 0.0, ahead), behind) / max(float(beyond.sum()) / 2, 1e-300)
    return np.asarray(found + even + even.T)
