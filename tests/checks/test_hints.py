"""An answer that is off, or a time that is told poorly, says which setting would help."""

from __future__ import annotations

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import with_value, without
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


def test_theory_of_an_ideal_body_is_compared_with_where_it_is_asked_for_and_blamed_for_what_it_leaves_out() -> None:
    case = family("straight-fin").case()
    for name, value in {"h": "4500 W/(m² K)", "thickness": "4 mm"}.items():
        case = with_value(case, ("parameters", name), value)
    asked = solved(with_value(case, ("questions", 1, "tolerance"), "0.1 %"))["base"]
    assert asked.verdict == "off" and "idealised body" in asked.note
    assert asked.source is not None and str(asked.source).startswith("theory: ") and asked.source.short == "theory"
    unasked = solved(without(case, ("questions", 1, "expect")))["base"]
    assert unasked.value == pytest.approx(asked.value)
    assert unasked.source is not None and unasked.source.short == "second method"  # never the theory


@pytest.mark.one_in(2)
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


def block(size: str, order: int) -> Case:
    """A block about a core, whose held bottom meets a strong film in a corner, on cells of a size."""
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}, "casting": {"k": "30*(1 + (T - 300 K)/1000 K)*1 W/(m K)"}},
            "body": {
                "kind": "section",
                "depth": "1 m",
                "regions": {
                    "block": {"shape": "rectangle", "size": ["1 m", "1 m"], "material": "clay"},
                    "core": {
                        "shape": "rectangle",
                        "at": ["0.25 m", "0.25 m"],
                        "size": ["0.5 m", "0.5 m"],
                        "material": "casting",
                    },
                },
            },
            "mesh": {"size": size, "order": order},
            "surroundings": [
                {"on": "block.bottom", "temperature": "10 °C"},
                {"on": "block.left", "film": {"h": "25 W/(m² K)", "temperature": "200 °C"}},
            ],
            "questions": [
                {"name": "out", "heat_flow": "block.bottom", "direction": "out"},
                {"name": "inside", "temperature": ["0.3 m", "0.2 m"]},
                {"name": "share", "derived": "out/(1 kW)"},
                {"name": "nothing", "heat_flow": "block.right"},
            ],
        }
    )


def test_an_answer_that_is_barely_told_says_how_poorly_and_what_tells_more() -> None:
    coarse = solved(block("500 mm", 1))
    for name, whole in (("out", "it"), ("inside", "the span of temperatures")):
        check = coarse[name]
        assert check.error is not None and check.error > 0.05 * check.scale
        assert (
            f"± is {100 * check.error / check.scale:.0f} % of {whole}: a smaller size of cells tells more" in check.note
        )
    assert coarse["out"].scale == pytest.approx(abs(coarse["out"].value))
    assert coarse["inside"].scale == pytest.approx(190, rel=0.2)
    assert not any("±" in coarse[name].note for name in ("share", "nothing"))
    assert not any("±" in check.note for check in solved(block("20 mm", 2)).values())


def test_radiation_that_balances_is_not_said_to_be_poorly_told() -> None:
    net = solved(family("ware-chamber").case())["net of the post"]
    assert net.error is not None and net.error > 0.05 * abs(net.value)  # both are round-off
    assert "±" not in net.note
