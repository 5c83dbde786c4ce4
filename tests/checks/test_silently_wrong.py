"""What would be silently wrong is loud: extremes beyond what can be, and ledgers that do not close."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.editing.edits import appended, with_value
from blunt_ember.case.files.case_file import write_case
from blunt_ember.cli.command import SOLVER_FAILED
from blunt_ember.cli.main import main
from blunt_ember.errors import SolverError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.report.number_tables import number_table


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("size", ["auto", "thickness/5", "thickness/23"])
def test_extremes_stay_within_what_is_held(order: int, size: str) -> None:
    """Two held surfaces meet in a corner, where a quadratic facet swings beyond its nodes however fine it is."""
    case = family("hot-edge-plate").case()
    if size != "auto":
        case = with_value(case, ("mesh", "size"), f"{10 if size.endswith('5') else 3} mm")
    case = with_value(case, ("mesh", "order"), order)
    line = {"start": ["0 mm", "1 mm"], "end": ["20 mm", "1 mm"]}
    targets = ("plate.top", "plate.left", "plate.right", "body", line)
    asked = [(how, target) for how in ("highest", "lowest") for target in targets]
    for number, (how, target) in enumerate(asked):
        case = appended(case, ("questions",), {"name": f"{how} {number}", how: target})
    outcome = Flow().run(case)
    assert outcome.problem is not None and outcome.solution is not None
    held = [law.constant for law in outcome.problem.held.values() if law.constant is not None]
    for check in outcome.checks[-len(asked) :]:
        assert min(held) - 1e-9 <= check.value <= max(held) + 1e-9, check.name
    table = number_table(outcome, "surfaces")
    assert table is not None
    for row in table.csv().splitlines()[1:]:
        assert "287" not in row
    top = next(check for check in outcome.checks if check.name == "highest 0")
    assert top.value == pytest.approx(max(held), abs=1e-9)


@pytest.mark.parametrize("across", [1, 3])
def test_extremes_of_a_solid_stay_within_what_is_held(across: int) -> None:
    """Held surfaces meet along the edges of a block, which quadratic facets swing at in two directions."""
    block = {"shape": "rectangle", "size": ["30 mm", "20 mm"], "z": ["0 mm", "10 mm"], "material": "a"}
    data = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "2 W/(m K)"}},
        "body": {"kind": "stacked", "regions": {"a": block}},
        "surroundings": [
            {"on": "a.top", "temperature": "260 °C"},
            {"on": ["a.left", "a.front"], "temperature": "40 °C"},
        ],
        "mesh": {"size": "8 mm", "across": across},
        "questions": [
            {"name": f"{how} {target[2:]}", how: target}
            for how in ("highest", "lowest")
            for target in ("a.top", "a.right")
        ],
    }
    values = {check.name: check.value - 273.15 for check in Flow().run(case_from_data(data)).checks}
    assert values["highest top"] == pytest.approx(260.0, abs=1e-9)
    assert all(40.0 - 1e-9 <= value <= 260.0 + 1e-9 for value in values.values()), values


def test_a_smooth_maximum_between_nodes_is_still_found() -> None:
    """Heat arises in a wall held on both sides: the peak of the parabola, with a node nowhere near it."""
    data = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "2 W/(m K)"}},
        "body": {
            "kind": "section",
            "regions": {"a": {"shape": "rectangle", "size": ["60 mm", "20 mm"], "material": "a"}},
        },
        "surroundings": [{"on": "a.left", "temperature": "20 °C"}, {"on": "a.right", "temperature": "23 °C"}],
        "heat_inside": [{"region": "a", "per_volume": "2e5 W/m³"}],
        "mesh": {"size": "12 mm"},
        "questions": [{"name": "peak", "highest": "a.top"}],
    }
    peak = Flow().run(case_from_data(data)).checks[0].value
    # T = 20 + 3 x/L + q x (L − x)/2k, highest at x = L/2 + 3 k/(q L)
    length, q, k = 0.06, 2e5, 2.0
    x = length / 2 + 3 * k / (q * length)
    assert peak == pytest.approx(293.15 + 3 * x / length + q * x * (length - x) / (2 * k), abs=0.02)


def runaway() -> Case:
    wall = family("plane-wall").case()
    materials = {name: {**entry, "k": "1 W/(m K)*exp(T/1 K)"} for name, entry in wall.data["materials"].items()}
    return wall.restated({**wall.data, "materials": materials, "questions": []})


def test_a_ledger_that_does_not_close_is_no_answer(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    *_, outcome = Flow().outcomes(runaway())
    assert outcome.trouble is not None and "ledger is open by" in str(outcome.trouble)
    assert not outcome.checks
    path = tmp_path / "runaway.ember"
    write_case(runaway(), path)
    assert main(["solve", str(path)]) == SOLVER_FAILED
    assert "no answer" in capsys.readouterr().err


def two_blocks(**more: Any) -> dict[str, Any]:
    places = {"p": ("a", "0 mm"), "q": ("b", "50 mm")}
    regions = {
        name: {"shape": "rectangle", "size": ["50 mm", "50 mm"], "at": [x, "0 mm"], "material": material}
        for name, (material, x) in places.items()
    }
    return {
        "format": FORMAT,
        "materials": {"a": {"k": "1e12 W/(m K)"}, "b": {"k": "1e-12 W/(m K)"}},
        "body": {"kind": "section", "depth": "1 m", "regions": regions},
        "surroundings": [{"on": "p.left", "temperature": "100 °C"}, {"on": "q.right", "temperature": "20 °C"}],
        "questions": [{"name": "in", "heat_flow": "p.left"}, {"name": "out", "heat_flow": "q.right", "basis": "area"}],
        **more,
    }


def test_a_heat_lost_in_round_off_has_an_error_as_large_as_that() -> None:
    """Read on the side that hardly resists it is none at all; on the other one it is exact to its digits."""
    into, out = Flow().run(case_from_data(two_blocks())).checks
    expected = 1e-12 * 80
    assert abs(into.value - expected) <= into.error < 10
    assert out.value == pytest.approx(-expected / 0.05, rel=1e-9)
    assert 0 < out.error < 1e-6 * abs(out.value)


def test_heat_that_grows_with_temperature_without_end_is_not_said_to_be_taken_out() -> None:
    growing = [{"region": "p", "per_volume": "1e5 W/m³*(T/(1 K))/300*40"}]
    plain = {"a": {"k": "1 W/(m K)"}, "b": {"k": "2 W/(m K)"}}
    with pytest.raises(SolverError, match="heats up without end"):
        Flow().run(case_from_data(two_blocks(materials=plain, heat_inside=growing)))
