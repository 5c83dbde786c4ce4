"""How uncertain answers are when parameters are: answers at points drawn from their distributions."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.stats import binom, kurtosis, lognorm, norm, qmc, triang, uniform

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Spread, Uncertainty
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.errors import BluntEmberError, ExpressionError
from blunt_ember.flow.answering.error_estimate import estimate_errors
from blunt_ember.studies.kinds.variance_shares import SharedDraws, straight_shares
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import StudyError, current, parameter_value
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.stated_values import deviation_of, require_rising

#: Percentiles of an uncertain answer that are told.
PERCENTILES = (2.5, 50.0, 97.5)
#: How sure what is told of a distribution is, and the half width of that in standard deviations.
_SURE = 0.95
_HALF = float(norm.ppf(0.5 + _SURE / 2))
#: Where straight lines in the parameters explain less of a variance than this, parameters act together.
_EXPLAINED = 0.95
#: A share of a distribution that is nearly nothing of it.
_HARDLY = 1e-6


def uncertainty(lab: Laboratory, stated: Uncertainty) -> StudyResult:
    """Return mean, deviation and percentiles of every answer, each with what it may be off by as there are only so many
    points, those with the error of the mesh added, and what shares of the variance parameters have.

    Points are Sobol' ones (Owen's scrambling) or a Latin hypercube; where all shares are asked, as Saltelli's method
    wants them.
    """
    names = list(stated.spread)
    ways = _correlation(stated, names)
    shared = SharedDraws(names, stated.count, stated.seed) if stated.shares else None
    if shared is not None and ways is not None:
        raise StudyError("shares of the variance are told of parameters that are not correlated; leave one of both out")
    if shared is not None and stated.points != "Sobol":
        raise StudyError("all shares of the variance are told from Sobol' points; leave one of both out")
    draws = _drawn(len(names), stated) if shared is None else shared.draws
    if ways is not None:  # a normal copula
        draws = norm.cdf(norm.ppf(draws) @ ways)
    columns = [_spread(lab.case, name, stated.spread[name], draws[:, place]) for place, name in enumerate(names)]
    points = [
        dict(zip(names, values, strict=True)) for values in zip(*(each.tolist() for each in columns), strict=True)
    ]
    rows = lab.rows(points)
    result = StudyResult(tuple(points), tuple(rows))
    errors, remarks = _mesh_errors(lab)
    findings, inputs, bent = {}, np.stack(columns, axis=1), []
    for place, question in enumerate(lab.case.document.questions):
        answers = result.answers(question.name)
        known = np.isfinite(answers)
        apart = known if shared is None else known & shared.independent
        if apart.sum() < 2:
            continue
        told = _told(answers[apart])
        if np.isfinite(errors[place]):
            told["± of the mesh"] = float(errors[place])
            told["from, with it"] = told[f"{PERCENTILES[0]:g} %"] - float(errors[place])
            told["to, with it"] = told[f"{PERCENTILES[-1]:g} %"] + float(errors[place])
        if shared is not None and known.all():
            told |= shared.told(answers)
        elif shared is None and ways is None:
            shares = straight_shares(inputs[known], answers[known])
            told |= {f"share of {name}": share for name, share in zip(names, shares, strict=True)}
            if shares.sum() < _EXPLAINED and answers[known].std() > 0:
                bent.append(f"{100 * shares.sum():.0f} % of the variance of {question.name}")
        findings[question.name] = told
    if bent:
        how = "ask for all shares, and see what parameters do by bends and together"
        remarks.append(f"straight lines explain only {', '.join(bent)}: {how}")
    failed = sum(bool(row.trouble) for row in rows)
    if failed:
        remarks.append(f"{failed} of {len(rows)} cases have no answer and are left out")
        if shared is not None:
            remarks.append("shares want an answer of every case")
    if any(np.isnan(told.get(f"± {PERCENTILES[0]:g} %", 0.0)) for told in findings.values()):
        remarks.append("so few independent cases do not tell how well the outer percentiles are known; 160 do")
    return StudyResult(result.points, result.rows, findings, said="; ".join(remarks))


def _drawn(count: int, stated: Uncertainty) -> Floats:
    """Draws (p, d) between 0 and 1."""
    if stated.points == "Latin hypercube":
        return np.asarray(qmc.LatinHypercube(count, seed=stated.seed).random(stated.count))
    draws = qmc.Sobol(count, seed=stated.seed).random_base2(int(np.ceil(np.log2(stated.count))))
    return np.asarray(draws[: stated.count])


def _told(answers: Floats) -> dict[str, float]:
    """What is told of answers (p,), SI, and half of the interval it lies in by :data:`_SURE`.

    Percentiles by order statistics, whatever the distribution (David & Nagaraja, Order Statistics, 3rd ed., § 7.1);
    all as of points at random, than which Sobol' points are better.
    """
    count, mean, deviation = len(answers), float(answers.mean()), float(answers.std(ddof=1))
    peaked = float(kurtosis(answers, fisher=False)) if deviation > 0 else 3.0
    told = {
        "mean": mean,
        "± mean": _HALF * deviation / np.sqrt(count),
        "deviation": deviation,
        "± deviation": _HALF * deviation * float(np.sqrt(max(peaked - 1, 0) / (4 * count))),
    }
    ordered = np.sort(answers)
    for each in PERCENTILES:
        first, last = (int(binom.ppf(0.5 + way * _SURE / 2, count, each / 100)) for way in (-1, 1))
        value = float(np.percentile(answers, each))
        outside = first < 1 or last >= count
        told[f"{each:g} %"] = value
        told[f"± {each:g} %"] = np.nan if outside else max(value - ordered[first - 1], ordered[last] - value)
    return told


def _mesh_errors(lab: Laboratory) -> tuple[Floats, list[str]]:
    """The estimated errors (q,) of the answers of the case as it stands, SI, and a remark where there are none."""
    try:
        found = estimate_errors(lab.flow, lab.case, lab.flow.solved(lab.case))
    except BluntEmberError as error:
        nothing = np.full(len(lab.case.document.questions), np.nan)
        return nothing, [f"the case as it stands has no answer, whose error could be added: {error}"]
    return np.array(found.amounts), []


def _correlation(stated: Uncertainty, names: list[str]) -> Floats | None:
    """What takes independent normal scores (p, d) to those that are correlated (d, d); None where none are.

    Raises :class:`StudyError` for correlations of what is not spread, and such as cannot all be.
    """
    if not stated.correlated:
        return None
    matrix = np.eye(len(names))
    for each in stated.correlated:
        missing = [name for name in each.parameters if name not in names]
        if missing:
            raise StudyError(f"'{missing[0]}' is correlated, but it is not spread; say how, under 'spread'")
        first, second = (names.index(name) for name in each.parameters)
        if first == second:
            raise StudyError(f"'{names[first]}' is correlated with itself; name two parameters")
        matrix[first, second] = matrix[second, first] = each.by
    sizes, ways = np.linalg.eigh(matrix)
    if sizes[0] < -1e-9:
        raise StudyError("these correlations cannot all hold at once; take some of them nearer to zero")
    return np.asarray((ways * np.sqrt(np.clip(sizes, 0, None))) @ ways.T)


def _spread(case: Case, name: str, spread: Spread, draws: Floats) -> Floats:
    """Values (p,) in SI of a parameter at shares (p,) of its distribution, which limits may cut off."""
    distribution = _distribution(case, name, spread)
    if spread.limits is not None:
        low, high = (parameter_value(case, name, text) for text in spread.limits)
        require_rising(name, low, high)
        ends = distribution.cdf([low, high])
        if not ends[1] - ends[0] > _HARDLY:
            raise StudyError(f"{name} hardly ever is between its limits; widen them")
        draws = ends[0] + draws * (ends[1] - ends[0])
    return np.asarray(distribution.ppf(draws))


def _distribution(case: Case, name: str, spread: Spread) -> Any:
    """The distribution of a parameter, SI."""
    middle = current(case, name)
    if spread.normal is not None:
        return norm(middle, deviation_of(case, name, spread.normal, middle, case.parameters[name].dimension))
    if spread.lognormal is not None:
        factor = _plain(case, spread.lognormal)
        if factor <= 1 or middle <= 0:
            raise StudyError(f"a lognormal {name} wants a factor above 1, such as '1.2', and a value above zero")
        return lognorm(np.log(factor), scale=middle)
    if spread.uniform is not None:
        low, high = (parameter_value(case, name, text) for text in spread.uniform)
        require_rising(name, low, high)
        return uniform(low, high - low)
    assert spread.triangular is not None
    low, likeliest, high = (parameter_value(case, name, text) for text in spread.triangular)
    require_rising(name, low, high)
    if not low <= likeliest <= high:
        raise StudyError(f"the likeliest value of {name} lies outside its lowest and highest")
    return triang((likeliest - low) / (high - low), low, high - low)


def _plain(case: Case, text: str) -> float:
    try:
        return float(evaluate(text, case.parameters).magnitude)
    except ExpressionError as error:
        raise StudyError(f"'{text}': {error}") from error
