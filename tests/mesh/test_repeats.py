"""What repeats may be cut anywhere: its two sides have the same nodes, and the heat through it stays what it is."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.mesh import Mesh


def solved(
    regions: dict[str, Any], sides: list[str], mesh: dict[str, Any], kind: str = "section", film: bool = False
) -> Outcome:
    """A body that repeats at the last two of its ``sides``, between the first two."""
    warm, cool, *pair = sides
    at = [{"film": {"h": "40 W/(m² K)", "temperature": t}} if film else {"temperature": t} for t in ("245 °C", "20 °C")]
    return Flow().run(
        case_from_data(
            {
                "format": "blunt-ember/1",
                "materials": {"wool": {"k": "0.3 W/(m K)"}, "bolt": {"k": "5 W/(m K)"}},
                "body": {"kind": kind, "regions": regions, **({"depth": "1 m"} if kind == "section" else {})},
                "surroundings": [{"on": warm, **at[0]}, {"on": cool, **at[1]}, {"on": pair, "periodic": True}],
                "mesh": mesh,
                "questions": [{"name": "heat", "heat_flow": warm}],
            }
        )
    )


def strip(x: float, more: dict[str, Any], void: bool = False) -> dict[str, Any]:
    filling = {"void": True} if void else {"material": "bolt"}
    return {
        "wall": {"shape": "rectangle", "size": ["100 mm", "120 mm"], "material": "wool", **more},
        "pin": {"shape": "disc", "radius": "20 mm", "at": [f"{x} mm", "57 mm"], **filling, **more},
    }


def unlike(mesh: Mesh, first: str, second: str, across: int = 0) -> float:
    """How far, in m, the nodes of two sides lie apart beside how they are cut, which is across one axis."""
    places = [np.delete(mesh.points[mesh.surfaces[name].nodes], across, axis=1) for name in (first, second)]
    assert len(places[0]) == len(places[1])
    return max(float(np.abs(np.sort(a) - np.sort(b)).max()) for a, b in zip(*(each.T for each in places), strict=True))


@pytest.mark.one_in(2)
@pytest.mark.parametrize("mesh", [{}, {"across": 5}, {"cells": "triangles", "size": "15 mm"}], ids=str)
@pytest.mark.parametrize("void", [False, True], ids=["pin", "hole"])
def test_a_strip_that_repeats_passes_the_same_wherever_it_is_cut(mesh: dict[str, Any], void: bool) -> None:
    # 67.4921 W and 45.3379 W on cells that are ten times as fine.
    exact = 45.3379 if void else 67.4921
    for x in (40, 22):
        made = solved(strip(x, {}, void), ["wall.bottom", "wall.top", "wall.left", "wall.right"], mesh)
        assert made.mesh is not None and unlike(made.mesh, "wall.left", "wall.right") < 1e-12
        (heat,) = made.checks
        assert heat.error is not None and abs(heat.value - exact) <= heat.error < 1e-4 * exact


def test_a_sector_repeats_by_a_turn() -> None:
    """The bolt of a flange anywhere between the flanks that repeat."""
    found = []
    for angle in (np.pi / 6, 0.4, 0.2):
        ring = {"shape": "ring sector", "inner": "40 mm", "outer": "100 mm", "start": "0°", "end": "60°"}
        place = [f"{70 * np.cos(angle)} mm", f"{70 * np.sin(angle)} mm"]
        pin = {"shape": "disc", "radius": "8 mm", "at": place, "material": "bolt"}
        regions = {"ring": {**ring, "material": "wool"}, "pin": pin}
        (heat,) = solved(regions, ["ring.bore", "ring.rim", "ring.start", "ring.end"], {}).checks
        assert heat.error is not None and heat.error < 1e-4 * heat.value
        found.append((heat.value, heat.error))
    for value, error in found[1:]:
        assert abs(value - found[0][0]) <= error + found[0][1]


def test_sides_of_a_solid_repeat_as_those_of_its_plan_do() -> None:
    more = {"z": ["0 mm", "40 mm"]}
    sides = ["wall.front", "wall.back", "wall.left", "wall.right"]
    values = []
    for x in (50, 26):
        made = solved(strip(x, more), sides, {"size": "25 mm", "across": 1, "cells": "triangles"}, "stacked")
        assert made.mesh is not None and unlike(made.mesh, "wall.left", "wall.right") < 1e-12
        values.append(made.checks[0].value)
    assert values[1] == pytest.approx(values[0], rel=2e-3)


def test_sides_that_are_divided_differently_by_hand_are_remarked_on() -> None:
    sides = ["wall.bottom", "wall.top", "wall.left", "wall.right"]

    def divided(left: int, right: int, film: bool) -> Outcome:
        local = [{"on": "wall.left", "divisions": left}, {"on": "wall.right", "divisions": right}]
        return solved(strip(40, {}), sides, {"local": local, "cells": "triangles"}, film=film)

    alike = divided(12, 12, film=False)
    assert not alike.notes and alike.mesh is not None and unlike(alike.mesh, "wall.left", "wall.right") < 1e-12
    assert any("do not lie upon each other" in note.message for note in divided(12, 17, film=True).notes)
    with pytest.raises(CaseError, match="state the same divisions for both sides"):
        divided(12, 17, film=False)
