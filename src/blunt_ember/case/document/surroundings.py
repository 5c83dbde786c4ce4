"""What surrounds a body and what heat arises inside it, as a case states them."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from blunt_ember.case.document.acting import Acting
from blunt_ember.case.document.parts import Statement, complain, one_or_more
from blunt_ember.case.document.places import Place, StraightLine
from blunt_ember.case.document.surface_laws import (
    FILM_ACTING,
    FLUX_ACTING,
    HEAT_ACTING,
    RADIATION_ACTING,
    Film,
    HeatFlux,
    HeatInAll,
    HeatPerVolume,
    Radiation,
    Temperature,
)
from blunt_ember.case.values.quantity import Quantity, Time
from blunt_ember.case.values.references import RegionName, SurfaceName


def require_order(after: Quantity | None, before: Quantity | None) -> None:
    """Complain of a statement that ends before it begins."""
    if after is not None and before is not None and not after.si < before.si:
        raise complain(f"it holds 'after' {after.text} but 'before' {before.text}; the first must be the earlier one")


def holds_at(entry: Surrounding | HeatInside, t: float) -> bool:
    """Tell whether a statement holds right after a time ``t`` in s."""
    began = entry.after is None or t >= entry.after.si
    return began and (entry.before is None or t < entry.before.si)


class Surrounding(Statement):
    """What is stated on one or more surfaces; film, radiation, flux and heat act together, the rest stands alone."""

    on: SurfaceName | list[SurfaceName] = Field(description="surface such as 'brick.left', or a list of them")
    temperature: Temperature | None = Field(None, description="the surface is held at this temperature")
    film: Annotated[Film | None, FILM_ACTING] = None
    radiation: Annotated[Radiation | None, RADIATION_ACTING] = None
    flux: Annotated[HeatFlux | None, FLUX_ACTING] = Field(None, description="heat flux, + into the body")
    heat: Annotated[HeatInAll | None, HEAT_ACTING] = Field(
        None, description="heat spread evenly over all these surfaces, + into the body"
    )
    insulated: Literal[True] | None = Field(None, description="no heat passes, said out loud")
    periodic: Literal[True] | None = Field(
        None, description="the two surfaces are one and the same: equal temperatures, and heat passes through"
    )
    after: Time | None = Field(None, description="time on the clock from which this holds; from its start")
    before: Time | None = Field(None, description="time on the clock at which this ends; holds to the end")

    @model_validator(mode="after")
    def _says_something(self) -> Surrounding:
        if not self.surfaces:
            raise complain("it is stated on no surface; name one, or a list of them")
        said = [key for key in STATEMENTS if getattr(self, key) is not None]
        if not said:
            raise complain(f"nothing is stated; say {', '.join(repr(key) for key in STATEMENTS)}")
        for key, name in (
            ("temperature", "a held temperature"),
            ("insulated", "'insulated'"),
            ("periodic", "'periodic'"),
        ):
            if key in said and len(said) > 1:
                other = next(other for other in said if other != key)
                raise complain(f"{name} stands alone; remove it or '{other}'")
        if self.periodic and len(self.surfaces) != 2:
            raise complain("'periodic' joins two surfaces; name both in 'on'")
        require_order(self.after, self.before)
        return self

    @classmethod
    def stands(cls, data: Mapping[str, Any]) -> bool:
        """Of a periodic pair both must be left."""
        return super().stands(data) and (not data.get("periodic") or len(data["on"]) == 2)

    @property
    def surfaces(self) -> tuple[str, ...]:
        """The surfaces this is stated on."""
        return one_or_more(self.on)


#: What acts together on a surface, by its key.
ACTING: Mapping[str, Acting] = MappingProxyType(
    {
        key: mark
        for key, field in Surrounding.model_fields.items()
        for mark in field.metadata
        if isinstance(mark, Acting)
    }
)
#: What stands alone on a surface.
ALONE = ("temperature", "insulated", "periodic")
STATEMENTS = (*ACTING, *ALONE)


class HeatInside(Statement):
    """Heat that arises in regions, at a point, or along a line; + is into the body."""

    region: RegionName | list[RegionName] | None = Field(None, description="region or regions it arises in")
    at: Place | None = Field(None, description="point it arises at")
    along: StraightLine | None = Field(None, description="straight line it arises along, evenly")
    per_volume: HeatPerVolume | None = Field(None, description="heat per volume, in regions")
    total: HeatInAll | None = Field(None, description="heat in all, spread evenly")
    after: Time | None = Field(None, description="time on the clock from which it arises; from its start")
    before: Time | None = Field(None, description="time on the clock at which it ends; arises to the end")

    @model_validator(mode="after")
    def _once(self) -> HeatInside:
        places = [key for key in ("region", "at", "along") if getattr(self, key) is not None]
        if len(places) != 1:
            raise complain("say where the heat arises: in a 'region', 'at' a point or 'along' a line")
        if (self.per_volume is None) == (self.total is None):
            raise complain("say how much heat: 'per_volume' or in 'total'")
        if self.per_volume is not None and self.region is None:
            raise complain("heat 'per_volume' arises in a 'region'; at a point or along a line say its 'total'")
        require_order(self.after, self.before)
        return self

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It is called by its region."""
        return f"the heat in {name}"

    @property
    def regions(self) -> tuple[str, ...]:
        """The regions it arises in."""
        return one_or_more(self.region)


def stated_at(entry: Surrounding, path: tuple[str, ...]) -> Any:
    """Return what a statement says at a path into it; None where it says nothing."""
    found: Any = entry
    for key in path:
        found = getattr(found, key, None)
    return found
