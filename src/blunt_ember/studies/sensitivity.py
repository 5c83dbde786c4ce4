"""How much every answer follows from every parameter: by the adjoint solution where there is one, else by
differences of the fourth order."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.studies import Sensitivity
from blunt_ember.errors import BluntEmberError
from blunt_ember.studies.adjoint import AdjointSlopes, NoAdjointError
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
    points, rows, slopes, remarks = _by_differences(lab, left, told)
    if not left:
        points, rows = [{}], lab.rows([{}])
    findings = {
        question: {name: told.get(name, {}).get(question, slopes.get((question, name), np.nan)) for name in names}
        for question in questions
    }
    if any(told.values()):
        untold = [question for question in questions if all(question not in found for found in told.values())]
        by = [*untold, *(f"all by {name}" for name in names if name not in told)]
        remarks = [f"by the adjoint solution{', but by differences: ' + ', '.join(by) if by else ''}", *remarks]
    return StudyResult(tuple(points), tuple(rows), findings, said="; ".join(remarks))


def _by_adjoint(lab: Laboratory, names: list[str]) -> dict[str, dict[str, float]]:
    """What the adjoint solution tells, by parameter and question."""
    told: dict[str, dict[str, float]] = {}
    try:
        slopes = AdjointSlopes(lab.case, lab.flow)
    except NoAdjointError:
        return {}
    for number, name in enumerate(names, start=1):
        with suppress(BluntEmberError):  # another mesh, or a case that is none: differences say what is the matter
            told[name] = slopes.by(name, abs(current(lab.case, name)) or 1.0)
        lab.on_progress(number, len(names))
    return told


def _by_differences(
    lab: Laboratory, names: list[str], told: dict[str, dict[str, float]]
) -> tuple[list[Point], list[Row], dict[tuple[str, str], float], list[str]]:
    """The points of differences and their rows, the slopes by question and parameter, and what is to be said of those
    that are not ``told`` otherwise."""
    steps = np.array([_STEP * (abs(current(lab.case, name)) or 1.0) for name in names])
    points: list[Point] = [
        {name: current(lab.case, name) + way * step}
        for name, step in zip(names, steps.tolist(), strict=True)
        for way in _WAYS
    ]
    rows = lab.rows(points) if points else []
    found: dict[tuple[str, str], float] = {}
    unsure: list[str] = []
    for question in (question.name for question in lab.case.document.questions):
        answers = np.array([row.answers.get(question, np.nan) for row in rows]).reshape(len(names), len(_WAYS))
        near, far = (answers[:, 1] - answers[:, 2]) / steps, (answers[:, 0] - answers[:, 3]) / (2 * steps)
        slopes: Floats = (4 * near - far) / 3
        found |= {(question, name): slope for name, slope in zip(names, slopes.tolist(), strict=True)}
        most = np.nanmax(np.abs(slopes * steps), initial=0.0)
        apart = (np.abs(near - far) > _APART * np.abs(slopes)) & (np.abs(slopes * steps) > _FELT * most)
        unsure += [
            f"{question} by {name}"
            for name, poor in zip(names, apart, strict=True)
            if poor and question not in told.get(name, {})
        ]
    failed = [row.trouble for row in rows if row.trouble]
    remarks = [f"{len(failed)} of {len(rows)} cases have no answer; the first says: {failed[0]}"] if failed else []
    if unsure:
        remarks.append(f"told poorly, as the mesh changes with the parameter or the answer bends: {', '.join(unsure)}")
    return points, rows, found, remarks
