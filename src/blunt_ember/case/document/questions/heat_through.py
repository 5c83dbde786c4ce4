"""Heat through a surface: at a time, and all that has passed since the start."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from blunt_ember.arrays import Floats
from blunt_ember.case.document.parts import complain
from blunt_ember.case.document.questions.question import QuestionInTime, Reader, named
from blunt_ember.case.values.references import SurfaceName
from blunt_ember.case.values.units import (
    HEAT,
    HEAT_FLOW,
    HEAT_FLOW_PER_LENGTH,
    HEAT_FLUX,
    HEAT_PER_AREA,
    HEAT_PER_LENGTH,
    Kind,
)


class _Through(QuestionInTime):
    direction: Literal["in", "out"] = Field("in", description="in: + into the body (or from a to b); out: the opposite")
    basis: Literal["depth", "area", "length"] = Field(
        "depth", description="for the stated depth, per m² of the surface, or per metre of the depth"
    )
    #: What it is for the whole, per area and per length.
    kinds: ClassVar[Mapping[str, Kind]]

    @model_validator(mode="after")
    def _somewhere(self) -> _Through:
        if not self.target:
            raise complain(f"'{self.asks}' names no surface; write one, or a list of them")
        return self

    @property
    def kind(self) -> Kind:
        """As its basis has it."""
        return self.kinds[self.basis]

    def directed(self, heat: Floats, reader: Reader) -> Floats:
        """Return heat with the sign and on the basis that are asked for."""
        signed = heat if self.direction == "in" else -heat
        if self.basis == "length":
            return signed / reader.depth()
        return signed / reader.area(self.target) if self.basis == "area" else signed

    def words(self, flow: str, heat_basis: str) -> str:
        """Return what flows from where to where, and for what."""
        name = named(self.target)
        basis = {"area": "per m²", "length": "per metre"}.get(self.basis, heat_basis)
        if isinstance(self.target, str) and "|" in name:
            first, second = name.split("|") if self.direction == "in" else reversed(name.split("|"))
            return f"{flow} from {first} to {second}, {basis}"
        way = "into the body" if self.direction == "in" else "out of the body"
        return f"{flow} {way} through {name}, {basis}"


class HeatFlowQuestion(_Through):
    """Heat flow through a surface."""

    asks: ClassVar[str] = "heat_flow"
    heat_flow: SurfaceName | list[SurfaceName] = Field(
        description="surface through which heat flows, or a list of them; an interface is 'a|b'"
    )
    kinds: ClassVar[Mapping[str, Kind]] = {"depth": HEAT_FLOW, "area": HEAT_FLUX, "length": HEAT_FLOW_PER_LENGTH}

    def read(self, reader: Reader) -> Floats:
        """The heat flow, directed."""
        return self.directed(reader.heat_flow(self.target), reader)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat flow into the body through brick.left, per m²."""
        return self.words("Heat flow", heat_basis) + self.at_words(runs)


class HeatPassedQuestion(_Through):
    """Heat that has passed a surface."""

    asks: ClassVar[str] = "heat_passed"
    of_time: ClassVar[bool] = True
    heat_passed: SurfaceName | list[SurfaceName] = Field(
        description="heat that has passed a surface, or a list of them, since the start"
    )
    kinds: ClassVar[Mapping[str, Kind]] = {"depth": HEAT, "area": HEAT_PER_AREA, "length": HEAT_PER_LENGTH}

    def read(self, reader: Reader) -> Floats:
        """The heat, directed."""
        return self.directed(reader.heat_passed(self.target), reader)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat passed into the body through brick.left, per m², by 20 min."""
        return self.words("Heat passed", heat_basis) + self.at_words(runs, "by" if runs else "at", "in all")
