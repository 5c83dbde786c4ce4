"""What a study states of parameters and answers, as numbers in SI."""

from __future__ import annotations

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.dimension import DIMENSIONLESS, Dimension
from blunt_ember.case.values.evaluation import evaluate, require_kind
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.errors import ExpressionError
from blunt_ember.studies.points import StudyError, si_text


def require_rising(name: str, low: float, high: float) -> None:
    """Raise :class:`StudyError` where a range of a parameter is none."""
    if not low < high:
        raise StudyError(f"the lowest value of {name} must be below its highest")


def answer_value(case: Case, name: str, text: str) -> float:
    """Return a value of the kind that a question answers with, SI; raise :class:`StudyError` for another one."""
    questions = {question.name: question for question in case.document.questions}
    if name not in questions:
        raise StudyError(f"there is no question '{name}'{nearest(name, questions)}")
    try:
        value = evaluate(text, case.parameters)
        require_kind(text, value, questions[name].kind)
    except ExpressionError as error:
        raise StudyError(f"'{name}': {error}") from error
    return float(value.magnitude)


def deviation_of(case: Case, name: str, text: str, value: float, dimension: Dimension) -> float:
    """Return a standard deviation of a ``value`` of a ``dimension``, SI: an amount, or a share of the value.

    Raises :class:`StudyError` for none above zero, one of another kind, a reading, and a share of a temperature.
    """
    try:
        stated = evaluate(text, case.parameters)
    except ExpressionError as error:
        raise StudyError(f"'{text}' for '{name}': {error}") from error
    temperature = dimension == TEMPERATURE.dimension
    share = stated.dimension == DIMENSIONLESS and (dimension != DIMENSIONLESS or "%" in text)
    if temperature and (share or stated.readings):
        why = "a share of a temperature hangs on its scale" if share else "it is a reading of a scale"
        raise StudyError(f"'{text}' for '{name}' is no deviation of a temperature: {why}; write it like '2 K'")
    if not share and stated.dimension != dimension:
        raise StudyError(f"'{text}' is no deviation of '{name}'; write it like '{si_text(dimension, abs(value) / 20)}'")
    size = float(stated.magnitude) * (abs(value) if share else 1.0)
    if not 0 < size < np.inf:
        raise StudyError(f"'{text}' for '{name}' is no standard deviation; it must be above zero")
    return size
