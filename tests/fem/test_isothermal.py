"""Regions and surfaces of one temperature throughout, against networks and lumped bodies."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome


def block(x: float, width: float, material: str) -> dict[str, Any]:
    return {"shape": "rectangle", "size": [f"{width} mm", "60 mm"], "at": [f"{x} mm", "0 mm"], "material": material}


def case(**more: Any) -> dict[str, Any]:
    """A block of brick, a sheet and a block of felt in a row, the last one cooled by two fluids side by side."""
    return {
        "format": FORMAT,
        "materials": {
            "brick": {"k": "0.8 W/(m K)", "density": "1900 kg/m³", "c": "840 J/(kg K)"},
            "sheet": {"k": "0.05 W/(m K)", "density": "7800 kg/m³", "c": "500 J/(kg K)"},
            "felt": {"k": "0.05 W/(m K)", "density": "100 kg/m³", "c": "900 J/(kg K)"},
        },
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"wall": block(0, 80, "brick"), "sheet": block(80, 6, "sheet"), "felt": block(86, 20, "felt")},
        },
        "surfaces": {
            "low": {"on": "felt.right", "start": ["106 mm", "0 mm"], "end": ["106 mm", "24 mm"]},
            "high": {"on": "felt.right", "start": ["106 mm", "24 mm"], "end": ["106 mm", "60 mm"]},
        },
        "surroundings": [
            {"on": "wall.left", "temperature": "300 °C"},
            {"on": "low", "film": {"h": "40 W/(m² K)", "temperature": "10 °C"}},
            {"on": "high", "film": {"h": "9 W/(m² K)", "temperature": "80 °C"}},
        ],
        "mesh": {"size": "12 mm"},
        "questions": [{"name": "loss", "heat_flow": "wall.left"}],
        **more,
    }


def solved(data: dict[str, Any]) -> Outcome:
    return Flow().answered(case_from_data(data))


def test_a_surface_of_one_temperature_makes_a_network_of_uneven_cooling() -> None:
    """With the outer face even, heat goes straight through the layers and parts between the two fluids."""
    outcome = solved(case(isothermal=[{"on": ["low", "high"]}]))
    through = 0.06 / (0.08 / 0.8 + 0.006 / 0.05 + 0.02 / 0.05)
    to_low, to_high = 40 * 0.024, 9 * 0.036
    face = (through * 300 + to_low * 10 + to_high * 80) / (through + to_low + to_high)
    assert outcome.checks[0].value == pytest.approx(through * (300 - face), rel=1e-9)
    rows = {row.name: row.heat for row in outcome.ledger.rows}
    assert rows["low"] == pytest.approx(-to_low * (face - 10), rel=1e-9)
    assert rows["high"] == pytest.approx(-to_high * (face - 80), rel=1e-9)
    assert abs(outcome.ledger.relative) < 1e-12


@pytest.mark.parametrize("kind", ["section", "turned section", "stacked", "rod"])
def test_a_region_of_one_temperature_takes_no_share_of_the_resistance_in_any_body(kind: str) -> None:
    """Between plain faces its own poor conduction no longer counts; what goes in comes out on the other side."""
    data = case(isothermal=[{"region": "sheet"}])
    data["surfaces"], data["surroundings"] = {}, data["surroundings"][:1]
    regions, last = data["body"]["regions"], "felt.right"
    if kind == "turned section":
        regions = {name: {**each, "size": each["size"][::-1], "at": each["at"][::-1]} for name, each in regions.items()}
        data["surroundings"][0]["on"], last = "wall.bottom", "felt.top"
    if kind == "stacked":
        regions = {name: {**each, "z": ["0 mm", "30 mm"]} for name, each in regions.items()}
    data["body"] = {"kind": kind, "regions": regions, **({"depth": "1 m"} if kind == "section" else {})}
    if kind == "rod":
        pieces = {
            name: {"length": each["size"][0], "diameter": "20 mm", "material": each["material"]}
            for name, each in regions.items()
        }
        data["body"] = {"kind": "rod", "pieces": pieces}
        data["surroundings"][0]["on"], last = "wall.start", "felt.end"
    data["surroundings"].append({"on": last, "temperature": "20 °C"})
    data["questions"] = [
        {"name": "in", "heat_flow": "wall|sheet"},
        {"name": "out", "heat_flow": "sheet|felt"},
        {"name": "low", "lowest": "sheet"},
        {"name": "high", "highest": "sheet"},
    ]
    if kind == "rod":
        data["questions"] = data["questions"][2:]
    outcome = solved(data)
    area = {"section": 0.06, "turned section": np.pi * 0.06**2, "stacked": 0.06 * 0.03, "rod": np.pi * 0.01**2}[kind]
    heat = area * 280 / (0.08 / 0.8 + 0.02 / 0.05)
    sheet = 300 - heat / area * 0.08 / 0.8
    found = {check.name: check.value for check in outcome.checks}
    assert found["low"] - 273.15 == pytest.approx(sheet, rel=1e-9)
    assert found["high"] - 273.15 == pytest.approx(sheet, rel=1e-9)
    if kind != "rod":
        assert found["in"] == pytest.approx(heat, rel=1e-9)
        assert found["out"] == pytest.approx(heat, rel=1e-9)
    assert abs(outcome.ledger.relative) < 1e-11


def test_a_body_of_one_temperature_cools_as_a_lumped_one_from_the_mean_of_its_start() -> None:
    """One unknown with the heat capacity of the region, however poorly it conducts."""
    data = case(isothermal=[{"region": "felt"}])
    data["body"]["regions"] = {"felt": block(0, 20, "felt")}
    data["surfaces"] = {}
    data["surroundings"] = [{"on": ["felt.left", "felt.right"], "film": {"h": "6 W/(m² K)", "temperature": "20 °C"}}]
    data["clock"] = {"start": "120 °C + 40 K*y/(60 mm)", "end": "10 min", "tolerance": "0.001 K"}
    data["questions"] = [{"name": "end", "mean": "felt"}, {"name": "spread", "highest": "felt"}]
    outcome = solved(data)
    expected = 20 + (140 - 20) * np.exp(-2 * 6 * 600 / (100 * 900 * 0.02))
    for check in outcome.checks:
        assert check.value - 273.15 == pytest.approx(expected, abs=0.01)
    assert abs(outcome.ledger.relative) < 1e-9


def test_a_shield_that_floats_between_plates_settles_where_radiation_leaves_it() -> None:
    """Nothing but radiation reaches it: black on both sides, and closed, it takes the mean of the fourth powers."""
    data = case(isothermal=[{"region": "sheet"}])
    data["body"]["regions"] = {
        "wall": block(0, 8, "brick"),
        "sheet": block(20, 2, "sheet"),
        "felt": block(30, 8, "felt"),
    }
    data["surfaces"] = {}
    data["surroundings"] = [
        {"on": ["wall.left", "wall.right"], "temperature": "400 °C"},
        {"on": ["felt.left", "felt.right"], "temperature": "20 °C"},
    ]
    pairs = {"hot": ["wall.right", "sheet.left"], "cold": ["sheet.right", "felt.left"]}
    data["enclosures"] = {
        name: {"faces": [{"on": on, "emissivity": "1"}], "closed": True, "even": True} for name, on in pairs.items()
    }
    data["questions"] = [{"name": "shield", "mean": "sheet"}]
    data["isothermal"] += [{"region": "wall"}]
    outcome = solved(data)
    assert outcome.checks[0].value == pytest.approx(((673.15**4 + 293.15**4) / 2) ** 0.25, rel=1e-9)


def test_parts_that_touch_have_their_temperature_together_and_held_ones_hold_the_rest() -> None:
    """The sheet and the face of the wall share nodes; a held edge gives its temperature to all of them."""
    data = case(isothermal=[{"region": "sheet"}, {"on": "wall.top"}])
    data["surroundings"][0] = {"on": "wall.left", "film": {"h": "50 W/(m² K)", "temperature": "300 °C"}}
    data["surroundings"].append({"on": "sheet.bottom", "temperature": "150 °C"})
    data["questions"] = [{"name": "low", "lowest": "wall.top"}, {"name": "high", "highest": "sheet"}]
    outcome = solved(data)
    assert [check.value for check in outcome.checks] == pytest.approx([423.15, 423.15], abs=1e-9)
    assert abs(outcome.ledger.relative) < 1e-11
    held = next(row for row in outcome.ledger.rows if row.name == "sheet.bottom")
    others = sum(row.heat for row in outcome.ledger.rows if row is not held)
    assert held.heat == pytest.approx(-others, rel=1e-9)


@pytest.mark.parametrize(
    ("stated", "message"),
    [
        ({"region": "shet"}, "there is no region 'shet'; did you mean 'sheet'"),
        ({"on": "wall.lft"}, "there is no surface 'wall.lft'"),
        ({"on": "wall|sheet"}, "the two sides of the joint 'wall|sheet' differ"),
        ({"on": "wall.left", "region": "wall"}, "a 'region', or surfaces with 'on'"),
        ({"region": ["wall", "sheet", "felt"]}, "held at 20 °C and 300 °C"),
    ],
)
def test_what_cannot_have_one_temperature_says_why(stated: dict[str, Any], message: str) -> None:
    data = case(isothermal=[stated], joints=[{"on": "wall|sheet", "resistance": "0.01 m² K/W"}])
    data["surroundings"].append({"on": "felt.top", "temperature": "20 °C"})
    if "held" in message:
        data["joints"] = []
    with pytest.raises(CaseError, match=message):
        solved(data)


@pytest.mark.parametrize("together", [False, True])
def test_a_face_of_one_temperature_has_it_with_its_periodic_partner_or_is_refused(together: bool) -> None:
    """The upper side is as the lower one is; if that alone is to be even, nothing could make the other so."""
    data = case(isothermal=[{"on": ["wall.bottom", "wall.top"] if together else "wall.top"}])
    data["surroundings"].append({"on": ["wall.bottom", "wall.top"], "periodic": True})
    data["surroundings"][0] = {"on": "wall.left", "film": {"h": "50 W/(m² K)", "temperature": "300 °C"}}
    data["questions"] = [{"name": "low", "lowest": "wall.top"}, {"name": "high", "highest": "wall.bottom"}]
    if not together:
        with pytest.raises(CaseError, match=r"let 'wall\.bottom' have it too"):
            solved(data)
        return
    outcome = solved(data)
    assert outcome.checks[0].value == pytest.approx(outcome.checks[1].value, abs=1e-9)
    assert abs(outcome.ledger.relative) < 1e-11
