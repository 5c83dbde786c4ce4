"""Extremes whose place leaps from mesh to mesh, or is none: their ± hold beside cells a quarter as large."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.flow.flow import Flow

STUFF = {"k": "0.12 W/(m K)", "density": "1800 kg/m³", "c": "400 J/(kg K)"}
WARM_UP = "W/(m K)*(1 + 0.0034/K*(T - 293 K))"


def square(
    surroundings: list[Any],
    asked: dict[str, Any],
    holes: dict[str, tuple[int, int, int, int]],
    parts: dict[str, tuple[int, int, int, int, str]],
    **more: Any,
) -> dict[str, Any]:
    """Data of a square of 120 mm with rectangular ``holes``, their size and place in mm, and ``parts`` that conduct
    otherwise."""

    def rectangle(w: int, h: int, x: int, y: int) -> dict[str, Any]:
        return {"shape": "rectangle", "size": [f"{w} mm", f"{h} mm"], "at": [f"{x} mm", f"{y} mm"]}

    regions = {"block": {**rectangle(120, 120, 0, 0), "material": "stuff"}}
    regions |= {name: {**rectangle(*place), "void": True} for name, place in holes.items()}
    regions |= {name: {**rectangle(*place), "material": name} for name, (*place, _) in parts.items()}
    data = {
        "format": "blunt-ember/1",
        "materials": {"stuff": STUFF},
        "body": {"kind": "section", "regions": regions},
        "surroundings": surroundings,
        "questions": [{"name": "asked", **asked}],
        "mesh": {"size": "7 mm", "order": 1},
        **more,
    }
    data["materials"] |= {name: {**STUFF, "k": k} for name, (*_, k) in parts.items()}
    return data


def held(surface: str, celsius: float) -> dict[str, Any]:
    return {"on": surface, "temperature": f"{celsius} °C"}


def cooled(surface: str, h: float, celsius: float) -> dict[str, Any]:
    return {"on": surface, "film": {"h": f"{h} W/(m² K)", "temperature": f"{celsius} °C"}}


CASES: dict[str, dict[str, Any]] = {
    "radiation warms the middle of what is held at one end": square(
        [
            cooled("block.slot right", 53.2, 7.65),
            cooled("block.slot left", 2410, 234),
            {"on": "block.slot bottom", "radiation": {"emissivity": "0.8", "temperature": "453 °C"}},
            held("block.left", 282),
            held("block.top", 142),
            {"on": "block.foot top", "radiation": {"emissivity": "0.8", "temperature": "439 °C"}},
        ],
        {"highest": "block.bottom"},
        {"foot": (80, 20, 40, 0), "slot": (40, 100, 20, 20)},
        {},
        materials={"stuff": {"k": f"4.84384 {WARM_UP}"}},
        mesh={"size": "14.019 mm", "order": 1},
    ),
    "the coldest place may lie by a strong film": square(
        [
            cooled("block.right", 3.48, 204),
            {"on": "block.left", "radiation": {"emissivity": "0.8", "temperature": "166 °C"}},
            {"on": "foot.top", "flux": "-493 W/m²"},
            cooled("block.slot top", 356, 76),
            cooled("block.slot bottom", 3.09, 142),
            cooled("block.top", 3.32, 93.3),
            held("foot.right", 225),
        ],
        {"lowest": "body"},
        {"slot": (80, 60, 40, 20)},
        {"foot": (40, 20, 40, 20, f"2 {WARM_UP}")},
        materials={"stuff": {"k": "0.0585 W/(m K)"}},
        mesh={"size": "6.633 mm", "order": 1},
    ),
    "a strong film beside what is held": square(
        [
            {"on": ["block.bottom", "block.top"], "flux": "30 W/m²"},
            cooled("block.right", 1800, 266),
            held("block.notch top", 60),
        ],
        {"highest": "block"},
        {"notch": (40, 40, 80, 40)},
        {},
    ),
    "a strong film beside what is held, in time": square(
        [
            {"on": ["block.bottom", "block.top"], "flux": "430 W/m²"},
            cooled("block.right", 1800, 266),
            held("block.notch top", 60),
            held("block.left", 205),
        ],
        {"highest": "block"},
        {"notch": (40, 40, 80, 40)},
        {},
        clock={"start": "19 °C", "end": "3000 s", "tolerance": "0.1 %"},
    ),
    "a strong film beside what is held, at a time in between": square(
        [
            {"on": ["block.bottom", "block.top"], "flux": "430 W/m²"},
            cooled("block.right", 1800, 266),
            held("block.notch top", 60),
            held("block.left", 205),
        ],
        {"highest": "block", "time": "1234 s"},
        {"notch": (40, 40, 80, 40)},
        {},
        clock={"start": "19 °C", "end": "3000 s", "tolerance": "0.1 %"},
    ),
    "what heat is drawn from becomes the coldest, in time": square(
        [
            {"on": "strip.top", "flux": "238 W/m²"},
            held("block.bottom", 25.3),
            held("block.top", 61.1),
            cooled("strip.left", 1770, 262),
            {"on": "block.right", "flux": "266 W/m²"},
            {"on": "block.left", "flux": "-433 W/m²"},
            cooled("core.right", 1710, 68),
        ],
        {"lowest": "body"},
        {},
        {"strip": (20, 60, 0, 60, "21.8 W/(m K)"), "core": (40, 80, 80, 20, "0.044 W/(m K)")},
        clock={"start": "159 °C", "end": "2697 s"},
        materials={"stuff": {"k": "0.049 W/(m K)", "density": "6600 kg/m³", "c": "893 J/(kg K)"}},
        mesh={"size": "11.432 mm", "order": 1},
    ),
    "free triangles about places where what is held ends": square(
        [cooled("block.bottom", 9.33, 210), held("block.slot right", 84.3), held("corner.left", 155)],
        {"mean": "block.bottom"},
        {"slot": (80, 40, 0, 80)},
        {"corner": (20, 20, 0, 40, "20.829 W/(m K)")},
        materials={"stuff": {"k": f"26.665 {WARM_UP}"}},
        mesh={"size": "8.8063 mm", "order": 1, "cells": "triangles"},
    ),
}
CASES["a strong film all along the edge of what is held, in space"] = {
    "format": "blunt-ember/1",
    "materials": {"stuff": {"k": "1.5325 W/(m K)"}},
    "body": {
        "kind": "stacked",
        "regions": {
            "block": {"shape": "rectangle", "size": ["120 mm", "100 mm"], "z": ["0 mm", "60 mm"], "material": "stuff"}
        },
    },
    "surroundings": [
        cooled("block.front", 15, 61.8),
        cooled("block.back", 1140, 80.5),
        cooled("block.right", 115, 191),
        {"on": "block.left", "insulated": True},
        held("block.top", 286),
        held("block.bottom", 294),
    ],
    "mesh": {"size": "23.06 mm", "order": 1},
    "questions": [{"name": "asked", "lowest": "body"}],
}


def with_mesh(data: dict[str, Any], **mesh: Any) -> Case:
    own = deepcopy(data)
    own["mesh"] |= mesh
    return case_from_data(own)


@pytest.mark.parametrize("name", CASES)
def test_the_error_holds_what_finer_cells_answer(name: str) -> None:
    size = float(CASES[name]["mesh"]["size"].split()[0])
    flow = Flow(curves=False)
    (exact,) = flow.answered(with_mesh(CASES[name], size=f"{size / 4} mm", order=2)).checks
    for cells in (size, 0.9 * size):
        (check,) = flow.run(with_mesh(CASES[name], size=f"{cells} mm")).checks
        assert check.error is not None
        assert abs(check.value - exact.value) <= check.error <= 25 * abs(check.value - exact.value)


def test_asking_for_an_extreme_changes_no_other_error() -> None:
    """On a disc of few linear cells, where larger ones do not reach the places beside the extreme."""
    mean = {"name": "mean", "mean": "disc"}
    data: dict[str, Any] = {
        "format": "blunt-ember/1",
        "materials": {"stuff": STUFF},
        "body": {
            "kind": "section",
            "regions": {"disc": {"shape": "disc", "radius": "50 mm", "at": ["0 mm", "0 mm"], "material": "stuff"}},
        },
        "surroundings": [cooled("disc.rim", 9, 20)],
        "heat_inside": [{"region": "disc", "per_volume": "500 W/m³*(1 + x/(50 mm))"}],
        "mesh": {"size": "14 mm", "order": 1, "cells": "triangles"},
    }
    alone, *_ = Flow().run(case_from_data({**data, "questions": [mean]})).checks
    extreme = {"name": "hottest", "highest": "disc.rim"}
    beside, _ = Flow().run(case_from_data({**data, "questions": [mean, extreme]})).checks
    assert alone.error is not None and beside.error == pytest.approx(alone.error, rel=1e-9)
