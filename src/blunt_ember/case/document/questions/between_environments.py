"""What couples environments through a body, and how warm its surfaces stay (ISO 10211, ISO 13788)."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field, model_validator

from blunt_ember.arrays import Floats
from blunt_ember.case.document.parts import complain
from blunt_ember.case.document.questions.question import Question, Reader
from blunt_ember.case.values.references import EnvironmentName
from blunt_ember.case.values.units import CONDUCTANCE, CONDUCTANCE_PER_LENGTH, NUMBER, Kind


class CouplingQuestion(Question):
    """The heat that passes from one environment to another for each kelvin between them."""

    asks: ClassVar[str] = "coupling"
    coupling: EnvironmentName = Field(description="an environment")
    to: EnvironmentName = Field(description="another environment")
    basis: Literal["depth", "length"] = Field("depth", description="for the stated depth, or per metre of it")
    state: Literal["any", "present"] = Field(
        "any", description="whatever the temperatures are, or with what follows temperature as it is in this solution"
    )

    @model_validator(mode="after")
    def _two(self) -> CouplingQuestion:
        if self.coupling == self.to:
            raise complain("name two environments: one with itself exchanges nothing")
        return self

    @property
    def kind(self) -> Kind:
        """A conductance, of a section per metre as asked."""
        return CONDUCTANCE_PER_LENGTH if self.basis == "length" else CONDUCTANCE

    @property
    def environments(self) -> tuple[str, ...]:
        """Both."""
        return (self.coupling, self.to)

    def read(self, reader: Reader) -> Floats:
        """The coupling coefficient."""
        whole = reader.coupling(self.coupling, self.to, self.state == "present")
        return whole / reader.depth() if self.basis == "length" else whole

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Thermal coupling coefficient of room and outside, per metre."""
        basis = "per metre" if self.basis == "length" else heat_basis
        state = ", as it stands" if self.state == "present" else ""
        return f"Thermal coupling coefficient of {self.coupling} and {self.to}, {basis}{state}"


class TemperatureFactorQuestion(Question):
    """How near the coldest place of the surfaces in a room is to the room: 1 as warm as the room, 0 as cold as the
    coldest environment."""

    asks: ClassVar[str] = "temperature_factor"
    temperature_factor: EnvironmentName = Field(description="the room whose surfaces are looked at")

    @property
    def kind(self) -> Kind:
        """A share."""
        return NUMBER

    @property
    def environments(self) -> tuple[str, ...]:
        """The room."""
        return (self.temperature_factor,)

    def read(self, reader: Reader) -> Floats:
        """The factor."""
        return reader.temperature_factor(self.temperature_factor)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Temperature factor of the coldest place in the room."""
        return f"Temperature factor at the coldest place of {self.temperature_factor}"
