"""Cells cut in two where they are chosen: nothing is lost, all still meets, no angle gets much sharper."""

from __future__ import annotations

import itertools
from pathlib import Path

import meshio
import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.assembly import weighted_gradients
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.derived.bisection import bisected
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.refinement.adaptive import adaptive_refinement
from blunt_ember.refinement.uniform import uniform_refinement


def write_corner(folder: Path, count: int, order: int = 1) -> None:
    """Three cubes of 30 mm about an edge, each of count³ boxes, each box of five tetrahedra, as a file."""
    line = np.arange(2 * count + 1)
    grid = np.array(list(itertools.product(line, line, line[: count + 1])))
    shape = (len(line), len(line), count + 1)
    corner = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]])
    first = np.array(
        [
            place
            for place in itertools.product(range(2 * count), range(2 * count), range(count))
            if min(place[:2]) < count
        ]
    )
    boxes = np.ravel_multi_index(tuple((first[:, None] + corner).transpose(2, 0, 1)), shape)
    split = np.array([[0, 1, 3, 4], [1, 2, 3, 6], [1, 4, 5, 6], [3, 4, 6, 7], [1, 3, 4, 6]])
    turned = boxes[:, [1, 0, 3, 2, 5, 4, 7, 6]]  # every other box is split the other way, so that diagonals meet
    even = first.sum(axis=1) % 2 == 0
    cells = np.where(even[:, None, None], boxes[:, split], turned[:, split[:, [1, 0, 2, 3]]]).reshape(-1, 4)
    points, kind = grid * 30.0 / count, "tetra"
    if order == 2:
        pairs = np.array([[0, 1], [1, 2], [0, 2], [0, 3], [1, 3], [2, 3]])
        edges, number = np.unique(np.sort(cells[:, pairs], axis=2).reshape(-1, 2), axis=0, return_inverse=True)
        cells = np.column_stack([cells, len(points) + number.reshape(-1, 6)])
        points, kind = np.concatenate([points, points[edges].mean(axis=1)]), "tetra10"
    meshio.Mesh(points, [(kind, cells)], cell_data={"part": [np.ones(len(cells), int)]}).write(folder / "c.vtu")


def read_corner(folder: Path, count: int, order: int = 1) -> Case:
    """The corner held at 20 °C in its notch and at 0 °C on its two outer sides."""
    write_corner(folder, count, order)
    data = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "0.7 W/(m K)"}},
        "body": {"kind": "imported", "file": "c.vtu", "unit": "1 mm", "groups": {"part": {"material": "a"}}},
    }
    mesh = Flow().geometry(case_from_data(data, str(folder))).mesh
    at = {name: mesh.points[facets.nodes] for name, facets in mesh.surfaces.items()}
    notch = [
        name
        for name, places in at.items()
        if any(np.ptp(places[:, axis]) < 1e-9 and abs(places[0, axis] - 0.03) < 1e-9 for axis in (0, 1))
    ]
    outer = [name for name, places in at.items() if places[:, :2].max(axis=0).min() < 1e-9]
    assert len(notch) == len(outer) == 2
    return case_from_data(
        {
            **data,
            "surroundings": [{"on": notch, "temperature": "20 °C"}, {"on": outer, "temperature": "0 °C"}],
            "questions": [{"name": "loss", "heat_flow": notch[0], "tolerance": "0.1 %"}],
        },
        str(folder),
    )


def meshes(kind: str, order: int, folder: Path) -> Mesh:
    if kind == "tetrahedra":
        return generate_mesh(
            Flow().geometry(read_corner(folder, 2, order)), MeshRequest(family("wall-corner").case().document.mesh)
        )
    wish = family("wall-corner").case().document.mesh.model_copy(update={"cells": "triangles", "order": order})
    return generate_mesh(geometry_of(family(kind).case().document.body), MeshRequest(wish))


def volumes(mesh: Mesh) -> np.ndarray:
    return np.concatenate([weighted_gradients(block, mesh, slice(None))[1].sum(axis=1) for block in mesh.blocks])


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("kind", ["wall-corner", "ring-sector", "composite-wall", "tetrahedra"])
def test_what_is_cut_still_meets_and_nothing_is_lost(kind: str, order: int, tmp_path: Path) -> None:
    before = mesh = meshes(kind, order, tmp_path)
    random = np.random.default_rng(7)
    for _ in range(5):
        chosen = random.random(mesh.cell_count) < 0.1
        finer, parent, times = bisected(mesh, chosen)
        assert (times[chosen[parent]] >= 1).all() and len(parent) == finer.cell_count
        pieces = np.bincount(parent, volumes(finer), minlength=mesh.cell_count)
        # Exactly where the map of a cell is linear, else but for the quadrature.
        np.testing.assert_allclose(pieces, volumes(mesh), rtol=1e-12 if order == 1 else 1e-4)
        assert (volumes(finer) > 0).all()
        kept = np.flatnonzero(times == 0)
        np.testing.assert_allclose(volumes(finer)[kept], volumes(mesh)[parent[kept]])
        mesh = finer
    assert mesh.cell_count > 1.5 * before.cell_count
    assert len(np.unique(np.concatenate([block.nodes.ravel() for block in mesh.blocks]))) == mesh.node_count
    # Were there a node on the middle of a face or an edge, that would be skin inside the body.
    skin = sum(len(part.nodes) for part in skin_of(mesh).parts)
    outer = sum(len(block.nodes) for facets in mesh.surfaces.values() if facets.outer for block in facets.blocks)
    assert skin == outer
    worst, was = quality_of(mesh).smallest_angle.min(), quality_of(before).smallest_angle.min()
    assert worst > (0.5 * was if mesh.dimension == 2 else 0.2 * was)  # in the plane: Rosenberg and Stenger (1975)


def test_without_a_choice_nothing_is_cut_and_boxes_cannot_be(tmp_path: Path) -> None:
    mesh = meshes("tetrahedra", 2, tmp_path)
    same, parent, times = bisected(mesh, np.zeros(mesh.cell_count, dtype=bool))
    assert same.node_count == mesh.node_count and (parent == np.arange(mesh.cell_count)).all() and not times.any()
    boxes = generate_mesh(
        geometry_of(family("pipe-wedge").case().document.body), MeshRequest(family("pipe-wedge").case().document.mesh)
    )
    with pytest.raises(BluntEmberError, match="only triangles and tetrahedra can follow"):
        bisected(boxes, np.ones(boxes.cell_count, dtype=bool))


def test_tetrahedra_that_were_read_follow_the_error_to_the_edge_it_is_at(tmp_path: Path) -> None:
    case, flow = read_corner(tmp_path, 2), Flow()
    # Along the edge it is the corner of a wall, whose heat is known well from the plane.
    plane = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "0.7 W/(m K)"}},
            "body": {
                "kind": "section",
                "depth": "30 mm",
                "regions": {
                    "a": {
                        "shape": "polygon",
                        "material": "a",
                        "points": [
                            [f"{x} mm", f"{y} mm"] for x, y in ((0, 0), (60, 0), (60, 30), (30, 30), (30, 60), (0, 60))
                        ],
                    }
                },
            },
            "surroundings": [
                {"on": ["a.side 3", "a.side 4"], "temperature": "20 °C"},
                {"on": ["a.side 1", "a.side 6"], "temperature": "0 °C"},
            ],
            "mesh": {"size": "0.5 mm"},
            "questions": [{"name": "loss", "heat_flow": "a.side 3"}],
        }
    )
    limit = Flow().answered(plane).checks[0].value
    even, following = list(uniform_refinement(flow, case, 4)), list(adaptive_refinement(flow, case, most_nodes=6_000))
    off = [abs(level.values[0] / limit - 1) for level in following]
    same = next(level for level in even if abs(level.values[0] / limit - 1) < 1.2 * off[-1] or level is even[-1])
    assert len(following) > 3 and off[-1] < off[0] / 4
    assert following[-1].nodes < same.nodes / 2, (following, even, limit)
