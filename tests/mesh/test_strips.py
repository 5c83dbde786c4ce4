"""Thin strips beside free triangles: conforming, few cells, and exact where the field is plain."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.mesh.cells.facets import all_facets, facet_keys
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.planar import triangles


def rectangle(size: tuple[str, str], **more: Any) -> dict[str, Any]:
    return {"shape": "rectangle", "size": list(size), "material": "brick", **more}


HOLE = {"shape": "disc", "radius": "30 mm", "at": ["100 mm", "50 mm"], "void": True}
PLATE = rectangle(("200 mm", "100 mm"), at=["0 mm", "0 mm"])
STRIPS: dict[str, dict[str, Any]] = {
    "a coat on a plate with a hole": {
        "plate": PLATE,
        "hole": HOLE,
        "coat": rectangle(("200 mm", "0.05 mm"), above="plate"),
    },
    "a seal between two plates, longer than one of them": {
        "plate": PLATE,
        "hole": HOLE,
        "seal": rectangle(("200 mm", "0.1 mm"), above="plate"),
        "lid": rectangle(("90 mm", "40 mm"), above="seal"),
    },
    "two layers in a row, the second one a tenth": {
        "plate": PLATE,
        "hole": HOLE,
        "first": rectangle(("1 mm", "100 mm"), right_of="plate"),
        "second": rectangle(("0.1 mm", "100 mm"), right_of="first"),
    },
    "a foil askew in a block": {
        "plate": PLATE,
        "foil": {
            "shape": "sheet",
            "start": ["20 mm", "20 mm"],
            "end": ["170 mm", "75 mm"],
            "thickness": "0.02 mm",
            "material": "brick",
        },
    },
    "a coat all round": {
        "core": {"shape": "disc", "radius": "60 mm"},
        "hole": {"shape": "disc", "radius": "20 mm", "at": ["15 mm", "0 mm"], "void": True},
        "coat": {"shape": "ring", "inner": "60 mm", "outer": "60.08 mm"},
    },
    "a bent coat": {
        "core": {"shape": "ring sector", "inner": "50 mm", "outer": "80 mm", "start": "0°", "end": "120°"},
        "hole": {"shape": "disc", "radius": "5 mm", "at": ["0 mm", "65 mm"], "void": True},
        "coat": {"shape": "ring sector", "inner": "80 mm", "outer": "80.03 mm", "start": "0°", "end": "120°"},
    },
}


def case(regions: dict[str, Any], **more: Any) -> Case:
    stated = {
        name: region if region.get("void") else {"material": "brick", **region} for name, region in regions.items()
    }
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"brick": {"k": "0.8 W/(m K)"}, "coat": {"k": "0.2 W/(m K)"}},
            "body": {"kind": "section", "depth": "1 m", "regions": stated},
            **more,
        }
    )


def require_conforming(mesh: Mesh) -> None:
    """Every facet lies between two cells, or on the outside once."""
    keys = np.concatenate([facet_keys(part.corners) for part in all_facets(mesh)])
    _, met = np.unique(keys, return_counts=True)
    outer = sum(len(block.nodes) for facets in mesh.surfaces.values() if facets.outer for block in facets.blocks)
    assert met.max() == 2 and (met == 1).sum() == outer


@pytest.mark.one_in(3)
@pytest.mark.parametrize("cells", ["auto", "mostly quadrilaterals"])
@pytest.mark.parametrize("name", STRIPS)
def test_a_strip_conforms_with_its_neighbours_and_a_plain_field_is_exact(name: str, cells: str) -> None:
    """All sides held at T = 300 K + 500 K/m x − 200 K/m y, of one material: it is that everywhere, on few cells."""
    regions, flow = STRIPS[name], Flow()
    outer = [each.name for each in flow.geometry(case(regions)).outer_surfaces]
    held = [{"on": outer, "temperature": "300 K + 500 K/m*x - 200 K/m*y"}]
    found = flow.solved(case(regions, surroundings=held, mesh={"cells": cells}))
    require_conforming(found.mesh)
    assert found.mesh.node_count < 12_000
    x, y = found.mesh.points.T
    assert found.temperature == pytest.approx(300 + 500 * x - 200 * y, abs=1e-7)


def test_a_coat_is_a_resistance_whatever_else_the_section_holds() -> None:
    """10 µm beside a square of 1 m with a hole: as a film with the resistance of the coat in it."""
    square = {
        "plate": rectangle(("1 m", "1 m"), at=["0 m", "0 m"]),
        "hole": {"shape": "disc", "radius": "0.2 m", "at": ["0.5 m", "0.5 m"], "void": True},
    }
    coat = {"coat": {**rectangle(("10 um", "1 m"), right_of="plate"), "material": "coat"}}
    hot = {"on": "plate.hole", "temperature": "400 K"}
    film = {"on": "coat.right", "film": {"h": "5 kW/(m² K)", "temperature": "300 K"}}
    instead = {"on": "plate.right", "film": {"h": "1/(1/(5 kW/(m² K)) + 10 um/(0.2 W/(m K)))", "temperature": "300 K"}}
    question = [{"name": "loss", "heat_flow": "plate.hole"}]
    coated = Flow().run(case({**square, **coat}, surroundings=[hot, film], questions=question))
    plain = Flow().run(case(square, surroundings=[hot, instead], questions=question))
    assert coated.mesh is not None and coated.mesh.node_count < 8_000
    assert quality_of(coated.mesh).smallest_angle.min() < 30  # triangles only where a neighbour has a node more
    allowed = sum(check.error or 0.0 for outcome in (coated, plain) for check in outcome.checks)
    assert coated.checks[0].value == pytest.approx(plain.checks[0].value, abs=allowed + 1e-5 * plain.checks[0].value)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
def test_where_a_thin_metal_sheet_bridges_insulation_finer_cells_are_better_by_their_order(order: int) -> None:
    """Its ends, where heat crowds, are refined too; the stated error covers what is off."""
    regions = {
        "wool": rectangle(("300 mm", "100 mm"), at=["0 mm", "0 mm"], material="wool"),
        "hole": {"shape": "disc", "radius": "10 mm", "at": ["70 mm", "40 mm"], "void": True},
        "sheet": rectangle(("0.2 mm", "100 mm"), at=["150 mm", "0 mm"], material="metal"),
    }
    data = {
        "format": "blunt-ember/1",
        "materials": {"wool": {"k": "0.04 W/(m K)"}, "metal": {"k": "160 W/(m K)"}},
        "body": {"kind": "section", "depth": "1 m", "regions": regions},
        "surroundings": [
            {"on": ["wool.bottom", "sheet.bottom"], "film": {"h": "8 W/(m² K)", "temperature": "20 °C"}},
            {"on": ["wool.top", "sheet.top"], "film": {"h": "25 W/(m² K)", "temperature": "-5 °C"}},
        ],
        "mesh": {"order": order},
        "questions": [
            {"name": "through", "heat_flow": ["wool.bottom", "sheet.bottom"]},
            {"name": "lowest", "lowest": "wool.bottom"},
            {"name": "sheet", "mean": "sheet"},
        ],
    }
    bridged, flow = case_from_data(data), Flow()
    checks = flow.run(bridged).checks
    exact = {"through": 3.977249, "lowest": 280.945103, "sheet": 278.965041}
    for check in checks:
        assert abs(check.value - exact[check.name]) <= check.error + 2e-5, check
    loss = [flow.answers(bridged, flow.solved(bridged, refinement))[0] for refinement in (1, 2)]
    assert abs(loss[0] - exact["through"]) > 3.5 * abs(loss[1] - exact["through"]) > 0


def test_a_region_of_which_only_a_part_is_thin_is_refused_with_what_it_would_take_and_how_to_mend_it() -> None:
    def outline(*places: tuple[float, float]) -> dict[str, Any]:
        (x, y), *path = places
        steps = [{"to": [f"{x} mm", f"{y} mm"]} for x, y in path]
        return {"shape": "outline", "start": [f"{x} mm", f"{y} mm"], "path": steps}

    whole = outline((0, 0), (100, 0), (100, 0.01), (20, 0.01), (15, 20), (0, 20))
    with pytest.raises(
        CaseError, match=r"'b': beside the edge .* about \d+\u2009\d+ triangles; make the thin part a reg"
    ):
        Flow().mesh(case({"b": whole}), 1)
    block = outline((0, 0), (20, 0), (20, 0.01), (15, 20), (0, 20))
    mesh = Flow().mesh(case({"b": block, "blade": outline((20, 0), (100, 0), (100, 0.01), (20, 0.01))}), 1)
    assert mesh.node_count < 20_000


def test_an_edge_of_many_segments_is_thought_thin_only_beside_another_one(monkeypatch: pytest.MonkeyPatch) -> None:
    """So few segments count as many here that the meshes are small."""
    monkeypatch.setattr(triangles, "_MOST_ALONG", 300)
    steps = [{"to": [f"{x} mm", f"{y} mm"]} for x, y in ((100, 0), (70, 80), (20, 70))]
    block = {"shape": "outline", "start": ["0 mm", "0 mm"], "path": steps}
    mesh = Flow().mesh(case({"b": block}, mesh={"local": [{"on": "b.side 1", "divisions": 400}]}), 1)
    assert len(mesh.surfaces["b.side 1"].nodes) >= 401
    steps = [{"to": [f"{x} mm", f"{y} mm"]} for x, y in ((100, 0), (100, 0.7), (20, 0.7), (15, 20), (0, 20))]
    with pytest.raises(CaseError, match="so thin that it would take"):
        Flow().mesh(case({"b": {**block, "path": steps}}), 1)
