"""A check: mesh answer beside what is expected, deviation, tolerance, verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from blunt_ember.case.document.questions.heat_stored import HeatStoredQuestion
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion, HeatPassedQuestion
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.unit_sets import UnitSet
from blunt_ember.case.values.units import LENGTH, NUMBER, TEMPERATURE, Kind
from blunt_ember.checks.source import Source
from blunt_ember.immutable import immutable

#: Span of temperatures in K up to which a body has but one.
_ONE_TEMPERATURE = 1e-9
#: Heat, W or J, that differences of so little leave at most; more than that is off, whatever the body.
_NOTHING = 1e-6

Verdict = Literal["agrees", "off", "open"]


@immutable
class Check:
    """One question with its answer; values in SI of ``kind``.

    ``error`` is the estimated error of the mesh answer, None when not estimated. ``deviation`` is answer minus
    expected; ``relative`` is it over the expected value or, for temperatures, over the span of temperatures in the
    body, of a run all of it. ``allowed`` is the tolerance in SI. ``note`` says why a check is open.
    """

    name: str
    asked: str
    kind: Kind
    value: float
    error: float | None
    expected: float | None
    source: Source | None
    deviation: float | None
    relative: float | None
    tolerance: str
    allowed: float | None
    verdict: Verdict
    note: str = ""
    #: Whether it grows without bound the finer it is looked at, so that it has no error.
    unbounded: bool = False
    #: The place (d,) in m of the highest or lowest temperature that is asked for.
    where: tuple[float, ...] | None = None
    #: What shares of its error are of, SI; not a number where it is as good as nothing.
    scale: float = math.nan

    def asked_in(self, units: UnitSet) -> str:
        """Return what is asked, with the place of an extreme."""
        if self.where is None:
            return self.asked
        return f"{self.asked}, found at ({', '.join(place_texts(self.where, units))})"


def place_texts(place: Sequence[float], units: UnitSet) -> list[str]:
    """Return the coordinates of a place, m, as texts with their unit."""
    return [shown(value, units.of(LENGTH), 4) for value in place]


def scale_of(question: Question, value: float, span: float) -> float:
    """Return what shares of an answer are of: a temperature of the ``span``, K, all else of its ``value``, SI."""
    return span if question.kind.dimension == TEMPERATURE.dimension else abs(value)


def _share_of(question: Question, value: float, span: float, nothing: float) -> float:
    """Return what shares of the error of an answer are of; not a number where there is no telling whether it is as good
    as nothing, as of all but temperatures and heat that is set beside what moves in the body."""
    scale = scale_of(question, value, span)
    least = _ONE_TEMPERATURE if question.kind.dimension == TEMPERATURE.dimension else nothing or math.inf
    return scale if scale > least else math.nan


def allowed_of(question: Question, value: float, span: float) -> float:
    """Return the tolerance of an answer of about some ``value`` in SI; ``span`` is that of the temperatures, K."""
    tolerance = question.tolerance
    return tolerance.amount * scale_of(question, value, span) if tolerance.kind == NUMBER else tolerance.amount


def check(
    question: Question,
    kind: Kind,
    asked: str,
    value: float,
    expected: float | None,
    source: Source | None,
    span: float,
    note: str = "",
    nothing: float = 0.0,
) -> Check:
    """Judge an answer of a ``kind`` that says how it is shown.

    ``span`` is the difference between the highest and lowest temperature of the body, K; an answer of ``nothing`` or
    less, SI, is as good as none."""
    own = _share_of(question, value, span, nothing)
    if expected is None:
        return Check(
            question.name,
            asked,
            kind,
            value,
            None,
            None,
            source,
            None,
            None,
            question.tolerance.text,
            None,
            "open",
            note or "nothing is expected, and no exact answer is known",
            scale=own,
        )
    scale = scale_of(question, expected, span)
    allowed = max(allowed_of(question, expected, span), nothing)
    deviation = value - expected
    # Round-off of the compared numbers themselves never makes a check fail.
    slack = 1e-12 * max(abs(value), abs(expected))
    if span <= _ONE_TEMPERATURE and isinstance(question, HeatFlowQuestion | HeatPassedQuestion | HeatStoredQuestion):
        slack = max(slack, _NOTHING)  # nothing flows, and what an exact solution says is round-off as well
    verdict: Verdict = "agrees" if abs(deviation) <= allowed + slack else "off"
    none = deviation == 0 or max(abs(value), abs(expected)) <= nothing
    relative = 0.0 if none else abs(deviation) / scale if scale else None
    return Check(
        question.name,
        asked,
        kind,
        value,
        None,
        expected,
        source,
        deviation,
        relative,
        question.tolerance.text,
        allowed,
        verdict,
        note,
        scale=own,
    )
