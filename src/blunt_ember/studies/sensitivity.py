"""How much every answer follows from every parameter: differences of the fourth order."""

from __future__ import annotations

import numpy as np

from blunt_ember.case.document.studies import Sensitivity
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import Point, current
from blunt_ember.studies.result import StudyResult

#: Steps of differences, as a share of a parameter: the answer changes enough to be read, and hardly bends.
_STEP = 0.01
#: The points of a difference, in steps.
_WAYS = (1.0, 0.5, -0.5, -1.0)
#: Slopes by two steps that differ by more than this share are told poorly.
_APART = 0.05
#: What changes by less than this share of what the strongest parameter does is not worth a remark.
_FELT = 1e-3


def sensitivity(lab: Laboratory, stated: Sensitivity) -> StudyResult:
    """Return the derivative of every answer by every parameter, SI, by differences of the fourth order; says where
    those of the second order, on half and on whole steps, do not agree, as they do on meshes that change with it."""
    names = stated.vary or [name for name in lab.case.parameters if np.ndim(lab.case.parameters[name].magnitude) == 0]
    names = [name for name in names if current(lab.case, name) != 0 or stated.vary]
    steps = np.array([_STEP * (abs(current(lab.case, name)) or 1.0) for name in names])
    points: list[Point] = [
        {name: current(lab.case, name) + way * step}
        for name, step in zip(names, steps.tolist(), strict=True)
        for way in _WAYS
    ]
    rows = lab.rows(points)
    findings: dict[str, dict[str, float]] = {}
    unsure: list[str] = []
    for question in (question.name for question in lab.case.document.questions):
        answers = np.array([row.answers.get(question, np.nan) for row in rows]).reshape(len(names), len(_WAYS))
        near, far = (answers[:, 1] - answers[:, 2]) / steps, (answers[:, 0] - answers[:, 3]) / (2 * steps)
        slopes = (4 * near - far) / 3
        findings[question] = dict(zip(names, slopes.tolist(), strict=True))
        most = np.nanmax(np.abs(slopes * steps), initial=0.0)
        apart = (np.abs(near - far) > _APART * np.abs(slopes)) & (np.abs(slopes * steps) > _FELT * most)
        unsure += [f"{question} by {name}" for name, poor in zip(names, apart, strict=True) if poor]
    failed = [row.trouble for row in rows if row.trouble]
    remarks = [f"{len(failed)} of {len(rows)} cases have no answer; the first says: {failed[0]}"] if failed else []
    if unsure:
        remarks.append(f"told poorly, as the mesh changes with the parameter or the answer bends: {', '.join(unsure)}")
    return StudyResult(tuple(points), tuple(rows), findings, said="; ".join(remarks))
