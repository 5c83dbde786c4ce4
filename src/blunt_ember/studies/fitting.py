"""Parameters from what was measured."""

from __future__ import annotations

import numpy as np
from scipy.optimize import least_squares

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Fitting
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.errors import ExpressionError
from blunt_ember.studies.laboratory import Laboratory, answer_value, require_rising
from blunt_ember.studies.points import Point, StudyError, current, value_of
from blunt_ember.studies.result import StudyResult


def fitted(lab: Laboratory, stated: Fitting) -> StudyResult:
    """Return the least squares of what was measured, with the deviations that the slopes at the end leave parameters;
    says which of them the data cannot tell apart."""
    names, questions = list(stated.vary), list(stated.measured)
    if len(names) > len(questions):
        raise StudyError(f"{len(names)} parameters cannot be told from {len(questions)} measured values; fit fewer")
    measured = np.array([answer_value(lab.case, question, stated.measured[question]) for question in questions])
    bounds = [tuple(value_of(lab.case, name, text) for text in stated.vary[name]) for name in names]
    for name, (low, high) in zip(names, bounds, strict=True):
        require_rising(name, low, high)
    within = np.array([_within(lab.case, question, stated.within.get(question)) for question in questions])
    scale = np.array([max(abs(low), abs(high)) for low, high in bounds])
    looked: list[Point] = []

    def off(shares: Floats) -> Floats:
        point = dict(zip(names, (shares * scale).tolist(), strict=True))
        looked.append(point)
        lab.on_progress(len(looked), 0)
        return (np.array([lab.answer(point, question) for question in questions]) - measured) / within

    low, high = np.array(bounds).T / scale
    start = np.clip(np.array([current(lab.case, name) for name in names]) / scale, low, high)
    best = least_squares(
        off, start, bounds=(low, high), xtol=1e-12, ftol=1e-14, gtol=1e-12, diff_step=np.full(len(names), 1e-4)
    )
    found = dict(zip(names, (best.x * scale).tolist(), strict=True))
    slopes: Floats = np.asarray(best.jac, dtype=float)
    _, sizes, ways = np.linalg.svd(slopes, full_matrices=False)
    if sizes[-1] <= 1e-8 * sizes[0]:
        pair = " and ".join(np.array(names)[np.abs(ways[-1]) > 0.1])
        said = f"what was measured cannot tell {pair} apart"
        return StudyResult((found,), (lab.row(found),), found=found, said=said)
    covariance = np.linalg.inv(slopes.T @ slopes)
    freedom = len(questions) - len(names)
    factor = 1.0 if stated.within else (2 * best.cost / freedom if freedom else np.nan)
    deviations = np.sqrt(np.diag(covariance) * factor) * scale
    return StudyResult(
        (found,), (lab.row(found),), found=found, deviations=dict(zip(names, deviations.tolist(), strict=True))
    )


def _within(case: Case, name: str, text: str | None) -> float:
    """The standard deviation of what was measured, SI; one where nothing is said."""
    if text is None:
        return 1.0
    try:
        size = float(evaluate(text, case.parameters).magnitude)
    except ExpressionError as error:
        raise StudyError(f"'{name}': {error}") from error
    if not size > 0:
        raise StudyError(f"'{text}' for '{name}' is no standard deviation; it must be above zero")
    return size
