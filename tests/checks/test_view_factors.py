"""View factors in closed form: found from the shape of a body, and met by what the mesh sees."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.checks.references.views.catalogue import EnclosureViews, views_of
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.flow.flow import Flow

HOT, COLD = "700 °C", "20 °C"


def slab(x: float, y: float, wide: float, high: float, **more: Any) -> dict[str, Any]:
    place = {"at": [f"{x} mm", f"{y} mm"], "size": [f"{wide} mm", f"{high} mm"]}
    return {"shape": "rectangle", **place, "material": "steel", **more}


def disc(x: float, y: float, radius: float) -> dict[str, Any]:
    return {"shape": "disc", "at": [f"{x} mm", f"{y} mm"], "radius": f"{radius} mm", "material": "steel"}


def ball(y: float, radius: float) -> dict[str, Any]:
    angles = {"start": "-90 deg", "end": "90 deg"}
    return {"shape": "ring sector", "at": ["0 mm", f"{y} mm"], "outer": f"{radius} mm", **angles, "material": "steel"}


def void(region: dict[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in region.items() if key != "material"} | {"void": True}


def case(kind: str, regions: dict[str, Any], faces: list[str], **more: Any) -> dict[str, Any]:
    """Surfaces that see each other, the first of them hot; what they do not see is cold."""
    stated = [{"void": face.removeprefix("void ")} if face.startswith("void ") else {"on": face} for face in faces]
    return {
        "format": "blunt-ember/1",
        "materials": {"steel": {"k": "40 W/(m K)", "emissivity": "0.8"}},
        "body": {"kind": kind, "regions": regions},
        "surroundings": [{"on": next(iter(more.pop("held", faces))), "temperature": HOT}],
        "enclosures": {"room": {"faces": stated, "opening": COLD, **more.pop("room", {})}},
        "questions": [],
        "mesh": {"size": more.pop("size", "10 mm"), "order": more.pop("order", 2)},
        **more,
    }


def problem_of(data: dict[str, Any]) -> tuple[Problem, EnclosureViews]:
    flow, stated = Flow(), case_from_data(data)
    on = flow._steps.mesh(stated, 1)
    problem = flow._steps.problem(stated, on)
    return problem, views_of(problem.enclosures[0], flow.geometry(stated), on.mesh)


BOX = {"wall": slab(0, 0, 200, 150), "room": void(slab(40, 30, 120, 90))}
CUP = {"wall": slab(0, 0, 100, 120), "bowl": void(ball(120, 80))}
SOLID_ROOM = {
    "wall": slab(0, 0, 200, 150, z=["0 mm", "160 mm"]),
    "room": void(slab(40, 30, 120, 90, z=["30 mm", "130 mm"])),
}
BRACKET = {
    "floor": slab(0, 0, 120, 80, z=["0 mm", "20 mm"]),
    "wall": slab(0, 0, 20, 80, z=["20 mm", "100 mm"]),
    "roof": slab(60, 20, 40, 90, z=["130 mm", "140 mm"]),
}
CASES: dict[str, tuple[dict[str, Any], list[tuple[str, str]], str, float]] = {
    "a post between strips": (
        case(
            "section",
            {"a": slab(0, 0, 20, 80), "b": slab(70, 0, 20, 80), "post": slab(40, 30, 10, 20)},
            ["a.right", "b.left"],
        ),
        [("a.right", "b.left")],
        "crossed strings past a body",
        1e-12,
    ),
    "strips that face each other": (
        case("section", {"a": slab(0, 0, 20, 80), "b": slab(70, 30, 20, 100)}, ["a.right", "b.left"]),
        [("a.right", "b.left"), ("a.right", "opening")],
        "crossed strings",
        1e-12,
    ),
    "an angle": (
        case("section", {"a": slab(0, 0, 90, 20), "b": slab(0, 20, 20, 60)}, ["a.top", "b.right"]),
        [("a.top", "b.right"), ("b.right", "opening")],
        "crossed strings",
        1e-12,
    ),
    "a duct of three sides": (
        case(
            "section",
            {
                "wall": slab(0, 0, 200, 150),
                "duct": {
                    "shape": "polygon",
                    "points": [["40 mm", "30 mm"], ["160 mm", "40 mm"], ["90 mm", "120 mm"]],
                    "void": True,
                },
            },
            ["void duct"],
            held=["wall.bottom"],
        ),
        [("wall.duct side 1", "wall.duct side 2"), ("wall.duct side 2", "wall.duct side 3")],
        "crossed strings",
        1e-12,
    ),
    "a room of four sides": (
        case("section", BOX, ["void room"], held=["wall.bottom"]),
        [("wall.room bottom", "wall.room top"), ("wall.room left", "wall.room top")],
        "crossed strings",
        1e-12,
    ),
    "a trough": (
        case(
            "section",
            {"wall": slab(-100, -100, 200, 100), "trough": void(disc(0, 0, 70))},
            ["wall.trough"],
            held=["wall.bottom"],
        ),
        [("wall.trough", "wall.trough"), ("wall.trough", "opening")],
        "crossed strings",
        2e-3,
    ),
    "cylinders side by side": (
        case("section", {"a": disc(0, 0, 30), "b": disc(110, 40, 50)}, ["a.rim", "b.rim"], size="4 mm"),
        [("a.rim", "b.rim"), ("b.rim", "a.rim"), ("a.rim", "a.rim")],
        "parallel cylinders",
        1e-3,
    ),
    "a cylinder before a wall": (
        case("section", {"a": disc(0, 60, 30), "b": slab(-20, -20, 120, 20)}, ["a.rim", "b.top"], size="4 mm"),
        [("b.top", "a.rim"), ("a.rim", "b.top")],
        "cylinder and strip",
        1e-3,
    ),
    "discs on an axis": (
        case("turned section", {"a": slab(0, 0, 60, 10), "b": slab(0, 80, 90, 10)}, ["a.top", "b.bottom"], size="5 mm"),
        [("a.top", "b.bottom"), ("b.bottom", "a.top"), ("a.top", "opening")],
        "coaxial discs",
        1e-4,
    ),
    "rings on an axis": (
        case(
            "turned section", {"a": slab(30, 0, 40, 10), "b": slab(20, 80, 70, 10)}, ["a.top", "b.bottom"], size="5 mm"
        ),
        [("a.top", "b.bottom")],
        "coaxial discs",
        1e-4,
    ),
    "a pot": (
        case(
            "turned section",
            {"wall": slab(0, 0, 100, 120), "pot": void(slab(0, 30, 60, 90))},
            ["void pot"],
            held=["wall.bottom"],
            size="5 mm",
        ),
        [("wall.pot right", "wall.pot right"), ("wall.pot right", "opening"), ("wall.pot bottom", "opening")],
        "coaxial discs",
        1e-4,
    ),
    "a funnel": (
        case(
            "turned section",
            {
                "wall": slab(0, 0, 150, 120),
                "funnel": {
                    "shape": "polygon",
                    "points": [["0 mm", "30 mm"], ["40 mm", "30 mm"], ["110 mm", "120 mm"], ["0 mm", "120 mm"]],
                    "void": True,
                },
            },
            ["void funnel"],
            held=["wall.bottom"],
            size="5 mm",
        ),
        [("wall.funnel side 2", "wall.funnel side 2"), ("wall.funnel side 2", "opening")],
        "coaxial discs",
        1e-4,
    ),
    "a bowl": (
        case("turned section", CUP, ["wall.bowl"], held=["wall.bottom"], size="5 mm"),
        [("wall.bowl", "wall.bowl"), ("wall.bowl", "opening")],
        "coaxial discs",
        2e-3,
    ),
    "a ball over a disc": (
        case("turned section", {"a": ball(80, 40), "b": slab(0, 0, 90, 10)}, ["a.rim", "b.top"], size="4 mm"),
        [("a.rim", "b.top"), ("b.top", "a.rim"), ("a.rim", "a.rim")],
        "ball and disc",
        2e-3,
    ),
    "a room in space": (
        case("stacked", SOLID_ROOM, ["void room"], held=["wall.bottom"], size="40 mm", order=1),
        [
            ("wall.room bottom", "wall.room top"),
            ("wall.room left", "wall.room right"),
            ("wall.room front", "wall.room top"),
        ],
        "parallel rectangles",
        2e-5,
    ),
    "rectangles apart and aslant": (
        case("stacked", BRACKET, ["floor.top", "wall.right", "roof.bottom"], size="20 mm", order=1),
        [("floor.top", "wall.right"), ("floor.top", "roof.bottom"), ("wall.right", "roof.bottom")],
        "perpendicular rectangles",
        2e-4,
    ),
}


BLOCKED = {
    "two posts between strips": (
        case(
            "section",
            {
                "a": slab(0, 0, 20, 80),
                "b": slab(70, 0, 20, 80),
                "post": slab(40, 30, 10, 20),
                "other": slab(40, 60, 10, 5),
            },
            ["a.right", "b.left"],
        ),
        ("a.right", "b.left"),
    ),
    "an angle between strips": (
        case(
            "section",
            {
                "a": slab(0, 0, 20, 80),
                "b": slab(70, 0, 20, 80),
                "upright": slab(40, 30, 10, 20),
                "foot": slab(50, 30, 10, 5),
            },
            ["a.right", "b.left"],
        ),
        ("a.right", "b.left"),
    ),
    "a shelf across two cylinders": (
        case(
            "section", {"a": disc(0, 0, 30), "b": disc(110, 0, 30), "shelf": slab(45, 10, 10, 90)}, ["a.rim", "b.rim"]
        ),
        ("a.rim", "b.rim"),
    ),
    "a ring between discs": (
        case(
            "turned section",
            {"a": slab(0, 0, 60, 10), "b": slab(0, 80, 90, 10), "ring": slab(40, 40, 30, 5)},
            ["a.top", "b.bottom"],
        ),
        ("a.top", "b.bottom"),
    ),
    "a plate through a room in space": (
        case(
            "stacked",
            {
                "floor": slab(0, 0, 120, 80, z=["0 mm", "20 mm"]),
                "shelf": slab(-30, -30, 100, 200, z=["50 mm", "60 mm"]),
                "roof": slab(0, 0, 120, 80, z=["100 mm", "120 mm"]),
            },
            ["floor.top", "roof.bottom"],
            size="40 mm",
        ),
        ("floor.top", "roof.bottom"),
    ),
}


@pytest.mark.parametrize("name", BLOCKED)
def test_where_something_stands_between_no_closed_form_is_taken(name: str) -> None:
    data, (first, second) = BLOCKED[name]
    _, views = problem_of(data)
    assert np.isnan(views.view_factor((first,), (second,)))
    assert views.view_factor((first,), (first,)) == 0


@pytest.mark.parametrize("name", CASES)
def test_what_the_mesh_sees_is_what_the_closed_form_says(name: str) -> None:
    data, asked, form, near = CASES[name]
    problem, views = problem_of(data)
    chamber = problem.enclosures[0].chamber
    count = len(chamber.surfaces)
    seen = np.zeros((count + 1, count + 1))
    seen[:count, :count] = chamber.between()
    seen[:count, count] = seen[count, :count] = chamber.openings()
    areas = np.append(chamber.areas(), chamber.open_area)
    assert form in views.source
    for first, second in asked:
        mesh = seen[views.place(first), views.place(second)] / areas[views.place(first)]
        assert views.view_factor((first,), (second,)) == pytest.approx(mesh, abs=near), (first, second)
    known = np.isfinite(views.exchanged)
    assert np.abs(views.exchanged - seen)[known].max() <= near * areas.max()
