"""A case in which parameters are changed, and what comes of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.dimension import DIMENSIONLESS, Dimension
from blunt_ember.case.values.evaluation import evaluate, require_kind
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.errors import ExpressionError
from blunt_ember.flow.flow import Flow
from blunt_ember.studies.points import Point, StudyError, si_text
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.rows import OnProgress, rows_of
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.running.workplace import OpenWorkplace
from blunt_ember.studies.telling import stated_as


@dataclass(frozen=True)
class Laboratory:
    """A case with where its results are kept, and who hears of the progress."""

    case: Case
    store: ResultsStore
    on_progress: OnProgress = lambda done, of: None
    jobs: int | None = None
    #: Where rows are solved, if not on this machine.
    elsewhere: OpenWorkplace | None = None
    #: What solves rows here; it knows what they share.
    flow: Flow = field(default_factory=Flow, repr=False, compare=False)

    def rows(self, points: Sequence[Point], with_errors: bool = False) -> list[Row]:
        """Return the rows of points, if that is wanted with the errors of their answers."""
        how = self.jobs, self.flow, self.elsewhere, with_errors
        return rows_of(self.case, points, self.store, self.on_progress, *how)

    def row(self, point: Point) -> Row:
        """Return the row of one point."""
        return rows_of(self.case, [point], self.store, jobs=1, flow=self.flow)[0]

    def answer(self, point: Point, question: str) -> float:
        """Return the answer to a question at a point, SI; raise :class:`StudyError` where there is none."""
        return float(self.answers(point, [question])[0])

    def answers(self, point: Point, questions: Sequence[str]) -> Floats:
        """Return the answers (q,) to questions at a point, SI; raise :class:`StudyError` where one has none."""
        row = self.row(point)
        for question in questions:
            if row.trouble or not np.isfinite(row.answers.get(question, np.nan)):
                where = ", ".join(f"{name} = {stated_as(self.case, name, value)}" for name, value in point.items())
                raise StudyError(f"there is no answer to '{question}' at {where}: {row.trouble or 'it has no value'}")
        return np.array([row.answers[question] for question in questions])


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
