"""What an extreme that is read at what is held may be exceeded by in the cells beside it."""

from __future__ import annotations

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


def corner(angle: int, sign: float, size: float, order: int, runs: bool) -> Case:
    """A triangle of which one side is held and the next one, at an ``angle`` to it, meets a fluid beyond that."""
    tip = ["60 mm", "60 mm"] if angle == 90 else [f"{60 * np.tan(np.radians(angle))} mm", "0 mm"]
    points = [["0 mm", "0 mm"], tip, ["0 mm", "60 mm"]]
    held = 200 + sign * 100
    clock = {"clock": {"start": f"{held - sign * 5} °C", "end": "10 min"}} if runs else {}
    beyond, behind = held + sign * 22, held - sign * BEHIND[angle]
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"m": {"k": "20 W/(m K)", "density": "2000 kg/m³", "c": "800 J/(kg K)"}},
            "body": {"kind": "section", "regions": {"part": {"shape": "polygon", "points": points, "material": "m"}}},
            "surroundings": [
                {"on": "part.side 3", "temperature": f"{held} °C"},
                {"on": "part.side 2", "film": {"h": "25 W/(m² K)", "temperature": f"{beyond} °C"}},
                {"on": "part.side 1", "film": {"h": "80 W/(m² K)", "temperature": f"{behind} °C"}},
            ],
            "mesh": {"size": f"{size} mm", "order": order, "cells": "triangles"},
            "questions": [{"name": "extreme", "highest" if sign > 0 else "lowest": "body"}],
            **clock,
        }
    )


@pytest.mark.parametrize(
    ("angle", "sign", "runs"), [(60, 1.0, False), (60, -1.0, True), (45, -1.0, False), (90, 1.0, False)]
)
def test_what_cells_cannot_see_beside_the_edge_of_what_is_held_is_told(angle: int, sign: float, runs: bool) -> None:
    def told(size: float, order: int) -> Check:
        (check,) = Flow(curves=False).run(corner(angle, sign, size, order, runs)).checks
        return check

    seen, true = told(15, 1), told(1.5, 2).value
    assert seen.error is not None
    assert seen.value == pytest.approx(473.15 + sign * 100, abs=1e-9), "cells see nothing beyond it"
    assert 1e-3 < sign * (true - seen.value) <= seen.error < 10 * abs(true - seen.value)
