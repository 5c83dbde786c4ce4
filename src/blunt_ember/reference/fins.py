"""Fins as one-dimensional bodies: straight with any tip, and annular of even thickness.

Sources: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), table 3.4
(straight fins, tips by film, insulated, held, very long) and table 3.5 with sec. 3.6.4 (annular fin, modified Bessel
functions). They leave out the temperature difference across the thickness, which is of the order of the Biot number
h t/(2k); :data:`LARGEST_BIOT` is where they are refused.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import i0e, i1e, k0e, k1e

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.series import Side

Floats = NDArray[np.float64]
STRAIGHT_SOURCE = "Incropera et al. (2007), table 3.4: one-dimensional straight fin"
ANNULAR_SOURCE = "Incropera et al. (2007), sec. 3.6.4: one-dimensional annular fin"
LARGEST_BIOT = 0.05


def require_thin(biot: float) -> None:
    """Raise :class:`ReferenceRefusedError` where the temperature differs too much across the thickness."""
    if biot > LARGEST_BIOT:
        raise ReferenceRefusedError(
            f"h t/(2k) is {biot:.2g}, more than {LARGEST_BIOT}: the fin is too thick to count as one-dimensional"
        )


@dataclass(frozen=True)
class StraightFin:
    """Fin of ``length`` m held at ``base`` K, with film ``h`` over ``perimeter`` m and ``area`` m² of ``k`` W/(m K)."""

    length: float
    area: float
    perimeter: float
    k: float
    h: float
    fluid: float
    base: float
    tip: Side

    @property
    def m(self) -> float:
        """Fin parameter √(h P/(k A)) in 1/m."""
        return float(np.sqrt(self.h * self.perimeter / (self.k * self.area)))

    def _tip_terms(self) -> tuple[float, float]:
        """Return (a, θ_b) of θ(x) = θ_b cosh(mx) − a sinh(mx), a from what the tip meets."""
        excess, m, length = self.base - self.fluid, self.m, self.length
        c, s = np.cosh(m * length), np.sinh(m * length)
        if self.tip.held is not None:
            return float((excess * c - (self.tip.held - self.fluid)) / s), excess
        ratio = self.tip.h / (m * self.k)
        # k θ'(L) = q − h (θ − θ_f) with θ = excess temperature over the fluid of the sides
        pull = (self.tip.flux + self.tip.h * (self.tip.fluid - self.fluid if self.tip.h else 0.0)) / (m * self.k)
        return float((excess * (s + ratio * c) - pull) / (c + ratio * s)), excess

    @property
    def heat(self) -> float:
        """Heat in W entering at the base."""
        return self.k * self.area * self.m * self._tip_terms()[0]

    @property
    def tip_heat(self) -> float:
        """Heat in W leaving at the tip."""
        slope, excess = self._tip_terms()
        c, s = np.cosh(self.m * self.length), np.sinh(self.m * self.length)
        return float(-self.k * self.area * self.m * (excess * s - slope * c))

    def temperature_at(self, x: Floats) -> Floats:
        """Temperature in K at ``x`` m from the base; NaN outside the fin."""
        slope, excess = self._tip_terms()
        inside = (x >= -1e-9 * self.length) & (x <= self.length * (1 + 1e-9))
        theta = excess * np.cosh(self.m * x) - slope * np.sinh(self.m * x)
        return np.where(inside, self.fluid + theta, np.nan)


@dataclass(frozen=True)
class AnnularFin:
    """Annular fin from ``inner`` to ``outer`` m, ``thickness`` m, ``base`` K on its inner face, rim insulated."""

    inner: float
    outer: float
    thickness: float
    k: float
    h: float
    fluid: float
    base: float

    @property
    def m(self) -> float:
        """Fin parameter √(2h/(k t)) in 1/m."""
        return float(np.sqrt(2 * self.h / (self.k * self.thickness)))

    def _shape(self, radius: Floats) -> tuple[Floats, Floats]:
        """θ/θ_b and −dθ/dr/(m θ_b) at ``radius``, with the Bessel functions scaled so that nothing overflows."""
        m, outer = self.m, self.m * self.outer
        r, inner = m * radius, m * self.inner
        # I0(r)K1(o) + K0(r)I1(o), each over I0(i)K1(o) + K0(i)I1(o); exponents relative to exp(o - i).
        top = i0e(r) * k1e(outer) * np.exp(r + inner - 2 * outer) + k0e(r) * i1e(outer) * np.exp(inner - r)
        slope = k1e(r) * i1e(outer) * np.exp(inner - r) - i1e(r) * k1e(outer) * np.exp(r + inner - 2 * outer)
        base = i0e(inner) * k1e(outer) * np.exp(2 * (inner - outer)) + k0e(inner) * i1e(outer)
        return top / base, slope / base

    @property
    def heat(self) -> float:
        """Heat in W entering at the inner face, full turn."""
        slope = float(self._shape(np.array([self.inner]))[1][0])
        return 2 * np.pi * self.inner * self.thickness * self.k * self.m * (self.base - self.fluid) * slope

    def temperature_at(self, radius: Floats) -> Floats:
        """Temperature in K at ``radius`` m; NaN outside the fin."""
        slack = 1e-9 * self.outer
        inside = (radius >= self.inner - slack) & (radius <= self.outer + slack)
        share = self._shape(np.clip(radius, self.inner, self.outer))[0]
        return np.where(inside, self.fluid + (self.base - self.fluid) * share, np.nan)
