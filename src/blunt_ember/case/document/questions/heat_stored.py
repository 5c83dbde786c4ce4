"""Heat stored in the body since the start."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import QuestionInTime, Reader, named
from blunt_ember.case.values.references import RegionName
from blunt_ember.case.values.units import HEAT, Kind


class HeatStoredQuestion(QuestionInTime):
    """Heat stored in a region or the whole body."""

    asks: ClassVar[str] = "heat_stored"
    of_time: ClassVar[bool] = True
    heat_stored: RegionName = Field(description="heat stored in a region or 'body' since the start")

    @property
    def kind(self) -> Kind:
        """An amount of heat."""
        return HEAT

    def read(self, reader: Reader) -> Floats:
        """As read."""
        return reader.heat_stored(self.heat_stored)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat stored in the body since the start, for 1 m depth."""
        return f"Heat stored in {named(self.heat_stored)} since the start, {heat_basis}{self.at_words(runs)}"
