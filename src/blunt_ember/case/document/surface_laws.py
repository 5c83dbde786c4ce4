"""What may be stated on surfaces and in regions as laws of place, time and temperature."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from blunt_ember.case.document.acting import Acting, StatedValue
from blunt_ember.case.document.parts import Part, complain
from blunt_ember.case.values.laws import PLACE, Law, OfLaw
from blunt_ember.case.values.quantity import AreaResistance, not_negative
from blunt_ember.case.values.references import EnvironmentName
from blunt_ember.case.values.units import EMISSIVITY, FILM_COEFFICIENT, HEAT_FLOW, HEAT_FLUX, POWER_DENSITY, TEMPERATURE

_PLACE = frozenset([*PLACE, "t"])
_ANYWHERE = frozenset([*PLACE, "t", "T"])


def _share(si: float) -> str | None:
    return None if 0 <= si <= 1 else "must lie between 0 and 1"


Temperature = Annotated[Law, OfLaw(TEMPERATURE, _PLACE)]
OpeningTemperature = Annotated[Law, OfLaw(TEMPERATURE, frozenset("t"))]
StartTemperature = Annotated[Law, OfLaw(TEMPERATURE, frozenset(PLACE))]
FilmCoefficient = Annotated[Law, OfLaw(FILM_COEFFICIENT, _ANYWHERE, not_negative)]
HeatFlux = Annotated[Law, OfLaw(HEAT_FLUX, _ANYWHERE)]
HeatInAll = Annotated[Law, OfLaw(HEAT_FLOW, frozenset("t"))]
HeatPerVolume = Annotated[Law, OfLaw(POWER_DENSITY, _ANYWHERE)]
Emissivity = Annotated[Law, OfLaw(EMISSIVITY, _ANYWHERE, _share)]
JointConductance = Annotated[Law, OfLaw(FILM_COEFFICIENT, _PLACE, not_negative)]


class Film(Part):
    """Fluid that exchanges heat with a surface: q = h (T_fluid − T_surface)."""

    h: FilmCoefficient | None = Field(None, description="film coefficient; or say the surface 'resistance'")
    resistance: AreaResistance | None = Field(None, description="surface resistance times area, 1/h")
    temperature: Temperature | None = Field(None, description="of the fluid; or name an 'environment'")
    environment: EnvironmentName | None = Field(None, description="the environment whose air or fluid it is")

    @model_validator(mode="after")
    def _one_each(self) -> Film:
        for first, second in (("h", "resistance"), ("temperature", "environment")):
            said = [key for key in (first, second) if getattr(self, key) is not None]
            if len(said) != 1:
                raise complain(f"say one of '{first}' and '{second}'" + (", not both" if said else ""))
        return self

    @property
    def coefficient(self) -> Law:
        """The film coefficient, W/(m² K)."""
        if self.h is not None:
            return self.h
        assert self.resistance is not None
        return Law(FILM_COEFFICIENT, f"1/({self.resistance.text})", constant=1 / self.resistance.si)


class Radiation(Part):
    """Surroundings that a surface radiates to: q = ε σ (T_surroundings⁴ − T_surface⁴)."""

    emissivity: Emissivity | None = Field(None, description="that of the material when nothing is said")
    temperature: Temperature


_OVER_PLACES = " ".join(PLACE)
#: How each law that acts on surfaces is said.
FLUX_ACTING = Acting(
    "takes in a heat flux",
    "without the heat flux",
    "100 W/m²",
    (
        StatedValue(
            (),
            "takes in",
            "flux",
            "Heat flux into the body, such as 500 W/m², or a formula in place and T; − takes heat out",
            HEAT_FLUX,
            table="x",
        ),
    ),
)
HEAT_ACTING = Acting(
    "takes in heat spread over it",
    "without the heat spread over it",
    "10 W",
    (StatedValue((), "takes in", "heat", "Heat into the body, such as 40 W", HEAT_FLOW, over="t"),),
    closing="in all",
    together="in all together",
)
FILM_ACTING = Acting(
    "meets a fluid",
    "without the fluid",
    {"h": "10 W/(m² K)", "temperature": "20 °C"},
    (
        StatedValue(
            ("temperature",),
            "meets a fluid at",
            "fluid",
            "Temperature of the fluid, such as 25 °C",
            TEMPERATURE,
            over=_OVER_PLACES,
        ),
        StatedValue(
            ("h",),
            ", h",
            "h",
            "Film coefficient, such as 12 W/(m² K), or a formula in place and T",
            FILM_COEFFICIENT,
            table="T",
        ),
    ),
)
RADIATION_ACTING = Acting(
    "radiates to its surroundings",
    "without radiation",
    {"emissivity": "0.9", "temperature": "20 °C"},
    (
        StatedValue(
            ("temperature",),
            "radiates to",
            "surroundings",
            "Temperature of the surroundings, such as 20 °C",
            TEMPERATURE,
            over=_OVER_PLACES,
        ),
        StatedValue(
            ("emissivity",),
            ", ε",
            "ε",
            "Emissivity, between 0 and 1",
            EMISSIVITY,
            table="T",
            otherwise="of its material",
            first="0.9",
        ),
    ),
)
