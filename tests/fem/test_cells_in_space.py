"""Conduction in solids and rods: orders of convergence of every cell family, and exact answers in space."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest
from scipy import sparse
from scipy.sparse.linalg import spsolve

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.bodies import Body
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.checks.references.fits.rods import RodField
from blunt_ember.fem.assembly import assembled, conduction_elements, physical_gradients
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.linear import solve_corrected
from blunt_ember.fem.multigrid.spaces import Spaces
from blunt_ember.fem.reading import temperature_at
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.manufactured import in_time, manufactured_in
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest


def body_of(stated: dict[str, Any], folder: str = "") -> Any:
    document = case_from_data({"format": "blunt-ember/1", "body": stated}, folder).document
    body: Body = document.body
    return geometry_of(body, folder)


CUBE = {"shape": "rectangle", "size": ["1 m", "1 m"], "z": ["0 m", "1 m"]}
#: Corners of six tetrahedra that fill a cube, each along another way from one end of it to the other.
KUHN = [np.cumsum([(0, 0, 0), *np.eye(3, dtype=int)[list(way)]], axis=0) for way in itertools.permutations(range(3))]


def tetrahedra(cells: int, order: int, path: Path) -> None:
    """Write a cube of tetrahedra as a mesh file."""
    steps = cells * 2
    corners = 2 * np.array(KUHN)
    index = np.array(list(itertools.product(range(cells), repeat=3)))[:, None, None] * 2
    nodes = (index + corners[None]).reshape(-1, 4, 3)
    if order == 2:
        edges = [(0, 1), (1, 2), (2, 0), (0, 3), (1, 3), (2, 3)]
        nodes = np.concatenate([nodes, np.stack([(nodes[:, a] + nodes[:, b]) // 2 for a, b in edges], axis=1)], axis=1)
    numbers = (nodes[..., 0] * (steps + 1) + nodes[..., 1]) * (steps + 1) + nodes[..., 2]
    points = np.array(list(itertools.product(range(steps + 1), repeat=3))) / steps
    meshio.Mesh(points, [("tetra" if order == 1 else "tetra10", numbers)]).write(path)


def cube_mesh(family: str, cells: int, folder: Path) -> Mesh:
    order: Any = CELL_FAMILIES[family].order
    if family.startswith("tet"):
        path = folder / f"{family} {cells}.vtu"
        tetrahedra(cells, order, path)
        return body_of({"kind": "imported", "file": path.name, "unit": "1 m"}, str(folder)).mesh
    wish = {
        "order": order,
        "size": f"{1 / cells} m",
        "across": 1,
        "cells": "triangles" if family.startswith("wedge") else "auto",
    }
    return generate_mesh(
        body_of({"kind": "stacked", "regions": {"cube": CUBE}}), MeshRequest(MeshWish.model_validate(wish))
    )


def bent(points: Floats) -> Floats:
    """A smooth map that leaves no cell straight."""
    x, y, z = points.T
    bulge = 0.05 * np.sin(np.pi * x) * np.sin(np.pi * y) * np.sin(np.pi * z)
    return np.column_stack([x + bulge + 0.1 * y * z, y - bulge + 0.05 * z, z + 0.7 * bulge + 0.06 * x * x])


def harmonic(points: Floats) -> Floats:
    """A manufactured solution of ∇²T = 0."""
    x, y, z = points.T
    return 300 + 40 * np.exp(1.3 * x) * np.cos(0.5 * y) * np.cos(1.2 * z)


def l2_error(family: str, cells: int, folder: Path) -> float:
    flat = cube_mesh(family, cells, folder)
    mesh = replace(flat, points=bent(flat.points))
    (block,) = mesh.blocks
    assert block.family == family
    matrix = assembled([(block.nodes, conduction_elements(block, mesh, lambda run: np.array([[2.5]])))], mesh)
    edge: Ints = np.unique(np.concatenate([facets.nodes for facets in mesh.surfaces.values()]))
    temperature = harmonic(mesh.points)
    free = np.setdiff1d(np.arange(mesh.node_count), edge)
    temperature[free] = spsolve(matrix[free][:, free].tocsc(), -(matrix[free][:, edge] @ temperature[edge]))
    shape = CELL_FAMILIES[family]
    _, determinant = physical_gradients(family, mesh.points[block.nodes], shape.points)
    values = shape.values(shape.points)
    gap = temperature[block.nodes] @ values.T - harmonic((values @ mesh.points[block.nodes]).reshape(-1, 3)).reshape(
        len(block.nodes), -1
    )
    return float(np.sqrt((gap**2 * determinant * shape.weights).sum()))


@pytest.mark.parametrize("family", ["hex8", "wedge6", "tet4", "hex27", "wedge18", "tet10"])
def test_every_solid_family_converges_with_its_order(family: str, tmp_path: Path) -> None:
    order = CELL_FAMILIES[family].order
    coarse, fine = (3, 6) if order == 2 else (4, 8)
    ratio = l2_error(family, coarse, tmp_path) / l2_error(family, fine, tmp_path)
    assert math.log2(ratio) > order + 1 - 0.3


def solved(body: dict[str, Any], surroundings: list[dict[str, Any]], **further: Any) -> Any:
    case = {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": "2 W/(m K)"}, "b": {"k": "30 W/(m K)"}},
        "body": body,
        "surroundings": surroundings,
        **further,
    }
    return Flow().answered(case_from_data(case))


@pytest.mark.parametrize("cells", ["auto", "triangles"])
def test_the_ledger_of_a_solid_closes_also_where_held_surfaces_meet(
    cells: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("blunt_ember.fem.linear.MULTIGRID_NODES", 500)
    outcome = solved(
        {
            "kind": "stacked",
            "regions": {
                "block": {**CUBE, "material": "a"},
                "post": {
                    "shape": "disc",
                    "radius": "150 mm",
                    "at": ["400 mm", "500 mm"],
                    "z": ["200 mm", "1.3 m"],
                    "material": "b",
                },
            },
        },
        [
            {"on": ["block.bottom", "block.left"], "temperature": "10 °C"},
            {"on": "post.top", "temperature": "200 °C"},
            {"on": ["block.top", "post.rim"], "film": {"h": "15 W/(m² K)", "temperature": "20 °C"}},
            {"on": "block.right", "flux": "400 W/m²"},
        ],
        mesh={"cells": cells, "size": "260 mm"},
    )
    assert outcome.solution.method == "conjugate gradients with multigrid"
    assert outcome.ledger.relative < 1e-10 and len(outcome.ledger.rows) == 6
    heat = {row.name: row.heat for row in outcome.ledger.rows}
    assert heat["post.top"] > 0 > heat["block.bottom"] and heat["block.right"] == pytest.approx(400, rel=1e-12)


def test_readings_in_a_turned_solid_hold_on_its_axis_and_outside_say_nothing() -> None:
    outcome = solved(
        {
            "kind": "turned solid",
            "regions": {"rod": {"shape": "rectangle", "size": ["20 mm", "100 mm"], "material": "a"}},
        },
        [{"on": "rod.bottom", "temperature": "0 °C"}, {"on": "rod.top", "temperature": "100 °C"}],
        mesh={"size": "10 mm"},
    )
    places = np.array([[0, 0.025, 0], [0.011, 0.07, -0.009], [0, 0, 0], [0.02, 0.1, 0], [0.021, 0.05, 0]])
    values = temperature_at(outcome.mesh, outcome.solution.temperature, places) - 273.15
    assert values[:4] == pytest.approx([25, 70, 0, 100], abs=1e-7) and np.isnan(values[4])


def test_a_chain_of_pieces_agrees_with_its_own_waves() -> None:
    pieces = {
        "clamp": {"length": "30 mm", "area": "2 cm²", "material": "b"},
        "shaft": {"length": "120 mm", "diameter": "9 mm", "material": "b"},
        "tip": {"length": "40 mm", "area": "25 mm²", "perimeter": "22 mm", "material": "a"},
    }
    outcome = solved(
        {"kind": "rod", "pieces": pieces},
        [
            {"on": "clamp.start", "film": {"h": "900 W/(m² K)", "temperature": "300 °C"}},
            {"on": "shaft.side", "film": {"h": "35 W/(m² K)", "temperature": "20 °C"}},
            {"on": "tip.side", "flux": "2 kW/m²"},
            {"on": "tip.end", "temperature": "60 °C"},
        ],
        mesh={"size": "1 mm"},
    )
    exact = outcome.exact
    assert isinstance(exact, RodField)
    x = np.linspace(0, 0.19, 77)[:, None]
    gap = temperature_at(outcome.mesh, outcome.solution.temperature, x) - exact.temperature(x)
    assert np.abs(gap).max() < 2e-5
    for row in outcome.ledger.rows:
        assert row.heat == pytest.approx(exact.heat(row.name), rel=1e-6)
    # An independent look at the waves: they satisfy d²T/dx² = P (h (T − T_f) − q)/(k A) in the shaft.
    chain, step = exact.chain, 1e-4
    low, middle, high = (chain.temperature_in(1, 0.05 + shift) for shift in (-step, 0.0, step))
    bend = (low - 2 * middle + high) / step**2
    assert bend == pytest.approx(4 * 35 * (middle - 293.15) / (30 * 0.009), rel=1e-4)


@pytest.mark.parametrize(("name", "size"), [("hex", "40 mm"), ("wedge", "40 mm")])
def test_a_solid_with_insulated_cuts_is_its_section(name: str, size: str) -> None:
    lagging = {"shape": "rectangle", "right_of": "layer", "size": ["20 mm", "30 mm"], "material": "b"}
    wall = {
        "layer": {"shape": "rectangle", "at": ["50 mm", "0 mm"], "size": ["40 mm", "30 mm"], "material": "a"},
        "lagging": lagging,
    }
    surroundings = [
        {"on": "layer.left", "temperature": "90 °C"},
        {"on": "lagging.right", "film": {"h": "20 W/(m² K)", "temperature": "10 °C"}},
    ]
    mesh = {"cells": "triangles" if name == "wedge" else "auto", "size": size}
    outcome = solved({"kind": "turned solid", "angle": "90 deg", "regions": wall}, surroundings, mesh=mesh)
    resistance = (math.log(90 / 50) / 2 + math.log(110 / 90) / 30 + 1 / (20 * 0.11)) / (2 * math.pi * 0.03) * 4
    heat = {row.name: row.heat for row in outcome.ledger.rows}
    assert heat["layer.left"] == pytest.approx(80 / resistance, rel=2e-4)
    assert outcome.exact is not None and outcome.exact.heat("layer|lagging") == pytest.approx(
        80 / resistance, rel=1e-12
    )


@pytest.mark.parametrize("family", ["hex27", "wedge18", "hex8"])
def test_multigrid_and_factors_find_the_same(family: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Conductivities a thousand times apart, held on two sides."""
    monkeypatch.setattr("blunt_ember.fem.linear.MULTIGRID_NODES", 2_000)
    monkeypatch.setattr("blunt_ember.fem.linear.LATTICE_NODES", 2_000)
    mesh = cube_mesh(family, 8 if CELL_FAMILIES[family].order == 2 else 16, tmp_path)
    (block,) = mesh.blocks
    middle = mesh.points[block.nodes].mean(axis=1)
    conductivity = np.where(np.abs(middle - 0.5).max(axis=1) < 0.25, 200.0, 0.2)
    matrix = assembled([(block.nodes, conduction_elements(block, mesh, lambda run: conductivity[run, None]))], mesh)
    free = (mesh.points[:, 0] > 1e-9) & (mesh.points[:, 2] < 1 - 1e-9)
    inner = matrix[free][:, free]
    load = np.sin(9 * mesh.points[free, 1]) + 1
    held = np.flatnonzero(~free)
    picked = sparse.csr_array(sparse.eye_array(mesh.node_count, format="csr")[:, free])
    constraints = Constraints(held, np.zeros(len(held)), free, picked, ())
    size, found, offs = float(np.linalg.norm(load)), {}, []
    for dimension in (2, 3):
        spaces = Spaces(mesh, constraints)
        assert spaces.on_lattice == family.startswith("hex")
        solved = solve_corrected(inner, lambda x: (load - inner @ x, size), np.zeros_like, spaces, dimension)
        found[dimension] = solved.x
        assert solved.method == ("direct" if dimension == 2 else "conjugate gradients with multigrid")
        offs.append(solved.off)
    off = np.abs(found[3] - found[2]).max()
    assert 0 < off <= sum(offs) < 1e-7 * np.abs(found[2]).max() and off < 1e-9 * np.abs(found[2]).max()


def manufactured_tetrahedra(cells: int, order: int, folder: Path) -> dict[str, Any]:
    """Data of the manufactured field on a cube of 80 mm, cut into ``cells`` along each edge."""
    tetrahedra(cells, order, folder / f"{cells}.vtu")
    body: dict[str, Any] = {"kind": "imported", "file": f"{cells}.vtu", "unit": "80 mm"}
    geometry = body_of(body, str(folder))
    (region,) = [known.name for known in geometry.regions]
    faces = {}
    for name, facets in geometry.mesh.surfaces.items():
        places = geometry.mesh.points[facets.nodes]
        axis = int(np.argmin(np.ptp(places, axis=0)))
        faces[name] = (axis, 1 if places[0, axis] > 0.04 else -1)
    assert len(faces) == 6
    body["groups"] = {region: {"material": "block"}}
    return manufactured_in("solid", body, region, faces, "auto", order, "Tetrahedra")


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
def test_tetrahedra_that_were_read_take_every_term_with_their_order(order: int, tmp_path: Path) -> None:
    """The manufactured field with growing conductivity, heat inside, flux, film and radiation, on a cube of 80 mm."""
    gaps = []
    for cells in (3, 6) if order == 1 else (2, 4):
        data = manufactured_tetrahedra(cells, order, tmp_path)
        data = {**data, "questions": data["questions"][:1]}
        case = case_from_data(data, str(tmp_path))
        outcome = next(o for o in Flow().outcomes(case) if o.ledger or o.final)
        assert outcome.trouble is None and outcome.exact is not None and outcome.ledger is not None
        assert outcome.mesh is not None and outcome.solution is not None and outcome.ledger.relative < 1e-9
        assert {block.family for block in outcome.mesh.blocks} == {"tet4" if order == 1 else "tet10"}
        places = np.random.default_rng(3).uniform(0, 0.08, (1500, 3))
        gap = temperature_at(outcome.mesh, outcome.solution.temperature, places) - outcome.exact.temperature(places)
        gaps.append(float(np.sqrt(np.nanmean(gap**2))))
    assert math.log2(gaps[0] / gaps[1]) > order + 1 - 0.35, gaps
    swelling = in_time(data, "10 mm")
    outcome = next(o for o in Flow().outcomes(case_from_data(swelling, str(tmp_path))) if o.checks or o.trouble)
    assert outcome.trouble is None and {check.verdict for check in outcome.checks} == {"agrees"}
