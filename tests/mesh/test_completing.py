"""Meshes grown for pictures: a section with its depth or turned, a half with its mirror image."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.fem.assembly import weighted_gradients
from blunt_ember.gallery.families import family
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.derived.extension import Grown, deepened, mirrored, turned
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest


def mesh_like(name: str, order: int, **wish: object) -> Mesh:
    geometry = geometry_of(family(name).case().document.body)
    return generate_mesh(geometry, MeshRequest(MeshWish.model_validate({"order": order, **wish})))


def volume(mesh: Mesh) -> float:
    total = 0.0
    for block in mesh.blocks:
        weights = weighted_gradients(block, mesh, slice(None))[1]
        assert (weights > 0).all()  # no cell is turned inside out
        total += float(weights.sum())
    return total


def follows(grown: Grown, before: Mesh, image: np.ndarray) -> None:
    """Values of a cell go where its nodes go, and every node is the image of one."""
    own = tuple(before.points[block.nodes] for block in before.blocks)
    for block, values in zip(grown.mesh.blocks, grown.spread(own), strict=True):
        np.testing.assert_allclose(values, image[block.nodes], atol=1e-12)
    np.testing.assert_allclose(before.points[grown.nodes], image, atol=1e-12)


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize(("name", "wish"), [("ring-sector", {}), ("wall-corner", {"cells": "mostly quadrilaterals"})])
def test_a_section_with_its_depth(name: str, wish: dict[str, object], order: int) -> None:
    mesh = mesh_like(name, order, **wish)
    grown = deepened(mesh, 0.25)
    depth = mesh.space.depth
    assert volume(grown.mesh) == pytest.approx(volume(mesh) / depth * 0.25)
    follows(grown, mesh, grown.mesh.points[:, :2])
    assert grown.mesh.points[:, 2].min() == 0 and grown.mesh.points[:, 2].max() == pytest.approx(0.25)
    # Its skin is the two faces and what the outline sweeps; the named surfaces are those of the section.
    faces = sum(len(part.nodes) for part in skin_of(grown.mesh).parts)
    outline = sum(len(part.nodes) for part in skin_of(mesh).parts)
    assert faces == 2 * mesh.cell_count + outline
    assert set(grown.mesh.surfaces) == set(mesh.surfaces)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("share", [0.25, 0.75])
def test_a_turned_section_is_turned_about_its_axis(order: int, share: float) -> None:
    mesh = mesh_like("hollow-sphere", order)
    grown = turned(mesh, 2 * np.pi * share)
    radius = np.hypot(grown.mesh.points[:, 0], grown.mesh.points[:, 2])
    follows(grown, mesh, np.column_stack([radius, grown.mesh.points[:, 1]]))
    # Mid-side nodes lie on the true circles, so that quadratic cells hold the volume far better than straight ones.
    assert volume(grown.mesh) == pytest.approx(share * volume(mesh), rel=1e-5 if order == 2 else 6e-3)
    # It ends at z = 0 on the side of x, and what is open lies between x and z.
    angle = np.arctan2(grown.mesh.points[:, 2], grown.mesh.points[:, 0])[radius > 1e-9]
    open_part = (angle > 1e-9) & (angle < 2 * np.pi * (1 - share) - 1e-9)
    assert not open_part.any() and (np.abs(angle) < 1e-12).any()
    assert (quality_of(grown.mesh).smallest_angle > 1).all()


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize(
    ("name", "axis", "upper", "wish"),
    [
        ("wall-corner", 0, True, {}),
        ("wall-corner", 1, True, {"cells": "triangles"}),
        ("room-corner", 2, True, {}),
        ("room-corner", 0, True, {"cells": "triangles", "size": "240 mm"}),
        ("composite-wall", 1, False, {}),
    ],
)
def test_a_half_and_its_mirror_image_grow_together(
    name: str, axis: int, upper: bool, wish: dict[str, object], order: int
) -> None:
    mesh = mesh_like(name, order, **wish)
    at = float(mesh.points[:, axis].max() if upper else mesh.points[:, axis].min())
    grown = mirrored(mesh, axis, at)
    assert volume(grown.mesh) == pytest.approx(2 * volume(mesh)) and grown.mesh.cell_count == 2 * mesh.cell_count
    folded = grown.mesh.points.copy()
    folded[:, axis] = at + (-1 if upper else 1) * np.abs(folded[:, axis] - at)
    follows(grown, mesh, folded)
    on_plane = int((np.abs(mesh.points[:, axis] - at) < 1e-12).sum())
    assert on_plane and grown.mesh.node_count == 2 * mesh.node_count - on_plane
    # Nothing of the skin is left in the plane, nor a surface that lies in it.
    skin = [len(part.nodes) for part in skin_of(mesh).parts]
    in_plane = sum(
        int((np.abs(mesh.points[part.nodes][..., axis] - at) < 1e-12).all(axis=1).sum()) for part in skin_of(mesh).parts
    )
    assert sum(len(part.nodes) for part in skin_of(grown.mesh).parts) == 2 * (sum(skin) - in_plane)
    gone = set(mesh.surfaces) - set(grown.mesh.surfaces)
    assert gone and all(np.abs(mesh.points[mesh.surfaces[each].nodes, axis] - at).max() < 1e-12 for each in gone)
    # What is signed goes against in the image, what is not stays.
    one = tuple(np.ones(block.nodes.shape) for block in mesh.blocks)
    signs = np.concatenate([np.unique(block) for block in grown.spread(one, -1.0)])
    assert sorted(signs.tolist()) == sorted([1.0] * len(mesh.blocks) + [-1.0] * len(mesh.blocks))


@settings(max_examples=20, deadline=None)
@given(st.integers(1, 2), st.floats(0.01, 5), st.booleans())
def test_one_grown_from_another(order: int, depth: float, upper: bool) -> None:
    """Mirrored, then deep: the volume is that of both steps, and so are the values."""
    mesh = mesh_like("plane-wall", order)
    at = float(mesh.points[:, 1].max() if upper else mesh.points[:, 1].min())
    half = mirrored(mesh, 1, at)
    whole = deepened(half.mesh, depth)
    assert volume(whole.mesh) == pytest.approx(2 * volume(mesh) / mesh.space.depth * depth)
    heights = tuple(np.abs(mesh.points[block.nodes][..., 1] - at) for block in mesh.blocks)
    for block, values in zip(whole.mesh.blocks, whole.spread(half.spread(heights)), strict=True):
        np.testing.assert_allclose(values, np.abs(whole.mesh.points[block.nodes][..., 1] - at), atol=1e-12)
