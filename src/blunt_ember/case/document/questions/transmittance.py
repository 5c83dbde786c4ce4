"""What a junction of walls lets through beside what the walls would without it (ISO 10211)."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field, model_validator

from blunt_ember.arrays import Floats
from blunt_ember.case.document.parts import complain
from blunt_ember.case.document.questions.question import Question, Reader
from blunt_ember.case.values.references import EnvironmentName
from blunt_ember.case.values.units import CONDUCTANCE, CONDUCTANCE_PER_LENGTH, Kind


class TransmittanceQuestion(Question):
    """The linear thermal transmittance ψ of what joins walls between two environments: their coupling coefficient less
    what the walls would let through, by the layers and lengths that are found in the section."""

    asks: ClassVar[str] = "transmittance"
    transmittance: EnvironmentName = Field(description="an environment; inner lengths are measured on its side")
    to: EnvironmentName = Field(description="another environment; outer lengths are measured on its side")
    lengths: Literal["inner", "outer"] = Field(description="on which side the lengths of the walls are measured")

    @model_validator(mode="after")
    def _two(self) -> TransmittanceQuestion:
        _require_two(self.transmittance, self.to)
        return self

    @property
    def kind(self) -> Kind:
        """A conductance per metre."""
        return CONDUCTANCE_PER_LENGTH

    @property
    def environments(self) -> tuple[str, ...]:
        """Both."""
        return (self.transmittance, self.to)

    def read(self, reader: Reader) -> Floats:
        """The coupling coefficient per metre, less what the walls would let through."""
        passed = reader.undisturbed(self.transmittance, self.to, self.lengths)
        return reader.coupling(self.transmittance, self.to, False) / reader.depth() - passed

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Linear thermal transmittance ψ of room to outside, by inner lengths."""
        return f"Linear thermal transmittance ψ of {self.transmittance} to {self.to}, by {self.lengths} lengths"


class PointTransmittanceQuestion(Question):
    """The point thermal transmittance χ of what passes a flat wall between two environments: their coupling coefficient
    less what the wall would let through, by the layers and the area that are found in the solid."""

    asks: ClassVar[str] = "point_transmittance"
    point_transmittance: EnvironmentName = Field(description="an environment")
    to: EnvironmentName = Field(description="another environment")

    @model_validator(mode="after")
    def _two(self) -> PointTransmittanceQuestion:
        _require_two(self.point_transmittance, self.to)
        return self

    @property
    def kind(self) -> Kind:
        """A conductance."""
        return CONDUCTANCE

    @property
    def environments(self) -> tuple[str, ...]:
        """Both."""
        return (self.point_transmittance, self.to)

    def read(self, reader: Reader) -> Floats:
        """The coupling coefficient, less what the wall would let through."""
        passed = reader.undisturbed_flat(self.point_transmittance, self.to)
        return reader.coupling(self.point_transmittance, self.to, False) - passed

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Point thermal transmittance χ of room to outside."""
        return f"Point thermal transmittance χ of {self.point_transmittance} to {self.to}"


def _require_two(first: str, other: str) -> None:
    if first == other:
        raise complain("name two environments: one with itself exchanges nothing")
