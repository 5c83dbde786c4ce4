"""How uncertain answers are when parameters are: answers at points drawn from their distributions."""

from __future__ import annotations

import numpy as np
from scipy.stats import lognorm, norm, qmc, triang, uniform

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Spread, Uncertainty
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.errors import ExpressionError
from blunt_ember.studies.laboratory import Laboratory, deviation_of, require_rising
from blunt_ember.studies.points import StudyError, current, parameter_value
from blunt_ember.studies.result import StudyResult

#: Percentiles of an uncertain answer that are told.
PERCENTILES = (2.5, 50.0, 97.5)


def uncertainty(lab: Laboratory, stated: Uncertainty) -> StudyResult:
    """Return mean, deviation and percentiles of every answer at Sobol' points (Owen's scrambling), and what share of
    the variance a straight line in each parameter explains."""
    names = list(stated.spread)
    draws = qmc.Sobol(len(names), seed=stated.seed).random_base2(int(np.ceil(np.log2(stated.count))))[: stated.count]
    columns = [_spread(lab.case, name, stated.spread[name], draws[:, place]) for place, name in enumerate(names)]
    points = [
        dict(zip(names, values, strict=True)) for values in zip(*(each.tolist() for each in columns), strict=True)
    ]
    rows = lab.rows(points)
    result = StudyResult(tuple(points), tuple(rows))
    findings = {}
    inputs = np.stack(columns, axis=1)
    for question in lab.case.document.questions:
        answers = result.answers(question.name)
        known = np.isfinite(answers)
        if known.sum() < 2:
            continue
        told = {"mean": float(answers[known].mean()), "deviation": float(answers[known].std(ddof=1))}
        told |= {f"{each:g} %": float(np.percentile(answers[known], each)) for each in PERCENTILES}
        shares = _shares(inputs[known], answers[known])
        findings[question.name] = told | {f"share of {name}": share for name, share in zip(names, shares, strict=True)}
    failed = sum(bool(row.trouble) for row in rows)
    said = f"{failed} of {len(rows)} cases have no answer and are left out" if failed else ""
    return StudyResult(result.points, result.rows, findings, said=said)


def _shares(inputs: Floats, answers: Floats) -> Floats:
    """What share of the variance of answers (p,) a straight line in each of the inputs (p, d) explains."""
    spread = inputs.std(axis=0)
    scaled = np.where(spread > 0, (inputs - inputs.mean(axis=0)) / np.where(spread > 0, spread, 1.0), 0.0)
    slopes = np.linalg.lstsq(scaled, answers - answers.mean(), rcond=None)[0]
    whole = float(answers.var())
    return np.asarray(slopes**2 / whole if whole > 0 else np.zeros(len(slopes)))


def _spread(case: Case, name: str, spread: Spread, draws: Floats) -> Floats:
    """Values (p,) in SI of a parameter at shares (p,) of its distribution."""
    middle = current(case, name)
    if spread.normal is not None:
        return np.asarray(
            norm.ppf(draws, middle, deviation_of(case, name, spread.normal, middle, case.parameters[name].dimension))
        )
    if spread.lognormal is not None:
        factor = _plain(case, spread.lognormal)
        if factor <= 1 or middle <= 0:
            raise StudyError(f"a lognormal {name} wants a factor above 1, such as '1.2', and a value above zero")
        return np.asarray(lognorm.ppf(draws, np.log(factor), scale=middle))
    if spread.uniform is not None:
        low, high = (parameter_value(case, name, text) for text in spread.uniform)
        require_rising(name, low, high)
        return np.asarray(uniform.ppf(draws, low, high - low))
    assert spread.triangular is not None
    low, likeliest, high = (parameter_value(case, name, text) for text in spread.triangular)
    require_rising(name, low, high)
    if not low <= likeliest <= high:
        raise StudyError(f"the likeliest value of {name} lies outside its lowest and highest")
    return np.asarray(triang.ppf(draws, (likeliest - low) / (high - low), low, high - low))


def _plain(case: Case, text: str) -> float:
    try:
        return float(evaluate(text, case.parameters).magnitude)
    except ExpressionError as error:
        raise StudyError(f"'{text}': {error}") from error
