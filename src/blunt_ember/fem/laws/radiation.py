"""Radiation to large surroundings: q = ε σ (T_surroundings⁴ − T⁴)."""

from __future__ import annotations

from collections.abc import Iterator

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.laws.black_body import emissive_power, emissive_slope
from blunt_ember.fem.laws.surface_law import Limit, OnFacets, SurfaceLaw
from blunt_ember.immutable import immutable


@immutable
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
        return at.value(self.emissivity) * self._exchanged(at)

    def exchange(self, at: OnFacets) -> Floats:
        """ε σ (T_surroundings² + T²) (T_surroundings + T)."""
        around, own = at.value(self.surroundings), at.temperature
        return at.value(self.emissivity) * STEFAN_BOLTZMANN * (around**2 + own**2) * (around + own)

    def slope(self, at: OnFacets) -> Floats:
        """4 ε σ |T|³, and what a changing emissivity does."""
        less = at.value(self.emissivity) * emissive_slope(at.temperature)
        return less - at.slope(self.emissivity) * self._exchanged(at)

    def _exchanged(self, at: OnFacets) -> Floats:
        return emissive_power(at.value(self.surroundings)) - emissive_power(at.temperature)
