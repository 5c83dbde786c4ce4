"""Cells divided in two each way: nothing of the body is lost, what is shared stays shared, arcs stay round."""

from __future__ import annotations

from pathlib import Path

import meshio
import numpy as np
import pytest
from scipy.spatial import cKDTree

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.fem.assembly import weighted_gradients
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.derived.node_splitting import split_mesh
from blunt_ember.mesh.derived.uniform_refinement import uniformly_refined
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest

BODIES = {
    "mapped": ("plane-wall", {}),
    "triangles": ("wall-corner", {"size": "120 mm"}),
    "ring": ("ring-sector", {}),
    "turned": ("hollow-sphere", {}),
    "rod": ("rod-film-tip", {}),
    "hexahedra": ("pipe-wedge", {}),
    "wedges": ("room-corner", {"cells": "triangles", "size": "200 mm"}),
    "bowl": ("bowl", {"size": "24 mm"}),
    "free quadrilaterals": ("wall-corner", {"size": "120 mm", "cells": "mostly quadrilaterals"}),
}


def mesh_like(name: str, order: int) -> Mesh:
    family_name, wish = BODIES[name]
    geometry = geometry_of(family(family_name).case().document.body)
    return generate_mesh(geometry, MeshRequest(MeshWish.model_validate({**wish, "order": order})))


def volumes(mesh: Mesh) -> np.ndarray:
    whole = slice(None)
    return np.concatenate([weighted_gradients(block, mesh, whole)[1].sum(axis=1) for block in mesh.blocks])


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", BODIES)
def test_nothing_is_lost_and_what_is_shared_stays_shared(name: str, order: int) -> None:
    mesh = mesh_like(name, order)
    finer, dimension = uniformly_refined(mesh), mesh.dimension
    assert finer.cell_count == 2**dimension * mesh.cell_count and finer.regions == mesh.regions
    before, after = volumes(mesh), volumes(finer)
    assert (after > 0).all()  # no child is turned over
    # The parts of each cell are the cell: exactly where its map is linear, else but for the quadrature.
    np.testing.assert_allclose(after.sum(), before.sum(), rtol=1e-9 if order == 2 else 1e-5)
    assert len(np.unique(np.concatenate([block.nodes.ravel() for block in finer.blocks]))) == finer.node_count
    for name_, facets in mesh.surfaces.items():
        fine = finer.surfaces[name_]
        assert set(fine.nodes) <= set(range(finer.node_count))
        for block, halves in zip(facets.blocks, fine.blocks, strict=True):
            flat = CELL_FAMILIES[block.family].dimension
            assert halves.family == block.family and len(halves.nodes) == 2**flat * len(block.nodes)
            at = mesh.points[block.nodes].reshape(-1, dimension)
            fine_at = finer.points[halves.nodes].reshape(-1, dimension)
            gaps = cKDTree(fine_at).query(at)[0]
            assert gaps.max() < 1e-12 * max(np.abs(mesh.points).max(), 1e-300) + 1e-15  # corners and middles stay
    if dimension > 1:  # a gap between children would show as more skin
        skins = [sum(len(part.nodes) for part in skin_of(each).parts) for each in (mesh, finer)]
        assert skins[1] == 2 ** (dimension - 1) * skins[0]


@pytest.mark.parametrize("order", [1, 2])
def test_halves_of_a_mapped_mesh_are_the_finer_mapped_mesh(order: int) -> None:
    case = family("composite-wall").case()
    geometry, wish = geometry_of(case.document.body), MeshWish.model_validate({"order": order})
    ours, mapped = (
        uniformly_refined(generate_mesh(geometry, MeshRequest(wish))),
        generate_mesh(geometry, MeshRequest(wish, 2)),
    )
    assert ours.node_count == mapped.node_count and ours.cell_count == mapped.cell_count
    rounded = [{tuple(place) for place in np.round(mesh.points, 12).tolist()} for mesh in (ours, mapped)]
    assert rounded[0] == rounded[1]


def test_new_nodes_of_arcs_stay_on_the_arc_of_their_cell() -> None:
    mesh = mesh_like("ring", 2)
    finer = uniformly_refined(uniformly_refined(mesh))
    for name, radius in (("bore", 0.4), ("rim", 0.63)):
        (surface,) = (each for each in mesh.surfaces if each.endswith(name))
        at = finer.points[finer.surfaces[surface].nodes]
        # A parabola through three places of an arc of a few degrees is nearly the arc.
        np.testing.assert_allclose(np.linalg.norm(at, axis=1), radius, rtol=2e-6)


def test_two_sides_of_a_joint_stay_apart() -> None:
    case = family("wall-contact").case()
    whole = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    mesh = split_mesh(whole, ["plate|casting"])
    finer = uniformly_refined(mesh)
    facets = finer.surfaces["plate|casting"]
    assert facets.far
    near, far = (np.unique(np.concatenate([b.nodes.ravel() for b in side])) for side in (facets.blocks, facets.far))
    assert not set(near) & set(far)
    np.testing.assert_allclose(np.sort(finer.points[near, 1]), np.sort(finer.points[far, 1]))
    np.testing.assert_allclose(finer.points[near, 0], finer.points[far, 0].mean())


def tetrahedra(tmp_path: Path, order: int) -> Case:
    """A block of 0.2 m × 0.1 m × 0.1 m cut into tetrahedra, as a file, with two ends named."""
    n = (4, 2, 2)
    grid = np.stack(np.meshgrid(*(np.linspace(0, 1, k + 1) for k in n), indexing="ij"), axis=-1)
    points = grid.reshape(-1, 3) * [0.2, 0.1, 0.1]
    number = np.arange(len(points)).reshape(grid.shape[:3])
    cells = []
    for i, j, k in np.ndindex(*n):
        cube = number[i : i + 2, j : j + 2, k : k + 2]
        for axes in ((0, 1, 2), (0, 2, 1), (1, 0, 2), (1, 2, 0), (2, 0, 1), (2, 1, 0)):  # Kuhn
            at, corner = np.zeros(3, dtype=int), [cube[0, 0, 0]]
            for axis in axes:
                at[axis] = 1
                corner.append(cube[tuple(at)])
            cells.append(corner)
    tets = np.array(cells)
    flipped = np.linalg.det(points[tets[:, 1:]] - points[tets[:, :1]]) < 0
    tets[flipped] = tets[flipped][:, [0, 2, 1, 3]]
    if order == 2:
        edges = np.array([(0, 1), (1, 2), (0, 2), (0, 3), (1, 3), (2, 3)])
        pairs = np.sort(tets[:, edges], axis=2)
        unique, back = np.unique(pairs.reshape(-1, 2), axis=0, return_inverse=True)
        middles = points[unique].mean(axis=1)
        tets = np.column_stack([tets, len(points) + back.reshape(len(tets), 6)])
        points = np.concatenate([points, middles])
    path = tmp_path / "block.vtu"
    meshio.write(path, meshio.Mesh(points, [("tetra" if order == 1 else "tetra10", tets)]))
    body = {"kind": "imported", "file": str(path), "unit": "1 m"}
    bare = case_from_data({"format": "blunt-ember/1", "body": body}, str(tmp_path))
    geometry = Flow().geometry(bare)
    ends: dict[str, str] = {}
    for name in geometry.surfaces:
        x = geometry.mesh.points[geometry.mesh.surfaces[name].nodes][:, 0]
        ends |= {key: name for key, at in (("low", 0.0), ("high", 0.2)) if np.abs(x - at).max() < 1e-12}
    region = geometry.regions[0].name
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "1.2 W/(m K)"}},
            "body": {**body, "groups": {region: {"material": "clay"}}},
            "surroundings": [
                {"on": ends["low"], "temperature": "300 °C"},
                {"on": ends["high"], "film": {"h": "20 W/(m² K)", "temperature": "20 °C"}},
            ],
            "heat_inside": [{"region": region, "per_volume": "8 kW/m³"}],
            "questions": [
                {"name": "hottest", "highest": "body"},
                {"name": "end", "mean": ends["high"]},
                {"name": "mean", "mean": "body"},
                {"name": "lost", "heat_flow": ends["high"], "direction": "out"},
            ],
        },
        str(tmp_path),
    )


def test_answers_on_a_mesh_that_was_read_have_their_errors(tmp_path: Path) -> None:
    case = tetrahedra(tmp_path, 1)
    outcome = Flow().run(case)
    # One-dimensional: k T'' = −g, held at 300 °C, film at the end.
    k, g, length, h, fluid = 1.2, 8e3, 0.2, 20.0, 20.0
    slope = (h * (300 - g * length**2 / (2 * k) - fluid) - g * length) / -(k + h * length)
    end = 300 + slope * length - g * length**2 / (2 * k)
    exact = {"end": end + 273.15, "lost": h * (end - fluid) * 0.01}
    exact["mean"] = 300 + 273.15 + slope * length / 2 - g * length**2 / (6 * k)
    for check in outcome.checks:
        assert check.error is not None
        if check.name in exact:
            assert abs(check.value - exact[check.name]) <= check.error + 1e-9 * check.value
    (mean,) = (check for check in outcome.checks if check.name == "mean")
    assert mean.error is not None and 1e-3 < abs(mean.value - exact["mean"]) <= mean.error < 5
    quadratic = Flow().run(tetrahedra(tmp_path, 2))
    for check in quadratic.checks[1:]:
        assert check.value == pytest.approx(exact[check.name], rel=1e-6)
