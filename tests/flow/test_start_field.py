"""Regions that meet and begin at temperatures of their own: no heat is lost or found where they do."""

from __future__ import annotations

from typing import Any

import pytest
from scipy.integrate import quad
from scipy.optimize import brentq

from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.family import case_from_data


def answers(data: dict[str, Any]) -> dict[str, Any]:
    return {check.name: check for check in Flow(curves=False).run(case_from_data(data)).checks}


def lining(mesh: dict[str, Any], **more: Any) -> dict[str, Any]:
    """A cold brick and a hot plate on it."""
    return {
        "format": "blunt-ember/1",
        "title": "hot plate on a cold brick",
        "materials": {
            "clay": {"k": "0.8 W/(m K)", "density": "1900 kg/m³", "c": "900 J/(kg K)"},
            "steel": {"k": "16 W/(m K)", "density": "7800 kg/m³", "c": "480 J/(kg K)"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {
                "brick": {"shape": "rectangle", "size": ["40 mm", "20 mm"], "material": "clay"},
                "plate": {"shape": "rectangle", "size": ["10 mm", "20 mm"], "right_of": "brick", "material": "steel"},
            },
        },
        "clock": {"start": "20 °C", "start_in": {"plate": "400 °C"}, "end": "10 min"},
        "surroundings": [{"on": ["brick.left", "plate.right"], "film": {"h": "30 W/m²K", "temperature": "20 °C"}}],
        "mesh": mesh,
        **more,
    }


@pytest.mark.parametrize("mesh", [{"size": "5 mm"}, {"size": "5 mm", "cells": "triangles"}])
def test_regions_that_begin_otherwise_follow_the_series(mesh: dict[str, Any]) -> None:
    """With one region's temperature where they meet it was off by 4 K on such cells."""
    asked = [
        {"name": "joint", "mean": "brick|plate", "expect": {"exact": "series-in-time"}},
        {"name": "early", "mean": "brick|plate", "time": "40 s", "expect": {"exact": "series-in-time"}},
        {"name": "stored", "heat_stored": "brick"},
        {"name": "in", "heat_passed": "brick.left"},
        {"name": "over", "heat_passed": "brick|plate"},
    ]
    found = answers(lining(mesh, questions=asked))
    assert abs(found["joint"].deviation) < 0.02
    assert abs(found["early"].deviation) < 0.1
    for check in (found["joint"], found["early"]):
        assert abs(check.deviation) < check.error
    # + from the brick into the plate, the heat that crosses at once too.
    assert found["stored"].value == pytest.approx(found["in"].value - found["over"].value, rel=1e-6)
    assert found["stored"].error < 1e-4 * found["stored"].value


@pytest.mark.parametrize(
    ("mesh", "capacity"), [({"order": 1}, "consistent"), ({"order": 2, "cells": "triangles"}, "lumped")]
)
def test_of_two_parts_alone_the_heat_they_began_with_is_kept(mesh: dict[str, Any], capacity: str) -> None:
    """Specific heats follow temperature; in the end both have the temperature that holds what they began with.

    A cell that has but a corner where they meet holds no heat by it, so that none of it can be made up there.
    """
    data = lining({"size": "8 mm", **mesh})
    data["materials"]["clay"]["c"] = "900 J/(kg K)*(1 + 0.001/K*(T - 293.15 K))"
    data["clock"] |= {"end": "3 hour", "capacity": capacity, "tolerance": "0.01 %"}
    data |= {
        "surroundings": [],
        "questions": [{"name": "left", "lowest": "body"}, {"name": "right", "highest": "body"}],
    }
    cold, hot, clay, steel = 293.15, 673.15, 0.04 * 1900, 0.01 * 7800

    def lack(temperature: float) -> float:
        taken, _ = quad(lambda t: clay * 900 * (1 + 0.001 * (t - 293.15)), cold, temperature)
        return taken - steel * 480 * (hot - temperature)

    expected = brentq(lack, cold, hot)
    for check in Flow(curves=False).answered(case_from_data(data)).checks:
        assert check.value == pytest.approx(expected, abs=2e-3)
