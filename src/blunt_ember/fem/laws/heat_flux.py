"""A heat flux that is stated, + into the body."""

from __future__ import annotations

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.laws.surface_law import OnFacets, SurfaceLaw
from blunt_ember.immutable import immutable


@immutable
class FluxLaw(SurfaceLaw):
    """A heat ``stated`` per area, W/m², which may follow temperature."""

    label = "flux"
    stated: Law

    @property
    def coefficients(self) -> tuple[Law, ...]:
        """It has a slope where it follows temperature."""
        return self.values if self.stated.follows_temperature else ()

    @property
    def anchors(self) -> bool:
        """A flux that follows temperature may."""
        return self.stated.follows_temperature

    @property
    def imposed(self) -> tuple[Law, ...]:
        """All of it."""
        return (self.stated,)

    def flux(self, at: OnFacets) -> Floats:
        """As stated."""
        return at.value(self.stated)

    def slope(self, at: OnFacets) -> Floats | None:
        """That of the stated law."""
        return -at.slope(self.stated) if self.stated.follows_temperature else None
