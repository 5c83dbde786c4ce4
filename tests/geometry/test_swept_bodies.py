"""Stacked and turned solids: what they hold, what their surfaces are called, and how large everything is."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.bodies import Body
from blunt_ember.case.document.case_document import CaseDocument, MeshWish
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_part
from blunt_ember.errors import CaseError
from blunt_ember.fem.assembly import nodal_area, physical_gradients
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest


def document(body: dict[str, Any], **further: Any) -> CaseDocument:
    return case_from_data({"format": "blunt-ember/1", "body": body, **further}).document


def solid(body: dict[str, Any], **further: Any) -> SolidGeometry:
    stated = document(body, **further)
    geometry = geometry_of(stated.body, parts=stated.surface_parts)
    assert isinstance(geometry, SolidGeometry)
    return geometry


def volumes(mesh: Mesh) -> dict[str, float]:
    """Volume of every region by quadrature over its cells, m³."""
    total = dict.fromkeys(mesh.regions, 0.0)
    for block in mesh.blocks:
        family = CELL_FAMILIES[block.family]
        _, determinant = physical_gradients(block.family, mesh.points[block.nodes], family.points)
        for number, name in enumerate(mesh.regions):
            total[name] += float((determinant @ family.weights)[block.region == number].sum())
    return total


def box(at: tuple[float, float], size: tuple[float, float], z: tuple[float, float], **further: Any) -> dict[str, Any]:
    """A box in mm."""
    return {
        "shape": "rectangle",
        "at": [f"{c} mm" for c in at],
        "size": [f"{c} mm" for c in size],
        "z": [f"{c} mm" for c in z],
        **further,
    }


#: A slab that pierces the inner leaf of a wall and stops at the outer one, with a pocket in its top.
BALCONY = {
    "kind": "stacked",
    "regions": {
        "outer": box((0, 0), (100, 400), (0, 600)),
        "inner": box((100, 0), (200, 400), (0, 600)),
        "slab": box((100, 0), (900, 400), (200, 300)),
        "pocket": box((500, 100), (200, 200), (250, 300), void=True),
    },
}


def test_a_slab_pierces_one_layer_and_stops_at_another() -> None:
    geometry = solid(BALCONY)
    assert {name: round(surface.area, 12) for name, surface in geometry.surfaces.items()} == {
        "outer.left": 0.24,
        "outer.front": 0.06,
        "outer.back": 0.06,
        "outer.bottom": 0.04,
        "outer.top": 0.04,
        "inner.right": 0.2,
        "inner.front": 0.1,
        "inner.back": 0.1,
        "inner.bottom": 0.08,
        "inner.top": 0.08,
        "slab.right": 0.04,
        "slab.front": 0.09,
        "slab.back": 0.09,
        "slab.bottom": 0.28,
        "slab.top": 0.24,
        "slab.pocket left": 0.01,
        "slab.pocket right": 0.01,
        "slab.pocket front": 0.01,
        "slab.pocket back": 0.01,
        "slab.pocket bottom": 0.04,
        "outer|inner": 0.2,
        "outer|slab": 0.04,
        "inner|slab": 0.16,
    }
    mesh = generate_mesh(geometry, MeshRequest(MeshWish()))
    assert {block.family for block in mesh.blocks} == {"hex27"}
    expected = {"outer": 0.024, "inner": 0.04, "slab": 0.034, "pocket": 0.0}
    assert volumes(mesh) == pytest.approx(expected, rel=1e-12)
    for name, surface in geometry.surfaces.items():
        assert nodal_area(mesh.surfaces[name], mesh).sum() == pytest.approx(surface.area, rel=1e-12), name
    places = np.array([[0.05, 0.2, 0.25], [0.15, 0.2, 0.25], [0.15, 0.2, 0.1], [0.6, 0.2, 0.28], [0.6, 0.2, 0.22]])
    assert geometry.owner_at(places).tolist() == [0, 2, 1, -1, 2]
    assert geometry.cuts(np.array([0.0, 0.2, 0.25]), np.array([1.0, 0.2, 0.25])) == pytest.approx([0.1, 0.5, 0.7])


def test_rooms_above_each_other_name_their_own_walls() -> None:
    """A slab and a beam stated after the rooms keep their own sides; a later pocket names what it cuts."""
    geometry = solid(
        {
            "kind": "stacked",
            "regions": {
                "wall": box((0, 0), (500, 500), (0, 500)),
                "below": box((100, 100), (400, 400), (0, 200), void=True),
                "above": box((100, 100), (400, 400), (250, 500), void=True),
                "slab": box((100, 100), (400, 400), (200, 250)),
                "beam": box((200, 100), (50, 400), (150, 200)),
                "shaft": box((400, 300), (50, 50), (200, 250), void=True),
            },
        }
    )
    names = {name for name, surface in geometry.surfaces.items() if surface.outer}
    assert {
        "wall.below left",
        "wall.above left",
        "wall.below front",
        "slab.bottom",
        "slab.top",
        "beam.bottom",
        "beam.left",
        "slab.shaft left",
    } <= names
    assert geometry.surfaces["wall.below left"].area == pytest.approx(0.4 * 0.2)
    assert geometry.surfaces["wall.above left"].area == pytest.approx(0.4 * 0.25)
    assert geometry.surfaces["slab.top"].area == pytest.approx(0.16 - 0.0025)
    assert not any("slab.below" in name or "beam.below" in name or "shaft top" in name for name in names)


@pytest.mark.parametrize("cells", ["auto", "triangles"])
def test_every_facet_is_met_twice_or_lies_on_a_named_surface(cells: str) -> None:
    mesh = generate_mesh(
        solid(BALCONY), MeshRequest(MeshWish.model_validate({"cells": cells, "size": "100 mm", "across": 1}))
    )
    skin = skin_of(mesh)
    assert all((part.surface >= 0).all() for part in skin.parts)
    named = sum(len(block.nodes) for facets in mesh.surfaces.values() if facets.outer for block in facets.blocks)
    assert sum(len(part.nodes) for part in skin.parts) == named
    # The outer skin closes: its normals add up to nothing, and it holds the volume by the divergence theorem.
    flow, held = np.zeros(3), 0.0
    for part in skin.parts:
        family = CELL_FAMILIES[part.family]
        places = family.values(family.points) @ mesh.points[part.nodes]
        slopes = np.einsum("qki,fkj->fqij", family.gradients(family.points), mesh.points[part.nodes])
        normal = np.cross(slopes[:, :, 0], slopes[:, :, 1]) * family.weights[:, None]
        flow += normal.sum(axis=(0, 1))
        held += float((normal * places).sum()) / 3
    assert np.abs(flow).max() < 1e-12 and held == pytest.approx(0.098, rel=1e-12)


@given(
    st.lists(
        st.tuples(*(st.integers(0, 5) for _ in range(6)), st.booleans()).filter(
            lambda b: b[0] != b[1] and b[2] != b[3] and b[4] != b[5]
        ),
        min_size=1,
        max_size=5,
    )
)
@settings(max_examples=40, deadline=None)
def test_random_piles_of_boxes_fill_what_counting_says(boxes: list[tuple[int, ...]]) -> None:
    regions = {}
    grid = np.full((5, 5, 5), -1)
    for number, (x0, x1, y0, y1, z0, z1, void) in enumerate(boxes):
        (x0, x1), (y0, y1), (z0, z1) = sorted((x0, x1)), sorted((y0, y1)), sorted((z0, z1))
        size, span = (10 * (x1 - x0), 10 * (y1 - y0)), (10 * z0, 10 * z1)
        regions[f"b{number}"] = box((10 * x0, 10 * y0), size, span, **({"void": True} if void else {}))
        grid[x0:x1, y0:y1, z0:z1] = number if not void else -1
    counted = {f"b{number}": int((grid == number).sum()) * 1e-6 for number in range(len(boxes))}
    solids = [name for name, region in regions.items() if "void" not in region]
    if not solids or any(counted[name] == 0 for name in solids):
        with pytest.raises(CaseError, match=r"nothing is left|every region is void"):
            solid({"kind": "stacked", "regions": regions})
        return
    geometry = solid({"kind": "stacked", "regions": regions})
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"order": 1, "across": 1, "size": "1 m"})))
    assert volumes(mesh) == pytest.approx(counted, abs=1e-15)
    framed = np.pad(grid, 1, constant_values=-1)
    faces = sum(int((np.diff(framed >= 0, axis=axis)).sum()) for axis in range(3))
    outer = sum(surface.area for surface in geometry.surfaces.values() if surface.outer)
    assert outer == pytest.approx(faces * 1e-4, rel=1e-12)
    assert sum(len(part.nodes) for part in skin_of(mesh).parts) == sum(
        len(block.nodes) for facets in mesh.surfaces.values() if facets.outer for block in facets.blocks
    )


@pytest.mark.parametrize("angle", [40, 360])
def test_a_turned_solid_touches_its_axis_and_converges_with_order_four(angle: int) -> None:
    body = {
        "kind": "turned solid",
        "angle": f"{angle} deg",
        "regions": {"ball": {"shape": "ring sector", "outer": "30 mm", "start": "-90 deg", "end": "90 deg"}},
    }
    geometry = solid(body)
    share = angle / 360
    cuts = {"ball.first cut", "ball.last cut"} if angle < 360 else set()
    assert set(geometry.surfaces) == {"ball.rim", *cuts}
    assert geometry.surfaces["ball.rim"].area == pytest.approx(share * 4 * math.pi * 0.03**2, rel=1e-12)
    assert geometry.volume == pytest.approx(share * 4 / 3 * math.pi * 0.03**3, rel=1e-12)
    wish = MeshWish.model_validate({"size": "15 mm"})
    gaps = [
        abs(volumes(generate_mesh(geometry, MeshRequest(wish, refinement)))["ball"] / geometry.volume - 1)
        for refinement in (1, 2)
    ]
    assert gaps[0] < 2e-4 and math.log2(gaps[0] / gaps[1]) > 3.5


def test_parts_are_cut_out_of_sides_and_ends() -> None:
    body = {"kind": "stacked", "regions": {"block": box((0, 0), (100, 80), (0, 50))}}
    parts = {
        "spot": {"on": "block.top", "within": {"shape": "disc", "radius": "10 mm", "at": ["40 mm", "30 mm"]}},
        "window": {"on": "block.right", "start": ["100 mm", "20 mm", "10 mm"], "end": ["100 mm", "50 mm", "30 mm"]},
    }
    geometry = solid(body, surfaces=parts)
    areas = {name: surface.area for name, surface in geometry.surfaces.items()}
    assert areas["spot"] == pytest.approx(math.pi * 1e-4, rel=1e-12)
    assert areas["block.top"] == pytest.approx(8e-3 - math.pi * 1e-4, rel=1e-12)
    assert areas["window"] == pytest.approx(6e-4) and areas["block.right"] == pytest.approx(4e-3 - 6e-4)
    mesh = generate_mesh(geometry, MeshRequest(MeshWish()))
    assert nodal_area(mesh.surfaces["spot"], mesh).sum() == pytest.approx(math.pi * 1e-4, rel=1e-4)
    assert nodal_area(mesh.surfaces["window"], mesh).sum() == pytest.approx(6e-4, rel=1e-12)


def test_parts_of_parts_and_several_on_one_side_keep_apart() -> None:
    def span(y0: int, z0: int, y1: int, z1: int, on: str) -> dict[str, Any]:
        return {"on": on, "start": ["100 mm", f"{y0} mm", f"{z0} mm"], "end": ["100 mm", f"{y1} mm", f"{z1} mm"]}

    rows = {
        "shape": "disc",
        "radius": "4 mm",
        "at": ["15 mm", "15 mm"],
        "repeat": {"count": 3, "step": ["20 mm", "0 mm"]},
    }
    geometry = solid(
        {"kind": "stacked", "regions": {"block": box((0, 0), (100, 80), (0, 50))}},
        surfaces={
            "door": span(10, 0, 40, 40, "block.right"),
            "pane": span(20, 10, 30, 30, "door"),
            "hatch": span(50, 20, 70, 40, "block.right"),
            "band": span(25, 0, 60, 10, "block.right"),
            "studs": {"on": "block.top", "within": rows},
        },
    )
    areas = {name: surface.area * 1e6 for name, surface in geometry.surfaces.items()}
    # The band begins behind the door, which took its part of the side first.
    expected = {
        "pane": 200.0,
        "door": 30 * 40 - 200.0,
        "hatch": 400.0,
        "band": 20 * 10.0,
        "studs": 3 * math.pi * 16,
        "block.right": 80 * 50 - 1200.0 - 400.0 - 200.0,
        "block.top": 8000 - 3 * math.pi * 16,
    }
    assert {name: areas[name] for name in expected} == pytest.approx(expected, rel=1e-9)
    mesh = generate_mesh(geometry, MeshRequest(MeshWish()))
    for name in ("pane", "door", "hatch", "band", "block.right"):
        assert nodal_area(mesh.surfaces[name], mesh).sum() * 1e6 == pytest.approx(expected[name], rel=1e-9)


WRONG: dict[str, tuple[dict[str, Any], dict[str, Any], str, str]] = {
    "no height": (
        {"kind": "stacked", "regions": {"a": {"shape": "disc", "radius": "1 m"}}},
        {},
        "body.regions.a.z",
        "levels",
    ),
    "a height in a section": (
        {"kind": "section", "regions": {"a": box((0, 0), (1, 1), (0, 1))}},
        {},
        "body.regions.a.z",
        "stacked",
    ),
    "upside down": (
        {"kind": "stacked", "regions": {"a": box((0, 0), (1, 1), (1, 0))}},
        {},
        "body.regions.a.z",
        "higher",
    ),
    "two turns": (
        {"kind": "turned solid", "angle": "700 deg", "regions": {"a": {"shape": "disc", "radius": "1 m"}}},
        {},
        "body",
        "full turn",
    ),
    "across the axis": (
        {"kind": "turned solid", "regions": {"a": {"shape": "disc", "radius": "1 m"}}},
        {},
        "body.regions.a",
        "axis",
    ),
    "a spot on a side": (
        {"kind": "stacked", "regions": {"a": box((0, 0), (9, 9), (0, 9))}},
        {"surfaces": {"s": {"on": "a.left", "within": {"shape": "disc", "radius": "1 mm", "at": ["2 mm", "2 mm"]}}}},
        "surfaces.s.within",
        "start",
    ),
    "a spot of some material": (
        {"kind": "stacked", "regions": {"a": box((0, 0), (9, 9), (0, 9))}},
        {"surfaces": {"s": {"on": "a.top", "within": {"shape": "disc", "radius": "1 mm", "void": True}}}},
        "surfaces.s",
        "remove its 'void'",
    ),
    "a part beside its surface": (
        {"kind": "stacked", "regions": {"a": box((0, 0), (9, 9), (0, 9))}},
        {"surfaces": {"s": {"on": "a.left", "start": ["5 mm", "1 mm", "0 mm"], "end": ["0 mm", "2 mm", "0 mm"]}}},
        "surfaces.s.start",
        "does not lie on",
    ),
    "a place with two coordinates": (
        {"kind": "stacked", "regions": {"a": box((0, 0), (9, 9), (0, 9))}},
        {"questions": [{"name": "q", "temperature": ["1 mm", "1 mm"]}]},
        "questions[0].temperature",
        "x, y, z",
    ),
}


@pytest.mark.parametrize("name", WRONG)
def test_what_cannot_be_says_where_and_how_to_mend_it(name: str) -> None:
    body, further, path, words = WRONG[name]
    with pytest.raises(CaseError) as caught:
        solid(body, **further)
    (fault,) = caught.value.faults
    assert fault.path == path and words in fault.message


def test_a_core_inside_a_ring_belongs_to_the_mesh() -> None:
    regions = {
        "core": {"shape": "disc", "radius": "20 mm"},
        "ring": {"shape": "ring", "inner": "20 mm", "outer": "30 mm"},
    }
    case = {"kind": "section", "depth": "1 m", "regions": regions}
    stated: Body = document(case).body
    mesh = generate_mesh(geometry_of(stated), MeshRequest(MeshWish()))
    assert volumes(mesh) == pytest.approx({"core": math.pi * 4e-4, "ring": math.pi * 5e-4}, rel=1e-5)


def test_levels_follow_their_region_through_renaming_and_removal() -> None:
    case = renamed_part(family("stacked-floor").case(), ("body", "regions", "floor"), "base")
    case = renamed_part(case, ("body", "regions", "base", "levels", "wool"), "felt")
    outcome = Flow().answered(case)
    assert all(check.verdict == "agrees" for check in outcome.checks)
    assert [entry.surfaces for entry in case.document.surroundings] == [("base.brick.top",), ("base.slab.bottom",)]
    smaller, also = without_part(case, ("body", "regions", "base", "levels", "brick"))
    assert list(smaller.document.body.fillings) == ["base.slab", "base.felt"]
    assert also == ["the statement on base.brick.top", "the question 'under the brick'"]
