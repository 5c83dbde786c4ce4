"""The method on its own: orders of convergence, residual heat flows, what has no answer."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np
import pytest
from scipy.sparse.linalg import spsolve

from blunt_ember.arrays import Floats
from blunt_ember.case.document.bodies import Section
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.case.values.laws import constant_law
from blunt_ember.case.values.units import CONDUCTIVITY, FILM_COEFFICIENT, HEAT_FLUX, TEMPERATURE
from blunt_ember.errors import OpenCaseError
from blunt_ember.fem.assembly import assembled, conduction_elements, physical_gradients
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.problem.conductors import Conductor
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.reading import flux_at, temperature_at
from blunt_ember.fem.steady.heat_flows import heat_flows
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest


def plate_mesh(regions: dict[str, Any], order: Literal[1, 2], size: str, cells: str = "auto") -> Mesh:
    entries = {name: {"shape": "rectangle", **entry} for name, entry in regions.items()}
    body = Section.model_validate({"kind": "section", "regions": entries})
    return generate_mesh(
        geometry_of(body),
        MeshRequest(MeshWish.model_validate({"order": order, "size": size, "across": 1, "cells": cells})),
    )


def conducting(*k: float) -> tuple[Conductor, ...]:
    return tuple(Conductor((constant_law(each, CONDUCTIVITY),)) for each in k)


def film(h: float, fluid: float) -> FilmLaw:
    return FilmLaw(constant_law(h, FILM_COEFFICIENT), constant_law(fluid, TEMPERATURE))


SQUARE = {"plate": {"size": ["1 m", "1 m"]}}


def bent(points: Floats) -> Floats:
    """A smooth map that leaves no cell of the square a rectangle."""
    x, y = points.T
    bulge = 0.06 * np.sin(np.pi * x) * np.sin(np.pi * y)
    return np.column_stack([x + bulge + 0.1 * y, y - 0.7 * bulge + 0.05 * x * x])


def harmonic(points: Floats) -> Floats:
    """A manufactured solution of ∇²T = 0."""
    return 300 + 40 * np.exp(1.3 * points[:, 0]) * np.cos(1.3 * points[:, 1])


def manufactured_error(family: str, order: Literal[1, 2], cells: int) -> tuple[float, float, float]:
    """Errors of temperature and of flux in L2, held to the manufactured solution all round, and the size of a cell."""
    flat = plate_mesh(SQUARE, order, f"{1 / cells} m", family)
    points = bent(flat.points)
    (block,) = flat.blocks
    matrix = assembled(
        [(block.nodes, conduction_elements(block, replace(flat, points=points), lambda run: np.array([[2.5]])))],
        replace(flat, points=points),
    )
    edge = np.unique(np.concatenate([facets.nodes for facets in flat.surfaces.values()]))
    temperature = harmonic(points)
    free = np.setdiff1d(np.arange(len(points)), edge)
    held = np.zeros(len(points))
    held[edge] = temperature[edge]
    solved = held.copy()
    solved[free] = spsolve(matrix[free][:, free].tocsc(), -(matrix @ held)[free])
    cell = CELL_FAMILIES[block.family]
    gradients, determinant = physical_gradients(block.family, points[block.nodes], cell.points)
    places = np.einsum("qk,mkj->mqj", cell.values(cell.points), points[block.nodes]).reshape(-1, 2)
    gap = (solved[block.nodes] @ cell.values(cell.points).T).ravel() - harmonic(places)
    slope = np.einsum("mqkj,mk->mqj", gradients, solved[block.nodes]).reshape(-1, 2)
    x, y = 1.3 * places.T
    exact = 52 * np.exp(x)[:, None] * np.column_stack([np.cos(y), -np.sin(y)])
    weights = (determinant * cell.weights).ravel()
    size = 1 / np.sqrt(flat.cell_count)
    return float(np.sqrt(weights @ gap**2)), float(np.sqrt(weights @ ((slope - exact) ** 2).sum(axis=1))), size


@pytest.mark.parametrize("family", ["quadrilaterals", "triangles"])
@pytest.mark.parametrize(("order", "expected"), [(1, (2.0, 1.0)), (2, (3.0, 2.0))])
def test_the_order_of_convergence_is_the_theoretical_one(
    family: str, order: Literal[1, 2], expected: tuple[float, float]
) -> None:
    cells = 8 if family == "quadrilaterals" else 12
    *coarse, large = manufactured_error(family, order, cells)
    *fine, small = manufactured_error(family, order, 2 * cells)
    # Asking for cells of half the size halves that of free ones on the average only: what they are is what counts.
    observed = np.log(np.array(coarse) / np.array(fine)) / np.log(large / small)
    assert np.all(np.abs(observed - expected) < (0.15 if family == "quadrilaterals" else 0.25)), observed


POST: dict[str, dict[str, Any]] = {
    "insulation": {"size": ["300 mm", "120 mm"]},
    "post": {"size": ["40 mm", "160 mm"], "at": ["130 mm", "0 mm"]},
}


@pytest.mark.parametrize("order", [1, 2])
def test_heat_flows_balance_to_round_off_on_a_coarse_mesh(order: Literal[1, 2]) -> None:
    mesh = plate_mesh(POST, order, "45 mm")
    held = {"post.bottom": constant_law(700.0, TEMPERATURE), "insulation.bottom": constant_law(650.0, TEMPERATURE)}
    problem = Problem(
        mesh,
        conducting(0.04, 15.0),
        held,
        {
            "post.top": (film(25.0, 290.0),),
            "insulation.top": (FluxLaw(constant_law(-40.0, HEAT_FLUX)), film(8.0, 295.0)),
            "post.left": (FluxLaw(constant_law(120.0, HEAT_FLUX)),),
            "insulation.left": (),
        },
    )
    heat = heat_flows(problem, solve_steady(problem))
    outer = {name: value for name, value in heat.items() if mesh.surfaces[name].outer}
    passing = sum(abs(value) for value in outer.values()) / 2
    assert abs(sum(outer.values())) < 1e-12 * passing
    post = sum(value for name, value in outer.items() if name.startswith("post."))
    assert heat["insulation|post"] == pytest.approx(-post, rel=1e-10)
    assert heat["insulation.left"] == heat["insulation.right"] == 0.0


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("size", ["1 m", "0.5 m", "0.3 m"])
def test_what_is_held_may_be_the_answer_already(order: Literal[1, 2], size: str) -> None:
    """Of a field that is odd about the middle, which is the level that temperatures are counted from, next to nothing
    is left over before anything is solved."""
    mesh = plate_mesh(SQUARE, order, size)
    rng = np.random.default_rng(5)
    for _ in range(20):
        k, (left, right) = 10 ** rng.uniform(-3, 4), rng.uniform(200, 1500, 2)
        held = {"plate.left": constant_law(left, TEMPERATURE), "plate.right": constant_law(right, TEMPERATURE)}
        problem = Problem(mesh, conducting(k), held, {})
        solution = solve_steady(problem)
        expected = left + (right - left) * mesh.points[:, 0]
        assert np.abs(solution.temperature - expected).max() < 1e-11 * 1500
        assert heat_flows(problem, solution)["plate.left"] == pytest.approx(k * (left - right), rel=1e-12)


def test_readings_use_the_shape_functions_of_the_cell() -> None:
    mesh = plate_mesh(SQUARE, 2, "0.34 m")
    x, y = mesh.points.T
    field = 3 + 2 * x - y + x * y + 4 * x * x - 2 * y * y
    places = np.array([[0.11, 0.93], [1.0, 0.0], [0.5, 0.5], [1 / 3, 2 / 3], [1.2, 0.5]])
    a, b = places.T
    expected = 3 + 2 * a - b + a * b + 4 * a * a - 2 * b * b
    found = temperature_at(mesh, field, places)
    np.testing.assert_allclose(found[:4], expected[:4], rtol=1e-12)
    flux = flux_at(Problem(mesh, conducting(2.0), {}, {}), field, places)
    np.testing.assert_allclose(flux[:4], -2 * np.column_stack([2 + b + 8 * a, -1 + a - 4 * b])[:4], atol=1e-9)
    assert np.isnan(found[4])


@pytest.mark.parametrize(
    ("held", "exchanges", "named"),
    [
        ({}, {"post.top": (FluxLaw(constant_law(10.0, HEAT_FLUX)),)}, "insulation, post"),
        ({}, {}, "insulation, post"),
        ({}, {"post.top": (film(0.0, 300.0),)}, "insulation, post"),
    ],
)
def test_a_body_without_an_anchor_is_refused_by_name(held: Any, exchanges: Any, named: str) -> None:
    with pytest.raises(OpenCaseError, match=f"no temperature can settle in {named}:"):
        solve_steady(Problem(plate_mesh(POST, 1, "45 mm"), conducting(0.04, 15.0), held, exchanges))


def test_only_the_part_that_floats_is_named() -> None:
    mesh = plate_mesh({"a": {"size": ["1 m", "1 m"]}, "b": {"size": ["1 m", "1 m"], "at": ["2 m", "0 m"]}}, 1, "0.5 m")
    with pytest.raises(OpenCaseError, match="settle in b:"):
        solve_steady(Problem(mesh, conducting(1.0, 1.0), {"a.left": constant_law(300.0, TEMPERATURE)}, {}))
