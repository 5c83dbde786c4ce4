"""Temperatures: at a point, and the highest, lowest and mean of a surface, a region, the body or a line."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field, model_validator

from blunt_ember.arrays import Floats
from blunt_ember.case.document.clock import How
from blunt_ember.case.document.parts import complain
from blunt_ember.case.document.places import Line, Place
from blunt_ember.case.document.questions.question import QuestionInTime, Reader, Reading
from blunt_ember.case.values.references import RegionName, SurfaceName, SurfaceOrRegionName
from blunt_ember.case.values.units import TEMPERATURE, Kind


class _Temperature(QuestionInTime):
    how: ClassVar[How]
    side: RegionName | None = Field(None, description="region from which a joint is read; else the first")

    @model_validator(mode="after")
    def _somewhere(self) -> _Temperature:
        if not self.target:
            raise complain(f"'{self.asks}' names no surface; write one, or a list of them")
        return self

    @property
    def kind(self) -> Kind:
        """A temperature."""
        return TEMPERATURE

    @property
    def readings(self) -> tuple[Reading, ...]:
        """The one it asks for."""
        return (Reading(self.how, self.target, self.side),)

    def read(self, reader: Reader) -> Floats:
        """As read."""
        return reader.temperature(self.readings[0])

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Highest temperature of brick.left."""
        return self.readings[0].words + self.at_words(runs)


class PointQuestion(_Temperature):
    """The temperature at a point."""

    asks: ClassVar[str] = "temperature"
    how: ClassVar[How] = "temperature"
    temperature: Place = Field(description="temperature at a point")


class HighestQuestion(_Temperature):
    """The highest temperature somewhere."""

    asks: ClassVar[str] = "highest"
    how: ClassVar[How] = "highest"
    highest: SurfaceOrRegionName | list[SurfaceName] | Line = Field(
        description="highest temperature on a surface or a list of them, in a region, the whole 'body' or along a line"
    )


class LowestQuestion(_Temperature):
    """The lowest temperature somewhere."""

    asks: ClassVar[str] = "lowest"
    how: ClassVar[How] = "lowest"
    lowest: SurfaceOrRegionName | list[SurfaceName] | Line = Field(description="lowest temperature, as 'highest'")


class MeanQuestion(_Temperature):
    """The mean temperature somewhere."""

    asks: ClassVar[str] = "mean"
    how: ClassVar[How] = "mean"
    mean: SurfaceOrRegionName | list[SurfaceName] | Line = Field(description="mean temperature, as 'highest'")
