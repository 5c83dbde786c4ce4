"""The skin of a mesh is closed, points outward, and holds the volume of its cells; its parts are the named surfaces."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.fem.assembly import weighted_gradients
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.mesh.cells.facets import all_facets, borders, cells_of, facet_keys, normals, skin_of, some_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.cells.quality import SHARP, quality_of
from blunt_ember.mesh.derived.node_splitting import split_mesh
from blunt_ember.mesh.derived.uniform_refinement import uniformly_refined
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest

BODIES: dict[str, tuple[str, dict[str, object]]] = {
    "wall": ("composite-wall", {}),
    "ring": ("hollow-cylinder", {}),
    "corner": ("wall-corner", {"size": "150 mm"}),
    "sphere": ("hollow-sphere", {}),
    "room": ("room-corner", {}),
    "pile": ("stacked-floor", {}),
    "wedge of a pipe": ("pipe-wedge", {}),
    "bowl": ("bowl", {"size": "24 mm"}),
    "wedges": ("room-corner", {"cells": "triangles", "size": "220 mm"}),
}
FLAT = ("wall", "ring", "corner", "sphere")


def meshed(name: str, order: int) -> Mesh:
    family_name, wish = BODIES[name]
    case = family(family_name).case()
    wished = MeshWish.model_validate({**wish, "order": order})
    return generate_mesh(Flow().geometry(case), MeshRequest(wished, 1, case.document.members_of))


def volume(mesh: Mesh) -> float:
    """Of the cells as they lie in their space, whatever they stand for."""
    total = 0.0
    for block in mesh.blocks:
        places = np.einsum("qk,mkd->mqd", CELL_FAMILIES[block.family].at_points, mesh.points[block.nodes])
        weights = weighted_gradients(block, mesh, slice(None))[1]
        total += float((weights / mesh.space.of_cells(block.region, places)).sum())
    return total


def flow_out(mesh: Mesh) -> tuple[np.ndarray, float]:
    """∫ n dA and ∫ x·n dA / d over the skin."""
    total, flux = np.zeros(mesh.dimension), 0.0
    for part in skin_of(mesh).parts:
        kind, corners = CELL_FAMILIES[part.family], mesh.points[part.nodes]
        slopes = np.einsum("qki,fkj->fqij", kind.gradients(kind.points), corners)
        if mesh.dimension == 2:
            away = np.stack([slopes[:, :, 0, 1], -slopes[:, :, 0, 0]], axis=-1)
        else:
            away = np.cross(slopes[:, :, 0], slopes[:, :, 1])
        at = np.einsum("qk,fkj->fqj", kind.at_points, corners)
        total += np.einsum("q,fqj->j", kind.weights, away)
        flux += float(np.einsum("q,fqj,fqj->", kind.weights, away, at)) / mesh.dimension
    return total, flux


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", BODIES)
def test_a_skin_is_closed_and_holds_the_volume_of_the_cells(name: str, order: int) -> None:
    mesh = meshed(name, order)
    for each in (mesh, uniformly_refined(mesh)) if order == 1 else (mesh,):
        total, flux = flow_out(each)
        size = np.ptp(each.points, axis=0).max() ** (each.dimension - 1)
        np.testing.assert_allclose(total, 0, atol=1e-12 * size * len(each.points))
        assert flux == pytest.approx(volume(each), rel=1e-9 if order == 1 or name not in ("bowl",) else 1e-6)


@pytest.mark.parametrize("name", BODIES)
def test_every_facet_of_the_skin_lies_on_its_named_surface(name: str) -> None:
    mesh = meshed(name, 2)
    skin = skin_of(mesh)
    outer = [each for each, facets in mesh.surfaces.items() if facets.outer]
    assert set(skin.names) == set(outer)
    for part in skin.parts:
        on_axis = np.abs(mesh.points[part.nodes][..., 0]).max(axis=1) < 1e-12
        assert ((part.surface >= 0) | (on_axis if name == "sphere" else False)).all()
        for number, surface in enumerate(skin.names):
            own = part.nodes[part.surface == number]
            stated = [block.nodes for block in mesh.surfaces[surface].blocks if block.family == part.family]
            count = sum(len(nodes) for nodes in stated)
            assert len(own) == count
            if count:
                corners = CELL_FAMILIES[part.family].corners
                ours, theirs = (np.sort(facet_keys(nodes[:, :corners])) for nodes in (own, np.concatenate(stated)))
                np.testing.assert_array_equal(ours, theirs)
        # The cell behind a facet has all its nodes.
        cells = cells_of(mesh, part)
        every = [set(nodes) for block in mesh.blocks for nodes in block.nodes.tolist()]
        for facet in range(0, len(part.nodes), max(1, len(part.nodes) // 40)):
            assert set(part.nodes[facet].tolist()) <= every[cells[facet]]
        some = some_of(part, part.region == part.region[0])
        assert (some.region == part.region[0]).all() and len(some.nodes) == (part.region == part.region[0]).sum()


@pytest.mark.parametrize("name", [name for name in BODIES if name not in FLAT])
def test_normals_point_out_of_a_solid(name: str) -> None:
    mesh = meshed(name, 2)
    centres = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    for part in skin_of(mesh).parts:
        away = normals(part, mesh.points)
        np.testing.assert_allclose(np.linalg.norm(away, axis=-1), 1.0, atol=1e-9)
        middle, behind = mesh.points[part.nodes].mean(axis=1), centres[cells_of(mesh, part)]
        assert (((middle - behind) * away.mean(axis=1)).sum(axis=1) > 0).all()


def test_inside_a_body_every_facet_has_two_cells_and_at_a_joint_one_on_either_side() -> None:
    case = family("wall-contact").case()
    whole = generate_mesh(Flow().geometry(case), MeshRequest(case.document.mesh))
    open_ = split_mesh(whole, ["plate|casting"])
    for mesh in (whole, open_):
        (part,) = all_facets(mesh)
        _, count = np.unique(facet_keys(part.corners), return_counts=True)
        skin = sum(len(each.nodes) for each in skin_of(mesh).parts)
        joint = sum(len(block.nodes) for block in mesh.surfaces["plate|casting"].blocks)
        single = int((count == 1).sum())
        assert single == skin + (2 * joint if mesh is open_ else 0) and count.max() == 2


def test_borders_run_where_two_surfaces_meet() -> None:
    mesh = meshed("room", 1)
    edges = mesh.points[borders(skin_of(mesh))]
    spans = edges.max(axis=1) - edges.min(axis=1)
    assert ((spans > 1e-9).sum(axis=1) == 1).all()  # along an axis of the room, each of them
    for axis in range(3):
        along = spans[:, axis] > 1e-9
        length = spans[along, axis].sum()
        assert length == pytest.approx(4 * 0.84 + 2 * 0.6 + 0.24 * 2, rel=0.35) and along.any()


def measured(mesh: Mesh) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of every seventh cell its number, the smallest angle of a corner of its faces, and the longest of its sides over
    the shortest, face by face and corner by corner."""
    angles, aspects, before_block, numbers = [], [], 0, []
    for block in mesh.blocks:
        kind = CELL_FAMILIES[block.family]
        faces = [nodes[: CELL_FAMILIES[family].corners] for family, nodes in kind.facets if kind.dimension == 3]
        numbers.append(np.arange(0, len(block.nodes), 7) + before_block)
        before_block += len(block.nodes)
        for cell in mesh.points[block.nodes[::7]]:
            smallest, sides = 90.0, []
            for face in faces or [tuple(range(kind.corners))]:
                corners = cell[list(face)]
                for before, at, after in zip(np.roll(corners, 1, 0), corners, np.roll(corners, -1, 0), strict=True):
                    back, ahead = before - at, after - at
                    lengths = np.linalg.norm(back), np.linalg.norm(ahead)
                    sides.append(lengths[1])
                    if min(lengths) > 1e-9:
                        cosine = np.clip(back @ ahead / np.prod(lengths), -1, 1)
                        smallest = min(smallest, float(np.degrees(np.arccos(cosine))))
            angles.append(smallest)
            aspects.append(max(sides) / min(side for side in sides if side > 1e-9))
    return np.concatenate(numbers), np.array(angles), np.array(aspects)


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", BODIES)
def test_the_quality_of_cells_is_that_of_their_faces(name: str) -> None:
    mesh = meshed(name, 1)
    found = quality_of(mesh)
    assert len(found.smallest_angle) == mesh.cell_count == len(found.aspect)
    assert (found.smallest_angle > 0).all() and (found.smallest_angle <= 90 + 1e-9).all() and (found.aspect >= 1).all()
    np.testing.assert_array_equal(found.sharp, np.flatnonzero(found.smallest_angle < SHARP))
    cells, angle, aspect = measured(mesh)
    np.testing.assert_allclose(found.smallest_angle[cells], angle, atol=2e-6)
    np.testing.assert_allclose(found.aspect[cells], aspect, rtol=1e-9)
    if name in ("wall", "room", "pile"):
        np.testing.assert_allclose(found.smallest_angle, 90, atol=1e-6)
    finer = quality_of(uniformly_refined(mesh))
    assert finer.smallest_angle.min() > 0.5 * found.smallest_angle.min()


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", ["wall", "corner", "room", "pile"])
def test_the_skin_of_cells_on_a_lattice_is_that_of_facets_that_are_met_once(
    name: str, order: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of bodies with corners that go inwards, and of the same ones with all nodes of a region on their own."""
    mesh = meshed(name, order)
    assert mesh.lattice is not None and mesh.neighbours is not None
    parted = split_mesh(mesh, tuple(each for each, facets in mesh.surfaces.items() if not facets.outer))
    assert parted.node_count == mesh.node_count or parted.neighbours is None
    found = [skin_of(each) for each in (mesh, parted)]
    monkeypatch.setattr("blunt_ember.mesh.cells.facets._open_sides", lambda mesh: None)
    for skin, each in zip(found, (mesh, parted), strict=True):
        general = skin_of(each)
        assert skin.names == general.names and len(skin.parts) == len(general.parts)
        for ours, theirs in zip(skin.parts, general.parts, strict=True):
            for array in ("nodes", "places", "region", "surface"):
                assert np.array_equal(getattr(ours, array), getattr(theirs, array))
