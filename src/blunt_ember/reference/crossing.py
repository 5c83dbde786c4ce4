"""When a function of time first passes zero."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.optimize import brentq


def first_crossing(value: Callable[[float], float], latest: float, count: int) -> float:
    """Return the first time in s, up to ``latest`` and a little beyond, at which ``value`` changes its sign; NaN where
    it does not.

    It is looked for at ``count`` instants, denser towards the start, so a crossing back within one gap is not seen.
    """
    times = latest * 1.02 * np.linspace(0, 1, count + 1)[1:] ** 2
    before_t, before = 0.0, value(0.0)
    for t in times.tolist():
        now = value(t)
        if np.sign(now) != np.sign(before) and np.isfinite(before):
            return float(brentq(value, before_t, t, xtol=1e-13 * latest, rtol=1e-13))
        before_t, before = t, now
    return float("nan")
