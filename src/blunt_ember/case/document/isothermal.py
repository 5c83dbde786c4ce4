"""Regions and surfaces of one temperature throughout, as a case states them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import Field, model_validator

from blunt_ember.case.document.parts import Statement, complain, one_or_more
from blunt_ember.case.values.references import RegionName, SurfaceName


class Isothermal(Statement):
    """Regions, or surfaces, that have one temperature together: a thin sheet, a shield, a well-stirred bath."""

    region: RegionName | list[RegionName] | None = Field(None, description="region or regions of one temperature")
    on: SurfaceName | list[SurfaceName] | None = Field(None, description="surface or surfaces of one temperature")

    @model_validator(mode="after")
    def _somewhere(self) -> Isothermal:
        if (self.region is None) == (self.on is None):
            raise complain("say what has one temperature: a 'region', or surfaces with 'on'")
        return self

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It is called by its region or surface."""
        return f"the one temperature of {name}"

    @property
    def regions(self) -> tuple[str, ...]:
        """The regions that are named."""
        return one_or_more(self.region)

    @property
    def surfaces(self) -> tuple[str, ...]:
        """The surfaces that are named."""
        return one_or_more(self.on)
