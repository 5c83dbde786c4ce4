"""What an extreme that is read at what is held may be exceeded by in the cells beside it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.flow.answering.beside_held import beyond_corner
from blunt_ember.flow.flow import Flow


def test_the_field_about_a_corner_is_that_of_its_angle() -> None:
    def at(degrees: float, fall: float) -> float:
        return float(beyond_corner(np.array([1.0]), np.array([fall]), np.array([np.radians(degrees)]))[0])

    assert at(45, 0) == pytest.approx(1 / 4, rel=1e-3)  # r - r²
    assert at(45, 3) == pytest.approx(1 / 16, rel=1e-3)  # r - 4 r²
    assert at(30, 0) == pytest.approx(2 / 9, rel=1e-3)  # (r - r³)/√3
    assert at(90, 0) == pytest.approx(2 / (np.pi * np.e), rel=1e-3)  # -2/π r ln r
    assert at(90, 0.5) == pytest.approx(2 / np.pi * np.exp(-1 - 0.5 * np.pi / 2), rel=1e-3)
    assert at(0, 0) < 1e-4 and at(90, 100) == 0


#: How far behind, K, the fluid lies that the third side meets, so that cells see nothing beyond the held side.
BEHIND = {45: 60, 60: 40, 90: 20}


def corner(angle: int, sign: float, size: float, order: int, runs: bool, solid: bool = False) -> Case:
    """A triangle, or a prism of it, of which one side is held and the next one, at an ``angle`` to it, meets a fluid
    beyond that."""
    tip = ["60 mm", "60 mm"] if angle == 90 else [f"{60 * np.tan(np.radians(angle))} mm", "0 mm"]
    points = [["0 mm", "0 mm"], tip, ["0 mm", "60 mm"]]
    held = 200 + sign * 100
    clock = {"clock": {"start": f"{held - sign * 5} °C", "end": "10 min"}} if runs else {}
    beyond, behind = held + sign * 22, held - sign * BEHIND[angle]
    part = {"shape": "polygon", "points": points, "material": "m", **({"z": ["0 mm", "30 mm"]} if solid else {})}
    ends = [{"on": ["part.bottom", "part.top"], "insulated": True}] if solid else []
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"m": {"k": "20 W/(m K)", "density": "2000 kg/m³", "c": "800 J/(kg K)"}},
            "body": {"kind": "stacked" if solid else "section", "regions": {"part": part}},
            "surroundings": [
                {"on": "part.side 3", "temperature": f"{held} °C"},
                {"on": "part.side 2", "film": {"h": "25 W/(m² K)", "temperature": f"{beyond} °C"}},
                {"on": "part.side 1", "film": {"h": "80 W/(m² K)", "temperature": f"{behind} °C"}},
                *ends,
            ],
            "mesh": {"size": f"{size} mm", "order": order, "cells": "triangles"},
            "questions": [{"name": "extreme", "highest" if sign > 0 else "lowest": "body"}],
            **clock,
        }
    )


@pytest.mark.parametrize(
    ("angle", "sign", "runs", "solid"),
    [
        (60, 1.0, False, False),
        (60, -1.0, True, False),
        (45, -1.0, False, False),
        (90, 1.0, False, False),
        (60, 1.0, False, True),
        (90, -1.0, False, True),
    ],
)
def test_what_cells_cannot_see_beside_the_edge_of_what_is_held_is_told(
    angle: int, sign: float, runs: bool, solid: bool
) -> None:
    def told(case: Case) -> Check:
        (check,) = Flow(curves=False).run(case).checks
        return check

    seen, true = told(corner(angle, sign, 15, 1, runs, solid)), told(corner(angle, sign, 1.5, 2, runs)).value
    assert seen.error is not None
    assert seen.value == pytest.approx(473.15 + sign * 100, abs=1e-9), "cells see nothing beyond it"
    assert 1e-3 < sign * (true - seen.value) <= seen.error < 10 * abs(true - seen.value)


@pytest.mark.parametrize("kind", ["rod", "section", "stacked"])
@pytest.mark.parametrize("sign", [1.0, -1.0])
def test_a_peak_that_linear_cells_have_between_a_held_side_and_the_next_nodes_is_told(kind: str, sign: float) -> None:
    """A bar held at one end, with heat inside and a film at the other: T₀ + a x − q x²/2k."""
    length, k, q, held, fluid = 0.06, 2.0, sign * 2e5, 200.0, 200.0 - sign * 180
    part: dict[str, Any] = {"material": "m"}
    start, end, rest, inside = "part.left", "part.right", ["part.bottom", "part.top"], "regions"
    if kind == "rod":
        start, end, rest, inside = "part.start", "part.end", [], "pieces"
        part |= {"length": "60 mm", "area": "1 cm²"}
    else:
        part |= {"shape": "rectangle", "size": ["60 mm", "30 mm"]}
    if kind == "stacked":
        part["z"], rest = ["0 mm", "30 mm"], [*rest, "part.front", "part.back"]
    for h in (120, 150, 300):  # the peak lies before the second node, between it and the third, before the second
        case = case_from_data(
            {
                "format": "blunt-ember/1",
                "materials": {"m": {"k": f"{k} W/(m K)"}},
                "body": {"kind": kind, inside: {"part": part}},
                "surroundings": [
                    {"on": start, "temperature": f"{held} °C"},
                    {"on": end, "film": {"h": f"{h} W/(m² K)", "temperature": f"{fluid} °C"}},
                    *([{"on": rest, "insulated": True}] if rest else []),
                ],
                "heat_inside": [{"region": "part", "per_volume": f"{q} W/m³"}],
                "mesh": {"size": "15 mm", "order": 1},
                "questions": [{"name": "extreme", "highest" if sign > 0 else "lowest": "body"}],
            }
        )
        (check,) = Flow(curves=False).run(case).checks
        bent = q * length / k
        slope = (bent * k + h * (bent * length / 2 - held + fluid)) / (k + h * length)
        beyond = held + 273.15 + slope**2 * k / (2 * q) - check.value
        assert check.error is not None
        assert 0.1 < sign * beyond <= check.error < (3 if kind == "rod" else 30) * abs(beyond), (h, check)
