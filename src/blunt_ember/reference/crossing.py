"""When a function of time first passes zero."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np


def first_crossing(value: Callable[[float], float], latest: float, count: int) -> float:
    """Return the first time in s, up to ``latest`` and a little beyond, at which ``value`` changes its sign; NaN where
    it does not.

    It is looked for at ``count`` instants, denser towards the start, so a crossing back within one gap is not seen.
    A time too early for a series to be summed (NaN) is as good as the start.
    """
    first = value(0.0)

    def known(t: float) -> float:
        found = value(t)
        return found if np.isfinite(found) else first

    times = latest * 1.02 * np.linspace(0, 1, count + 1)[1:] ** 2
    before_t, before = 0.0, first
    for t in times.tolist():
        now = known(t)
        if np.sign(now) != np.sign(before):
            from scipy.optimize import brentq  # here, as it takes a while and few cases need it

            return float(brentq(known, before_t, t, xtol=1e-13 * latest, rtol=1e-13))
        before_t, before = t, now
    return float("nan")
