"""Sums of many terms that swing: what is left out of them."""

from __future__ import annotations

import numpy as np
from scipy import special

from blunt_ember.arrays import Floats


def fading(count: int) -> Floats:
    """Factors (n,) that go smoothly from 1 half way to 0: what is left out of a sum whose terms swing then cancels."""
    rest = np.clip(2 * (np.arange(count) + 0.5) / count - 1, 1e-12, 1 - 1e-12)
    return np.asarray(special.expit(1 / rest - 1 / (1 - rest)))
