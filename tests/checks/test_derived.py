"""Formulas over answers: their value, their error, what is exact of them, and what is wrong with them."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.renaming import renamed_formula, renamed_question
from blunt_ember.checks.verdict import Check
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family


def with_questions(name: str, *questions: dict[str, Any]) -> Case:
    data = dict(family(name).case().data)
    return case_from_data({**data, "questions": [*data["questions"], *questions]})


def checks(case: Case) -> dict[str, Check]:
    return {check.name: check for check in Flow().run(case).checks}


ETA = {
    "name": "efficiency",
    "derived": "heat_of_the_fin/(h*2*depth*length*(T_base - T_air))",
    "expect": {"exact": "straight-fin"},
    "tolerance": "0.1 %",
}


def test_the_efficiency_of_a_fin_follows_from_its_answers_and_so_does_what_is_exact_of_it() -> None:
    found = checks(with_questions("straight-fin", ETA))
    eta, heat = found["efficiency"], found["heat of the fin"]
    expected = heat.value / (42 * 2 * 0.06 * 0.038 * (345.15 - 297.15))
    assert eta.value == pytest.approx(expected, rel=1e-12) and eta.kind.unit == ""
    assert eta.expected is not None and heat.expected is not None
    assert eta.expected / heat.expected == pytest.approx(eta.value / heat.value, rel=1e-9)
    assert eta.verdict == "agrees" and eta.error is not None and heat.error is not None
    assert eta.error == pytest.approx(heat.error * eta.value / heat.value, rel=0.05)


def test_kinds_follow_from_the_formula() -> None:
    found = checks(
        with_questions(
            "composite-wall",
            {"name": "flow", "heat_flow": "brick.left"},
            {"name": "inside", "mean": "brick.left"},
            {"name": "cold face", "mean": "shell.right"},
            {"name": "drop", "derived": "inside - cold_face"},
            {"name": "R_all", "derived": "drop/flow"},
            {"name": "U", "derived": "1/R_all"},
            {"name": "middle", "derived": "(inside + cold_face)/2"},
        )
    )
    shown = {name: found[name].kind.shown for name in ("drop", "R_all", "U", "middle")}
    assert shown == {"drop": "K", "R_all": "K/W", "U": "W/K", "middle": "°C"}
    assert found["R_all"].value * found["U"].value == pytest.approx(1)
    assert found["middle"].value == pytest.approx((found["inside"].value + found["cold face"].value) / 2)
    assert all(found[name].verdict == "agrees" for name in shown)


def test_in_time_every_answer_is_taken_when_it_is_asked_for_and_a_difference_has_its_history() -> None:
    early = {"name": "early", "temperature": ["thickness/2", "thickness/16"], "time": "t_end/4"}
    cooled = {"name": "cooled", "derived": "early - middle"}
    apart = {"name": "apart", "derived": "middle - face"}
    outcome = Flow().run(with_questions("cooling-wall", early, cooled, apart))
    found = {check.name: check for check in outcome.checks}
    assert found["cooled"].value == pytest.approx(found["early"].value - found["middle"].value)
    assert found["apart"].expected == pytest.approx(found["apart"].value, rel=0.02)
    history = next(each for each in outcome.histories if each.name == "apart")
    assert history.values[0] == pytest.approx(0, abs=1e-6) and history.values.max() > 10


def test_a_name_that_changes_is_followed() -> None:
    case = renamed_question(with_questions("straight-fin", ETA), 0, "Q at the base")
    assert case.data["questions"][-1]["derived"].startswith("Q_at_the_base/(h*")
    case = renamed_formula(case, "parameters", "h", "h_fin")
    assert "(h_fin*2" in case.data["questions"][-1]["derived"]
    assert checks(case)["efficiency"].verdict == "agrees"


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("2*nothing", "there is no question"),
        ("tip + heat_of_the_fin", "cannot stand on two sides"),
        ("tip + half_way", "adds readings"),
        ("later/2", "stands after it"),
        ("h/(1 W/(m² K))*later", "stands after it"),
        ("derived", "its own answer"),
        ("base^^2", "^"),
    ],
)
def test_what_says_nothing_is_refused_where_it_stands(formula: str, said: str) -> None:
    with pytest.raises(CaseError) as refused:
        with_questions("straight-fin", {"name": "derived", "derived": formula}, {"name": "later", "lowest": "body"})
    (fault,) = refused.value.faults
    assert fault.path == "questions[4].derived" and said in fault.message
