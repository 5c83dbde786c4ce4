"""Limits of sums that end too slowly to be summed to their end."""

from __future__ import annotations

from itertools import pairwise
from math import log2


def extrapolated(sums: list[float], first: int = 1) -> float:
    """Return the limit of sums of twice as many terms each, which approach it in powers of 1/N from a ``first`` one on
    (Richardson)."""
    power = first
    while len(sums) > 1:
        sums = [(2**power * better - worse) / (2**power - 1) for worse, better in pairwise(sums)]
        power += 1
    return sums[0]


def approached(sums: list[float]) -> float:
    """Return the same where the first power is told by the last steps."""
    before, last = (abs(after - each) for each, after in pairwise(sums[-3:]))
    if not last:
        return sums[-1]
    return extrapolated(sums, max(1, round(log2(before / last))) if before else 1)
