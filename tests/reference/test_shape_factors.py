"""Shape factors beside meshes of the bodies they are of, beside each other at their limits, and in formulas."""

from __future__ import annotations

import json
from math import pi
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.case.values.textbook.entry import RangeError
from blunt_ember.case.values.textbook.registry import TEXTBOOK
from blunt_ember.case.values.textbook.shape_factors import SHAPE_FACTORS
from blunt_ember.cli.main import main
from blunt_ember.errors import CaseError, ExpressionError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family


def of(name: str, *mm: float) -> float:
    return TEXTBOOK[f"shape_{name}"](*(length / 1000 for length in mm))


def box(at: tuple[float, float], size: tuple[float, float], **more: Any) -> dict[str, Any]:
    sides = {"at": [f"{place} mm" for place in at], "size": [f"{length} mm" for length in size]}
    return {"shape": "rectangle", **sides, **(more or {"material": "a"})}


def bore(diameter: float, at: tuple[float, float]) -> dict[str, Any]:
    return {"shape": "disc", "radius": f"{diameter / 2} mm", "at": [f"{place} mm" for place in at], "void": True}


def meshed(
    regions: dict[str, Any], hot: list[str], cold: list[str], size: str, kind: str = "section", finer: int = 12
) -> float:
    """S of a body, m; of a section for a metre of it."""
    data = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "1 W/(m K)"}},
        "body": {"kind": kind, "regions": regions, **({"depth": "1 m"} if kind == "section" else {})},
        "surroundings": [{"on": hot, "temperature": "1 K"}, {"on": cold, "temperature": "0 K"}],
        "mesh": {
            "size": size,
            "order": 2,
            "growth": 0.3,
            "cells": "triangles",
            "local": [{"on": each, "size": f"{size}/{finer}"} for each in (*hot, *cold[:1])],
        },
        "questions": [{"name": "S", "heat_flow": hot, "direction": "in"}],
    }
    case, flow = case_from_data(data), Flow()
    return flow.answers(case, flow.solved(case))[0]


SIDES = ["b.left", "b.right", "b.top", "b.bottom"]
BORE = [f"b.h {side}" for side in ("left", "right", "top", "bottom")]


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("expected", "regions", "hot", "cold", "size", "within"),
    [
        pytest.param(
            of("eccentric_cylinders", 60, 160, 30, 1000),
            {"b": {"shape": "disc", "radius": "80 mm", "material": "a"}, "h": bore(60, (30, 0))},
            ["b.h"], ["b.rim"], "10 mm", 2e-4, id="eccentric",
        ),
        pytest.param(
            of("cylinder_in_square", 80, 121, 1000),
            {"b": box((-60.5, -60.5), (121, 121)), "h": bore(80, (0, 0))},
            ["b.h"], ["b.left", "b.right", "b.top", "b.bottom"], "5 mm", 0.01, id="bore in a square",
        ),
        pytest.param(
            of("square_in_square", 300, 150, 1000),
            {"b": box((0, 0), (300, 300)), "h": box((75, 75), (150, 150), void=True)},
            BORE, SIDES, "15 mm", 1e-3,
            id="square in a square",
        ),
        pytest.param(
            of("square_in_square", 300, 100, 1000),
            {"b": box((0, 0), (300, 300)), "h": box((100, 100), (100, 100), void=True)},
            BORE, SIDES, "10 mm", 0.01,
            id="thick square",
        ),
        pytest.param(
            2 * 4 + of("wall_edge", 100, 1000),
            {"b": box((0, 0), (500, 500)), "h": box((100, 100), (400, 400), void=True)},
            ["b.h left", "b.h bottom"], ["b.left", "b.bottom"], "20 mm", 1e-3, id="edge",
        ),
        pytest.param(
            of("cylinder_between_planes", 60, 61, 1000),
            {"b": box((-600, -61), (1200, 122)), "h": bore(60, (0, 0))},
            ["b.h"], ["b.top", "b.bottom"], "20 mm", 0.01, id="between planes",
        ),
        pytest.param(
            of("row_below_plane", 50, 110, 160, 1000),
            {"b": box((-80, -1200), (160, 1200)), "h": bore(50, (0, -110))},
            ["b.h"], ["b.top"], "15 mm", 0.012, id="row",
        ),
        pytest.param(
            of("two_cylinders", 60, 80, 120, 1000),
            {"b": box((-6000, -6000), (12000, 12000)), "h": bore(60, (-60, 0)), "g": bore(80, (60, 0))},
            ["b.h", "b.g"][:1], ["b.g"], "400 mm", 2e-3, id="two cylinders",
        ),
        pytest.param(
            of("strip_on_slab", 100, 80, 1000),
            {"l": box((-600, 0), (550, 80)), "b": box((-50, 0), (100, 80)), "r": box((50, 0), (550, 80))},
            ["b.top"], ["l.bottom", "b.bottom", "r.bottom"], "40 mm", 2e-3, id="strip on a slab",
        ),
        pytest.param(
            of("two_strips", 100, 50, 1000),
            {
                name: box((at, -6000), (wide, 6000))
                for name, at, wide in (
                    ("l", -6000, 5875), ("one", -125, 100), ("gap", -25, 50), ("other", 25, 100), ("r", 125, 5875)
                )
            },
            ["one.top"], ["other.top"], "400 mm", 0.01, id="two strips",
        ),
    ],
)  # fmt: skip
def test_heat_of_a_mesh_is_what_the_entry_says(
    expected: float, regions: dict[str, Any], hot: list[str], cold: list[str], size: str, within: float
) -> None:
    finer = 100 if hot[0].endswith(".top") else 12  # the flux is singular at the edges of a strip
    assert meshed(regions, hot, cold, size, finer=finer) == pytest.approx(expected, rel=within)


def test_a_disc_on_a_half_space_beside_a_turned_section() -> None:
    # What is farther than the edge of the body, 1/(2 π R), is missing in it.
    regions = {"core": box((0, -4000), (50, 4000)), "far": box((50, -4000), (3950, 4000))}
    found = meshed(regions, ["core.top"], ["core.bottom", "far.bottom", "far.right"], "200 mm", "turned section", 1000)
    assert 1 / found + 1 / (2 * pi * 4.0) == pytest.approx(1 / of("disc_on_surface", 100), rel=6e-3)


def test_entries_meet_at_their_limits() -> None:
    assert of("eccentric_cylinders", 60, 160, 1e-4, 1000) == pytest.approx(of("hollow_cylinder", 60, 160, 1000))
    assert of("hollow_sphere", 60, 6e9) == pytest.approx(of("sphere", 60))
    assert of("spheroid", 100, 100) == pytest.approx(of("sphere", 100))
    for near in (0.999, 1.001):
        assert of("spheroid", 100 * near, 100) == pytest.approx(of("sphere", 100) * (2 + near) / 3, rel=1e-6)
    assert of("spheroid", 1e-3, 100) == pytest.approx(of("disc", 100), rel=1e-4)
    assert of("disc", 100) == 2 * of("disc_on_surface", 100)
    assert of("two_cylinders", 60, 60, 400, 1000) == pytest.approx(of("cylinder_below_plane", 60, 200, 1000) / 2)
    assert of("row_below_plane", 50, 200, 1e7, 1000) == pytest.approx(
        of("cylinder_below_plane", 50, 200, 1000), rel=2e-5
    )
    assert of("sphere_below_plane", 100, 1000) == pytest.approx(2 * pi * 0.1 / (1 - 100 / 4000), rel=2e-5)
    # Near the plane the gap alone counts: a ball and a plane a gap e apart, π D (ln(D/e) + 2γ) (Smythe).
    near = of("sphere_below_plane", 100, 50.05)
    assert near == pytest.approx(pi * 0.1 * (np.log(100 / 0.05) + 2 * np.euler_gamma), rel=1e-3)
    assert of("wall", 100, 300, 500) == pytest.approx(1.5)
    assert of("strip_on_slab", 1e4, 10, 1000) == pytest.approx(1000 + 4 / pi * np.log(2), rel=1e-9)
    # The plates: K(1/√2) for both moduli where w/g makes them alike.
    assert of("two_strips", (np.sqrt(2) - 1) / 2 * 100, 100, 1000) == pytest.approx(0.5)


@pytest.mark.parametrize(
    ("formula", "reason"),
    [
        ("shape_hollow_cylinder(160 mm, 60 mm, 1 m)", "shape_hollow_cylinder holds for d below D"),
        ("shape_sphere(5 K)", "D of shape_sphere is a length, such as '12 mm', not a temperature"),
        ("shape_sphere(5 mm, 6 mm)", "shape_sphere takes 1 arguments, D; not 2"),
        ("shape_disc(0 mm)", "shape_disc takes arguments above zero"),
        ("shape_ball(5 mm)", "'shape_ball' is not a function; there are"),
    ],
)
def test_what_an_entry_does_not_hold_for_is_said(formula: str, reason: str) -> None:
    with pytest.raises(ExpressionError) as refused:
        evaluate(formula, {})
    assert reason in str(refused.value)


def test_every_entry_can_be_called_as_it_is_offered_and_is_listed_with_its_range(
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert len(SHAPE_FACTORS) >= 20
    for entry in TEXTBOOK.values():
        value = evaluate(entry.called, {})
        assert float(value.magnitude) > 0 and len(entry.example) == len(entry.arguments)
        if not entry.field:
            with pytest.raises(RangeError):
                entry(*(0.0 for _ in entry.arguments))
    assert main(["textbook"]) == 0
    told = capsys.readouterr().out
    assert all(entry.name in told and entry.must in told for entry in TEXTBOOK.values())
    assert main(["textbook", "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)) == len(TEXTBOOK)


def test_a_line_of_the_working_may_call_one_and_its_range_is_a_fault_where_it_stands() -> None:
    pipe = family("buried-pipe").case()
    stated = {**pipe.data["working"], "S": "shape_cylinder_below_plane(2*radius, depth, 1 m)"}
    case = case_from_data({**pipe.data, "working": stated})
    assert case.expected == pytest.approx(pipe.expected)
    wrong = {**stated, "S": "shape_cylinder_below_plane(2*depth, radius, 1 m)"}
    with pytest.raises(CaseError, match=r"working.S: .*holds for 2 z above D"):
        case_from_data({**pipe.data, "working": wrong})
    with pytest.raises(RangeError):
        of("cylinder_in_square", 100, 120, 1000)
