"""What surfaces of an enclosure radiate, how they see each other, and what passes between two of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.parts import complain
from blunt_ember.case.document.questions.question import Question, QuestionInTime, RadiatedHow, Reader, named
from blunt_ember.case.values.references import SurfaceName, SurfaceOrOpeningName
from blunt_ember.case.values.units import HEAT_FLOW, HEAT_FLUX, NUMBER, Kind

#: What is asked of the radiation of a surface, as a sentence begins.
RADIATED_WORDS: Mapping[RadiatedHow, str] = {
    "net": "Net heat radiated to",
    "emitted": "Heat emitted by",
    "reflected": "Heat reflected by",
    "incident": "Heat that falls on",
    "absorbed": "Heat absorbed by",
    "leaving": "Heat that leaves",
}


class RadiationQuestion(QuestionInTime):
    """Heat that a surface of an enclosure emits, reflects, receives, absorbs, or all that leaves it."""

    asks: ClassVar[str] = "radiation"
    radiation: SurfaceName | list[SurfaceName] = Field(description="surface of an enclosure, or a list of them")
    how: RadiatedHow = Field("net", description="net: into the body; leaving: emitted and reflected, the radiosity")
    basis: Literal["depth", "area"] = Field("depth", description="for the stated depth, or per m² of the surface")

    @property
    def kind(self) -> Kind:
        """A flow, or a flux."""
        return HEAT_FLUX if self.basis == "area" else HEAT_FLOW

    @property
    def enclosed(self) -> tuple[str, ...]:
        """The surface, or all of them."""
        return (self.radiation,) if isinstance(self.radiation, str) else tuple(self.radiation)

    def read(self, reader: Reader) -> Floats:
        """The heat."""
        heat = reader.radiation(self.radiation, self.how)
        return heat / reader.area(self.radiation) if self.basis == "area" else heat

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat emitted by hearth.top, per m²."""
        basis = "per m²" if self.basis == "area" else heat_basis
        return f"{RADIATED_WORDS[self.how]} {named(self.radiation)}, {basis}" + self.at_words(runs)


def _require_two(first: str, second: str) -> None:
    if first == second == OPENING:
        raise complain("name a surface: an opening by itself is asked nothing")


class ViewFactorQuestion(Question):
    """The share of what leaves a surface that comes to another one directly."""

    asks: ClassVar[str] = "view_factor"
    view_factor: SurfaceOrOpeningName = Field(description="surface of an enclosure, or its 'opening'")
    to: SurfaceOrOpeningName = Field(description="surface that is seen, or the 'opening'")

    @model_validator(mode="after")
    def _two(self) -> ViewFactorQuestion:
        _require_two(self.view_factor, self.to)
        return self

    @property
    def kind(self) -> Kind:
        """A share."""
        return NUMBER

    @property
    def enclosed(self) -> tuple[str, ...]:
        """Both surfaces."""
        return (self.view_factor, self.to)

    def read(self, reader: Reader) -> Floats:
        """The view factor."""
        return reader.view_factor(self.view_factor, self.to)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """View factor from hearth.top to crown.bottom."""
        return f"View factor from {_said(self.view_factor)} to {_said(self.to)}"


class ExchangeQuestion(QuestionInTime):
    """The net heat that passes from one surface of an enclosure to another, on every way."""

    asks: ClassVar[str] = "exchange"
    exchange: SurfaceOrOpeningName = Field(description="surface of an enclosure, or its 'opening'")
    to: SurfaceOrOpeningName = Field(description="surface that is heated, or the 'opening'")

    @model_validator(mode="after")
    def _two(self) -> ExchangeQuestion:
        _require_two(self.exchange, self.to)
        return self

    @property
    def kind(self) -> Kind:
        """A flow."""
        return HEAT_FLOW

    @property
    def enclosed(self) -> tuple[str, ...]:
        """Both surfaces."""
        return (self.exchange, self.to)

    def read(self, reader: Reader) -> Floats:
        """The heat."""
        return reader.exchanged(self.exchange, self.to)

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Heat radiated from hearth.top to crown.bottom, for 1 m depth."""
        way = f"from {_said(self.exchange)} to {_said(self.to)}"
        return f"Net heat radiated {way}, {heat_basis}" + self.at_words(runs)


def _said(surface: str) -> str:
    return "the opening" if surface == OPENING else surface
