"""What may be stated on surfaces and in regions as laws of place, time and temperature."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from blunt_ember.case.document.parts import Part
from blunt_ember.case.values.laws import PLACE, Law, OfLaw
from blunt_ember.case.values.quantity import not_negative
from blunt_ember.case.values.units import EMISSIVITY, FILM_COEFFICIENT, HEAT_FLOW, HEAT_FLUX, POWER_DENSITY, TEMPERATURE

_PLACE = frozenset([*PLACE, "t"])
_ANYWHERE = frozenset([*PLACE, "t", "T"])


def _share(si: float) -> str | None:
    return None if 0 <= si <= 1 else "must lie between 0 and 1"


Temperature = Annotated[Law, OfLaw(TEMPERATURE, _PLACE)]
StartTemperature = Annotated[Law, OfLaw(TEMPERATURE, frozenset(PLACE))]
FilmCoefficient = Annotated[Law, OfLaw(FILM_COEFFICIENT, _ANYWHERE, not_negative)]
HeatFlux = Annotated[Law, OfLaw(HEAT_FLUX, _ANYWHERE)]
HeatInAll = Annotated[Law, OfLaw(HEAT_FLOW, frozenset("t"))]
HeatPerVolume = Annotated[Law, OfLaw(POWER_DENSITY, _ANYWHERE)]
Emissivity = Annotated[Law, OfLaw(EMISSIVITY, _ANYWHERE, _share)]
JointConductance = Annotated[Law, OfLaw(FILM_COEFFICIENT, _PLACE, not_negative)]


class Film(Part):
    """Fluid that exchanges heat with a surface: q = h (T_fluid − T_surface)."""

    h: FilmCoefficient
    temperature: Temperature


class Radiation(Part):
    """Surroundings that a surface radiates to: q = ε σ (T_surroundings⁴ − T_surface⁴)."""

    emissivity: Emissivity | None = Field(None, description="that of the material when nothing is said")
    temperature: Temperature
