"""How much every answer follows from every parameter: by the adjoint solution where there is one, else by
differences of the fourth order."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from blunt_ember.case.document.studies import Sensitivity
from blunt_ember.errors import BluntEmberError
from blunt_ember.studies.kinds.adjoint import AdjointSlopes, NoAdjointError
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import Point, current
from blunt_ember.studies.result import Row, StudyResult

#: Steps of differences, as a share of a parameter: the answer changes enough to be read, and hardly bends.
_STEP = 0.01
#: The points of a difference, in steps.
_WAYS = (1.0, 0.5, -0.5, -1.0)
#: Slopes by two steps that differ by more than this share are told poorly.
_APART = 0.05
#: What changes by less than this share of what the strongest parameter does is not worth a remark.
_FELT = 1e-3


#: By parameter and question, a derivative by differences of the second order, on half and on whole steps.
Slopes = dict[str, dict[str, tuple[float, float]]]


def sensitivity(lab: Laboratory, stated: Sensitivity) -> StudyResult:
    """Return the derivative of every answer by every parameter, SI.

    What the adjoint solution does not tell is told by differences of the fourth order; says where those of the second
    order, on half and on whole steps, do not agree, as they do on meshes that change with a parameter.
    """
    names = stated.vary or [name for name in lab.case.parameters if np.ndim(lab.case.parameters[name].magnitude) == 0]
    names = [name for name in names if current(lab.case, name) != 0 or stated.vary]
    questions = [question.name for question in lab.case.document.questions]
    told = {} if stated.by == "differences" else _by_adjoint(lab, names)
    left = [name for name in names if any(question not in told.get(name, {}) for question in questions)]
    points, rows, slopes = _by_differences(lab, left)
    if not left:
        points, rows = [{}], lab.rows([{}])
    both = {name: {**slopes.get(name, {}), **told.get(name, {})} for name in names}
    findings = {
        question: {name: (4 * both[name][question][0] - both[name][question][1]) / 3 for name in names}
        for question in questions
    }
    remarks = []
    if any(told.values()):
        untold = [question for question in questions if all(question not in found for found in told.values())]
        by = [*untold, *(f"all by {name}" for name in names if name not in told)]
        remarks = [f"by the adjoint solution{', but by differences: ' + ', '.join(by) if by else ''}"]
    failed = [row.trouble for row in rows if row.trouble]
    if failed:
        remarks.append(f"{len(failed)} of {len(rows)} cases have no answer; the first says: {failed[0]}")
    unsure = _unsure(lab, both, findings)
    if unsure:
        remarks.append(f"told poorly, as the mesh changes with the parameter or the answer bends: {', '.join(unsure)}")
    return StudyResult(tuple(points), tuple(rows), findings, said="; ".join(remarks))


def _by_adjoint(lab: Laboratory, names: list[str]) -> Slopes:
    """What the adjoint solution tells."""
    told: Slopes = {}
    try:
        slopes = AdjointSlopes(lab.case, lab.flow)
    except NoAdjointError:
        return {}
    for number, name in enumerate(names, start=1):
        with suppress(BluntEmberError):  # another mesh, or a case that is none: differences say what is the matter
            told[name] = slopes.by(name, _size(lab, name))
        lab.on_progress(number, len(names))
    return told


def _by_differences(lab: Laboratory, names: list[str]) -> tuple[list[Point], list[Row], Slopes]:
    """The points of differences with their rows, and the slopes."""
    points: list[Point] = [
        {name: current(lab.case, name) + way * _STEP * _size(lab, name)} for name in names for way in _WAYS
    ]
    rows = lab.rows(points) if points else []
    found: Slopes = {}
    for place, name in enumerate(names):
        step, four = _STEP * _size(lab, name), rows[place * len(_WAYS) : (place + 1) * len(_WAYS)]
        found[name] = {}
        for question in (question.name for question in lab.case.document.questions):
            far, near, less, least = (row.answers.get(question, np.nan) for row in four)
            found[name][question] = (near - less) / step, (far - least) / (2 * step)
    return points, rows, found


def _unsure(lab: Laboratory, both: Slopes, findings: dict[str, dict[str, float]]) -> list[str]:
    """Answers by parameters whose slopes on half and on whole steps do not agree, where they matter."""
    found = []
    for question, slopes in findings.items():
        felt = {name: abs(slope) * _size(lab, name) for name, slope in slopes.items()}
        most = max((each for each in felt.values() if np.isfinite(each)), default=0.0)
        for name, slope in slopes.items():
            near, far = both[name][question]
            if abs(near - far) > _APART * abs(slope) and felt[name] > _FELT * most:
                found.append(f"{question} by {name}")
    return found


def _size(lab: Laboratory, name: str) -> float:
    return abs(current(lab.case, name)) or 1.0
