"""The root of a monotone balance, bracketed outward from a guess."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.errors import ReferenceRefusedError

_MOST_TRIES = 200


def balanced(balance: Callable[[float], float], guess: float, reach: float) -> float:
    """Return where a monotone ``balance`` vanishes, looked for ever further than ``reach`` from ``guess``.

    Where the balance has no value (NaN) the search turns back. Raises :class:`ReferenceRefusedError` without a root.
    """
    start = _somewhere(balance, guess, reach)
    for way in (1.0, -1.0):
        at, value, step = start, balance(start), reach
        for _ in range(_MOST_TRIES):
            if value == 0:
                return at
            following = balance(at + way * step)
            if not np.isfinite(following):
                step /= 4
                continue
            if np.sign(following) != np.sign(value):
                low, high = sorted((at, at + way * step))
                from scipy.optimize import brentq  # here, as it takes a while and few cases need it

                return float(brentq(balance, low, high, xtol=1e-300, rtol=4 * np.finfo(float).eps, maxiter=500))
            if abs(following) > abs(value):
                break  # the root lies the other way
            at, value, step = at + way * step, following, step * 2
    raise ReferenceRefusedError("no temperature balances the heat of the two sides")


def _somewhere(balance: Callable[[float], float], guess: float, reach: float) -> float:
    """A place near the guess where the balance has a value."""
    for doubling in range(60):
        for way in (1.0, -1.0):
            place = guess + way * reach * (2.0**doubling - 1)
            if np.isfinite(balance(place)):
                return place
    raise ReferenceRefusedError("a conductivity has no value where the temperatures would lie")


def straight_root(balance: Callable[[float], float], guess: float, reach: float) -> float:
    """Return where a straight ``balance`` vanishes; later passes take the round-off of the first away."""
    at_guess = balance(guess)
    slope = (balance(guess + reach) - at_guess) / reach
    x = guess
    for _ in range(4):
        at_x = balance(x)
        if slope == 0 or at_x == 0:
            break
        x -= at_x / slope
        if abs(x - guess) > reach:  # the slope over a longer way has more digits
            slope = (balance(x) - at_guess) / (x - guess)
    return x
