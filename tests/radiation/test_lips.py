"""The lip of an enclosure: where what its surfaces look into ends."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.arrays import Floats
from blunt_ember.case.case import case_from_data
from blunt_ember.flow.flow import Flow
from blunt_ember.radiation.lip import lip


def slab(x: float, y: float, wide: float, high: float, **more: Any) -> dict[str, Any]:
    place = {"at": [f"{x} mm", f"{y} mm"], "size": [f"{wide} mm", f"{high} mm"]}
    return {"shape": "rectangle", **place, "material": "steel", **more}


def lip_of(kind: str, regions: dict[str, Any], surfaces: list[str]) -> Floats:
    body = {"kind": kind, "regions": regions}
    flow, case = Flow(), case_from_data({"format": "blunt-ember/1", "body": body, "materials": {"steel": {}}})
    return lip(flow.mesh(case, 1), surfaces, flow.geometry(case).owner_at) * 1000


@pytest.mark.parametrize(
    ("kind", "regions", "surfaces", "ends"),
    [
        (
            "section",
            {"a": slab(0, 0, 20, 80), "b": slab(70, 30, 20, 100)},
            ["a.right", "b.left"],
            [((20, 0), (70, 30)), ((20, 80), (70, 130))],
        ),
        ("section", {"a": slab(0, 0, 90, 20), "b": slab(0, 20, 20, 60)}, ["a.top", "b.right"], [((20, 80), (90, 20))]),
        (
            "turned section",
            {"wall": slab(0, 0, 100, 120), "pot": {**slab(0, 30, 60, 90), "material": None, "void": True}},
            ["wall.pot right", "wall.pot bottom"],
            [((0, 120), (60, 120))],
        ),
        (
            "section",
            {"wall": slab(0, 0, 100, 120), "room": {**slab(20, 30, 60, 50), "material": None, "void": True}},
            [f"wall.room {side}" for side in ("left", "right", "bottom", "top")],
            [],
        ),
    ],
)
def test_the_lip_of_a_section_closes_what_is_open(
    kind: str, regions: dict[str, Any], surfaces: list[str], ends: list[Any]
) -> None:
    regions = {name: {key: v for key, v in each.items() if v is not None} for name, each in regions.items()}
    found = {tuple(sorted(map(tuple, np.round(line, 2).tolist()))) for line in lip_of(kind, regions, surfaces)}
    assert found == {tuple(sorted(line)) for line in ends}


def test_the_lip_of_a_solid_is_where_its_surfaces_end() -> None:
    regions = {
        "wall": slab(0, 0, 100, 90, z=["0 mm", "80 mm"]),
        "pot": {"shape": "rectangle", "at": ["20 mm", "20 mm"], "size": ["60 mm", "50 mm"], "z": ["30 mm", "80 mm"]},
    }
    regions["pot"]["void"] = True
    lines = lip_of("stacked", regions, [f"wall.pot {side}" for side in ("left", "right", "front", "back", "bottom")])
    assert np.allclose(lines[:, :, 2], 80)
    assert np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum() == pytest.approx(2 * (60 + 50))
