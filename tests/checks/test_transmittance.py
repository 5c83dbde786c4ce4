"""What a junction lets through beside its walls: against closed forms, flat walls, and what has no such number."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.verdict import Check
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

FILMS = ("0.13 m² K/W", "0.04 m² K/W")


def checks(data: dict[str, Any] | Case) -> dict[str, Check]:
    case = data if isinstance(data, Case) else case_from_data(data)
    *_, outcome = Flow().outcomes(case)
    assert outcome.trouble is None
    return {check.name: check for check in outcome.checks}


def section(regions: dict[str, Any], inside: Any, outside: Any, resistances: tuple[str, str], **more: Any) -> Any:
    """Walls between a room and the yard, and ψ by either lengths."""
    films = [
        {"resistance": each, "environment": name} for each, name in zip(resistances, ("room", "yard"), strict=True)
    ]
    return {
        "format": "blunt-ember/1",
        "materials": {"brick": {"k": "0.7 W/(m K)"}, "wool": {"k": "0.04 W/(m K)"}},
        "environments": {"room": "20 °C", "yard": "-5 °C"},
        "body": {"kind": "section", "depth": "2.5 m", "regions": regions},
        "surroundings": [{"on": inside, "film": films[0]}, {"on": outside, "film": films[1]}],
        "questions": [
            {"name": sides, "transmittance": "room", "to": "yard", "lengths": sides} for sides in ("inner", "outer")
        ],
        **more,
    }


def rectangle(x: float, y: float, wide: float, high: float, material: str = "brick") -> dict[str, Any]:
    size, at = [[f"{1000 * each:.9g} mm" for each in pair] for pair in ((wide, high), (x, y))]
    return {"shape": "rectangle", "size": size, "at": at, **({"material": material} if material else {"void": True})}


def corner(thick: float, long: float) -> dict[str, Any]:
    return {"walls": rectangle(0, 0, thick + long, thick + long), "room": rectangle(thick, thick, long, long, "")}


def test_a_corner_of_plates_lets_through_what_the_closed_form_says() -> None:
    """Held on both sides, a square corner adds 1 − (2/π) ln 2 squares by inner lengths (conformal map of an L)."""
    data = section(
        corner(0.2, 1.2), ["walls.room left", "walls.room bottom"], ["walls.left", "walls.bottom"], ("1e-9 m² K/W",) * 2
    )
    found = checks({**data, "mesh": {"size": "20 mm"}})
    exact = 0.7 * (1 - 2 / np.pi * np.log(2))
    assert abs(found["inner"].value - exact) <= found["inner"].error < 1e-2 * exact
    outer = exact - 2 * 0.7
    assert abs(found["outer"].value - outer) <= found["outer"].error
    assert found["inner"].kind.shown == "W/(m K)"


@pytest.mark.parametrize("turned", [False, True])
def test_a_flat_wall_adds_nothing_whatever_its_layers_and_joints(turned: bool) -> None:
    """Its two ends are those of one wall."""
    layers = {"inner": (0.0, 0.2, "brick"), "middle": (0.2, 0.1, "wool"), "outer": (0.3, 0.12, "brick")}
    regions = {
        name: rectangle(0, at, 0.9, thick, made_of) if turned else rectangle(at, 0, thick, 0.9, made_of)
        for name, (at, thick, made_of) in layers.items()
    }
    near, far = ("bottom", "top") if turned else ("left", "right")
    joint = {"on": "inner|middle", "resistance": "0.3 m² K/W"}
    data = section(regions, f"inner.{near}", f"outer.{far}", FILMS, joints=[joint])
    for check in checks(data).values():
        assert abs(check.value) < 1e-12


def test_walls_that_differ_are_counted_up_to_where_their_faces_meet() -> None:
    """A corner of a thick and a thin wall, lengths and U-values by hand."""
    regions = {"left": rectangle(0, 0, 0.3, 1.5), "bottom": rectangle(0.3, 0, 1.0, 0.2, "wool")}
    data = section(regions, ["left.right", "bottom.top"], ["left.left", "left.bottom", "bottom.bottom"], FILMS)
    data["questions"].append({"name": "L", "coupling": "room", "to": "yard", "basis": "length"})
    found = checks(data)
    thick, thin = 1 / (0.13 + 0.3 / 0.7 + 0.04), 1 / (0.13 + 0.2 / 0.04 + 0.04)
    assert found["L"].value - found["inner"].value == pytest.approx(thick * 1.3 + thin * 1.0, rel=1e-12)
    assert found["L"].value - found["outer"].value == pytest.approx(thick * 1.5 + thin * 1.3, rel=1e-12)


def test_a_pillar_before_a_wall_leaves_its_length_as_it_is() -> None:
    regions = {"wall": rectangle(0, 0, 0.2, 2.0), "pillar": rectangle(0.2, 0.9, 0.1, 0.3)}
    data = section(regions, ["wall.right", "pillar.right", "pillar.top", "pillar.bottom"], "wall.left", FILMS)
    data["questions"].append({"name": "L", "coupling": "room", "to": "yard", "basis": "length"})
    found = checks(data)
    wall = 2.0 / (0.13 + 0.2 / 0.7 + 0.04)
    for sides in ("inner", "outer"):
        assert found["L"].value - found[sides].value == pytest.approx(wall, rel=1e-12)


TWO_WALLS = {"low": rectangle(0, 0, 0.2, 1.0), "high": rectangle(0, 1.0, 0.2, 1.0, "wool")}
REFUSED: dict[str, tuple[dict[str, Any], str]] = {
    "two walls in one line": (
        section(TWO_WALLS, ["low.left", "high.left"], ["low.right", "high.right"], ("0.13 m² K/W",) * 2),
        "lie in one line",
    ),
    "a wall that is cut aslant": (
        section(
            {
                "wall": {
                    "shape": "polygon",
                    "points": [["0 mm", "0 mm"], ["200 mm", "80 mm"], ["200 mm", "900 mm"], ["0 mm", "900 mm"]],
                    "material": "brick",
                }
            },
            "wall.side 4",
            "wall.side 2",
            ("0.13 m² K/W",) * 2,
        ),
        "not cut off square",
    ),
    "layers that taper": (
        section(
            {
                "low": {
                    "shape": "polygon",
                    "points": [["0 mm", "0 mm"], ["900 mm", "0 mm"], ["900 mm", "100 mm"], ["0 mm", "200 mm"]],
                    "material": "brick",
                },
                "high": {
                    "shape": "polygon",
                    "points": [["0 mm", "200 mm"], ["900 mm", "100 mm"], ["900 mm", "300 mm"], ["0 mm", "300 mm"]],
                    "material": "wool",
                },
            },
            "low.side 1",
            "high.side 3",
            FILMS,
        ),
        "does not leave the cut square",
    ),
    "a ring of walls": (
        section(
            {"walls": rectangle(0, 0, 1, 1), "room": rectangle(0.2, 0.2, 0.6, 0.6, "")},
            ["walls.room left", "walls.room right", "walls.room top", "walls.room bottom"],
            ["walls.left", "walls.right", "walls.top", "walls.bottom"],
            ("0.13 m² K/W",) * 2,
        ),
        "no wall between room and yard is cut off square",
    ),
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_has_no_such_number_says_why(name: str) -> None:
    data, why = REFUSED[name]
    check = checks(data)["inner"]
    assert np.isnan(check.value) and why in check.note


def test_it_is_between_two_environments_of_the_case() -> None:
    data = dict(family("corner-of-two-walls").data)
    for asked, why in (
        ({"transmittance": "yard", "to": "yard", "lengths": "inner"}, "name two environments"),
        ({"transmittance": "yard", "to": "loft", "lengths": "inner"}, "loft"),
        ({"transmittance": "yard", "to": "drying room"}, "lengths"),
    ):
        with pytest.raises(CaseError, match=why):
            case_from_data({**data, "questions": [{"name": "psi", **asked}]})
