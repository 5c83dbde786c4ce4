"""Every kind of question: the registry that the document, the sheet and the flow read."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, Any

from pydantic import BeforeValidator, Discriminator, Tag

from blunt_ember.case.document.parts import complain
from blunt_ember.case.document.questions.between_environments import CouplingQuestion, TemperatureFactorQuestion
from blunt_ember.case.document.questions.derived import DerivedQuestion
from blunt_ember.case.document.questions.heat_stored import HeatStoredQuestion
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion, HeatPassedQuestion
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.questions.radiation import ExchangeQuestion, RadiationQuestion, ViewFactorQuestion
from blunt_ember.case.document.questions.surface_humidity import SurfaceHumidityQuestion
from blunt_ember.case.document.questions.temperatures import (
    HighestQuestion,
    LowestQuestion,
    MeanQuestion,
    PointQuestion,
)
from blunt_ember.case.document.questions.transmittance import PointTransmittanceQuestion, TransmittanceQuestion
from blunt_ember.case.document.questions.when import WhenQuestion

#: Kinds of question by the key they ask by.
QUESTIONS: Mapping[str, type[Question]] = MappingProxyType(
    {
        kind.asks: kind
        for kind in (
            HeatFlowQuestion,
            PointQuestion,
            HighestQuestion,
            LowestQuestion,
            MeanQuestion,
            HeatPassedQuestion,
            HeatStoredQuestion,
            WhenQuestion,
            RadiationQuestion,
            ViewFactorQuestion,
            ExchangeQuestion,
            CouplingQuestion,
            TransmittanceQuestion,
            PointTransmittanceQuestion,
            TemperatureFactorQuestion,
            SurfaceHumidityQuestion,
            DerivedQuestion,
        )
    }
)


def _asked(stated: Any) -> list[str]:
    if isinstance(stated, Question):
        return [stated.asks]
    return [key for key in QUESTIONS if isinstance(stated, Mapping) and stated.get(key) is not None]


def _tag(stated: Any) -> str | None:
    asked = _asked(stated)
    return f"asks {asked[0]}" if len(asked) == 1 else None


def _one_kind(stated: Any) -> Any:
    """Complain of what asks nothing or several things, or has a key of another kind."""
    if not isinstance(stated, Mapping):
        return stated
    asked = _asked(stated)
    if len(asked) != 1:
        said = " and ".join(f"'{key}'" for key in asked) or "none of them"
        raise complain(f"ask exactly one of {', '.join(repr(key) for key in QUESTIONS)} (now: {said})")
    own = QUESTIONS[asked[0]].model_fields
    for key in stated:
        others = [other for other, kind in QUESTIONS.items() if key in kind.model_fields]
        if key not in own and others and key not in QUESTIONS:
            owners = " and ".join(f"'{other}'" for other in others)
            raise complain(f"'{key}' belongs to {owners}, and this asks for '{asked[0]}'; remove it")
    return stated


AnyQuestion = Annotated[
    Annotated[HeatFlowQuestion, Tag("asks heat_flow")]
    | Annotated[PointQuestion, Tag("asks temperature")]
    | Annotated[HighestQuestion, Tag("asks highest")]
    | Annotated[LowestQuestion, Tag("asks lowest")]
    | Annotated[MeanQuestion, Tag("asks mean")]
    | Annotated[HeatPassedQuestion, Tag("asks heat_passed")]
    | Annotated[HeatStoredQuestion, Tag("asks heat_stored")]
    | Annotated[WhenQuestion, Tag("asks when")]
    | Annotated[RadiationQuestion, Tag("asks radiation")]
    | Annotated[ViewFactorQuestion, Tag("asks view_factor")]
    | Annotated[ExchangeQuestion, Tag("asks exchange")]
    | Annotated[CouplingQuestion, Tag("asks coupling")]
    | Annotated[TransmittanceQuestion, Tag("asks transmittance")]
    | Annotated[PointTransmittanceQuestion, Tag("asks point_transmittance")]
    | Annotated[TemperatureFactorQuestion, Tag("asks temperature_factor")]
    | Annotated[SurfaceHumidityQuestion, Tag("asks surface_humidity")]
    | Annotated[DerivedQuestion, Tag("asks derived")],
    Discriminator(_tag),
    BeforeValidator(_one_kind),
]
