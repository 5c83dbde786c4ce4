"""How much every answer follows from every parameter: central differences."""

from __future__ import annotations

import numpy as np

from blunt_ember.case.document.studies import Sensitivity
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import Point, current
from blunt_ember.studies.result import StudyResult

#: Steps of differences, as a share of a parameter: the answer changes enough to be read, and hardly bends.
_STEP = 0.01


def sensitivity(lab: Laboratory, stated: Sensitivity) -> StudyResult:
    """Return the derivative of every answer by every parameter, SI, by steps of a hundredth each way."""
    names = stated.vary or [name for name in lab.case.parameters if np.ndim(lab.case.parameters[name].magnitude) == 0]
    names = [name for name in names if current(lab.case, name) != 0 or stated.vary]
    points: list[Point] = []
    for name in names:
        step = _STEP * (abs(current(lab.case, name)) or 1.0)
        points += [{name: current(lab.case, name) + way * step} for way in (1.0, -1.0)]
    rows = lab.rows(points)
    findings: dict[str, dict[str, float]] = {question.name: {} for question in lab.case.document.questions}
    for place, name in enumerate(names):
        up, down = rows[2 * place], rows[2 * place + 1]
        for question, found in findings.items():
            change = up.answers.get(question, np.nan) - down.answers.get(question, np.nan)
            found[name] = change / (2 * _STEP * (abs(current(lab.case, name)) or 1.0))
    return StudyResult(tuple(points), tuple(rows), findings)
