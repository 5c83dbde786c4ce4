"""Radiation to large surroundings: q = ε σ (T_surroundings⁴ − T⁴).

It is taken as −εσ T |T|³, which is T⁴ for every real temperature and stays monotone below zero, where Newton's method
may pass through.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.laws.surface_law import Limit, OnFacets, SurfaceLaw


@dataclass(frozen=True)
class RadiationLaw(SurfaceLaw):
    """``surroundings`` at a temperature, K, that a surface of some ``emissivity`` radiates to."""

    label = "radiation"
    emissivity: Law
    surroundings: Law

    @property
    def coefficients(self) -> tuple[Law, ...]:
        """The emissivity."""
        return (self.emissivity,)

    @property
    def linear(self) -> bool:
        """Never."""
        return False

    @property
    def spd(self) -> bool:
        """Where the emissivity does not follow temperature."""
        return not self.emissivity.follows_temperature

    @property
    def anchors(self) -> bool:
        """Unless the emissivity is zero."""
        return self.emissivity.constant is None or self.emissivity.constant > 0

    @property
    def ambient(self) -> tuple[Law, ...]:
        """The temperature of the surroundings."""
        return (self.surroundings,)

    @property
    def limits(self) -> Iterator[Limit]:
        """An emissivity is a share."""
        yield Limit(self.emissivity, 0.0, 1.0, "emissivity", "between 0 and 1")

    def flux(self, at: OnFacets) -> Floats:
        """ε σ (T_surroundings⁴ − T |T|³)."""
        return at.value(self.emissivity) * STEFAN_BOLTZMANN * self._exchanged(at)

    def slope(self, at: OnFacets) -> Floats:
        """4 ε σ |T|³, and what a changing emissivity does."""
        # Next to absolute zero nothing would hold a temperature; one kelvin's worth does no harm elsewhere.
        steep = 4 * np.maximum(np.abs(at.temperature), 1.0) ** 3
        less = at.value(self.emissivity) * STEFAN_BOLTZMANN * steep
        return less - at.slope(self.emissivity) * STEFAN_BOLTZMANN * self._exchanged(at)

    def _exchanged(self, at: OnFacets) -> Floats:
        return at.value(self.surroundings) ** 4 - at.temperature * np.abs(at.temperature) ** 3
