"""Multigrid through halves of a lattice: what it takes over exactly, and how fast it gets there on uneven cells."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy import sparse

from blunt_ember.arrays import Floats
from blunt_ember.case.case import case_from_data
from blunt_ember.fem.assembly import assembled
from blunt_ember.fem.linear import PATIENT_STEPS, LinearSolver
from blunt_ember.fem.multigrid.cycle import multigrid_cycle
from blunt_ember.fem.multigrid.product import Product
from blunt_ember.fem.problem.problem_from_case import problem_from_case
from blunt_ember.fem.steady.balance import Balance
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh_request import MeshRequest

HELD = [{"on": "block.bottom", "temperature": "0 °C"}]
FILM = [{"on": ["block.left", "core.top"], "film": {"h": "25 W/(m² K)", "temperature": "200 °C"}}]


def balance_of(order: int, outer: dict[str, Any], core: dict[str, Any], k: str, mesh: dict[str, Any]) -> Balance:
    """A block that is held below, with films, and with a core of another conductivity ``k``."""
    regions = {
        "block": {"shape": "rectangle", "z": ["0 m", "1 m"], "material": "clay", **outer},
        "core": {"shape": "rectangle", "z": ["0.5 m", "1 m"], "material": "casting", **core},
    }
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}, "casting": {"k": k}},
            "body": {"kind": "stacked", "regions": regions},
            "mesh": {"order": order, **mesh},
            "surroundings": [*HELD, *FILM],
        }
    )
    made = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    return Balance(problem_from_case(case.document, made))


#: Bodies, and in how many steps conjugate gradients get to 1e-10 through halves of their lattice at most.
CASES: dict[str, tuple[dict[str, Any], dict[str, Any], str, dict[str, Any], int]] = {
    "cubes": (
        {"size": ["1 m", "1 m"]},
        {"size": ["0.5 m", "0.5 m"], "at": ["0.25 m", "0.25 m"]},
        "30 W/(m K)",
        {"size": "80 mm"},
        10,
    ),
    "conductivities 10 000 times apart": (
        {"size": ["1 m", "1 m"]},
        {"size": ["0.35 m", "0.5 m"], "at": ["0.25 m", "0.25 m"]},
        "20000 W/(m K)",
        {"size": "80 mm"},
        13,
    ),
    "flat cells, 1 to 100": (
        {"size": ["30 m", "30 m"]},
        {"size": ["15 m", "15 m"], "at": ["5 m", "5 m"]},
        "30 W/(m K)",
        {"size": "3 m", "across": 20},
        16,
    ),
}


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", CASES)
def test_few_steps_through_halves_of_the_lattice(name: str, order: int) -> None:
    *what, most = CASES[name]
    balance = balance_of(order, *what)
    assert balance.problem.mesh.lattice is not None and balance.spaces.on_lattice
    matrix = balance.matrix(balance.fixed)
    cycle = multigrid_cycle(matrix, balance.spaces)
    load = balance.free_residual(np.zeros(matrix.shape[0]))
    steps: list[Floats] = []
    operator = sparse.linalg.LinearOperator(matrix.shape, matvec=cycle, dtype=float)
    found, failed = sparse.linalg.cg(matrix, load, rtol=1e-10, M=operator, callback=steps.append)
    assert not failed and len(steps) <= most
    assert np.linalg.norm(load - matrix @ found) < 2e-10 * np.linalg.norm(load)


@pytest.mark.parametrize("order", [1, 2])
def test_fields_linear_in_space_are_taken_over_exactly(order: int) -> None:
    """Through all spaces, on uneven cells: only what is held is missing, so the field vanishes there."""
    balance = balance_of(order, *CASES["conductivities 10 000 times apart"][:-1])
    mesh, free = balance.problem.mesh, balance.constraints.free
    height = mesh.points[free, 2]
    spaces = list(balance.spaces)
    assert len(spaces) >= order + 1
    for up in spaces:
        coarse = sparse.linalg.lsqr(up, height, atol=1e-15, btol=1e-15)[0]
        assert np.abs(up @ coarse - height).max() < 1e-9
        height = coarse


@pytest.mark.parametrize("order", [1, 2])
def test_a_matrix_on_a_lattice_is_that_of_sorted_entries(order: int) -> None:
    """Of the nodes that are free, with what surfaces add to it."""
    balance = balance_of(order, *CASES["conductivities 10 000 times apart"][:-1])
    mesh, free = balance.problem.mesh, balance.constraints.free
    slopes = [(term.nodes, term.slope(np.zeros(term.nodes.shape), 0.0)) for term in balance.terms]
    blocks = [(nodes, slope) for nodes, slope in slopes if slope is not None]
    assert len(blocks) == 3 and mesh.neighbours is not None
    copied = [(nodes.copy(), slope) for nodes, slope in blocks]  # not known as those of its cells
    for chosen in (None, free):
        ours, sorted_ones = assembled(blocks, mesh, chosen), assembled(copied, mesh, chosen)
        assert ours.has_canonical_format and ours.nnz >= sorted_ones.nnz
        assert abs(ours - sorted_ones).max() < 1e-13 * abs(sorted_ones).max()


def test_cells_too_uneven_for_it_are_solved_all_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    """After a few steps algebraic multigrid goes on from where it got to."""
    monkeypatch.setattr("blunt_ember.fem.linear.PATIENT_STEPS", 2)
    monkeypatch.setattr("blunt_ember.fem.linear.MULTIGRID_NODES", 100)
    assert PATIENT_STEPS > 2
    balance = balance_of(2, *CASES["cubes"][:-1])
    matrix = balance.matrix(balance.fixed)
    load = balance.free_residual(np.zeros(matrix.shape[0]))
    solver = LinearSolver(matrix, balance.spaces, 3)
    found = solver.solve(load)
    assert solver.method == "conjugate gradients with multigrid"
    assert np.linalg.norm(load - matrix @ found) < 1e-10 * np.linalg.norm(load)


def test_products_by_threads_are_the_same_to_the_last_digit(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("blunt_ember.fem.multigrid.product._LARGE", 1)
    monkeypatch.setattr("os.sched_getaffinity", lambda process: {0, 1, 2})
    matrix = sparse.random_array((1000, 700), density=0.01, rng=np.random.default_rng(3), format="csr")
    x = np.random.default_rng(4).random(700)
    product = Product(matrix)
    assert len(product._parts) == 3
    assert np.array_equal(product @ x, matrix @ x)
