"""Heat through faces of one region that meet: each is given what it draws, not what its area at the corner is."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.family import case_from_data

#: A slope of temperatures along every axis, K/m, and the conductivity they are in, W/(m K).
SLOPE, K = np.array([300.0, -170.0, 90.0]), 1.7


def heats(body: dict[str, Any], surroundings: list[dict[str, Any]], mesh: dict[str, Any]) -> dict[str, float]:
    materials = {name: {"k": f"{K} W/(m K)"} for name in ("a", "b")}
    flow = Flow()
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "title": "faces that meet",
            "materials": materials,
            "body": body,
            "surroundings": surroundings,
            "mesh": mesh,
        }
    )
    return flow.solved(case).heat


def sloping(*axes: str) -> str:
    return "400 K" + "".join(f" + ({slope} K/m)*{axis}" for axis, slope in zip(axes, SLOPE, strict=False))


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("cells", ["quadrilaterals", "triangles"])
def test_a_plane_field_passes_every_face_as_it_should(order: int, cells: str) -> None:
    """Through the outer edges of a plate of three parts, and where they meet inside."""
    body = {
        "kind": "section",
        "regions": {
            "core": {"shape": "rectangle", "size": ["40 mm", "30 mm"], "material": "a"},
            "east": {"shape": "rectangle", "size": ["80 mm", "80 mm"], "at": ["40 mm", "0 mm"], "material": "b"},
            "north": {"shape": "rectangle", "size": ["40 mm", "50 mm"], "at": ["0 mm", "30 mm"], "material": "a"},
        },
    }
    outer = ["core.left", "core.bottom", "east.bottom", "east.right", "east.top", "north.top", "north.left"]
    found = heats(
        body, [{"on": outer, "temperature": sloping("x", "y")}], {"size": "9 mm", "order": order, "cells": cells}
    )
    lengths = {"core.left": -0.03, "north.left": -0.05, "east.right": 0.08}, {"east.bottom": -0.08, "east.top": 0.08}
    for axis, sides in enumerate(lengths):
        for name, long in sides.items():
            assert found[name] == pytest.approx(K * SLOPE[axis] * long, rel=1e-9), name
    for name, long, axis in (("core|east", 0.03, 0), ("core|north", 0.04, 1), ("east|north", -0.05, 0)):
        assert found[name] == pytest.approx(-K * SLOPE[axis] * long, rel=1e-9), name


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("plan", ["quadrilaterals", "triangles"])
def test_a_solid_field_passes_every_face_as_it_should(order: int, plan: str) -> None:
    block = {"shape": "rectangle", "size": ["60 mm", "40 mm"], "z": ["0 mm", "30 mm"], "material": "a"}
    sides = {
        "left": (-0.04 * 0.03, 0),
        "right": (0.04 * 0.03, 0),
        "front": (-0.06 * 0.03, 1),
        "back": (0.06 * 0.03, 1),
        "bottom": (-0.06 * 0.04, 2),
        "top": (0.06 * 0.04, 2),
    }
    found = heats(
        {"kind": "stacked", "regions": {"block": block}},
        [{"on": [f"block.{side}" for side in sides], "temperature": sloping("x", "y", "z")}],
        {"size": "12 mm", "order": order, "cells": plan},
    )
    for side, (area, axis) in sides.items():
        assert found[f"block.{side}"] == pytest.approx(K * SLOPE[axis] * area, rel=1e-9), side


@pytest.mark.parametrize(("order", "least"), [(1, 1.2), (2, 2.6)])
def test_heat_through_faces_that_meet_converges_as_the_cells_do(order: int, least: float) -> None:
    """A sine along the top over a plate whose other edges are held level: by areas at the corners it would be of the
    first order, whatever the cells."""
    long, high, rise = 0.1, 0.04, 80.0
    body = {
        "kind": "section",
        "depth": "1 m",
        "regions": {"plate": {"shape": "rectangle", "size": [f"{long} m", f"{high} m"], "material": "a"}},
    }
    surroundings = [
        {"on": "plate.top", "temperature": f"20 °C + {rise} K*sin(pi*x/({long} m))"},
        {"on": ["plate.left", "plate.right", "plate.bottom"], "temperature": "20 °C"},
    ]
    reach = math.pi * high / long
    exact = {
        "plate.top": 2 * K * rise / math.tanh(reach),
        "plate.left": -K * rise * (math.cosh(reach) - 1) / math.sinh(reach),
        "plate.bottom": -2 * K * rise / math.sinh(reach),
    }
    sizes = np.array([0.008, 0.004, 0.002])
    found = [heats(body, surroundings, {"size": f"{size} m", "order": order}) for size in sizes]
    for name, known in exact.items():
        errors = [abs(each[name] - known) for each in found]
        orders = np.log2(np.array(errors[:-1]) / errors[1:])
        assert orders.min() > least, (name, errors)
        assert errors[-1] < (1e-3 if order == 1 else 2e-5) * known * np.sign(known), (name, errors)
