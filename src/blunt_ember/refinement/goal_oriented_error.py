"""The error of the flux of each cell, weighed by what it does to the answers."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion
from blunt_ember.case.document.questions.question import Question
from blunt_ember.checks.questions.readers import question_probes
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.recovery import recovered
from blunt_ember.fem.steady.adjoint import Influences

#: How exactly influences are known that only tell where cells go.
_LEFT_OVER = 1e-5


def weighed_error(
    document: CaseDocument, solved: SolvedField, problem: Problem, error: Floats, allowed: Sequence[float]
) -> Floats:
    """Return how much each cell adds along each of its directions (c, d) to what answers are off by, as a share of the
    ``allowed`` (a,) in SI.

    ``error`` (c, d) in W K is the squared error of the flux of each cell of a steady solution; an answer whose
    influence is not known, as heat through an interface, is taken to go with that.
    """
    influences = Influences(problem, solved.temperature, _LEFT_OVER)
    span = max(solved.span, 1e-300)
    total = np.zeros(error.shape)
    for place, (question, most) in enumerate(zip(document.questions, allowed, strict=True)):
        influence = _influence(question, place, document, solved, influences)
        if influence is None:
            part = error / span
        else:
            missed = recovered(problem, solved.temperature, of=influence).along
            part = np.sqrt(error * np.concatenate(missed))
        total += part / max(most, 1e-300)
    return total


def _influence(
    question: Question, place: int, document: CaseDocument, solved: SolvedField, influences: Influences
) -> Floats | None:
    if isinstance(question, HeatFlowQuestion):
        members = document.members_of(question.target)
        outer = all(solved.mesh.surfaces[name].outer for name in members)
        return influences.on_heat(members) if outer else None
    probes = question_probes(question, place, solved)
    if len(probes) != 1:
        return None
    return influences.on_reading(probes[0].slope(solved.temperature))
