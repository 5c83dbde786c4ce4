"""Wishes for meshes of solids and rods, and meshes that come from files in whatever shape they are."""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.questions.profile import main_axis, profile_through
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest

BLOCK = {"shape": "rectangle", "size": ["120 mm", "80 mm"], "z": ["0 mm", "50 mm"], "material": "a"}
THIN = {"shape": "rectangle", "size": ["120 mm", "80 mm"], "z": ["50 mm", "51 mm"], "material": "a"}


def stated(regions: dict[str, Any], mesh: dict[str, Any], kind: str = "stacked") -> Case:
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "2 W/(m K)"}},
            "body": {"kind": kind, "regions": regions},
            "mesh": mesh,
        }
    )


def meshed(regions: dict[str, Any], mesh: dict[str, Any], kind: str = "stacked") -> Mesh:
    document = stated(regions, mesh, kind).document
    return generate_mesh(geometry_of(document.body), MeshRequest(document.mesh, 1, document.members_of))


@pytest.mark.parametrize("cells", ["auto", "triangles"])
def test_thin_levels_get_their_cells_and_the_same_case_the_same_mesh(cells: str) -> None:
    wish = {"across": 3, "cells": cells, "size": "20 mm"}
    mesh = meshed({"block": BLOCK, "foil": THIN}, wish)
    levels = np.unique(np.round(mesh.points[:, 2], 9))
    assert ((levels >= 0.05) & (levels <= 0.051)).sum() == 2 * 3 + 1  # three quadratic cells through the foil
    assert content_hash(mesh) == content_hash(meshed({"block": BLOCK, "foil": THIN}, wish))


def test_finer_places_of_a_solid_are_finer_in_its_plan() -> None:
    plain = meshed({"block": BLOCK}, {"size": "20 mm", "cells": "triangles", "order": 1})
    wish = {
        "size": "20 mm",
        "order": 1,
        "local": [{"at": ["10 mm", "10 mm", "0 mm"], "size": "1 mm"}, {"on": "block.right", "size": "3 mm"}],
    }
    fine = meshed({"block": BLOCK}, wish)
    near = [np.linalg.norm(mesh.points[:, :2] - 0.01, axis=1) < 0.004 for mesh in (plain, fine)]
    assert near[1].sum() > 10 * max(near[0].sum(), 1)
    right = np.unique(np.round(fine.points[np.abs(fine.points[:, 0] - 0.12) < 1e-9, 1], 9))
    assert np.diff(right).max() < 0.0035
    with pytest.raises(CaseError, match="lies across the sweep"):
        meshed({"block": BLOCK}, {"local": [{"on": "block.top", "divisions": 7}]})
    with pytest.raises(CaseError, match=r"mesh.local\[0\].on: there is no surface 'block.rihgt'; did you mean"):
        meshed({"block": BLOCK}, {"local": [{"on": "block.rihgt", "divisions": 4}]})
    with pytest.raises(CaseError, match="state a larger size"):
        meshed({"block": BLOCK}, {"size": "0.1 mm"})


def test_tops_and_points_of_a_solid_have_thin_layers() -> None:
    wish = {"size": "20 mm", "order": 1}
    thin = meshed({"block": BLOCK}, {**wish, "local": [{"on": "block.top", "size": "1 mm"}]})
    heights = np.unique(np.round(thin.points[:, 2], 9))
    assert np.diff(heights)[-1] < 0.00115 and np.diff(heights)[0] > 0.005
    assert thin.blocks[0].family == "hex8"  # the plan is mapped as before
    low = meshed({"block": BLOCK}, {**wish, "local": [{"at": ["60 mm", "40 mm", "0 mm"], "size": "1 mm"}]})
    assert np.diff(np.unique(np.round(low.points[:, 2], 9)))[0] < 0.00115


def test_cells_about_an_axis_are_measured_without_their_drawn_together_sides() -> None:
    rod = {"shape": "rectangle", "size": ["20 mm", "100 mm"]}
    quality = quality_of(meshed({"rod": rod}, {"size": "10 mm"}, "turned solid"))
    assert 60 < quality.smallest_angle.min() <= 90 and np.isfinite(quality.aspect).all()


def boxes(folder: Path, kind: str, mirrored: bool = False, named: bool = False) -> ImportedGeometry:
    """Two boxes side by side read from a file, as hexahedra or as tetrahedra."""
    grid = np.array(list(itertools.product(np.linspace(0, 2, 5), np.linspace(0, 1, 3), np.linspace(0, 1, 3))))
    shape = (5, 3, 3)
    corner = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]])
    first = np.array(list(itertools.product(range(4), range(2), range(2))))
    cells = np.ravel_multi_index(tuple((first[:, None] + corner).transpose(2, 0, 1)), shape)
    if mirrored:
        cells = cells[:, [1, 0, 3, 2, 5, 4, 7, 6]]
    side = (first[:, 0] >= 2).astype(int)
    if kind == "tetra":
        split = np.array([[0, 1, 3, 4], [1, 2, 3, 6], [1, 4, 5, 6], [3, 4, 6, 7], [1, 3, 4, 6]])
        flip = split[:, [1, 0, 2, 3]]
        even = first.sum(axis=1) % 2 == 0
        turned = cells[:, [1, 0, 3, 2, 5, 4, 7, 6]]  # every other box is split the other way, so that diagonals meet
        cells = np.where(even[:, None, None], cells[:, split], turned[:, flip]).reshape(-1, 4)
        side = np.repeat(side, 5)
    masks = {"left half": [1 - side], "right.half": [side]} if named else {"part": [side + 1]}
    path = folder / "boxes.vtu"
    meshio.Mesh(grid * 10, [(kind, cells)], cell_data=masks).write(path)
    body = {"kind": "imported", "file": path.name, "unit": "1 mm"}
    geometry = geometry_of(case_from_data({"format": "blunt-ember/1", "body": body}).document.body, str(folder))
    assert isinstance(geometry, ImportedGeometry)
    return geometry


@pytest.mark.parametrize(("kind", "mirrored"), [("hexahedron", False), ("hexahedron", True), ("tetra", False)])
def test_numbers_in_a_file_become_regions_and_bends_faces(kind: str, mirrored: bool, tmp_path: Path) -> None:
    geometry = boxes(tmp_path, kind, mirrored)
    assert [region.name for region in geometry.regions] == ["part 1", "part 2"]
    areas = {name: surface.area for name, surface in geometry.surfaces.items()}
    assert areas.pop("part 1|part 2") == pytest.approx(1e-4, rel=1e-12)
    assert sorted(areas) == [
        f"part {part} face {face}".replace(" face", ".face") for part in (1, 2) for face in range(1, 6)
    ]
    assert sum(areas.values()) == pytest.approx(10e-4, rel=1e-12)
    assert all(area == pytest.approx(1e-4, rel=1e-12) for area in areas.values())


def test_named_groups_keep_their_names_but_for_signs_that_part_them(tmp_path: Path) -> None:
    geometry = boxes(tmp_path, "hexahedron", named=True)
    assert [region.name.lower() for region in geometry.regions] == ["left half", "right half"]


def test_a_read_body_carries_heat_across_its_regions(tmp_path: Path) -> None:
    boxes(tmp_path, "tetra")
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "2 W/(m K)"}, "b": {"k": "6 W/(m K)"}},
            "body": {
                "kind": "imported",
                "file": "boxes.vtu",
                "unit": "1 mm",
                "groups": {"part 1": {"material": "a"}, "part 2": {"material": "b"}},
            },
            "surroundings": [
                {"on": "part 1.face 1", "temperature": "0 °C"},
                {"on": "part 2.face 5", "temperature": "40 °C"},
            ],
            "questions": [{"name": "middle", "mean": "part 1|part 2"}, {"name": "flow", "heat_flow": "part 1|part 2"}],
        },
        str(tmp_path),
    )
    outcome = Flow().run(case)
    assert outcome.final and all(check.error is not None and check.error > 0 for check in outcome.checks)
    assert outcome.ledger is not None and outcome.ledger.relative < 1e-12
    stale = Flow()
    first = stale.run(case)
    (tmp_path / "boxes.vtu").unlink()
    boxes(tmp_path, "hexahedron")  # written anew: read anew
    second = stale.run(case)
    assert first.mesh is not None and second.mesh is not None
    assert {block.family for block in second.mesh.blocks} == {"hex8"} != {block.family for block in first.mesh.blocks}


def test_a_place_with_too_many_coordinates_for_a_read_plane_is_explained(tmp_path: Path) -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]])
    meshio.Mesh(points, [("triangle", [[0, 1, 2], [0, 2, 3]])]).write(tmp_path / "flat.vtu")
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "2 W/(m K)"}},
            "body": {"kind": "imported", "file": "flat.vtu", "unit": "1 mm", "groups": {"body": {"material": "a"}}},
            "surroundings": [{"on": "body.face 1", "temperature": "5 °C"}],
            "questions": [{"name": "q", "temperature": ["0.5 mm", "0.5 mm", "0 mm"]}],
        },
        str(tmp_path),
    )
    with pytest.raises(CaseError, match=r"questions\[0\].temperature: a place in this body has x, y; write it like"):
        Flow().answered(case)


def test_hand_made_divisions_of_a_solid_are_shared_out_alike_every_time() -> None:
    """Between the pieces that a slab makes of a wall's edge, whatever order a set of names has."""
    seed = "2" if os.environ.get("PYTHONHASHSEED") == "1" else "1"
    code = "from tests.mesh.test_swept_and_read import divided_by_hand; print(divided_by_hand())"
    env = {**os.environ, "PYTHONHASHSEED": seed}
    other = subprocess.run([sys.executable, "-c", code], env=env, check=True, capture_output=True, text=True)
    assert other.stdout.strip() == divided_by_hand()


def divided_by_hand() -> str:
    slab = {**BLOCK, "at": ["30 mm", "60 mm"], "size": ["50 mm", "70 mm"], "z": ["10 mm", "60 mm"]}
    wish = {"size": "20 mm", "cells": "triangles", "local": [{"on": "block.back", "divisions": 11}]}
    return str(content_hash(meshed({"block": BLOCK, "slab": slab}, wish)))


def read_along(outcome: Outcome, axis: int) -> Any:
    assert outcome.geometry is not None and outcome.mesh is not None and outcome.solution is not None
    return profile_through(axis, outcome.geometry, outcome.mesh, outcome.solution.temperature, outcome.exact)


def test_profiles_run_along_the_axis_that_matters_and_stop_at_joints() -> None:
    case = stated({"block": BLOCK, "foil": THIN}, {})
    data = {
        **case.data,
        "surroundings": [{"on": "block.bottom", "temperature": "0 °C"}, {"on": "foil.top", "temperature": "51 °C"}],
    }
    outcome = Flow().answered(case.restated(data))
    assert outcome.geometry is not None and outcome.mesh is not None and outcome.solution is not None
    assert main_axis(outcome.geometry, outcome.mesh, outcome.solution.temperature) == 2
    profile = read_along(outcome, 2)
    assert [name for _, name in profile.joints] == ["block", "foil"]
    assert profile.joints[1][0] == pytest.approx(0.05, abs=1e-12)
    assert profile.mesh - 273.15 == pytest.approx(profile.distance * 1e3, abs=1e-8)
    assert profile.exact == pytest.approx(profile.mesh, abs=1e-8)
    assert np.ptp(read_along(outcome, 0).mesh) < 1e-8
