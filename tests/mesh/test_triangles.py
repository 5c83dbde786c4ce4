"""Free triangles on sections that are hard to mesh."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pydantic import TypeAdapter
from scipy.spatial import cKDTree

from blunt_ember.arrays import Floats
from blunt_ember.case.document.bodies import Body
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import CaseError
from blunt_ember.fem.assembly import nodal_area, physical_gradients
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.facets import all_facets, facet_keys
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest

BODY: TypeAdapter[Any] = TypeAdapter(Body)


def body(**regions: dict[str, Any]) -> SectionGeometry:
    return geometry_of(BODY.validate_python({"kind": "section", "regions": regions}))


def rectangle(width: str, height: str, **more: Any) -> dict[str, Any]:
    return {"shape": "rectangle", "size": [width, height], **more}


def disc(radius: str, x: str, y: str, **more: Any) -> dict[str, Any]:
    return {"shape": "disc", "radius": radius, "at": [x, y], **more}


def polygon(*points: tuple[str, str]) -> dict[str, Any]:
    return {"shape": "polygon", "points": [list(point) for point in points]}


#: Sections with the smallest angle of their own outline, where that is below what the mesher keeps.
UGLY: dict[str, tuple[dict[str, Any], float]] = {
    "plate with a hole": ({"p": rectangle("4 m", "3 m"), "h": disc("0.5 m", "2 m", "1.5 m", void=True)}, 90),
    "thin gap": (
        {
            "p": rectangle("1 m", "1 m"),
            "h": disc("0.2 m", "0.3 m", "0.5 m", void=True),
            "g": disc("0.2 m", "0.705 m", "0.5 m", void=True),
        },
        90,
    ),
    "1.5 mm strip": (
        {"w": rectangle("500 mm", "200 mm"), "s": rectangle("1.5 mm", "200 mm", at=["100 mm", "0 m"])},
        90,
    ),
    "tangent circles": ({"a": disc("1 m", "0 m", "0 m"), "b": disc("1 m", "2 m", "0 m")}, 90),
    "5 degree wedge": ({"w": polygon(("0 m", "0 m"), ("1 m", "0 m"), ("cos(5°)*1 m", "sin(5°)*1 m"))}, 5),
    "many holes": (
        {
            "p": rectangle("1 m", "1 m"),
            "h": disc("0.03 m", "0.08 m", "0.5 m", void=True, repeat={"count": 9, "step": ["0.1 m", "0.02 m"]}),
        },
        90,
    ),
    "row of fins": (
        {
            "b": rectangle("100 mm", "5 mm"),
            "f": rectangle("2 mm", "30 mm", at=["4 mm", "5 mm"], repeat={"count": 15, "step": ["6.5 mm", "0 m"]}),
        },
        90,
    ),
    "inner corner": (
        {"l": polygon(("0 m", "0 m"), ("2 m", "0 m"), ("2 m", "1 m"), ("1 m", "1 m"), ("1 m", "2 m"), ("0 m", "2 m"))},
        90,
    ),
    "core in a nut": (
        {
            "n": {"shape": "regular polygon", "sides": 6, "radius": "1 m"},
            "c": {"shape": "disc", "radius": "0.3 m", "inside": "n"},
        },
        90,
    ),
    "lens": ({"a": disc("1 m", "0 m", "0 m"), "b": disc("1 m", "1.7 m", "0 m")}, 40),
    "pie": ({"s": {"shape": "ring sector", "outer": "1 m", "start": "10°", "end": "310°"}}, 50),
    "off-centre ring": ({"p": disc("1 m", "0 m", "0 m"), "h": disc("0.6 m", "0.37 m", "0 m", void=True)}, 90),
    "slanted strip": (
        {"s": polygon(("0 m", "0 m"), ("1 m", "0.3 m"), ("0.99 m", "0.33 m"), ("-0.01 m", "0.03 m"))},
        88,
    ),
}


def angles(points: Floats, cells: np.ndarray) -> Floats:
    found = []
    for turn in range(3):
        a, b, c = (points[cells[:, (turn + i) % 3]] for i in range(3))
        u, v = b - a, c - a
        cosine = (u * v).sum(axis=1) / np.linalg.norm(u, axis=1) / np.linalg.norm(v, axis=1)
        found.append(np.degrees(np.arccos(np.clip(cosine, -1, 1))))
    return np.min(found, axis=0)


def area(mesh: Mesh) -> float:
    (block,) = mesh.blocks
    family = CELL_FAMILIES[block.family]
    _, determinant = physical_gradients(block.family, mesh.points[block.nodes], family.points)
    return float((determinant @ family.weights).sum())


def true_area(geometry: SectionGeometry) -> float:
    plan = geometry.arrangement
    outward = np.where(plan.right == -1, 1.0, 0.0) - np.where(plan.left == -1, 1.0, 0.0)
    c = plan.curves
    chord = (c.start[:, 0] * c.end[:, 1] - c.end[:, 0] * c.start[:, 1]) / 2
    return float((outward * (chord + c.radius**2 / 2 * (c.sweep - np.sin(c.sweep)))).sum())


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", UGLY)
def test_an_ugly_section_is_meshed_well(name: str) -> None:
    regions, sharpest = UGLY[name]
    geometry = body(**regions)
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"cells": "triangles", "order": 1})))
    (block,) = mesh.blocks
    assert block.family == "tri3"
    assert angles(mesh.points, block.nodes).min() > min(20.0, 0.95 * sharpest)
    for surface, facets in mesh.surfaces.items():
        (segments,) = facets.blocks
        ends = mesh.points[segments.nodes]
        assert len(ends)
        length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum()
        assert length == pytest.approx(geometry.surfaces[surface].length, rel=0.02)
    edges = np.sort(np.concatenate([block.nodes[:, [0, 1]], block.nodes[:, [1, 2]], block.nodes[:, [2, 0]]]), axis=1)
    _, count = np.unique(edges, axis=0, return_counts=True)
    outer = sum(len(facets.blocks[0].nodes) for facets in mesh.surfaces.values() if facets.outer)
    assert count.max() == 2 and (count == 1).sum() == outer
    if not geometry.arrangement.curves.is_arc.any():
        assert area(mesh) == pytest.approx(true_area(geometry), rel=1e-12)


def test_nodes_on_arcs_lie_on_the_true_circle_and_area_converges_with_order_four() -> None:
    geometry = body(**UGLY["off-centre ring"][0])
    gaps = []
    for refinement in (1, 2):
        mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"cells": "triangles"}), refinement))
        for surface, centre, radius in (("p.rim", (0.0, 0.0), 1.0), ("p.h", (0.37, 0.0), 0.6)):
            away = np.linalg.norm(mesh.points[mesh.surfaces[surface].nodes] - np.array(centre), axis=-1)
            np.testing.assert_allclose(away, radius, rtol=1e-13)
            whole = nodal_area(mesh.surfaces[surface], mesh).sum()
            assert whole == pytest.approx(2 * np.pi * radius, rel=1e-4)
        gaps.append(abs(area(mesh) - np.pi * (1 - 0.36)))
    assert np.log2(gaps[0] / gaps[1]) > 3.5


def test_thin_places_get_the_asked_cells_across() -> None:
    geometry = body(**UGLY["1.5 mm strip"][0])
    mesh = generate_mesh(
        geometry, MeshRequest(MeshWish.model_validate({"cells": "triangles", "order": 1, "across": 3}))
    )
    (block,) = mesh.blocks
    inside = mesh.points[np.unique(block.nodes[block.region == 1])]
    row = inside[np.abs(inside[:, 1] - 0.1) < 0.01]
    assert len(np.unique((row[:, 0] * 1e4).round())) >= 3


def test_the_same_case_gives_the_same_mesh() -> None:
    wish = MeshWish.model_validate({"cells": "triangles"})
    first, second = (generate_mesh(body(**UGLY["many holes"][0]), MeshRequest(wish)) for _ in range(2))
    assert content_hash(first) == content_hash(second)


def test_finer_places_are_finer_and_cells_grow_away_from_them() -> None:
    geometry = body(**UGLY["plate with a hole"][0])
    wish = {
        "size": "0.3 m",
        "order": 1,
        "across": 1,
        "local": [{"on": "p.h", "size": "20 mm"}, {"at": ["3.5 m", "0.5 m"], "size": "30 mm"}],
    }
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate(wish)))
    (block,) = mesh.blocks
    corners = mesh.points[block.nodes]
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=-1).max(axis=1)
    middle = corners.mean(axis=1)
    to_hole = np.abs(np.linalg.norm(middle - [2, 1.5], axis=1) - 0.5)
    to_point = np.linalg.norm(middle - [3.5, 0.5], axis=1)
    near = np.minimum(20e-3 + 0.25 * to_hole, 30e-3 + 0.25 * to_point)
    assert longest[to_hole < 0.02].max() < 0.04
    assert longest[to_point < 0.03].max() < 0.07
    assert (longest <= 1.6 * np.minimum(near, 0.3)).all()
    assert longest.max() > 0.2
    assert angles(mesh.points, block.nodes).min() > 20


@pytest.mark.parametrize(
    ("local", "path", "said"),
    [
        ({"on": "p.hh", "size": "1 mm"}, "mesh.local[0].on", "did you mean 'p.h'"),
        ({"on": "p.h", "size": "1e-9 m"}, "mesh.size", "state a larger size"),
    ],
)
def test_a_finer_place_that_is_none_is_explained(local: dict[str, Any], path: str, said: str) -> None:
    with pytest.raises(CaseError) as caught:
        generate_mesh(body(**UGLY["plate with a hole"][0]), MeshRequest(MeshWish.model_validate({"local": [local]})))
    assert caught.value.faults[0].path == path
    assert said in caught.value.faults[0].message


#: Sections of the ugly ones that are the same on both sides of an upright line, a level one, or both.
SYMMETRIC = {"plate with a hole": (0, 1), "core in a nut": (0, 1), "off-centre ring": (1,), "1.5 mm strip": (1,)}


@pytest.mark.parametrize("cells", ["triangles", "mostly quadrilaterals"])
@pytest.mark.parametrize("name", SYMMETRIC)
def test_what_is_symmetric_is_meshed_symmetrically(name: str, cells: str) -> None:
    geometry = body(**UGLY[name][0])
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"cells": cells, "order": 2})))
    middle, extent = (np.array(geometry.low) + np.array(geometry.high)) / 2, geometry.extent
    for axis in SYMMETRIC[name]:
        image = mesh.points.copy()
        image[:, axis] = 2 * middle[axis] - image[:, axis]
        assert cKDTree(mesh.points).query(image)[0].max() < 1e-9 * extent


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", UGLY)
def test_triangles_are_paired_into_good_quadrilaterals(name: str) -> None:
    geometry = body(**UGLY[name][0])
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"cells": "mostly quadrilaterals", "order": 2})))
    count = {block.family: len(block.nodes) for block in mesh.blocks}
    assert count["quad9"] > count.get("tri6", 0)
    quality = quality_of(mesh)
    assert quality.smallest_angle.min() > min(20.0, 0.95 * UGLY[name][1])
    plain = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"cells": "triangles", "order": 2})))
    assert measured(mesh) == pytest.approx(measured(plain), rel=1e-12)
    facets = [part for part in all_facets(mesh) if part.family == "line3"]
    keys = np.concatenate([facet_keys(part.corners) for part in facets])
    outer = sum(len(block.nodes) for surface in mesh.surfaces.values() if surface.outer for block in surface.blocks)
    _, met = np.unique(keys, return_counts=True)
    assert met.max() == 2 and (met == 1).sum() == outer


def measured(mesh: Mesh) -> float:
    """Area of all cells by quadrature, m²."""
    total = 0.0
    for block in mesh.blocks:
        family = CELL_FAMILIES[block.family]
        _, determinant = physical_gradients(block.family, mesh.points[block.nodes], family.points)
        total += float((determinant @ family.weights).sum())
    return total


@pytest.mark.parametrize("cells", ["auto", "triangles"])
def test_divisions_by_hand_are_kept(cells: str) -> None:
    geometry = body(plate=rectangle("1 m", "1 m"), top=rectangle("0.5 m", "0.3 m", above="plate"))
    local = [{"on": "plate.bottom", "divisions": 37}]
    mesh = generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"cells": cells, "local": local, "order": 1})))
    count = {name: len(facets.blocks[0].nodes) for name, facets in mesh.surfaces.items()}
    assert count["plate.bottom"] == 37
    if cells == "auto":  # what is mapped carries them through to the other side
        assert count["plate.top"] + count["plate|top"] == 37
        with pytest.raises(CaseError, match="parted into 2"):
            generate_mesh(
                geometry, MeshRequest(MeshWish.model_validate({"local": [{"on": "plate.bottom", "divisions": 1}]}))
            )


def test_half_planes_cut_any_shape() -> None:
    cut = {"through": ["0.5 m", "0 m"], "along": "90°"}
    geometry = body(cap=disc("1 m", "0 m", "0 m", cuts=[cut, {"through": ["0 m", "0 m"], "along": "180°"}]))
    assert geometry.surfaces["cap.rim"].length == pytest.approx(np.pi / 3, rel=1e-12)
    assert geometry.surfaces["cap.cut 1"].length == pytest.approx(np.sqrt(0.75), rel=1e-12)
    assert geometry.surfaces["cap.cut 2"].length == pytest.approx(0.5, rel=1e-12)
    segment = (2 * np.pi / 3 - np.sin(2 * np.pi / 3)) / 4
    assert true_area(geometry) == pytest.approx(segment, rel=1e-12)
    with pytest.raises(CaseError, match="takes all of it away"):
        body(cap=disc("1 m", "0 m", "0 m", cuts=[{"through": ["0 m", "-2 m"], "along": "0°"}]))
