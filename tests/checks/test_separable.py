"""Boxes, cylinders of any length, rectangles in layers: recognised, and the mesh comes to what is exact of them."""

from __future__ import annotations

import pickle
from typing import Any

import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.checks.references.exact_field import recognised
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome

MATERIALS = {"clay": {"k": "1.4 W/(m K)"}, "steel": {"k": "30 W/(m K)"}}
FILM = {"film": {"h": "40 W/(m² K)", "temperature": "20 °C"}}


def block(name: str, x: int, y: int, wide: int, high: int, material: str = "clay", **more: Any) -> dict[str, Any]:
    place = {"at": [f"{x} mm", f"{y} mm"], "size": [f"{wide} mm", f"{high} mm"]}
    return {name: {"shape": "rectangle", **place, "material": material, **more}}


DRUM = {
    "kind": "stacked",
    "regions": {
        "drum": {
            "shape": "disc",
            "radius": "30 mm",
            "at": ["0 mm", "0 mm"],
            "z": ["0 mm", "10 mm"],
            "material": "steel",
        }
    },
}


CASES: dict[str, tuple[str, dict[str, Any]]] = {
    "a box, every face another": (
        "box",
        {
            "body": {"kind": "stacked", "regions": block("block", 10, 0, 60, 40, z=["5 mm", "55 mm"])},
            "surroundings": [
                {"on": "block.left", "temperature": "90 °C"},
                {"on": "block.right", **FILM},
                {"on": "block.front", "flux": "2 kW/m²"},
                {"on": "block.top", **FILM},
                {"on": "block.bottom", "film": {"h": "9 W/(m² K)", "temperature": "150 °C"}},
            ],
            "heat_inside": [{"region": "block", "per_volume": "80 kW/m³"}],
            "mesh": {"size": "5 mm"},
            "questions": [
                {"name": "inside", "temperature": ["30 mm", "14 mm", "40 mm"]},
                {"name": "on an edge", "temperature": ["70 mm", "10 mm", "55 mm"]},
                {"name": "back", "mean": "block.back"},
                {"name": "right", "heat_flow": "block.right"},
                {"name": "bottom", "heat_flow": "block.bottom"},
            ],
        },
    ),
    "a box that only its top and bottom cool": (
        "box",
        {
            "body": {"kind": "stacked", "regions": block("block", 0, 0, 50, 30, z=["0 mm", "20 mm"])},
            "surroundings": [
                {"on": "block.left", "flux": "3 kW/m²"},
                {"on": "block.top", **FILM},
                {"on": "block.bottom", "temperature": "35 °C"},
            ],
            "mesh": {"size": "4 mm"},
            "questions": [
                {"name": "near the heat", "temperature": ["1 mm", "14 mm", "12 mm"]},
                {"name": "left", "mean": "block.left"},
                {"name": "top", "heat_flow": "block.top"},
            ],
        },
    ),
    "an upright hollow cylinder": (
        "upright-cylinder",
        {
            "body": {
                "kind": "stacked",
                "regions": {
                    "drum": {
                        "shape": "ring",
                        "inner": "15 mm",
                        "outer": "40 mm",
                        "at": ["20 mm", "10 mm"],
                        "z": ["0 mm", "30 mm"],
                        "material": "clay",
                    }
                },
            },
            "surroundings": [
                {"on": "drum.bore", "temperature": "120 °C"},
                {"on": "drum.rim", **FILM},
                {"on": "drum.top", "film": {"h": "15 W/(m² K)", "temperature": "20 °C"}},
            ],
            "mesh": {"size": "5 mm"},
            "questions": [
                {"name": "inside", "temperature": ["20 mm", "38 mm", "20 mm"]},
                {"name": "rim", "mean": "drum.rim"},
                {"name": "off the top", "heat_flow": "drum.top"},
            ],
        },
    ),
    "a solid cylinder in a sleeve, its ends held": (
        "finite-cylinder",
        {
            "body": {
                "kind": "turned section",
                "regions": {**block("core", 0, 0, 18, 50), **block("sleeve", 18, 0, 7, 50, "steel")},
            },
            "surroundings": [
                {"on": ["core.bottom", "sleeve.bottom"], "temperature": "200 °C"},
                {"on": "sleeve.right", **FILM},
            ],
            "heat_inside": [{"region": "core", "per_volume": "0.5 MW/m³"}],
            "joints": [{"on": "core|sleeve", "resistance": "0.004 m² K/W"}],
            "mesh": {"size": "1.5 mm"},
            "questions": [
                {"name": "axis", "temperature": ["0 mm", "30 mm"]},
                {"name": "top of the core", "temperature": ["9 mm", "50 mm"]},
                {"name": "skin", "mean": "sleeve.right"},
            ],
        },
    ),
    "a hot part on a plate cooled from below": (
        "box",
        {
            "body": {"kind": "stacked", "regions": block("plate", 0, 0, 60, 40, "steel", z=["0 mm", "6 mm"])},
            "surfaces": {
                "part": {
                    "on": "plate.top",
                    "within": {"shape": "rectangle", "at": ["12 mm", "8 mm"], "size": ["15 mm", "10 mm"]},
                }
            },
            "surroundings": [
                {"on": "part", "flux": "60 kW/m²"},
                {"on": "plate.bottom", "film": {"h": "350 W/(m² K)", "temperature": "25 °C"}},
            ],
            "mesh": {"size": "2 mm", "across": 4},
            "questions": [
                {"name": "part", "temperature": ["18 mm", "12 mm", "6 mm"]},
                {"name": "far away", "temperature": ["55 mm", "35 mm", "3 mm"]},
                {"name": "part in the mean", "mean": "part"},
            ],
        },
    ),
    "a hot disc on a short cylinder": (
        "finite-cylinder",
        {
            "body": {"kind": "turned section", "regions": block("base", 0, 0, 40, 12)},
            "surfaces": {"disc": {"on": "base.top", "start": ["0 mm", "12 mm"], "end": ["11 mm", "12 mm"]}},
            "surroundings": [
                {"on": "disc", "flux": "25 kW/m²"},
                {"on": "base.bottom", "film": {"h": "300 W/(m² K)", "temperature": "25 °C"}},
                {"on": "base.right", **FILM},
            ],
            "mesh": {"size": "0.5 mm"},
            "questions": [
                {"name": "middle", "temperature": ["0 mm", "12 mm"]},
                {"name": "disc", "mean": "disc"},
                {"name": "below", "mean": "base.bottom"},
            ],
        },
    ),
    "a hot disc on a drum": (
        "upright-cylinder",
        {
            "body": DRUM,
            "surfaces": {
                "disc": {"on": "drum.top", "within": {"shape": "disc", "radius": "9 mm", "at": ["0 mm", "0 mm"]}}
            },
            "surroundings": [
                {"on": "disc", "flux": "80 kW/m²"},
                {"on": "drum.bottom", "film": {"h": "500 W/(m² K)", "temperature": "25 °C"}},
            ],
            "mesh": {"size": "2 mm"},
            "questions": [
                {"name": "under it", "temperature": ["0 mm", "0 mm", "7 mm"]},
                {"name": "disc", "mean": "disc"},
            ],
        },
    ),
    "a rectangle of two materials": (
        "layered-rectangle",
        {
            "body": {
                "kind": "section",
                "depth": "1 m",
                "regions": {**block("left", 5, 0, 30, 40), **block("right", 35, 0, 10, 40, "steel")},
            },
            "surroundings": [
                {"on": "left.left", **FILM},
                {"on": ["left.bottom", "right.bottom"], "temperature": "80 °C"},
                {"on": "right.right", "flux": "4 kW/m²"},
            ],
            "mesh": {"size": "1 mm"},
            "questions": [
                {"name": "in the clay", "temperature": ["20 mm", "20 mm"]},
                {"name": "between", "temperature": ["35 mm", "30 mm"]},
                {"name": "lost", "heat_flow": "left.left"},
            ],
        },
    ),
}


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", CASES)
def test_what_is_separable_is_recognised_and_comes_to_what_is_exact(name: str) -> None:
    solution, stated = CASES[name]
    data = {"format": FORMAT, "title": name, "materials": MATERIALS, **stated}
    outcome = Flow().run(case_from_data(data))
    assert outcome.geometry is not None and outcome.problem is not None
    known = recognised(outcome.geometry, outcome.problem)
    assert known is not None and known.name == solution
    assert pickle.loads(pickle.dumps(outcome.exact)) is not None  # as it goes to the window
    for check in outcome.checks:
        assert check.source is not None, check
        assert "series along each axis" in check.source.text, check
        assert check.relative is not None and check.deviation is not None and check.error is not None, check
        assert abs(check.deviation) < check.error or abs(check.relative) < 1e-5, check
        assert abs(check.relative) < 1e-3, check


PLATE = {"kind": "stacked", "regions": block("plate", 0, 0, 60, 40, z=["0 mm", "20 mm"])}
BESIDE = {"on": "plate.left", "start": ["0 mm", "10 mm", "0 mm"], "end": ["0 mm", "30 mm", "20 mm"]}
HOT = {"temperature": "90 °C"}


def above(shape: dict[str, Any], on: str = "plate.top") -> dict[str, Any]:
    return {"on": on, "within": shape}


def answered(data: dict[str, Any]) -> Outcome:
    """What is said before errors are estimated."""
    outcome = Flow().answered(case_from_data(data))
    assert outcome.trouble is None
    return outcome


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("body", "part", "surroundings"),
    [
        (PLATE, BESIDE, [{"on": "plate.left", **FILM}, {"on": "plate.right", **HOT}]),
        (PLATE, BESIDE, [{"on": "part", **FILM}, {"on": "plate.top", **FILM}, {"on": "plate.right", **HOT}]),
        (
            PLATE,
            above({"shape": "rectangle", "at": ["10 mm", "10 mm"], "size": ["20 mm", "20 mm"]}),
            [{"on": "plate.top", **FILM}, {"on": "plate.bottom", **HOT}],
        ),
        (
            PLATE,
            above({"shape": "polygon", "points": [["10 mm", "10 mm"], ["40 mm", "10 mm"], ["10 mm", "30 mm"]]}),
            [{"on": "part", "flux": "50 kW/m²"}, {"on": "plate.bottom", **FILM}],
        ),
        (
            DRUM,
            above({"shape": "disc", "radius": "9 mm", "at": ["10 mm", "10 mm"]}, "drum.top"),
            [{"on": "part", "flux": "80 kW/m²"}, {"on": "drum.bottom", **FILM}],
        ),
    ],
)
def test_a_part_of_a_face_is_never_taken_for_the_whole(body: Any, part: Any, surroundings: Any) -> None:
    """Insulated within a film, in a film within what is insulated, or heated in a shape that no series knows."""
    stated = {
        "body": body,
        "surfaces": {"part": part},
        "surroundings": surroundings,
        "mesh": {"size": "10 mm", "order": 1},
    }
    asked = [{"name": "inside", "temperature": ["5 mm", "5 mm", "5 mm"]}]
    data = {"format": FORMAT, "title": "part", "materials": MATERIALS, **stated, "questions": asked}
    outcome = answered(data)
    assert outcome.exact is None and [check.verdict for check in outcome.checks] == ["open"]
    # Cooling from one temperature it is no product of series either.
    heavy = {name: {**each, "density": "2000 kg/m³", "c": "900 J/(kg K)"} for name, each in MATERIALS.items()}
    even = [{"on": entry["on"], "film": FILM["film"]} for entry in surroundings]
    clock = {"start": "300 °C", "end": "1 min"}
    run = answered({**data, "materials": heavy, "surroundings": even, "clock": clock})
    assert run.exact is None and [check.verdict for check in run.checks] == ["open"]


def test_places_of_a_hollow_cylinder_are_counted_from_the_axis() -> None:
    """Where the radius is as large as the wall is thick, nothing is held."""
    asked = [{"name": "in the wall", "temperature": ["45 mm", "30 mm"]}]
    stated = {"body": {"kind": "turned section", "regions": block("ring", 30, 0, 45, 60)}, "mesh": {"size": "3 mm"}}
    held = [{"on": "ring.left", "temperature": "140 °C"}, {"on": "ring.right", "temperature": "30 °C"}]
    surroundings = [*held, {"on": "ring.top", **FILM}]
    data = {"format": FORMAT, "title": "ring", "materials": MATERIALS, **stated}
    outcome = Flow().answered(case_from_data({**data, "surroundings": surroundings, "questions": asked}))
    (check,) = outcome.checks
    assert check.expected == pytest.approx(check.value, abs=1e-4)
