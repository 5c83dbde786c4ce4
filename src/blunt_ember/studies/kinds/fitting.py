"""Parameters from what was measured."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.optimize import least_squares

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Fitting
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.studies.kinds.logs import with_logs
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import Point, StudyError, current, parameter_value
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.stated_values import answer_value, deviation_of, require_rising

#: Steps of the differences that slopes are taken by, as a share of the larger bound: above what meshes jitter by.
_STEP = 1e-3
#: A way along which answers change less than this share of the most they do is none that data tell: differences of the
#: second order leave a millionth of it.
_FLAT = 1e-5
#: How near a bound a parameter has ended at it, as a share of it.
_AT_BOUND = 1e-6


def least_squares_fit(lab: Laboratory, stated: Fitting) -> StudyResult:
    """Return the least squares of what was measured, with the deviations that the slopes at the end leave parameters;
    says which of them the data cannot tell apart, and which ended at a bound."""
    lab, stated, called = with_logs(lab, stated)
    names, questions = list(stated.vary), list(stated.measured)
    if len(names) > len(questions):
        raise StudyError(f"{len(names)} parameters cannot be told from {len(questions)} measured values; fit fewer")
    measured = np.array([answer_value(lab.case, question, stated.measured[question]) for question in questions])
    bounds = [tuple(parameter_value(lab.case, name, text) for text in stated.vary[name]) for name in names]
    for name, (low, high) in zip(names, bounds, strict=True):
        require_rising(name, low, high)
    within = _within(lab.case, stated, measured)
    scale = np.array([max(abs(low), abs(high)) for low, high in bounds])
    looked: list[Point] = []

    def off(shares: Floats) -> Floats:
        point = dict(zip(names, (shares * scale).tolist(), strict=True))
        looked.append(point)
        lab.on_progress(len(looked), 0)
        return (lab.answers(point, questions) - measured) / within

    low, high = np.array(bounds).T / scale
    start = np.clip(np.array([current(lab.case, name) for name in names]) / scale, low, high)
    best = least_squares(
        off,
        start,
        jac="3-point",
        bounds=(low, high),
        xtol=1e-12,
        ftol=1e-14,
        gtol=1e-12,
        diff_step=np.full(len(names), _STEP),
    )
    found = dict(zip(names, (best.x * scale).tolist(), strict=True))
    row = lab.row(found)
    computed = np.array([row.answers[question] for question in questions])
    findings = _beside([called[each].called if each in called else each for each in questions], measured, computed)
    for each in called.values():
        findings[each.called]["t"] = each.t
    result = StudyResult((found,), (row,), findings, found)
    slopes: Floats = np.asarray(best.jac, dtype=float)
    _, sizes, ways = np.linalg.svd(slopes, full_matrices=False)
    if sizes[-1] <= _FLAT * sizes[0]:
        blurred = " and ".join(np.array(names)[np.abs(ways[-1]) > 0.1])
        return replace(result, said=f"what was measured cannot tell {blurred}{' apart' if ' and ' in blurred else ''}")
    at_bound = np.isclose(best.x, low, _AT_BOUND) | np.isclose(best.x, high, _AT_BOUND)
    if at_bound.any():
        said = f"{' and '.join(np.array(names)[at_bound])} ended at a bound, where no deviation holds: widen it"
        return replace(result, said=said)
    freedom = len(questions) - len(names)
    factor = 1.0 if stated.within else (2 * best.cost / freedom if freedom else np.nan)
    spread: Floats = np.asarray(np.linalg.inv(slopes.T @ slopes), dtype=float)
    deviations = np.sqrt(np.diag(spread) * factor) * scale
    said = "; ".join(_correlations(names, spread))
    if best.status <= 0:
        said = "it did not settle: start from values that are nearer, or narrow the bounds"
    return replace(result, deviations=dict(zip(names, deviations.tolist(), strict=True)), said=said)


def _correlations(names: list[str], spread: Floats) -> list[str]:
    """How the deviations of parameters go together, by their covariances (n, n)."""
    size = np.sqrt(np.diag(spread))
    return [
        f"{names[one]} and {names[other]} are correlated by {spread[one, other] / (size[one] * size[other]):.3f}"
        for one in range(len(names))
        for other in range(one + 1, len(names))
    ]


def _beside(questions: list[str], measured: Floats, computed: Floats) -> dict[str, dict[str, float]]:
    """By question, what was measured, what is computed, and by how much it is off."""
    return {
        question: {"measured": was, "computed": now, "off": now - was}
        for question, was, now in zip(questions, measured.tolist(), computed.tolist(), strict=True)
    }


def _within(case: Case, stated: Fitting, measured: Floats) -> Floats:
    """The standard deviations (m,) of what was measured, SI; ones where nothing is said and all are of one kind."""
    kinds = {question.name: question.kind for question in case.document.questions}
    unknown = [name for name in stated.within if name not in stated.measured]
    if unknown:
        known = nearest(unknown[0], stated.measured)
        raise StudyError(f"'{unknown[0]}' stands under 'within', but not under 'measured'{known}")
    if not stated.within:
        if len({kinds[name].dimension for name in stated.measured}) > 1:
            raise StudyError("values of different kinds were measured: say how well each is known, under 'within'")
        return np.ones(len(measured))
    missing = [name for name in stated.measured if name not in stated.within]
    if missing:
        raise StudyError(f"say how well '{missing[0]}' is known too, under 'within', or of none")
    return np.array(
        [
            deviation_of(case, name, stated.within[name], value, kinds[name].dimension)
            for name, value in zip(stated.measured, measured.tolist(), strict=True)
        ]
    )
