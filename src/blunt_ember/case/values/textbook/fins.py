"""Efficiencies of fins: what a fin gives off, over what it would if all of it were as warm as its base.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), table 3.5. It is
theory in one dimension, which wants a fin that is even across, h t/k much below one. A straight tip gives off heat too,
by a fin that is longer by the area of the tip over the perimeter.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from math import sqrt, tanh
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.case.values.special_functions import i0, i1, iv, k0, k1
from blunt_ember.case.values.textbook.entry import Entry, RangeError
from blunt_ember.case.values.units import (
    AREA,
    AREA_RESISTANCE,
    CONDUCTIVITY,
    EMISSIVITY,
    FILM_COEFFICIENT,
    NUMBER,
    TEMPERATURE,
)

_KINDS = MappingProxyType({"h": FILM_COEFFICIENT, "k": CONDUCTIVITY})
#: h × (half) thickness/k up to which a fin is taken for even across.
_THIN = 0.2
_MUST, _SOURCE = "a fin that is thin enough: h t/k below 0.2", "Incropera table 3.5"


def _thin(h: float, k: float, t: float, *more: float) -> bool:
    return h * t / k < _THIN


def _thin_ring(h: float, k: float, t: float, inner: float, outer: float) -> bool:
    return _thin(h, k, t) and inner < outer


def _plain(m_length: float) -> float:
    return tanh(m_length) / m_length


def _straight(h: float, k: float, t: float, length: float) -> float:
    return _plain(sqrt(2 * h / (k * t)) * (length + t / 2))


def _triangular(h: float, k: float, t: float, length: float) -> float:
    m_length = sqrt(2 * h / (k * t)) * length
    return float(i1(2 * m_length) / (m_length * i0(2 * m_length)))


def _parabolic(h: float, k: float, t: float, length: float) -> float:
    return 2 / (sqrt(8 * h / (k * t) * length**2 + 1) + 1)


def _ring(h: float, k: float, t: float, inner: float, outer: float) -> float:
    m, tip = sqrt(2 * h / (k * t)), outer + t / 2
    over = k1(m * inner) * i1(m * tip) - i1(m * inner) * k1(m * tip)
    under = i0(m * inner) * k1(m * tip) + k0(m * inner) * i1(m * tip)
    return float(2 * inner / (m * (tip**2 - inner**2)) * over / under)


def _pin(h: float, k: float, d: float, length: float) -> float:
    return _plain(sqrt(4 * h / (k * d)) * (length + d / 4))


def _cone(h: float, k: float, d: float, length: float) -> float:
    m_length = sqrt(4 * h / (k * d)) * length
    return float(2 * iv(2, 2 * m_length) / (m_length * i1(2 * m_length)))


def _parabolic_pin(h: float, k: float, d: float, length: float) -> float:
    return 2 / (sqrt(16 * h / (9 * k * d) * length**2 + 1) + 1)


def _radiating_ring(
    h: float, emissivity: float, k: float, t: float, inner: float, outer: float, base: float, around: float
) -> float:
    """(r T')' = 2 r [h (T − T_around) + ε σ (T⁴ − T_around⁴)]/(k t), by collocation."""
    from scipy.constants import Stefan_Boltzmann  # when they are wanted: every start would wait for them
    from scipy.integrate import solve_bvp

    tip = outer + t / 2

    def given(share: Any) -> Any:
        at = share * base
        return h * (at - around) + emissivity * Stefan_Boltzmann * (at**4 - around**4)

    wide = tip - inner

    def slopes(way: Any, state: Any) -> Any:
        share, flow = state  # of the base, and r times its slope along the way
        r = inner + way * wide
        return np.stack([flow / r, 2 * r * given(share) * wide**2 / (k * t * base)])

    def ends(first: Any, last: Any) -> Any:
        return np.array([first[0] - 1, last[1]])

    begun = np.stack([np.ones(64), np.zeros(64)])
    found = solve_bvp(slopes, ends, np.linspace(0, 1, 64), begun, tol=1e-9, max_nodes=100_000)
    if not found.success:
        raise RangeError(f"ring_radiating finds no temperatures for these arguments: {found.message}")
    return float(-found.y[1, 0] * base / wide * k * t / ((tip**2 - inner**2) * given(1.0)))


def _on_base(efficiency: float, count: float, fin: float, bare: float) -> float:
    return (count * fin * efficiency + bare) / (count * fin + bare)


def _on_base_with_contact(
    efficiency: float, count: float, fin: float, bare: float, h: float, contact: float, foot: float
) -> float:
    return _on_base(efficiency / (1 + efficiency * h * fin * contact / foot), count, fin, bare)


def _entry(name: str, words: str, formula: Callable[..., float], arguments: str, example: tuple[float, ...]) -> Entry:
    ring = name == "fin_ring"
    holds, must = (_thin_ring, f"{_MUST}, and r_1 below r_2") if ring else (_thin, _MUST)
    names = tuple(arguments.split())
    return Entry(name, words, names, formula, must, holds, "theory of thin fins", _SOURCE, example, _KINDS, NUMBER)


_AREAS = MappingProxyType({"efficiency": NUMBER, "count": NUMBER, "fin": AREA, "bare": AREA})
_ARRAY = Entry(
    "fins_on_base",
    "a base with count fins, fin the area of each and bare that of the base between them",
    ("efficiency", "count", "fin", "bare"),
    _on_base,
    "an efficiency of 1 at most",
    lambda efficiency, *more: efficiency <= 1,
    "exact",
    "Incropera sec. 3.6.5",
    (0.9, 20, 0.01, 0.02),
    _AREAS,
    NUMBER,
)
_ARRAY_IN_CONTACT = replace(
    _ARRAY,
    name="fins_on_base_in_contact",
    words="the same, each fin on a foot with a contact resistance",
    arguments=(*_ARRAY.arguments, "h", "contact", "foot"),
    formula=_on_base_with_contact,
    example=(*_ARRAY.example, 30, 2e-4, 0.0005),
    kinds=MappingProxyType({**_AREAS, "h": FILM_COEFFICIENT, "contact": AREA_RESISTANCE, "foot": AREA}),
)
_RADIATING = Entry(
    "ring_radiating",
    "a ring on a pipe that radiates as well, over what it would give off as warm as its base",
    ("h", "emissivity", "k", "t", "r_1", "r_2", "T_base", "T_around"),
    _radiating_ring,
    f"{_MUST}, r_1 below r_2, an emissivity of 1 at most, and two temperatures",
    lambda h, e, k, t, inner, outer, base, around: _thin_ring(h, k, t, inner, outer) and e <= 1 and base != around,
    "theory of thin fins",
    "its differential equation, by collocation",
    (15, 0.9, 40, 2, 25, 60, 150, 20),
    MappingProxyType({**_KINDS, "emissivity": EMISSIVITY, "T_base": TEMPERATURE, "T_around": TEMPERATURE}),
    NUMBER,
)
_FIN, _PIN = ("h k t length", (30, 40, 4, 60)), ("h k D length", (30, 40, 6, 60))
FIN_EFFICIENCIES = (
    _entry("fin_straight", "a straight fin of even thickness", _straight, *_FIN),
    _entry("fin_triangular", "a straight fin, t thick at its base and sharp at its tip", _triangular, *_FIN),
    _entry("fin_parabolic", "a straight fin of parabolic profile, sharp at its tip", _parabolic, *_FIN),
    _entry("fin_ring", "a ring of even thickness on a pipe", _ring, "h k t r_1 r_2", (30, 40, 2, 25, 60)),
    _entry("pin_straight", "a round pin", _pin, *_PIN),
    _entry("pin_conical", "a pin that is a cone", _cone, *_PIN),
    _entry("pin_parabolic", "a pin of parabolic profile, sharp at its tip", _parabolic_pin, *_PIN),
    _RADIATING,
    _ARRAY,
    _ARRAY_IN_CONTACT,
)
