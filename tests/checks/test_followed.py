"""Faces on which what is stated follows the place: beside closed forms, and the mesh comes to what is exact of them."""

from __future__ import annotations

import pickle
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.checks.references.exact_field import recognised
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome

MATERIALS = {
    "clay": {"k": "1.4 W/(m K)"},
    "steel": {"k": "30 W/(m K)"},
    "board": {"k": {"along": "20 W/(m K)", "across": "0.8 W/(m K)"}},
}
FILM = {"film": {"h": "60 W/(m² K)", "temperature": "20 °C"}}


def rectangle(low: float, high: float, material: str) -> dict[str, Any]:
    return {
        "shape": "rectangle",
        "at": ["5 mm", f"{low} mm"],
        "size": ["40 mm", f"{high - low} mm"],
        "material": material,
    }


def plate(material: str = "clay", **more: Any) -> dict[str, Any]:
    return {"kind": "section", "depth": "0.5 m", "regions": {"plate": {**rectangle(2, 27, material), **more}}}


BLOCK = {
    "kind": "stacked",
    "regions": {
        "block": {
            "shape": "rectangle",
            "at": ["5 mm", "0 mm"],
            "size": ["40 mm", "30 mm"],
            "z": ["1 mm", "21 mm"],
            "material": "clay",
        }
    },
}
DRUM = {
    "kind": "stacked",
    "regions": {
        "drum": {"shape": "disc", "radius": "20 mm", "at": ["0 mm", "0 mm"], "z": ["0 mm", "15 mm"], "material": "clay"}
    },
}


def solved(stated: dict[str, Any]) -> Outcome:
    outcome = Flow().run(case_from_data({"format": FORMAT, "title": "followed", "materials": MATERIALS, **stated}))
    assert outcome.trouble is None
    return outcome


def test_one_wave_along_an_edge_is_the_closed_form() -> None:
    """sin(πx/a) sinh(πy/a)/sinh(πb/a), between edges that are held (Carslaw & Jaeger, sec. 5.3)."""
    outcome = solved(
        {
            "body": plate(),
            "surroundings": [
                {"on": "plate.top", "temperature": "20 °C + 60 K*sin(pi*(x - 5 mm)/(40 mm))"},
                {"on": ["plate.left", "plate.right", "plate.bottom"], "temperature": "20 °C"},
            ],
            "mesh": {"size": "2 mm"},
        }
    )
    assert outcome.exact is not None and outcome.exact.name == "rectangle"
    places = np.array([[0.01, 0.02], [0.025, 0.0265], [0.044, 0.015], [0.03, 0.027]])
    x, y = (places - [0.005, 0.002]).T / 0.04
    wave = np.sin(np.pi * x) * np.sinh(np.pi * y) / np.sinh(np.pi * 0.025 / 0.04)
    np.testing.assert_allclose(outcome.exact.temperature(places), 293.15 + 60 * wave, rtol=0, atol=1e-7)


CASES: dict[str, tuple[str, dict[str, Any]]] = {
    "a plate between a wave, a ramp of the air and a film, conducting by directions": (
        "rectangle",
        {
            "body": plate("board"),
            "surroundings": [
                {"on": "plate.top", "temperature": "90 °C - 20 K*((x - 25 mm)/(20 mm))^2"},
                {"on": "plate.left", "film": {"h": "200 W/(m² K)", "temperature": "20 °C + 30 K*y/(27 mm)"}},
                {"on": "plate.right", **FILM},
            ],
            "heat_inside": [{"region": "plate", "per_volume": "0.5 MW/m³"}],
            "mesh": {"size": "1 mm"},
            "questions": [
                {"name": "inside", "temperature": ["20 mm", "15 mm"]},
                {"name": "left", "mean": "plate.left"},
                {"name": "bottom", "temperature": ["30 mm", "2 mm"]},
            ],
        },
    ),
    "a box that is heated by a ramp on one side and held at a bulge on top": (
        "box",
        {
            "body": BLOCK,
            "surroundings": [
                {"on": "block.front", "flux": "3 kW/m² * (x + z)/(40 mm)"},
                {"on": "block.top", "temperature": "80 °C + 15 K*cos(pi*x/(90 mm))*cos(pi*y/(60 mm))"},
                {"on": ["block.right", "block.bottom"], **FILM},
            ],
            "mesh": {"size": "2.5 mm"},
            "questions": [
                {"name": "inside", "temperature": ["30 mm", "10 mm", "9 mm"]},
                {"name": "near the top", "temperature": ["12 mm", "20 mm", "19 mm"]},
                {"name": "bottom", "mean": "block.bottom"},
            ],
        },
    ),
    "a short cylinder under a beam, its rim in air": (
        "finite-cylinder",
        {
            "body": {
                "kind": "turned section",
                "regions": {"disc": {**rectangle(0, 12, "clay"), "at": ["0 mm", "0 mm"]}},
            },
            "surroundings": [
                {"on": "disc.top", "flux": "40 kW/m²*exp(-(r/(9 mm))^2)"},
                {"on": ["disc.right", "disc.bottom"], **FILM},
            ],
            "mesh": {"size": "0.6 mm"},
            "questions": [
                {"name": "middle", "temperature": ["0 mm", "12 mm"]},
                {"name": "inside", "temperature": ["15 mm", "5 mm"]},
                {"name": "rim", "mean": "disc.right"},
            ],
        },
    ),
    "a drum under the same": (
        "upright-cylinder",
        {
            "body": DRUM,
            "surroundings": [
                {"on": "drum.top", "flux": "40 kW/m²*exp(-(x^2 + y^2)/(9 mm)^2)"},
                {"on": ["drum.rim", "drum.bottom"], **FILM},
            ],
            "mesh": {"size": "2 mm"},
            "questions": [{"name": "inside", "temperature": ["3 mm", "4 mm", "9 mm"]}],
        },
    ),
    "discs on each other under a beam, with a joint": (
        "plates",
        {
            "body": {
                "kind": "turned section",
                "regions": {
                    "below": {**rectangle(0, 5, "steel"), "at": ["0 mm", "0 mm"]},
                    "above": {**rectangle(5, 8, "board"), "at": ["0 mm", "5 mm"]},
                },
            },
            "joints": [{"on": "below|above", "resistance": "0.0005 m² K/W"}],
            "surroundings": [
                {"on": "above.top", "flux": "90 kW/m²*exp(-(r/(6 mm))^2)"},
                {"on": "below.bottom", "film": {"h": "900 W/(m² K)", "temperature": "20 °C"}},
            ],
            "mesh": {"size": "0.5 mm"},
            "questions": [
                {"name": "under the beam", "temperature": ["0 mm", "8 mm"]},
                {"name": "below", "temperature": ["25 mm", "0 mm"]},
                {"name": "given off", "heat_flow": "below.bottom"},
            ],
        },
    ),
    "layers held along a wave at their side": (
        "layered-rectangle",
        {
            "body": {
                "kind": "section",
                "depth": "1 m",
                "regions": {"below": rectangle(0, 5, "steel"), "above": rectangle(5, 25, "clay")},
            },
            "surroundings": [
                {"on": "above.top", "temperature": "60 °C + 10 K*sin(pi*(x - 5 mm)/(40 mm))"},
                {"on": ["above.left", "below.left", "above.right", "below.right"], "temperature": "60 °C"},
                {"on": "below.bottom", **FILM},
            ],
            "mesh": {"size": "1 mm"},
            "questions": [
                {"name": "inside", "temperature": ["20 mm", "12 mm"]},
                {"name": "in the steel", "temperature": ["30 mm", "3 mm"]},
            ],
        },
    ),
}


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", CASES)
def test_what_follows_the_place_is_recognised_and_the_mesh_comes_to_it(name: str) -> None:
    solution, stated = CASES[name]
    outcome = solved(stated)
    assert outcome.geometry is not None and outcome.problem is not None
    known = recognised(outcome.geometry, outcome.problem)
    assert known is not None and known.name == solution
    assert pickle.loads(pickle.dumps(outcome.exact)) is not None
    for check in outcome.checks:
        assert check.relative is not None and check.deviation is not None and check.error is not None, check
        assert abs(check.deviation) < check.error or abs(check.relative) < 1e-5, check
        assert abs(check.relative) < 1e-3, check


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    "surroundings",
    [
        [{"on": "drum.top", "flux": "40 kW/m²*x/(20 mm)"}, {"on": "drum.bottom", **FILM}],
        [{"on": "drum.rim", "flux": "4 kW/m²*z/(15 mm)"}, {"on": "drum.bottom", **FILM}],
        [
            {"on": "drum.top", "film": {"h": "9 W/(m² K)*(1 + x/(20 mm))", "temperature": "90 °C"}},
            {"on": "drum.bottom", **FILM},
        ],
    ],
)
def test_what_no_series_knows_is_not_taken_for_one(surroundings: list[dict[str, Any]]) -> None:
    asked = [{"name": "inside", "temperature": ["3 mm", "4 mm", "9 mm"]}]
    outcome = solved({"body": DRUM, "surroundings": surroundings, "mesh": {"size": "5 mm"}, "questions": asked})
    assert outcome.exact is None


def test_what_jumps_from_place_to_place_is_not_called_exact() -> None:
    """No rule reads it well: its mean would be off by a few parts in ten thousand."""
    for part in ("1 + (x - 17 mm)/abs(x - 17 mm)", "abs(x - 17 mm)/(1 mm)"):
        surroundings = [{"on": "plate.top", "flux": f"9 kW/m²*({part})"}, {"on": "plate.bottom", **FILM}]
        exact = solved({"body": plate(), "surroundings": surroundings, "mesh": {"size": "4 mm"}}).exact
        assert (exact is None) == ("/abs" in part)


def heats(body: dict[str, Any], surroundings: list[dict[str, Any]], size: str) -> dict[str, Any]:
    """The heat through every face on which something is stated, by its name."""
    faces = [on for each in surroundings for on in (each["on"] if isinstance(each["on"], list) else [each["on"]])]
    questions = [{"name": on.replace(".", " "), "heat_flow": on} for on in faces]
    outcome = solved({"body": body, "surroundings": surroundings, "mesh": {"size": size}, "questions": questions})
    return {check.name.split(" ")[1]: check for check in outcome.checks}


def test_heat_through_all_faces_is_the_closed_form_where_one_wave_is_held() -> None:
    """Over a plate and over a block whose other faces are held level."""
    wave, rise = "20 °C + 80 K*sin(pi*(x - 5 mm)/(40 mm))", 80.0
    sides = [f"plate.{side}" for side in ("left", "right", "bottom")]
    found = heats(plate(), [{"on": "plate.top", "temperature": wave}, {"on": sides, "temperature": "20 °C"}], "2 mm")
    reach = np.pi * 25 / 40
    known = {
        "top": 2 / np.tanh(reach),
        "left": -(np.cosh(reach) - 1) / np.sinh(reach),
        "right": -(np.cosh(reach) - 1) / np.sinh(reach),
        "bottom": -2 / np.sinh(reach),
    }
    for name, share in known.items():
        assert found[name].expected == pytest.approx(0.5 * 1.4 * rise * share, rel=1e-9), name
        assert abs(found[name].deviation) < found[name].error, name
    wave += "*sin(pi*y/(30 mm))"
    sides = [f"block.{side}" for side in ("left", "right", "front", "back", "bottom")]
    found = heats(BLOCK, [{"on": "block.top", "temperature": wave}, {"on": sides, "temperature": "20 °C"}], "4 mm")
    root = np.pi * np.hypot(1 / 0.04, 1 / 0.03)
    whole = 1.4 * rise * (2 * 0.04 / np.pi) * (2 * 0.03 / np.pi) * root
    assert found["top"].expected == pytest.approx(whole / np.tanh(root * 0.02), rel=1e-9)
    assert found["bottom"].expected == pytest.approx(-whole / np.sinh(root * 0.02), rel=1e-9)
    assert sum(check.expected for check in found.values()) == pytest.approx(0, abs=1e-9 * whole)


def test_heat_that_grows_without_bound_at_an_edge_is_not_said() -> None:
    """The top is held as its neighbours are on the left, and as they are not on the right."""
    rising = {"on": "plate.top", "temperature": "20 °C + 80 K*(x - 5 mm)/(40 mm)"}
    sides = [f"plate.{side}" for side in ("left", "right", "bottom")]
    found = heats(plate(), [rising, {"on": sides, "temperature": "20 °C"}], "3 mm")
    assert found["top"].expected is None and found["right"].expected is None
    assert abs(found["bottom"].deviation) < found["bottom"].error
    # Behind films at the sides it is bounded, and balances.
    found = heats(plate(), [rising, {"on": sides[:2], **FILM}, {"on": sides[2:], "temperature": "20 °C"}], "1 mm")
    exact = {name: check.expected for name, check in found.items()}
    assert sum(exact.values()) == pytest.approx(0, abs=1e-6 * exact["top"])
    for name, check in found.items():
        assert abs(check.deviation) < check.error + 1e-9 * exact["top"], name
