"""What a fixing lets through beside its flat wall: against turned bodies, flat walls, symmetry, and what has no χ."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.report.tables.number_tables import TABLES

LAYERS = {"inner": (0.0, 0.1, "brick"), "middle": (0.1, 0.08, "wool"), "outer": (0.18, 0.02, "brick")}
U = 1 / (0.13 + 0.1 / 0.7 + 0.08 / 0.04 + 0.02 / 0.7 + 0.04)


def checks(data: dict[str, Any] | Case) -> dict[str, Check]:
    case = data if isinstance(data, Case) else case_from_data(data)
    *_, outcome = Flow().outcomes(case)
    assert outcome.trouble is None
    return {check.name: check for check in outcome.checks}


def mm(*lengths: float) -> list[str]:
    return [f"{1000 * each:.9g} mm" for each in lengths]


def stacked(wide: float, deep: float, bar: tuple[float, ...] | None = None, **more: Any) -> dict[str, Any]:
    """A wall of three layers on a plan, and a ``bar`` (x, y, wide, deep) through the wool and the outer layer."""
    regions: dict[str, Any] = {
        name: {"shape": "rectangle", "size": mm(wide, deep), "z": mm(low, low + thick), "material": material}
        for name, (low, thick, material) in LAYERS.items()
    }
    outside = ["outer.top"]
    if bar is not None:
        place, size = mm(*bar[:2]), mm(*bar[2:])
        regions["bar"] = {"shape": "rectangle", "at": place, "size": size, "z": mm(0.1, 0.2), "material": "steel"}
        outside.append("bar.top")
    return {
        "format": "blunt-ember/1",
        "materials": {name: {"k": f"{k} W/(m K)"} for name, k in (("brick", 0.7), ("wool", 0.04), ("steel", 50))},
        "environments": {"room": "20 °C", "yard": "-5 °C"},
        "body": {"kind": "stacked", "regions": regions},
        "surroundings": [
            {"on": "inner.bottom", "film": {"resistance": "0.13 m² K/W", "environment": "room"}},
            {"on": outside, "film": {"resistance": "0.04 m² K/W", "environment": "yard"}},
        ],
        "questions": [
            {"name": "L", "coupling": "room", "to": "yard"},
            {"name": "chi", "point_transmittance": "room", "to": "yard"},
        ],
        **more,
    }


def test_a_wall_that_nothing_passes_has_none_and_joints_are_among_its_layers() -> None:
    joint = {"on": "inner|middle", "resistance": "0.3 m² K/W"}
    for data in (stacked(0.4, 0.3), stacked(0.4, 0.3, joints=[joint])):
        found = checks(data)["chi"]
        assert abs(found.value) < 1e-12
        assert found.kind.shown == "W/K"
    tight, parted = (checks(data)["L"].value for data in (stacked(0.4, 0.3), stacked(0.4, 0.3, joints=[joint])))
    assert tight == pytest.approx(0.12 * U, rel=1e-9)
    assert parted == pytest.approx(0.12 / (1 / U + 0.3), rel=1e-9)


def test_a_quarter_and_a_half_that_symmetry_cuts_say_shares_of_the_whole() -> None:
    coarse = {"mesh": {"size": "30 mm"}}
    whole = checks(stacked(0.4, 0.4, (0.17, 0.17, 0.06, 0.06), **coarse))
    half = checks(stacked(0.2, 0.4, (0, 0.17, 0.03, 0.06), **coarse))
    quarter = checks(stacked(0.2, 0.2, (0, 0, 0.03, 0.03), **coarse))
    assert whole["chi"].value > 5 * whole["chi"].error > 0
    assert whole["chi"].value == pytest.approx(whole["L"].value - 0.16 * U, rel=1e-9)
    for part, share in ((half, 2), (quarter, 4)):
        apart = abs(share * part["chi"].value - whole["chi"].value)
        assert apart <= share * part["chi"].error + whole["chi"].error


def test_a_turned_section_and_a_turned_solid_say_the_same_of_the_shipped_bolt() -> None:
    flat = family("bolt-through-wool").case()
    found = checks(flat)
    assert found["by hand"].verdict == "agrees"
    data = flat.data
    body = {**data["body"], "kind": "turned solid", "angle": "90 deg"}
    kept = [each for each in data["questions"] if each["name"] in ("L", "chi")]
    solid = checks({**data, "body": body, "questions": kept, "mesh": {"size": "60 mm"}})
    apart = abs(4 * solid["chi"].value - found["chi"].value)
    assert apart <= 4 * solid["chi"].error + found["chi"].error < 0.3 * found["chi"].value


def test_the_wall_that_is_taken_off_stands_in_a_table() -> None:
    outcome = Flow().answered(case_from_data(stacked(0.4, 0.4, mesh={"size": "100 mm"})))
    columns = {column.heading: column.values for column in TABLES["flat walls"].columns(outcome)}
    assert list(columns["wall of"]) == ["inner, middle, outer"]
    assert columns["U-value"][0] == pytest.approx(U)
    assert columns["area"][0] == pytest.approx(0.16)


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("data", "said"),
    [
        (stacked(0.4, 0.3, (0, 0.1, 0.4, 0.05)), "goes on"),
        (
            {
                **stacked(0.4, 0.3),
                "surroundings": [
                    {"on": "inner.bottom", "film": {"resistance": "0.13 m² K/W", "environment": "room"}},
                    {"on": "outer.left", "film": {"resistance": "0.04 m² K/W", "environment": "yard"}},
                ],
            },
            "not cut off square",
        ),
        (family("corner-of-two-walls").case().data, "a section has a linear one"),
    ],
)
def test_what_has_no_such_wall_says_why(data: Any, said: str) -> None:
    first, to = list(data["environments"])
    asked = [{"name": "chi", "point_transmittance": first, "to": to}]
    found = checks({**data, "questions": asked})["chi"]
    assert np.isnan(found.value)
    assert said in found.note


def test_an_environment_with_itself_is_refused() -> None:
    asked = [{"name": "chi", "point_transmittance": "room", "to": "room"}]
    with pytest.raises(CaseError, match="name two environments"):
        case_from_data({**stacked(0.4, 0.3), "questions": asked})
