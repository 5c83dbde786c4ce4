"""Many roots at once, each between two places at which what vanishes there has other signs.

Source: Chandrupatla, *Advances in Engineering Software* 28 (1997) 145: inverse quadratic interpolation where the last
three places let it be trusted, else halving.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats

#: How near a root is found, over its size; and steps, of which a dozen usually do.
_NEAR, _MOST = 2e-16, 120


def roots_between(left: Callable[[Floats], Floats], low: Floats, high: Floats) -> Floats:
    """Return where ``left`` vanishes between positive ``low`` and ``high`` (n,), to the last digit.

    ``left`` gives for places (n,) what is left over there, each of its own; at both ends it has other signs.
    """
    last, other = high, low
    of_last, of_other = left(last), left(other)
    share = np.full(len(low), 0.5)
    for _ in range(_MOST):
        place = last + share * (other - last)
        found = left(place)
        stays = np.sign(found) == np.sign(of_last)
        third, of_third = np.where(stays, last, other), np.where(stays, of_last, of_other)
        other, of_other = np.where(stays, other, last), np.where(stays, of_other, of_last)
        last, of_last = place, found
        best = np.where(np.abs(of_other) < np.abs(of_last), other, last)
        with np.errstate(all="ignore"):  # where it divides by nothing the step is halved
            least = _NEAR * best / np.abs(other - last)
            if ((least > 0.5) | (found == 0)).all():
                break
            way, rise = (last - other) / (third - other), (of_last - of_other) / (of_third - of_other)
            further = of_last / (of_third - of_last) * of_other / (of_third - of_other)
            curved = of_last / (of_other - of_last) * of_third / (of_other - of_third)
            curved += (third - last) / (other - last) * further
            trusted = (rise**2 < way) & ((1 - rise) ** 2 < 1 - way) & np.isfinite(curved)
        least = np.minimum(np.nan_to_num(least, posinf=0.5), 0.5)
        share = np.where(found == 0, 0.0, np.clip(np.where(trusted, curved, 0.5), least, 1 - least))
    return np.where(of_last == 0, last, best)
