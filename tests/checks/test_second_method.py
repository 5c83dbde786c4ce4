"""Where nothing is known exactly, a method that knows nothing of meshes answers, and the mesh comes to it."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.checks.source import Provenance
from blunt_ember.flow.flow import Flow

AIR = {"h": "12 W/(m² K)", "temperature": "20 °C"}


def section(regions: dict[str, Any], surroundings: list[Any], questions: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "title": "second",
        "materials": {"clay": {"k": "1.4 W/(m K)"}},
        "body": {"kind": "section", "depth": "1 m", "regions": regions},
        "surroundings": surroundings,
        "questions": [{"name": name, **asked} for name, asked in questions.items()],
        "mesh": {"size": "2 mm"},
        **more,
    }


def polygon(*points: tuple[int, int]) -> dict[str, Any]:
    return {"shape": "polygon", "points": [[f"{x} mm", f"{y} mm"] for x, y in points], "material": "clay"}


CASES: dict[str, tuple[dict[str, Any], float]] = {
    "an angle with a re-entrant corner": (
        section(
            {"a": polygon((0, 0), (100, 0), (100, 40), (40, 40), (40, 100), (0, 100))},
            [
                {"on": "a.side 1", "temperature": "90 °C"},
                {"on": ["a.side 3", "a.side 4"], "film": AIR},
                {"on": "a.side 6", "flux": "800 W/m²"},
            ],
            {
                "corner": {"temperature": ["39 mm", "39 mm"]},
                "arm": {"temperature": ["20 mm", "90 mm"]},
                "lost": {"heat_flow": "a.side 4"},
            },
            heat_inside=[{"region": "a", "per_volume": "20 kW/m³"}],
        ),
        2e-3,
    ),
    "a crooked plate whose edges are held at two temperatures": (
        section(
            {"a": polygon((0, 0), (90, 10), (110, 70), (30, 80))},
            [
                {"on": "a.side 1", "temperature": "20 °C + 400 K/m*x"},
                {"on": "a.side 2", "temperature": "120 °C"},
                {"on": "a.side 3", "film": {"h": "30 W/(m² K)*(1 + x/(0.1 m))", "temperature": "5 °C"}},
            ],
            {"middle": {"temperature": ["60 mm", "45 mm"]}, "off": {"heat_flow": "a.side 3", "direction": "out"}},
        ),
        2e-3,
    ),
    "a plate with a round hole off its middle": (
        section(
            {
                "a": polygon((0, 0), (80, 0), (80, 60), (0, 60)),
                "hole": {"shape": "disc", "radius": "12 mm", "at": ["30 mm", "25 mm"], "void": True},
            },
            [
                {"on": "a.hole", "film": {"h": "200 W/(m² K)", "temperature": "150 °C"}},
                {"on": ["a.side 2", "a.side 4"], "film": AIR},
            ],
            {
                "beside": {"temperature": ["50 mm", "25 mm"]},
                "let in": {"heat_flow": "a.hole"},
                "off": {"heat_flow": "a.side 2", "direction": "out"},
            },
        ),
        2e-3,
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_an_answer_of_which_nothing_is_known_is_given_by_the_second_method(name: str) -> None:
    data, near = CASES[name]
    outcome = Flow().run(case_from_data(data))
    for check in outcome.checks:
        assert check.source is not None and check.source.provenance is Provenance.SECOND, check
        assert check.relative is not None and check.error is not None and check.deviation is not None
        assert check.verdict == "agrees" and abs(check.relative) < near, check
        assert abs(check.deviation) < check.error, check
