"""What would be silently wrong is loud: extremes beyond what can be, and ledgers that do not close."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.editing.edits import appended, with_value
from blunt_ember.case.files.case_file import write_case
from blunt_ember.cli.command import SOLVER_FAILED
from blunt_ember.cli.main import main
from blunt_ember.errors import CaseError, SolverError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.report.tables.number_tables import number_table


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
    outcome = Flow().answered(case)
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
    values = {check.name: check.value - 273.15 for check in Flow().answered(case_from_data(data)).checks}
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
    peak = Flow().answered(case_from_data(data)).checks[0].value
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
        Flow().answered(case_from_data(two_blocks(materials=plain, heat_inside=growing)))


def drawn(region: dict[str, Any]) -> dict[str, Any]:
    """A section of one drawn region."""
    return {
        "format": "blunt-ember/1",
        "materials": {"clay": {"k": "1 W/(m K)"}},
        "body": {"kind": "section", "depth": "1 m", "regions": {"lid": {**region, "material": "clay"}}},
        "surroundings": [{"on": "lid.side 1", "temperature": "20 °C"}],
    }


def outline(*steps: Any) -> dict[str, Any]:
    places = [step if isinstance(step[0], tuple) else (step, None) for step in steps[1:]]
    path = [{"to": mm(to)} | ({"through": mm(through)} if through else {}) for to, through in places]
    return {"shape": "outline", "start": mm(steps[0]), "path": path}


def mm(place: tuple[float, float]) -> list[str]:
    return [f"{at} mm" for at in place]


CROSSED = {
    "a bow tie": (outline((0, 0), (10, 10), (10, 0), (0, 10)), "(5 mm, 5 mm), where side 1, side 3 meet"),
    "a polygon": (
        {"shape": "polygon", "points": [mm(at) for at in ((0, 0), (20, 0), (0, 8), (20, 8))]},
        "at (10 mm, 4 mm), where side 2, side 4 meet",
    ),
    "an arc over a side": (
        outline((0, 0), (10, 0), (10, 5), ((0, 5), (5, -2))),
        "(0 mm, 1.571 mm) and at 3 more places",
    ),
    "a corner come to twice": (outline((0, 0), (5, 5), (10, 0), (10, 10), (5, 5), (0, 10)), "(5 mm, 5 mm)"),
    "a corner on a side": (outline((0, 0), (10, 0), (10, 10), (5, 0), (0, 10)), "(5 mm, 0 mm), where side 1"),
    "a side along another": (outline((0, 0), (10, 0), (10, 5), (8, 5), (8, 0), (4, 0), (0, 5)), "crosses or touches"),
}


@pytest.mark.parametrize("name", CROSSED)
@pytest.mark.parametrize("scale", [1.0, 1e-4, 1e5])
def test_an_outline_that_crosses_or_touches_itself_is_refused_where_it_does(name: str, scale: float) -> None:
    region, said = CROSSED[name]
    sized = json.loads(json.dumps(region).replace(" mm", f"*{scale} mm"))
    with pytest.raises(CaseError, match="crosses or touches itself") as refused:
        Flow().answered(case_from_data(drawn(sized)))
    assert scale != 1 or said in str(refused.value)


def test_an_outline_that_does_not_cross_itself_is_not_refused() -> None:
    comb = [(0, 0), (10, 0), (10, 9), (9, 9), (9, 1), (8.999, 1), (8.999, 9), (0, 9)]
    bulging = outline((0, 0), ((10, 0), (5, -4)), (10, 6), ((0, 6), (5, 5.9)))
    closed = outline(*comb, (0.0, 0.1 + 0.2 - 0.3), (0, 0))  # the first place once more, but for round-off
    for region in (closed, outline(*comb), bulging, {"shape": "polygon", "points": [mm(at) for at in comb]}):
        assert Flow().geometry(case_from_data(drawn(region))).regions[0].name == "lid"


@pytest.mark.parametrize(
    ("kind", "cells"),
    [
        ("triangle", [[0, 1, 2], [0, 2, 3], [0, 1, 4]]),  # on one side of an edge
        ("triangle", [[0, 1, 2], [0, 2, 3], [0, 2, 3]]),  # the same one twice
        ("triangle", [[0, 1, 2], [0, 2, 3], [5, 6, 7]]),  # one in the midst of another, without a common node
        ("tetra", [[0, 1, 2, 8], [0, 1, 2, 9]]),
    ],
)
def test_cells_that_lie_in_each_other_are_refused(kind: str, cells: list[list[int]], tmp_path: Path) -> None:
    points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.8, 0.4, 0], [0.5, 0.2, 0], [0.7, 0.2, 0], [0.6, 0.3, 0]]
    points += [[0.5, 0.3, 1], [0.6, 0.3, 2]] if kind == "tetra" else []
    meshio.Mesh(np.array(points, float), [(kind, np.array(cells))]).write(tmp_path / "b.vtu")
    body = {"kind": "imported", "file": "b.vtu", "unit": "1 m", "groups": {"body": {"material": "clay"}}}
    case = case_from_data({**drawn({}), "body": body, "surroundings": []}, str(tmp_path))
    with pytest.raises(CaseError, match=r"lie in each other|two others"):
        Flow().geometry(case)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("body", [{"kind": "section", "depth": "1 m"}, {"kind": "turned section"}])
@pytest.mark.parametrize("clock", [{}, {"clock": {"start": "95 °C", "end": "10 min"}}])
def test_heat_between_faces_that_meet_at_two_temperatures_has_no_bound(
    body: dict[str, Any], clock: dict[str, Any]
) -> None:
    """No ± is told of what grows as cells become smaller; of both faces together it has one, as it has of the rest."""
    rect = {"shape": "rectangle", "size": ["181 mm", "35 mm"], "material": "m", "at": ["60 mm", "0 mm"]}
    data = {
        "format": "blunt-ember/1",
        "materials": {"m": {"k": "2.8 W/(m K)", "density": "2000 kg/m³", "c": "900 J/(kg K)"}},
        "body": {**body, "regions": {"a": rect}},
        "surroundings": [
            {"on": "a.left", "temperature": "311 °C"},
            {"on": "a.top", "temperature": "95 °C"},
            {"on": "a.right", "temperature": "95 °C"},
            {"on": "a.bottom", "film": {"h": "9 W/(m² K)", "temperature": "20 °C"}},
        ],
        "questions": [
            {"name": "left", "heat_flow": "a.left"},
            {"name": "top", "heat_flow": "a.top"},
            {"name": "right", "heat_flow": "a.right"},
            {"name": "all", "heat_flow": ["a.left", "a.top", "a.right"]},
            {"name": "below", "heat_flow": "a.bottom"},
        ],
        **clock,
    }
    found = {check.name: check for check in Flow().run(case_from_data(data)).checks}
    for name in ("left", "top"):
        assert found[name].unbounded and found[name].error is None
        assert "'a.left' and 'a.top' meet" in found[name].note or "'a.top' and 'a.left' meet" in found[name].note
    for name in ("right", "all", "below"):
        check = found[name]
        assert not check.unbounded and check.error is not None and check.error < 0.05 * abs(check.value)


_POINT, _LINE = {"at": ["40 mm", "30 mm"]}, {"along": {"start": ["30 mm", "30 mm"], "end": ["70 mm", "30 mm"]}}
_IN_SPACE = {
    **{"at": ["40 mm", "30 mm", "20 mm"]},
    "along": {"start": ["30 mm", "30 mm", "20 mm"], "end": ["70 mm", "30 mm", "20 mm"]},
}


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("kind", "heat", "unbounded"),
    [
        ("section", _POINT, True),
        ("turned section", _POINT, True),
        ("section", _LINE, False),
        ("stacked", {"at": _IN_SPACE["at"]}, True),
        ("stacked", {"along": _IN_SPACE["along"]}, True),
    ],
    ids=str,
)
def test_the_temperature_where_heat_takes_up_no_room_has_no_bound(
    kind: str, heat: dict[str, Any], unbounded: bool
) -> None:
    """It was told with a ±, and agreed with what is expected to be infinite."""
    more = {"z": ["0 mm", "40 mm"]} if kind == "stacked" else {}
    third = ["20 mm"] if kind == "stacked" else []
    across = {"start": ["40 mm", "0 mm", *third], "end": ["40 mm", "60 mm", *third]}
    aside = {"start": ["41 mm", "0 mm", *third], "end": ["41 mm", "20 mm", *third]}

    def checks(watts: int, **stated: Any) -> dict[str, Any]:
        rect = {"shape": "rectangle", "size": ["100 mm", "60 mm"], "material": "m", "at": ["0 mm", "0 mm"], **more}
        data = {
            "format": "blunt-ember/1",
            "materials": {"m": {"k": "2 W/(m K)", "density": "2000 kg/m³", "c": "900 J/(kg K)"}},
            "body": {"kind": kind, "regions": {"a": rect}, **({"depth": "1 m"} if kind == "section" else {})},
            "surroundings": [{"on": "a.right", "temperature": "20 °C"}],
            "heat_inside": [{**heat, "total": f"{watts} W"}],
            "mesh": {"size": "10 mm", "across": 2, "order": 1},
            "questions": [
                {"name": "there", "temperature": ["40 mm", "30 mm", *third]},
                {"name": "highest", "highest": "a"},
                {"name": "lowest", "lowest": "body"},
                {"name": "across", "highest": across},
                {"name": "aside", "highest": aside},
                {"name": "beside", "temperature": ["45 mm", "40 mm", *third]},
                {"name": "mean", "mean": "body"},
                {"name": "side", "highest": "a.right"},
                {"name": "rise", "derived": "there - beside"},
            ],
            **stated,
        }
        return {check.name: check for check in Flow(curves=False).run(case_from_data(data)).checks}

    hot = checks(30)
    told = {name for name, check in hot.items() if check.unbounded}
    assert told == ({"there", "highest", "across", "rise"} if unbounded else set())
    for name, check in hot.items():
        assert (check.error is None) == (name in told), check
        assert ("takes up no room" in check.note or "'there' has none" in check.note) == (name in told)
    if not unbounded:
        return
    assert "is the higher" in hot["there"].note
    cold = checks(-30)
    assert cold["lowest"].unbounded and not cold["highest"].unbounded and "is the lower" in cold["lowest"].note
    # What is of one temperature takes all that arises in it.
    even = checks(
        30,
        isothermal=[{"region": "a"}],
        surroundings=[{"on": "a.right", "film": {"h": "9 W/(m² K)", "temperature": "20 °C"}}],
    )
    assert not any(check.unbounded for check in even.values())
    # Nor does it after the heat has ended; as long as it lasts, when it gets so warm depends on the cells too.
    clock = {"start": "20 °C", "end": "3 min", "tolerance": "10 %"}
    passing = [{"name": "when", "when": {"passes": "21 °C", "temperature": ["40 mm", "30 mm", *third]}}]
    during = checks(30, clock=clock, questions=[*passing, {"name": "end", "highest": "body"}])
    assert during["when"].unbounded and during["end"].unbounded
    ended = [{**heat, "total": "30 W", "before": "1 min"}]
    after = checks(30, clock=clock, heat_inside=ended, questions=[*passing, {"name": "end", "highest": "body"}])
    assert not after["end"].unbounded and after["when"].unbounded


@pytest.mark.one_in(2)
@pytest.mark.parametrize("mesh", [{"across": 20}, {"order": 1}, {"cells": "triangles"}, {"size": "2 mm"}], ids=str)
def test_no_extreme_lies_beyond_what_a_body_without_heat_of_its_own_meets(mesh: dict[str, Any]) -> None:
    """Beside a jump of what is held cells swing, the more so where conduction has a direction, by up to 9 K below the
    lowest that is held; heat that arises may bring it beyond."""
    plate = {"shape": "rectangle", "size": ["36 mm", "106 mm"], "material": "m"}
    core = {"shape": "rectangle", "size": ["14 mm", "106 mm"], "right_of": "plate", "material": "m"}
    data: dict[str, Any] = {
        "format": "blunt-ember/1",
        "materials": {"m": {"k": {"along": "14.8 W/(m K)", "across": "3.08 W/(m K)"}}},
        "body": {"kind": "section", "regions": {"plate": plate, "core": core}},
        "isothermal": [{"region": "core"}],
        "surroundings": [{"on": "plate.left", "temperature": "138 °C"}, {"on": "plate.bottom", "temperature": "13 °C"}],
        "mesh": mesh,
        "questions": [{"name": "low", "lowest": "body"}, {"name": "high", "highest": "body"}],
    }
    outcome = Flow().run(case_from_data(data))
    swings = any("to which no heat can lead" in note.message for note in outcome.notes)
    assert swings or mesh != {"across": 20}
    low, high = outcome.checks
    assert low.value == pytest.approx(286.15) and high.value == pytest.approx(411.15)
    assert low.error is not None and high.error is not None and max(low.error, high.error) < 1e-9
    heated = {**data, "heat_inside": [{"region": "plate", "per_volume": "90 MW/m³"}]}
    low, high = Flow().answered(case_from_data(heated)).checks
    assert low.value == pytest.approx(286.15) and high.value > 500


@pytest.mark.parametrize("order", [1, 2])
def test_a_body_that_settles_by_its_own_heat_alone_has_its_extremes(order: int) -> None:
    """It meets nothing that could bound it: heat arises below 300 K and is lost above."""
    plate = {"shape": "rectangle", "size": ["36 mm", "50 mm"], "material": "m"}
    data = {
        "format": "blunt-ember/1",
        "materials": {"m": {"k": "2 W/(m K)"}},
        "body": {"kind": "section", "regions": {"plate": plate}},
        "heat_inside": [{"region": "plate", "per_volume": "1000 W/(m³ K)*(300 K - T)"}],
        "mesh": {"order": order},
        "questions": [{"name": "low", "lowest": "body"}, {"name": "high", "highest": "body"}],
    }
    outcome = Flow().run(case_from_data(data))
    assert [check.value for check in outcome.checks] == pytest.approx([300.0, 300.0])
    assert not outcome.notes and all(check.error is not None and check.error < 1e-6 for check in outcome.checks)
