"""A fluid behind a film: q = h (T_fluid − T_surface) (Newton's law of cooling)."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.laws.surface_law import Limit, OnFacets, SurfaceLaw
from blunt_ember.immutable import immutable


@immutable
class FilmLaw(SurfaceLaw):
    """A ``fluid`` at a temperature, K, behind a film coefficient ``h``, W/(m² K)."""

    label = "film"
    h: Law
    fluid: Law
    #: The environment whose fluid it is, by its name; empty where none is named.
    environment: str = ""

    @property
    def coefficients(self) -> tuple[Law, ...]:
        """The film coefficient."""
        return (self.h,)

    @property
    def linear(self) -> bool:
        """Where h does not follow temperature."""
        return not self.h.follows_temperature

    @property
    def spd(self) -> bool:
        """Where h does not follow temperature."""
        return self.linear

    @property
    def anchors(self) -> bool:
        """Unless h is zero."""
        return self.h.constant is None or self.h.constant > 0

    @property
    def ambient(self) -> tuple[Law, ...]:
        """The temperature of the fluid."""
        return (self.fluid,)

    @property
    def limits(self) -> Iterator[Limit]:
        """A film coefficient is never below zero."""
        yield Limit(self.h, 0.0, np.inf, "film coefficient", "never below zero")

    def flux(self, at: OnFacets) -> Floats:
        """h (T_fluid − T)."""
        return at.value(self.h) * ((at.value(self.fluid) - at.reference_temperature) - at.excess)

    def exchange(self, at: OnFacets) -> Floats:
        """h."""
        return at.value(self.h)

    def slope(self, at: OnFacets) -> Floats:
        """h − h' (T_fluid − T)."""
        return at.value(self.h) - at.slope(self.h) * (at.value(self.fluid) - at.temperature)
