"""Exponents of corners: near one, temperatures go with the distance to a power, and the flux without bound if that is
below one.

In sectors of angles ω₁, ω₂ … that meet at the corner, T = r^λ f(θ), f = a cos λθ + b sin λθ in each, with one f and one
k f′ where they meet (G. Strang & G. Fix, *An Analysis of the Finite Element Method* (1973), ch. 8); λ is the smallest
root above zero. A sector takes (f, k f′/λ) from its first side to its second by a turn through λω, k f being one unit.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from math import cos, inf, pi, sin
from types import MappingProxyType

from blunt_ember.case.values.textbook.entry import Entry, RangeError
from blunt_ember.case.values.units import ANGLE, CONDUCTIVITY, NUMBER

#: Steps in which the first root is looked for, within the quarter wave of the whole angle below which there is none.
_STEPS = 64
#: By how much of a root a balance that only touches zero may miss it.
_TOUCHES = 1e-9

_Sectors = Sequence[tuple[float, float]]
_Balance = Callable[[_Sectors, float], float]


def _turned(sectors: _Sectors, power: float) -> tuple[float, float, float, float]:
    """What the sectors make together of (1, 0) and of (0, 1)."""
    a, b, c, d = 1.0, 0.0, 0.0, 1.0
    for k, angle in sectors:
        cosine, sine = cos(power * angle), sin(power * angle)
        a, b = cosine * a + sine / k * b, cosine * b - k * sine * a
        c, d = cosine * c + sine / k * d, cosine * d - k * sine * c
    return a, b, c, d


def _both_held(sectors: _Sectors, power: float) -> float:
    return _turned(sectors, power)[2]


def _both_insulated(sectors: _Sectors, power: float) -> float:
    return -_turned(sectors, power)[1]


def _first_held(sectors: _Sectors, power: float) -> float:
    return _turned(sectors, power)[3]


def _all_round(sectors: _Sectors, power: float) -> float:
    a, _, _, d = _turned(sectors, power)
    return 2 - a - d


def _smallest(balance: _Balance, sectors: _Sectors) -> float:
    """The smallest root above zero, which the balance may touch alone."""
    from scipy.optimize import brentq, minimize_scalar  # when they are wanted: every start would wait for them

    def left(power: float) -> float:
        return balance(sectors, power)

    step = pi / sum(angle for _, angle in sectors) / _STEPS
    start = step * 1e-6
    # Held sides, or none, leave a root below a wave over the larger angle.
    places = [start, *(n * step for n in range(1, 8 * _STEPS))]
    values = [left(place) for place in places]
    largest = max(map(abs, values))
    for at, (before, value) in enumerate(pairwise(values)):
        if before * value <= 0:
            return float(brentq(left, places[at], places[at + 1], xtol=1e-15, rtol=1e-14))
        after = values[at + 2] if at + 2 < len(values) else inf
        if abs(value) <= min(abs(before), abs(after)) and before * after > 0:
            ends = places[at], places[at + 2]
            near = minimize_scalar(
                lambda power: abs(left(power)), bounds=ends, method="bounded", options={"xatol": 1e-12}
            )
            if left(near.x) * before <= 0:
                return float(brentq(left, places[at], near.x, xtol=1e-15, rtol=1e-14))
            if near.fun <= _TOUCHES * largest:
                return float(near.x)
    raise RangeError("no exponent is found for these angles and conductivities")


def _entry(name: str, words: str, balance: _Balance, count: int, closed: bool = False) -> Entry:
    """Of so many materials; where they go all round, the last fills what the others leave."""
    angles = tuple(f"angle_{number}" for number in range(1, count + (not closed)))
    ks = tuple(f"k_{number}" for number in range(1, count + 1))

    def formula(*given: float) -> float:
        stated = list(given[count:])
        return _smallest(balance, list(zip(given, [*stated, 2 * pi - sum(stated)] if closed else stated, strict=False)))

    def holds(*given: float) -> bool:
        whole = sum(given[count:])
        return whole < 2 * pi * (1 - 1e-9) if closed else whole <= 2 * pi * (1 + 1e-12)

    return Entry(
        name,
        words,
        (*ks, *angles),
        formula,
        "angles of less than a full turn together" if closed else "angles of a full turn together at most",
        holds,
        "exact",
        "Strang & Fix ch. 8",
        (*(0.5, 30, 2)[:count], *(90, 60, 120)[: len(angles)]),
        MappingProxyType({**dict.fromkeys(ks, CONDUCTIVITY), **dict.fromkeys(angles, ANGLE)}),
        NUMBER,
    )


_BETWEEN = (
    ("_held", "between held sides", _both_held),
    ("_insulated", "between insulated sides", _both_insulated),
    ("_held_insulated", "of which the first side is held and the last insulated", _first_held),
)
CORNERS = (
    *(
        _entry(f"corner{ending}", f"a corner of two materials {words}", balance, 2)
        for ending, words, balance in _BETWEEN
    ),
    *(
        _entry(f"corner_of_three{ending}", f"a corner of three materials {words}", balance, 3)
        for ending, words, balance in _BETWEEN
    ),
    _entry("point_of_two", "a point with two materials round it, the last in the rest", _all_round, 2, True),
    _entry("point_of_three", "a point with three materials round it, the last in the rest", _all_round, 3, True),
)
