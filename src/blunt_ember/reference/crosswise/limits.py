"""Limits of sums that end too slowly to be summed to their end."""

from __future__ import annotations

from itertools import pairwise


def extrapolated(sums: list[float]) -> float:
    """Return the limit of sums of twice as many terms each, which approach it in powers of 1/N (Richardson)."""
    power = 1
    while len(sums) > 1:
        sums = [(2**power * better - worse) / (2**power - 1) for worse, better in pairwise(sums)]
        power += 1
    return sums[0]
