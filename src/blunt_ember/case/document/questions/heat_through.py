"""Heat through a surface: at a time, and all that has passed since the start."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import QuestionInTime, Reader
from blunt_ember.case.values.references import SurfaceName
from blunt_ember.case.values.units import HEAT, HEAT_FLOW, HEAT_FLUX, HEAT_PER_AREA, Kind


class _Through(QuestionInTime):
    direction: Literal["in", "out"] = Field("in", description="in: + into the body (or from a to b); out: the opposite")
    basis: Literal["depth", "area"] = Field("depth", description="for the stated depth, or per m² of the surface")

    def directed(self, heat: Floats, reader: Reader) -> Floats:
        """Return heat with the sign and on the basis that are asked for."""
        signed = heat if self.direction == "in" else -heat
        return signed / reader.area(str(self.target)) if self.basis == "area" else signed

    def words(self, flow: str, heat_basis: str) -> str:
        """Return what flows from where to where, and for what."""
        name, basis = str(self.target), "per m²" if self.basis == "area" else heat_basis
        if "|" in name:
            first, second = name.split("|") if self.direction == "in" else reversed(name.split("|"))
            return f"{flow} from {first} to {second}, {basis}"
        way = "into the body" if self.direction == "in" else "out of the body"
        return f"{flow} {way} through {name}, {basis}"


class HeatFlowQuestion(_Through):
    """Heat flow through a surface."""

    asks: ClassVar[str] = "heat_flow"
    heat_flow: SurfaceName = Field(description="surface through which heat flows; an interface is 'a|b'")

    @property
    def kind(self) -> Kind:
        """A flow, or a flux."""
        return HEAT_FLUX if self.basis == "area" else HEAT_FLOW

    def read(self, reader: Reader) -> Floats:
        """The heat flow, directed."""
        return self.directed(reader.heat_flow(self.heat_flow), reader)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat flow into the body through brick.left, per m²."""
        return self.words("Heat flow", heat_basis) + self.at_words(runs)


class HeatPassedQuestion(_Through):
    """Heat that has passed a surface."""

    asks: ClassVar[str] = "heat_passed"
    of_time: ClassVar[bool] = True
    heat_passed: SurfaceName = Field(description="heat that has passed a surface since the start")

    @property
    def kind(self) -> Kind:
        """An amount of heat, or that per area."""
        return HEAT_PER_AREA if self.basis == "area" else HEAT

    def read(self, reader: Reader) -> Floats:
        """The heat, directed."""
        return self.directed(reader.heat_passed(self.heat_passed), reader)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat passed into the body through brick.left, per m², by 20 min."""
        return self.words("Heat passed", heat_basis) + self.at_words(runs, "by" if runs else "at", "in all")
