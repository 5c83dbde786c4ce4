"""Mapped quadrilaterals: names carried along, enough cells across, areas exact, the same every time."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import pytest

from blunt_ember.case.document.bodies import Section
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import CaseError
from blunt_ember.fem.assembly import nodal_area, physical_gradients
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest

SHAPE = {"shape": "rectangle"}
REGIONS: dict[str, dict[str, Any]] = {
    "wall": {**SHAPE, "size": ["400 mm", "200 mm"]},
    "strip": {**SHAPE, "size": ["1.5 mm", "260 mm"], "at": ["100 mm", "-30 mm"]},
    "foot": {**SHAPE, "size": ["90 mm", "20 mm"], "at": ["220 mm", "-20 mm"]},
}


def meshed(order: Literal[1, 2], refinement: int = 1, **wish: Any) -> Mesh:
    geometry = geometry_of(Section.model_validate({"kind": "section", "regions": REGIONS}))
    return generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"order": order, **wish}), refinement))


@pytest.mark.parametrize("order", [1, 2])
def test_areas_and_surfaces_are_covered_exactly(order: Literal[1, 2]) -> None:
    mesh = meshed(order)
    (block,) = mesh.blocks
    family = CELL_FAMILIES[block.family]
    _, determinant = physical_gradients(block.family, mesh.points[block.nodes], family.points)
    areas = np.bincount(block.region, determinant @ family.weights)
    np.testing.assert_allclose(areas, [0.4 * 0.2 - 0.0015 * 0.2, 0.0015 * 0.26, 0.09 * 0.02], rtol=1e-12)
    geometry = geometry_of(Section.model_validate({"kind": "section", "regions": REGIONS}))
    for name, surface in geometry.surfaces.items():
        assert nodal_area(mesh.surfaces[name], mesh).sum() == pytest.approx(surface.area, rel=1e-12)


@pytest.mark.parametrize("across", [1, 4, 7])
def test_every_region_has_the_asked_number_of_cells_across(across: int) -> None:
    mesh = meshed(1, across=across)
    (block,) = mesh.blocks
    corners = mesh.points[block.nodes]
    for region in range(3):
        own = corners[block.region == region]
        for axis in (0, 1):
            assert len(np.unique(own[..., axis].round(9))) - 1 >= across


def test_touching_regions_share_nodes_and_no_node_is_doubled_or_unused() -> None:
    mesh = meshed(2)
    assert len(np.unique(mesh.points.round(12), axis=0)) == mesh.node_count
    (block,) = mesh.blocks
    assert len(np.unique(block.nodes)) == mesh.node_count
    sides = [np.unique(block.nodes[block.region == region]) for region in (0, 1)]
    assert set(mesh.surfaces["wall|strip"].nodes.ravel()) <= set(np.intersect1d(*sides))


def test_refinement_doubles_every_division_and_the_mesh_is_the_same_every_time() -> None:
    assert meshed(2, 2).cell_count == 4 * meshed(2).cell_count
    assert content_hash(meshed(2)) == content_hash(meshed(2)) != content_hash(meshed(1))


def test_a_stated_size_is_kept_and_one_that_is_too_fine_is_refused() -> None:
    mesh = meshed(1, size="7 mm")
    (block,) = mesh.blocks
    assert np.ptp(mesh.points[block.nodes], axis=1).max() <= 0.007 * (1 + 1e-9)
    with pytest.raises(CaseError, match=r"mesh.size: .* state a larger size"):
        meshed(1, size="0.01 mm")
