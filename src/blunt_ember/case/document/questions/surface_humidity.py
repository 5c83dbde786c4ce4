"""The humidity of the air of a room where it is coldest, on its surfaces."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import Question, Reader
from blunt_ember.case.values.quantity import Humidity
from blunt_ember.case.values.references import EnvironmentName
from blunt_ember.case.values.units import RELATIVE_HUMIDITY, Kind


class SurfaceHumidityQuestion(Question):
    """The relative humidity of the air of a room at the coldest place of its surfaces; from 100 % on it condenses."""

    asks: ClassVar[str] = "surface_humidity"
    surface_humidity: EnvironmentName = Field(description="the room whose surfaces are looked at")
    humidity: Humidity = Field(description="relative humidity of its air, such as 50 %")

    @property
    def kind(self) -> Kind:
        """A share of what the air there could hold."""
        return RELATIVE_HUMIDITY

    @property
    def environments(self) -> tuple[str, ...]:
        """The room."""
        return (self.surface_humidity,)

    def read(self, reader: Reader) -> Floats:
        """The humidity there."""
        return reader.surface_humidity(self.surface_humidity, self.humidity.si)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Humidity at the coldest place of room, whose air has 50 %."""
        return f"Humidity at the coldest place of {self.surface_humidity}, whose air has {self.humidity.text}"
