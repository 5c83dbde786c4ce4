"""Fins as one-dimensional bodies: straight and annular of even thickness, with any tip.

Sources: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), table 3.4
(straight fins, tips by film, insulated, held, very long) and table 3.5 with sec. 3.6.4 (annular fin, modified Bessel
functions; its rim meets what the tip of a straight one may). They leave out the temperature difference across the
thickness, which is of the order of the Biot number h t/(2k); :data:`LARGEST_BIOT` is where they are refused.
"""

from __future__ import annotations

from dataclasses import field

import numpy as np
from scipy.special import i0e, i1e, k0e, k1e

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.side import Side

STRAIGHT_SOURCE = "Incropera et al. (2007), table 3.4: one-dimensional straight fin"
ANNULAR_SOURCE = "Incropera et al. (2007), sec. 3.6.4: one-dimensional annular fin"
LARGEST_BIOT = 0.05


def require_thin(biot: float) -> None:
    """Raise :class:`ReferenceRefusedError` where the temperature differs too much across the thickness."""
    if biot > LARGEST_BIOT:
        raise ReferenceRefusedError(
            f"h t/(2k) is {biot:.2g}, more than {LARGEST_BIOT}: the fin is too thick to count as one-dimensional"
        )


@immutable
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

    def _waves(self) -> tuple[float, float, float]:
        """Return (a, b, e) of θ(x) = a exp(−mx) + b exp(−m(L − x)), θ over the fluid, with e = exp(−mL).

        Decaying exponentials from both ends hold for any length; a very long fin simply has e = 0.
        """
        excess, decay = self.base - self.fluid, float(np.exp(-self.m * self.length))
        if self.tip.held is not None:
            end = self.tip.held - self.fluid
            share = -np.expm1(-2 * self.m * self.length)
            return (excess - end * decay) / share, (end - excess * decay) / share, decay
        film = self.tip.h / (self.m * self.k)
        pull = (self.tip.flux + self.tip.h * (self.tip.fluid - self.fluid)) / (self.m * self.k)
        b = (pull + excess * decay * (1 - film)) / ((1 + film) + decay**2 * (1 - film))
        return excess - b * decay, b, decay

    @property
    def heat(self) -> float:
        """Heat in W entering at the base."""
        a, b, decay = self._waves()
        return self.k * self.area * self.m * (a - b * decay)

    @property
    def tip_heat(self) -> float:
        """Heat in W leaving at the tip."""
        a, b, decay = self._waves()
        return self.k * self.area * self.m * (a * decay - b)

    def temperature_at(self, x: Floats) -> Floats:
        """Temperature in K at ``x`` m from the base; NaN outside the fin."""
        a, b, _ = self._waves()
        inside = (x >= -1e-9 * self.length) & (x <= self.length * (1 + 1e-9))
        theta = a * np.exp(-self.m * x) + b * np.exp(-self.m * (self.length - x))
        return np.where(inside, self.fluid + theta, np.nan)


@immutable
class AnnularFin:
    """Annular fin from ``inner`` to ``outer`` m, ``thickness`` m, ``base`` K on its inner face, any rim.

    Both faces meet the film ``h`` in W/(m² K) of ``fluid`` K; where one of them is insulated by symmetry, h is half.
    """

    inner: float
    outer: float
    thickness: float
    k: float
    h: float
    fluid: float
    base: float
    tip: Side = field(default_factory=Side)

    @property
    def m(self) -> float:
        """Fin parameter √(2h/(k t)) in 1/m."""
        return float(np.sqrt(2 * self.h / (self.k * self.thickness)))

    def _waves(self) -> tuple[float, float]:
        """Return (a, b) of θ(r) = a I0(mr)/I0(m r_o) + b K0(mr)/K0(m r_i), θ over the fluid, in K.

        Each of both is 1 at one end and falls from there, however wide the fin is.
        """
        inner, outer = self.m * self.inner, self.m * self.outer
        excess, decay = self.base - self.fluid, np.exp(inner - outer)
        back = i0e(inner) / i0e(outer) * decay
        across = k0e(outer) / k0e(inner) * decay
        if self.tip.held is not None:
            rises, falls, pull = 1.0, across, self.tip.held - self.fluid
        else:
            film = self.tip.h / (self.m * self.k)
            rises = i1e(outer) / i0e(outer) + film
            falls = film * across - k1e(outer) / k0e(inner) * decay
            pull = (self.tip.flux + self.tip.h * (self.tip.fluid - self.fluid)) / (self.m * self.k)
        a = (pull - falls * excess) / (rises - falls * back)
        return a, excess - a * back

    def _outward(self, radius: float) -> float:
        """Heat in W that flows outwards at ``radius`` m, full turn."""
        a, b = self._waves()
        r, inner, outer = self.m * radius, self.m * self.inner, self.m * self.outer
        slope = b * k1e(r) / k0e(inner) * np.exp(inner - r) - a * i1e(r) / i0e(outer) * np.exp(r - outer)
        return float(2 * np.pi * radius * self.thickness * self.k * self.m * slope)

    @property
    def heat(self) -> float:
        """Heat in W entering at the inner face, full turn."""
        return self._outward(self.inner)

    @property
    def tip_heat(self) -> float:
        """Heat in W leaving at the rim, full turn."""
        return self._outward(self.outer)

    def temperature_at(self, radius: Floats) -> Floats:
        """Temperature in K at ``radius`` m; NaN outside the fin."""
        slack = 1e-9 * self.outer
        inside = (radius >= self.inner - slack) & (radius <= self.outer + slack)
        a, b = self._waves()
        r = self.m * np.clip(radius, self.inner, self.outer)
        inner, outer = self.m * self.inner, self.m * self.outer
        theta = a * i0e(r) / i0e(outer) * np.exp(r - outer) + b * k0e(r) / k0e(inner) * np.exp(inner - r)
        return np.where(inside, self.fluid + theta, np.nan)
