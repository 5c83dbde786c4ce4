"""An answer that is off, or a time that is told poorly, says which setting would help."""

from __future__ import annotations

import pytest

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.checks.verdict import Check
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family


def solved(case: Case) -> dict[str, Check]:
    return {check.name: check for check in Flow().run(case).checks}


def test_an_answer_off_by_its_own_error_asks_for_cells_and_one_off_by_more_for_another_look() -> None:
    case = family("wall-corner").case()
    coarse = with_value(case, ("mesh",), {"size": "w/2", "order": 1})
    coarse = with_value(coarse, ("questions", 0, "tolerance"), "0.01 %")
    check = solved(coarse)["loss"]
    assert check.verdict == "off" and check.note == (
        "its own error may be as large as that: a smaller size of cells tells more"
    )
    finer = with_value(coarse, ("mesh",), {"size": "w/20", "order": 2})
    finer = with_value(finer, ("questions", 0, "tolerance"), "1 %")
    assert solved(finer)["loss"].verdict == "agrees" and not solved(finer)["loss"].note
    wrong = with_value(finer, ("questions", 0, "expect"), {"value": "100 W", "source": "a slip of the pen"})
    check = solved(wrong)["loss"]
    assert check.verdict == "off" and "off by more than its error" in check.note


@pytest.mark.parametrize(("tolerance", "said"), [("2 %", True), ("0.001 %", False)])
def test_a_time_that_is_told_poorly_asks_for_a_smaller_tolerance(tolerance: str, said: bool) -> None:
    # A film that swings by nothing to speak of: what follows time takes steps.
    film = {"h": "h_out*(1 + 1e-9*sin(t/1 h))", "temperature": "T_air"}
    case = with_value(family("cooling-wall").case(), ("surroundings", 0, "film"), film)
    check = solved(with_value(case, ("clock", "tolerance"), tolerance))["fit to touch"]
    assert check.error is not None
    assert ("'tolerance' of the clock" in check.note) == said
    exact = solved(family("cooling-wall").case())["fit to touch"]
    assert abs(check.value - exact.value) <= check.error and not exact.note
