"""The smallest symmetric correction after which every facet of a chamber sees as much as there is to be seen."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats

_MOST_STEPS = 40
#: Rows are closed to this share.
_CLOSED = 1e-13


def closed_exchange(exchange: Floats, seen: Floats) -> tuple[Floats, float]:
    """Return exchanged areas (m, m), m², whose rows sum to what is ``seen`` (m,), m², and the largest correction as a
    share of what a facet sees.

    Every pair is scaled by what both its facets lack, X (1 + λᵢ + λⱼ): of all symmetric corrections with these sums
    the one that is least in the sum of squares, each weighed by its pair. It keeps what is zero.
    """
    corrected = exchange.copy()
    for _ in range(_MOST_STEPS):
        left = seen - corrected.sum(axis=1)
        if np.abs(left).max(initial=0.0) <= _CLOSED * np.abs(seen).max(initial=0.0):
            break
        scale = _scale(corrected, left)
        corrected *= np.maximum(1 + scale[:, None] + scale[None], 0.5)
    moved = np.abs(corrected - exchange).sum(axis=1)
    return corrected, float((moved / np.maximum(seen, 1e-300)).max(initial=0.0))


def _scale(exchange: Floats, left: Floats) -> Floats:
    """What each facet (m,) asks of its pairs: the least that takes away what is ``left`` (m,), m².

    A heavier diagonal makes it one where two groups of facets see only each other; steps are repeated, so that the
    little it is off by goes.
    """
    total = exchange.sum(axis=1)
    system = exchange + np.diag(np.where(total > 0, total * (1 + 1e-9), 1.0))
    return np.asarray(np.linalg.solve(system, left))
