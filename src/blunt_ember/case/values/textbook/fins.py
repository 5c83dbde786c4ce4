"""Efficiencies of fins: what a fin gives off, over what it would if all of it were as warm as its base.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), table 3.5. It is
theory in one dimension, which wants a fin that is even across, h t/k much below one. A straight tip gives off heat too,
by a fin that is longer by the area of the tip over the perimeter.
"""

from __future__ import annotations

from collections.abc import Callable
from math import sqrt, tanh
from types import MappingProxyType

from scipy.special import i0, i1, iv, k0, k1

from blunt_ember.case.values.textbook.entry import Entry
from blunt_ember.case.values.units import CONDUCTIVITY, FILM_COEFFICIENT, NUMBER

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


def _entry(name: str, words: str, formula: Callable[..., float], arguments: str, example: tuple[float, ...]) -> Entry:
    ring = name == "fin_ring"
    holds, must = (_thin_ring, f"{_MUST}, and r_1 below r_2") if ring else (_thin, _MUST)
    names = tuple(arguments.split())
    return Entry(name, words, names, formula, must, holds, "theory of thin fins", _SOURCE, example, _KINDS, NUMBER)


_FIN, _PIN = ("h k t length", (30, 40, 4, 60)), ("h k D length", (30, 40, 6, 60))
FIN_EFFICIENCIES = (
    _entry("fin_straight", "a straight fin of even thickness", _straight, *_FIN),
    _entry("fin_triangular", "a straight fin, t thick at its base and sharp at its tip", _triangular, *_FIN),
    _entry("fin_parabolic", "a straight fin of parabolic profile, sharp at its tip", _parabolic, *_FIN),
    _entry("fin_ring", "a ring of even thickness on a pipe", _ring, "h k t r_1 r_2", (30, 40, 2, 25, 60)),
    _entry("pin_straight", "a round pin", _pin, *_PIN),
    _entry("pin_conical", "a pin that is a cone", _cone, *_PIN),
    _entry("pin_parabolic", "a pin of parabolic profile, sharp at its tip", _parabolic_pin, *_PIN),
)
