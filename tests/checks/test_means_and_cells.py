"""What is exact is the same whatever the cells; and bands hold where linear cells lie freely, swing or cut corners."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family

LINEAR = {"order": 1}
FREE = {"order": 1, "cells": "triangles"}
MIXED = {"cells": "mostly quadrilaterals"}
BODY: list[dict[str, Any]] = [{"name": how, how: "body"} for how in ("mean", "highest", "lowest")]


def stated(name: str, mesh: dict[str, Any], questions: list[dict[str, Any]]) -> Case:
    data = family(name).case().data
    return case_from_data({**data, "mesh": {**data.get("mesh", {}), **mesh}, "questions": questions})


def answered(name: str, mesh: dict[str, Any], questions: list[dict[str, Any]]) -> Outcome:
    return Flow(curves=False).run(stated(name, mesh, questions))


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", ["generating-tube", "generating-shell", "deep-wall-flux", "composite-wall"])
def test_the_exact_mean_of_a_body_is_the_same_on_all_cells_and_bands_hold(name: str) -> None:
    known = Flow(curves=False).answered(stated(name, {}, BODY))
    for mesh in (LINEAR, FREE, MIXED):
        for check, same in zip(answered(name, mesh, BODY).checks, known.checks, strict=True):
            assert check.expected is not None and same.expected is not None and check.error is not None
            # Where it is highest is looked for among the nodes of a mesh first.
            assert check.expected == pytest.approx(same.expected, rel=1e-9 if check.name == "mean" else 1e-6)
            assert abs(check.value - same.expected) <= 1.02 * check.error + 1e-9, check


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("name", "mesh"), [("ball-in-shell", MIXED), ("generating-cylinder", MIXED), ("block-on-plate", FREE)]
)
def test_the_extremes_of_cells_that_are_laid_freely_are_within_their_bands(name: str, mesh: dict[str, Any]) -> None:
    """Halved cells may be as far off as these, for the shapes they happen to have."""
    for check in answered(name, mesh, BODY[1:]).checks:
        assert check.expected is not None and check.error is not None
        assert abs(check.value - check.expected) <= check.error < 100 * max(abs(check.value - check.expected), 1e-5)


def test_between_nodes_on_a_curved_edge_a_field_ends_with_the_body() -> None:
    """A bore off the centre, held hottest of all; chords of straight cells reach into it, where the field goes on."""
    for mesh in ({}, LINEAR, FREE):
        mean, highest, lowest = answered("off-centre-pipe", mesh, BODY).checks
        assert highest.expected == pytest.approx(438.15, abs=1e-9) and highest.verdict == "agrees"
        assert lowest.expected == pytest.approx(311.15, abs=1e-9)
        assert mean.expected is None if mesh else mean.expected == pytest.approx(mean.value, abs=1e-3)


def test_a_point_is_read_in_its_region_where_cells_are_of_several_kinds() -> None:
    for x in ("40 mm", "51 mm", "300 mm"):
        (check,) = answered("deep-wall-flux", MIXED, [{"name": "p", "temperature": [x, "1 mm"]}]).checks
        assert check.error is not None and abs(check.deviation or 0.0) <= check.error and check.verdict == "agrees"


def test_what_swings_beyond_all_that_a_body_meets_may_be_off_by_as_much() -> None:
    """Thin wool in coarse triangles: the coldest place was said to be as cold as the yard, to thousandths."""
    (true,) = Flow().answered(stated("floor-through-wall", {}, BODY[2:])).checks
    (coarse,) = answered("floor-through-wall", FREE, BODY[2:]).checks
    assert coarse.error is not None and 0.1 < abs(coarse.value - true.value) <= coarse.error


@pytest.mark.parametrize("size", ["250 mm", "170 mm"])
def test_what_is_cut_to_what_a_body_meets_may_be_off_by_more_than_was_cut(size: str) -> None:
    """A strong film beside hot ones on few cells: they swing by 5.6 and 3.5 K beyond it, and the coldest place is 7.7 K
    on the other side."""

    def coldest(mesh: dict[str, Any]) -> Check:
        film = {"block.back": ("542", "0 °C"), "block.right": ("433", "100 °C"), "block.bottom": ("92", "100 °C")}
        region = {"shape": "rectangle", "size": ["0.5 m", "1 m"], "z": ["0 m", "0.5 m"], "material": "a"}
        data = {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "5.7 W/(m K)"}},
            "body": {"kind": "stacked", "regions": {"block": region}},
            "mesh": mesh,
            "surroundings": [
                {"on": on, "film": {"h": f"{h} W/(m² K)", "temperature": T}} for on, (h, T) in film.items()
            ],
            "heat_inside": [{"region": "block", "per_volume": "10 kW/m³"}],
            "questions": [{"name": "coldest", "lowest": "block"}],
        }
        return Flow(curves=False).run(case_from_data(data)).checks[0]

    coarse, true = coldest({"size": size, "order": 1}), coldest({"size": "80 mm", "order": 2})
    assert coarse.value == pytest.approx(273.15)
    assert true.error is not None and true.error < 0.1 and true.value > 280.0
    assert coarse.error is not None and abs(coarse.value - true.value) <= coarse.error < 20.0


@pytest.mark.parametrize("axis", [0, 1])
@pytest.mark.parametrize("slant", ["35°", "-50°", "120°"])
def test_heat_that_drifts_aslant_out_of_one_periodic_side_comes_in_by_the_other(axis: int, slant: str) -> None:
    """It was taken for none, and the answer of the mesh for off."""
    ends, sides = (("left", "right"), ("bottom", "top"))[:: 1 if axis == 0 else -1]
    laminate = {"k": {"along": "6 W/(m K)", "across": "0.5 W/(m K)"}}
    region = {"shape": "rectangle", "size": ["40 mm", "30 mm"], "material": "laminate", "direction": slant}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"laminate": laminate},
            "body": {"kind": "section", "depth": "2 m", "regions": {"a": region}},
            "surroundings": [
                {"on": f"a.{ends[0]}", "temperature": "100 °C"},
                {"on": f"a.{ends[1]}", "film": {"h": "50 W/(m² K)", "temperature": "10 °C"}},
                {"on": [f"a.{side}" for side in sides], "periodic": True},
            ],
            "questions": [{"name": side, "heat_flow": f"a.{side}"} for side in (*sides, *ends)],
        }
    )
    for check in Flow(curves=False).run(case).checks:
        assert check.expected == pytest.approx(check.value, rel=1e-9) and check.verdict == "agrees"
        assert abs(check.value) > 1.0
