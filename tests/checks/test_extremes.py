"""Where the highest and the lowest temperature that are asked for are."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.report.tables.checks import outcome_object

PLATE: dict[str, Any] = {
    "format": "blunt-ember/1",
    "materials": {"tile": {"k": "1.2 W/(m K)", "density": "2000 kg/m³", "c": "900 J/(kg K)"}},
    "body": {
        "kind": "section",
        "regions": {"tile": {"shape": "rectangle", "size": ["80 mm", "30 mm"], "material": "tile"}},
    },
    "surroundings": [
        {"on": "tile.left", "temperature": "20 °C"},
        {"on": "tile.top", "film": {"h": "40 W/(m² K)", "temperature": "300 °C"}},
        {"on": "tile.right", "film": {"h": "20 W/(m² K)", "temperature": "300 °C"}},
    ],
    "questions": [
        {"name": "hottest", "highest": "body"},
        {"name": "coldest above", "lowest": "tile.top"},
        {"name": "along the foot", "highest": {"start": ["0 mm", "0 mm"], "end": ["60 mm", "0 mm"]}},
        {"name": "cold side", "highest": "tile.left"},
        {"name": "middle", "mean": "body"},
    ],
}


def solved(**more: Any) -> Outcome:
    return Flow().answered(case_from_data({**PLATE, **more}))


def test_an_extreme_is_where_it_must_be_and_says_so() -> None:
    outcome = solved()
    found = {check.name: check for check in outcome.checks}
    assert found["hottest"].where == pytest.approx((0.08, 0.03))
    assert found["coldest above"].where == pytest.approx((0.0, 0.03))
    assert found["along the foot"].where == pytest.approx((0.06, 0.0))
    # What is held is as warm all over, and a mean is nowhere.
    assert found["cold side"].where is None and found["middle"].where is None
    assert found["hottest"].asked_in(outcome.case.units).endswith("found at (80 mm, 30 mm)")
    answers = {each["name"]: each["where"] for each in outcome_object(outcome)["answers"]}
    assert answers["hottest"] == ["80 mm", "30 mm"] and answers["middle"] is None


def test_of_a_run_it_is_known_at_the_end() -> None:
    clock = {"start": "20 °C", "end": "30 min"}
    early = {"name": "early", "highest": "body", "time": "5 min"}
    found = {check.name: check for check in solved(clock=clock, questions=[*PLATE["questions"][:1], early]).checks}
    assert found["hottest"].where == pytest.approx((0.08, 0.03)) and found["early"].where is None


@pytest.mark.parametrize("solid", [False, True])
def test_what_is_exactly_the_highest_lies_between_the_nodes(solid: bool) -> None:
    """Heat arises evenly in a wall between two held faces: the parabola is highest at a place of no mesh."""
    wide, k, heat, left, right = 0.08, 1.2, 40e3, 300.0, 360.0
    at = wide / 2 + k * (right - left) / (heat * wide)
    expected = left + (right - left) * at / wide + heat / (2 * k) * at * (wide - at)
    region: dict[str, Any] = {"shape": "rectangle", "size": [f"{wide} m", "30 mm"], "material": "tile"}
    kind: dict[str, Any] = {"kind": "section", "regions": {"tile": region}}
    if solid:
        kind = {"kind": "stacked", "regions": {"tile": {**region, "z": ["0 mm", "30 mm"]}}}
    outcome = solved(
        body=kind,
        heat_inside=[{"region": "tile", "per_volume": f"{heat} W/m³"}],
        surroundings=[
            {"on": "tile.left", "temperature": f"{left} K"},
            {"on": "tile.right", "temperature": f"{right} K"},
        ],
        mesh={"size": "17 mm", "across": 1},
        questions=[{"name": "top", "highest": "tile.top"}, {"name": "all", "highest": "body"}],
    )
    for check in outcome.checks:
        assert check.expected == pytest.approx(expected, rel=1e-8), check.name


@pytest.mark.parametrize("size", ["12 mm", "20 mm", "33 mm"])
def test_what_is_highest_within_swept_triangles_is_found_in_them(size: str) -> None:
    """Of a parabola that quadratic cells follow to its top; places outside a cell say nothing of it."""
    wide, k, heat = 0.2, 2.0, 40e3
    at = wide / 2 + k * 30 / (heat * wide)
    expected = 293.15 + 30 * at / wide + heat / (2 * k) * at * (wide - at)
    region = {"shape": "rectangle", "size": [f"{wide} m", "60 mm"], "z": ["0 mm", "30 mm"], "material": "tile"}
    outcome = solved(
        materials={"tile": {"k": f"{k} W/(m K)"}},
        body={"kind": "stacked", "regions": {"tile": region}},
        heat_inside=[{"region": "tile", "per_volume": f"{heat} W/m³"}],
        surroundings=[{"on": "tile.left", "temperature": "20 °C"}, {"on": "tile.right", "temperature": "50 °C"}],
        mesh={"size": size, "cells": "triangles", "across": 1},
        questions=[{"name": "all", "highest": "body"}, {"name": "front", "highest": "tile.front"}],
    )
    assert outcome.mesh is not None and {block.family for block in outcome.mesh.blocks} == {"wedge18"}
    for check in outcome.checks:
        assert check.value == pytest.approx(expected, abs=1e-6)


@pytest.mark.parametrize("mesh", [{}, {"size": "16 mm"}, {"across": 20}, {"cells": "triangles"}, {"order": 1}])
def test_a_minimum_between_nodes_is_met_and_its_error_holds(mesh: dict[str, Any]) -> None:
    """A third of a millimetre from a node that finer cells have too, so that the values there tell nothing of it."""
    films = (("top", 263, 239), ("right", 199, 52))
    data = {
        "format": "blunt-ember/1",
        "materials": {"m": {"k": "11 W/(m K)"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"a": {"shape": "rectangle", "size": ["182 mm", "152 mm"], "material": "m"}},
        },
        "surroundings": [
            {"on": "a.left", "temperature": "169 °C"},
            {"on": "a.bottom", "radiation": {"emissivity": 0.28, "temperature": "212 °C"}},
            *({"on": f"a.{on}", "film": {"h": f"{h} W/(m² K)", "temperature": f"{at} °C"}} for on, h, at in films),
        ],
        "mesh": mesh,
        "questions": [
            {"name": "body", "lowest": "body"},
            {"name": "side", "lowest": "a.right"},
            {"name": "edge", "lowest": {"edge": "a.right"}},
        ],
    }
    outcome = Flow().run(case_from_data(data))
    for check in outcome.checks:
        assert check.error is not None and abs(check.value - 368.690871) <= check.error + 1e-6, check
        assert check.where == pytest.approx((0.182, 0.0123), abs=5e-3)


def test_a_body_with_a_void_has_its_extremes_by_the_second_method_too() -> None:
    hole = {"shape": "rectangle", "size": ["30 mm", "15 mm"], "at": ["50 mm", "15 mm"], "void": True}
    regions = {**PLATE["body"]["regions"], "hole": hole}
    asked = [{"name": how, how: "body"} for how in ("lowest", "highest", "mean")]
    data = {**PLATE, "body": {**PLATE["body"], "regions": regions}, "questions": asked}
    on = [entry for entry in PLATE["surroundings"] if entry["on"] != "tile.right"]
    outcome = Flow().run(case_from_data({**data, "surroundings": on}))
    assert [check.name for check in outcome.checks] == ["lowest", "highest", "mean"]
    for how in ("lowest", "mean"):
        with pytest.raises(CaseError, match="'hole' is void"):
            Flow().run(case_from_data({**data, "surroundings": on, "questions": [{"name": "x", how: "hole"}]}))
    assert all(check.source is not None and check.verdict == "agrees" for check in outcome.checks[:2])
