"""Questions answered: from a solution, at every instant of a run, and from an exact field; values in SI."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.heat_stored import HeatStoredQuestion
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion, HeatPassedQuestion
from blunt_ember.case.document.questions.question import Question
from blunt_ember.checks.questions.exact_reader import ExactReader
from blunt_ember.checks.questions.readers import AllHeatReader, MeshReader, RunReader
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.references.fits.field import ExactField, MovingField

#: Share of all heat that moves which is not told from none.
_LEFT_OVER = 1e-9


def answer(question: Question, place: int, solved: SolvedField) -> float:
    """Return the mesh value of the question at a ``place`` in the case; NaN where a run did not get so far.

    Raises :class:`CaseError` when what it reads lies outside the body.
    """
    run = solved.run
    if run is None:
        return float(question.read(MeshReader(solved, ("questions", place, question.asks)))[0])
    values = question.read(RunReader(solved, run, question, place))
    if question.condition is not None:
        return float(values[0])
    asked = question.asked_time
    instant = len(run.times) - 1 if asked is None else run.instant(asked.si)
    return float("nan") if instant is None else float(values[instant])


def as_nothing(question: Question, solved: SolvedField) -> float:
    """Return how much of heat that is asked for, SI, is no more than what all that moves in the body may leave over."""
    if not isinstance(question, HeatFlowQuestion | HeatPassedQuestion | HeatStoredQuestion):
        return 0.0
    moves = float(question.read(AllHeatReader(solved, ("questions", question.asks)))[0])
    return _LEFT_OVER * abs(moves) if np.isfinite(moves) else 0.0


def history(question: Question, place: int, solved: SolvedField) -> Floats | None:
    """Return what a question reads at every instant (k,) of a run; None for one that asks for a time."""
    assert solved.run is not None
    if question.condition is not None:
        return None
    return question.read(RunReader(solved, solved.run, question, place))


def exact_answer(question: Question, field: ExactField | MovingField, solved: SolvedField) -> float:
    """Return what an exact field answers to a question; NaN where it does not say it."""
    end = 0.0 if solved.run is None else float(solved.run.times[-1])
    asked = question.asked_time
    reader = ExactReader(field, solved, end if asked is None else asked.si)
    return float(question.read(reader)[0])


def exact_history(question: Question, field: ExactField | MovingField, solved: SolvedField, times: Floats) -> Floats:
    """Return what an exact field answers to a question at ``times`` (k,) in s."""
    reader = ExactReader(field, solved, 0.0)
    return np.array([float(question.read(replace(reader, t=t))[0]) for t in times.tolist()])
