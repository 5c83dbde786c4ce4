"""Exponents of corners: near one, temperatures go with the distance to a power, and the flux without bound if that is
below one.

In sectors of angles ω₁, ω₂ that meet at the corner, T = r^λ (a cos λθ + b sin λθ) with one temperature and one flux
where they meet (G. Strang & G. Fix, *An Analysis of the Finite Element Method* (1973), ch. 8); λ is the smallest root
above zero.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from math import cos, pi, sin
from types import MappingProxyType

from blunt_ember.case.values.textbook.entry import Entry
from blunt_ember.case.values.units import ANGLE, CONDUCTIVITY, NUMBER

#: Steps in which the first root is looked for, within the quarter wave of the whole angle below which there is none.
_STEPS = 64

_Waves = Callable[[float, float, float, float], float]


def _both_held(k_1: float, k_2: float, one: float, other: float) -> float:
    return k_1 * cos(one) * sin(other) + k_2 * sin(one) * cos(other)


def _both_insulated(k_1: float, k_2: float, one: float, other: float) -> float:
    return k_1 * sin(one) * cos(other) + k_2 * cos(one) * sin(other)


def _first_held(k_1: float, k_2: float, one: float, other: float) -> float:
    return k_1 * cos(one) * cos(other) - k_2 * sin(one) * sin(other)


def _exponent(balance: _Waves) -> Callable[[float, float, float, float], float]:
    def smallest(k_1: float, k_2: float, angle_1: float, angle_2: float) -> float:
        from scipy.optimize import brentq  # when it is wanted: every start would wait for it

        def left(power: float) -> float:
            return balance(k_1, k_2, power * angle_1, power * angle_2)

        step = pi / (angle_1 + angle_2) / _STEPS
        start = step * 1e-6
        # Held sides, or none, leave a root below a wave over the larger angle.
        ends = [start, *(n * step for n in range(1, 8 * _STEPS))]
        low, high = next(pair for pair in pairwise(ends) if left(pair[0]) * left(pair[1]) <= 0)
        return float(brentq(left, low, high, xtol=1e-15, rtol=1e-14))

    return smallest


def _entry(name: str, words: str, balance: _Waves) -> Entry:
    return Entry(
        name,
        words,
        ("k_1", "k_2", "angle_1", "angle_2"),
        _exponent(balance),
        "angles of a full turn together at most",
        lambda k_1, k_2, angle_1, angle_2: angle_1 + angle_2 <= 2 * pi * (1 + 1e-12),
        "exact",
        "Strang & Fix ch. 8",
        (0.5, 0.5, 90, 180),
        MappingProxyType({"k_1": CONDUCTIVITY, "k_2": CONDUCTIVITY, "angle_1": ANGLE, "angle_2": ANGLE}),
        NUMBER,
    )


CORNERS = (
    _entry("corner_held", "a corner of two materials between held sides", _both_held),
    _entry("corner_insulated", "a corner of two materials between insulated sides", _both_insulated),
    _entry("corner_held_insulated", "the same, the first side held and the second insulated", _first_held),
)
