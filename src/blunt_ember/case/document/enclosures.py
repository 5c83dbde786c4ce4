"""Surfaces that see each other: enclosures, as a case states them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import Field, model_validator

from blunt_ember.case.document.parts import Part, Statement, complain, one_or_more
from blunt_ember.case.document.surface_laws import Emissivity, OpeningTemperature
from blunt_ember.case.values.references import RegionName, SurfaceName

#: What lies behind the opening of an enclosure, where a surface is named otherwise.
OPENING = "opening"


class Face(Statement):
    """Surfaces of an enclosure that are of one emissivity: named, or all sides of a void."""

    on: SurfaceName | list[SurfaceName] | None = Field(None, description="surface such as 'brick.left', or a list")
    void: RegionName | None = Field(
        None, description="a void region, for all that bounds it, what stands in it too, and is not named elsewhere"
    )
    emissivity: Emissivity | None = Field(None, description="that of the material when nothing is said")

    @model_validator(mode="after")
    def _somewhere(self) -> Face:
        if (self.on is None) == (self.void is None):
            raise complain("say which surfaces: 'on' their names, or the 'void' whose sides they are")
        if self.on is not None and not self.surfaces:
            raise complain("it is stated on no surface; name one, or a list of them")
        return self

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It is called by its surface."""
        return f"{name} in an enclosure"

    @classmethod
    def stands(cls, data: Mapping[str, Any]) -> bool:
        """As long as a surface or the void is left."""
        return super().stands(data) or data.get("void") is not None

    @property
    def surfaces(self) -> tuple[str, ...]:
        """The surfaces that are named."""
        return one_or_more(self.on)


class Enclosure(Part):
    """Surfaces that radiate to each other, and through an opening to what lies behind it."""

    faces: list[Face] = Field(description="the surfaces that see each other; open while there are none")
    opening: OpeningTemperature | None = Field(None, description="temperature of what is seen through the opening")
    closed: Literal[True] | None = Field(None, description="it has no opening: what the surfaces miss is shared out")
    mirrors: SurfaceName | list[SurfaceName] | None = Field(
        None,
        description="flat surfaces of the body, cut where it is symmetric: its faces see their mirror images there",
    )
    repeats: tuple[SurfaceName, SurfaceName] | None = Field(
        None,
        description="two ends of the body between which it repeats, in a row or all round: its faces see the copies",
    )
    even: Literal[True] | None = Field(
        None, description="every surface is taken as one, of an even radiosity, as a network of surfaces has it"
    )

    @model_validator(mode="after")
    def _open_or_closed(self) -> Enclosure:
        if self.closed and self.opening is not None:
            raise complain("it is said to be closed and to have an opening; remove one")
        return self

    @property
    def mirror_surfaces(self) -> tuple[str, ...]:
        """The surfaces whose planes are mirrors."""
        return one_or_more(self.mirrors)
