"""Derivatives by the adjoint solution beside differences, which know nothing of it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.gallery.families import family
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.study import study
from blunt_ember.studies.telling import result_object


def slopes(case: Case, **stated: Any) -> StudyResult:
    stated = {"it": {"kind": "sensitivity", **stated}}
    return study(case_from_data({**case.data, "studies": stated}, case.folder), "it", ResultsStore(None), jobs=1)


#: Cases with what their derivatives meet: layers, films, k(T), radiation, contacts, shapes that follow parameters,
#: directions, repeats, enclosures, space.
CASES = [
    "composite-wall",
    "wall-k-of-t",
    "wall-film-and-radiation",
    "plate-orthotropic",
    "strip-off-axis",
    "periodic-strip",
    "rod-radiating-tip",
    "generating-shell",
    "foiled-pipe",
    "stacked-floor",
]


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", CASES)
def test_the_adjoint_solution_and_differences_tell_the_same(name: str) -> None:
    case = family(name).case()
    vary = [name for name in case.parameters if np.ndim(case.parameters[name].magnitude) == 0][:2]
    adjoint, differences = slopes(case, vary=vary), slopes(case, vary=vary, by="differences")
    assert "by the adjoint solution" in adjoint.said and "adjoint" not in differences.said
    assert len(adjoint.points) <= len(differences.points)
    size = np.array([abs(float(case.parameters[name].magnitude)) for name in vary])
    for question, found in differences.findings.items():
        expected = np.array(list(found.values())) * size
        told = np.array(list(adjoint.findings[question].values())) * size
        # An answer of 600 K whose slopes are none has those of round-off.
        assert told == pytest.approx(expected, abs=1e-6 * max(np.abs(expected).max(), 1e-3)), question


def test_all_of_a_case_costs_one_solution_and_an_adjoint_one_for_every_answer() -> None:
    heard: list[tuple[int, int]] = []
    case = family("composite-wall").case()
    stated = {"it": {"kind": "sensitivity"}}
    case = case_from_data({**case.data, "studies": stated})
    found = study(case, "it", ResultsStore(None), lambda done, of: heard.append((done, of)), jobs=1)
    assert found.points == ({},) and len(found.rows) == 1  # nothing was solved at other values
    assert heard[-1] == (1, 1) and (len(case.parameters),) * 2 in heard


def test_what_the_adjoint_solution_does_not_tell_is_told_by_differences_and_named() -> None:
    contact = slopes(family("wall-contact").case())
    assert contact.said == "by the adjoint solution, but by differences: through the joint"
    assert all(np.isfinite(list(found.values())).all() for found in contact.findings.values())
    # A clock that runs has none at all.
    cooling = family("cooling-wall-one-sided").case()
    moving = slopes(cooling, vary=["h"] if "h" in cooling.parameters else [next(iter(cooling.parameters))])
    assert "adjoint" not in moving.said and len(moving.points) == 4


def test_slopes_are_told_relative_too() -> None:
    case = family("composite-wall").case()
    case = case_from_data({**case.data, "studies": {"it": {"kind": "sensitivity"}}})
    told = result_object(case, "it", study(case, "it", ResultsStore(None), jobs=1))["relative"]
    resistance = 0.114 / 0.35 + 0.05 / 0.12 + 0.003 / 45 + 1 / 12
    assert told["heat flow"]["k_brick"] == pytest.approx(0.114 / 0.35 / resistance, rel=1e-8)
    assert "T_hot" not in told["heat flow"] and "outer surface" not in told
