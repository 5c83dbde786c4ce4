"""Materials: what a region may be made of."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Discriminator, Field, Tag

from blunt_ember.case.document.parts import Part
from blunt_ember.case.document.surface_laws import Emissivity, Temperature
from blunt_ember.case.values.laws import PLACE, Law, OfLaw
from blunt_ember.case.values.quantity import more_than_zero
from blunt_ember.case.values.units import CONDUCTIVITY, DENSITY, HEAT_CAPACITY

_ANYWHERE = frozenset([*PLACE, "t", "T"])
Conductivity = Annotated[Law, OfLaw(CONDUCTIVITY, _ANYWHERE, more_than_zero)]
Density = Annotated[Law, OfLaw(DENSITY, frozenset("T"), more_than_zero)]
HeatCapacity = Annotated[Law, OfLaw(HEAT_CAPACITY, frozenset("T"), more_than_zero)]


class Directional(Part):
    """Conductivity that differs with the direction, which the region made of the material states."""

    along: Conductivity = Field(description="in the direction that the region states")
    across: Conductivity = Field(description="at right angles to it, in the plane")
    through: Conductivity | None = Field(
        None, description="at right angles to the plane of the section or plan; 'across' when nothing is said"
    )


def _law_or_directional(stated: Any) -> str:
    directional = isinstance(stated, Directional) or (isinstance(stated, dict) and "table" not in stated)
    return "directional" if directional else "law"


class Material(Part):
    """Properties of a material; each is open until stated."""

    k: (
        Annotated[
            Annotated[Conductivity, Tag("law")] | Annotated[Directional, Tag("directional")],
            Discriminator(_law_or_directional),
        ]
        | None
    ) = Field(None, description="thermal conductivity, or one for each direction")
    density: Density | None = None
    c: HeatCapacity | None = Field(None, description="specific heat")
    emissivity: Emissivity | None = None
    source: str | None = Field(None, max_length=300, description="where the values come from")
    range: tuple[Temperature, Temperature] | None = Field(None, description="temperatures between which they hold")
