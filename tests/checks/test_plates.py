"""Plates on each other, heated over a part of an end: recognised, and the mesh comes to what is exact of them."""

from __future__ import annotations

import pickle
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.checks.references.exact_field import recognised
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.reference.crosswise import plans
from blunt_ember.reference.crosswise.separated import Along, Separated, Spot
from blunt_ember.reference.crosswise.spreading import Patch, Plate, Spreading
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer
from blunt_ember.reference.side import Side

MATERIALS = {
    "clay": {"k": "1.4 W/(m K)"},
    "steel": {"k": "30 W/(m K)"},
    "board": {"k": {"along": "20 W/(m K)", "across": "0.8 W/(m K)"}},
}
BELOW = {"film": {"h": "350 W/(m² K)", "temperature": "25 °C"}}


def rectangle(low: float, high: float, material: str, **more: Any) -> dict[str, Any]:
    place = {"at": ["0 mm", f"{low} mm"], "size": ["40 mm", f"{high - low} mm"]}
    return {"shape": "rectangle", **place, "material": material, **more}


def disc(low: float, high: float, material: str) -> dict[str, Any]:
    return {
        "shape": "disc",
        "radius": "30 mm",
        "at": ["5 mm", "0 mm"],
        "z": [f"{low} mm", f"{high} mm"],
        "material": material,
    }


HOT_STRIP = {"on": "upper.top", "start": ["4 mm", "10 mm"], "end": ["16 mm", "10 mm"]}
CASES: dict[str, dict[str, Any]] = {
    "a strip on layers, one of them conducting by directions, with a joint": {
        "body": {
            "kind": "section",
            "depth": "0.2 m",
            "regions": {
                "lower": rectangle(0, 4, "clay"),
                "middle": rectangle(4, 7, "board"),
                "upper": rectangle(7, 10, "steel"),
            },
        },
        "surfaces": {"hot": HOT_STRIP},
        "joints": [{"on": "lower|middle", "resistance": "0.001 m² K/W"}],
        "surroundings": [
            {"on": "hot", "flux": "20 kW/m²"},
            {"on": "upper.top", "film": {"h": "15 W/(m² K)", "temperature": "20 °C"}},
            {"on": "hot", "film": {"h": "15 W/(m² K)", "temperature": "20 °C"}},
            {"on": "lower.bottom", **BELOW},
        ],
        "heat_inside": [{"region": "middle", "per_volume": "300 kW/m³"}],
        "mesh": {"size": "0.5 mm"},
        "questions": [
            {"name": "hot", "temperature": ["10 mm", "10 mm"]},
            {"name": "under it", "temperature": ["10 mm", "2 mm"]},
            {"name": "far", "temperature": ["40 mm", "5 mm"]},
            {"name": "in the mean", "mean": "hot"},
            {"name": "below", "heat_flow": "lower.bottom"},
        ],
    },
    "a disc about the axis, heated from below, held on top": {
        "body": {
            "kind": "turned section",
            "regions": {"lower": rectangle(0, 3, "steel"), "upper": rectangle(3, 9, "clay")},
        },
        "surfaces": {"hot": {"on": "lower.bottom", "start": ["0 mm", "0 mm"], "end": ["11 mm", "0 mm"]}},
        "surroundings": [{"on": "hot", "flux": "30 kW/m²"}, {"on": "upper.top", "temperature": "40 °C"}],
        "mesh": {"size": "0.5 mm"},
        "questions": [
            {"name": "middle", "temperature": ["0 mm", "0 mm"]},
            {"name": "between", "temperature": ["20 mm", "3 mm"]},
            {"name": "above", "heat_flow": "upper.top"},
            {"name": "through the spot", "heat_flow": "hot"},
        ],
    },
    "a ring on discs in space": {
        "body": {"kind": "stacked", "regions": {"lower": disc(0, 5, "clay"), "upper": disc(5, 8, "steel")}},
        "surfaces": {
            "hot": {
                "on": "upper.top",
                "within": {"shape": "ring", "inner": "6 mm", "outer": "14 mm", "at": ["5 mm", "0 mm"]},
            }
        },
        "surroundings": [{"on": "hot", "flux": "40 kW/m²"}, {"on": "lower.bottom", **BELOW}],
        "mesh": {"size": "2 mm"},
        "questions": [
            {"name": "inside the ring", "temperature": ["5 mm", "0 mm", "6 mm"]},
            {"name": "under it", "temperature": ["5 mm", "10 mm", "2 mm"]},
        ],
    },
}


@pytest.mark.parametrize("name", CASES)
def test_plates_are_recognised_and_the_mesh_comes_to_what_is_exact(name: str) -> None:
    outcome = Flow().run(case_from_data({"format": FORMAT, "title": name, "materials": MATERIALS, **CASES[name]}))
    assert outcome.trouble is None
    assert outcome.geometry is not None and outcome.problem is not None
    known = recognised(outcome.geometry, outcome.problem)
    assert known is not None and known.name == "plates"
    assert pickle.loads(pickle.dumps(outcome.exact)) is not None
    for check in outcome.checks:
        assert check.source is not None and check.source.text.endswith("(2003)"), check
        assert check.relative is not None and check.deviation is not None and check.error is not None, check
        assert abs(check.deviation) < check.error or abs(check.relative) < 1e-5, check
        assert abs(check.relative) < 1e-3, check


def test_one_plate_is_what_the_box_says_of_it() -> None:
    """Which sums along other axes."""
    sides = Side(h=500.0, fluid=300.0), Side(h=20.0, fluid=310.0)
    within = ((0.01, 0.03), (0.012, 0.025))
    plates = Spreading(
        plans.rectangle(0.06, 0.04), (Plate(0.012, 20.0, 20.0, 1e5),), sides, (Patch(1, within, 1e5),), (320,)
    )
    along = tuple(
        Along(length, 1.0, tuple(Side(each.held, each.flux, each.h / 20, each.fluid) for each in ends))
        for length, ends in ((0.04, (Side(), Side())), (0.012, sides))
    )
    across = Warming("wall", 0.0, (WarmingLayer(0.06, 20.0, 1.0, 0.0, 1e5),), (Side(), Side()))
    box = Separated(across, along, 512, 160, (Spot(1, within, 1e5),))
    places = np.array([[0.02, 0.02, 0.012], [0.05, 0.03, 0.0], [0.001, 0.039, 0.007], [0.02, 0.02, 0.011]])
    np.testing.assert_allclose(plates.temperature_at(places), box.temperature_at(places), rtol=2e-7)


@pytest.mark.parametrize(
    ("plan", "patch", "place"),
    [
        (plans.strip(0.06), ((0.01, 0.03),), (0.021,)),
        (plans.disc(0.05), ((0.0, 0.012),), (0.004,)),
        (plans.rectangle(0.06, 0.04), ((0.01, 0.03), (0.012, 0.025)), (0.02, 0.02)),
    ],
)
def test_heat_goes_on_through_joints_and_is_all_that_comes_in(plan: plans.Plan, patch: Any, place: Any) -> None:
    """In each plate ∇²T follows from what arises in it; between them the flux is one and T jumps by the joint's."""
    plates = Plate(0.003, 200.0, 200.0, 0.0, 2e-4), Plate(0.008, 1.2, 15.0, 4e5), Plate(0.011, 30.0, 30.0)
    pile = Spreading(plan, plates, (Side(held=300.0), Side(h=12.0, fluid=290.0)), (Patch(1, patch, 4e4),), (400,))

    def at(height: float, layer: int) -> float:
        return float(pile.temperature_at(np.array([[*place, height]]), layer)[0])

    def slope(height: float, layer: int, way: float) -> float:
        step = 2e-5 * way
        return (-3 * at(height, layer) + 4 * at(height + step, layer) - at(height + 2 * step, layer)) / (2 * step)

    for layer, line in ((0, 0.003), (1, 0.008)):
        below, above = plates[layer].k * slope(line, layer, -1), plates[layer + 1].k * slope(line, layer + 1, 1)
        assert below == pytest.approx(above, rel=1e-4)
        jump = at(line, layer + 1) - at(line, layer)
        assert jump == pytest.approx(below * plates[layer].contact, rel=1e-4, abs=1e-9)
    assert at(0.0, 0) == pytest.approx(300.0, abs=1e-9)
    mean = pile.mean
    over = mean.settled_at(2, np.array([0.011]))[0]
    entering = 4e4 * plan.area(patch) + 12 * (290 - over)
    assert mean.settled_flow(2, 1) == pytest.approx(entering, rel=1e-12)
    assert mean.settled_flow(0, 0) == pytest.approx(entering + 4e5 * 0.005, rel=1e-12)


def test_a_small_disc_on_a_thick_plate_meets_the_constriction_of_a_half_space() -> None:
    """8 q a/(3 π k) in the mean of an even flux and q a/k in its middle (Carslaw & Jaeger, 8.2)."""
    a, q, k = 1e-3, 1e4, 2.0
    pile = Spreading(
        plans.disc(0.2), (Plate(0.2, k, k),), (Side(held=0.0), Side()), (Patch(1, ((0.0, a),), q),), (16_384,)
    )
    beneath = q * a**2 / 0.2**2 * 0.2 / k
    middle = float(pile.temperature_at(np.array([[0.0, 0.2]]))[0]) - beneath
    assert middle == pytest.approx(q * a / k, rel=1e-2)
    radii = (np.arange(50) + 0.5) / 50 * a
    rise = pile.temperature_at(np.column_stack([radii, np.full(50, 0.2)])) - beneath
    assert rise @ radii / radii.sum() == pytest.approx(8 * q * a / (3 * np.pi * k), rel=1e-2)


@pytest.mark.parametrize(
    "cooled",
    [
        [{"on": "plate.left", **BELOW}, {"on": "plate.bottom", **BELOW}],
        [{"on": "plate.bottom", "film": {"h": "x/(1 mm) * 9 W/(m² K)", "temperature": "25 °C"}}],
    ],
)
def test_plates_that_are_none_are_not_taken_for_them(cooled: list[dict[str, Any]]) -> None:
    data = {**family("part-on-layers").case().data, "mesh": {"size": "8 mm"}}
    data["surroundings"] = [{"on": "driver", "heat": "12 W"}, *cooled]
    data["questions"] = [{"name": "hot", "temperature": ["28 mm", "20 mm", "7 mm"]}]
    assert Flow().answered(case_from_data(data)).exact is None


def test_a_plate_may_be_placed_by_another_one() -> None:
    stated = family("part-on-layers").case().data
    board = dict(stated["body"]["regions"]["board"])
    plate = {**stated["body"]["regions"]["plate"], "inside": "board"}
    body = {"kind": "stacked", "regions": {"board": board, "plate": plate}}
    joints = [{"on": "board|plate", "resistance": "R_joint"}]
    data = {**stated, "body": body, "joints": joints, "mesh": {"size": "8 mm"}, "questions": []}
    outcome = Flow().answered(case_from_data(data))
    assert outcome.exact is not None and outcome.exact.name == "plates"
