"""Multigrid through halves of a lattice: what it takes over exactly, and how fast it gets there on uneven cells."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy import sparse

from blunt_ember.arrays import Floats
from blunt_ember.case.case import case_from_data
from blunt_ember.fem import linear
from blunt_ember.fem.assembly import assembled
from blunt_ember.fem.factors import factorised
from blunt_ember.fem.linear import LATTICE_NODES, LinearSolver
from blunt_ember.fem.multigrid.boxes import KeptSpaces
from blunt_ember.fem.multigrid.cycle import multigrid_cycle
from blunt_ember.fem.multigrid.diagonals import Diagonals
from blunt_ember.fem.multigrid.on_boxes import OnBoxes, on_boxes
from blunt_ember.fem.multigrid.product import Product
from blunt_ember.fem.prepared import Prepared
from blunt_ember.fem.problem import well_posedness
from blunt_ember.fem.problem.problem_from_case import problem_from_case
from blunt_ember.fem.steady.balance import Balance
from blunt_ember.fem.steady.steady import solve_steady
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
    "flat cells, 1 to 80": (
        {"size": ["100 m", "100 m"]},
        {"size": ["50 m", "50 m"], "at": ["16 m", "16 m"]},
        "30 W/(m K)",
        {"size": "30 m", "across": 10},
        20,
    ),
}


def in_boxes(balance: Balance, monkeypatch: pytest.MonkeyPatch, known: KeptSpaces | None = None) -> OnBoxes | None:
    """Its matrix by diagonals, however few there are."""
    monkeypatch.setattr("blunt_ember.fem.multigrid.boxes._LARGE", 0)
    parts = balance.spaces_in_parts.in_parts
    assert parts is not None
    return on_boxes(balance.problem.mesh, balance.constraints.free, parts, known or KeptSpaces())


def require_the_same(boxes: OnBoxes, matrix: sparse.csr_array) -> None:
    """Every entry, the sums of their sizes, and what a product comes to."""
    x = np.random.default_rng(1).random(matrix.shape[0])
    product = matrix @ x
    assert np.abs(boxes.times(x) - product).max() < 1e-14 * np.abs(product).max()
    written = boxes._space.conduction.written() + boxes._rest
    own = sparse.csr_array(written[boxes._places][:, boxes._places])
    assert abs(own - matrix).max() < 1e-14 * abs(matrix).max()
    assert abs(written).sum() == pytest.approx(abs(own).sum(), rel=1e-14)  # nothing but what is free
    sums = abs(matrix).sum(axis=1)
    assert (boxes.collected(boxes.matrix.sums_of_sizes) >= sums * (1 - 1e-12)).all()
    assert (boxes.collected(boxes.matrix.sums_of_sizes) <= sums * 1.5).all()


@pytest.mark.one_in(2)
@pytest.mark.parametrize("single", [False, True])
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", CASES)
def test_few_steps_through_halves_of_boxes(
    name: str, order: int, single: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As many as through those of the lattice; flat quadratic cells have none of their own."""
    *what, most = CASES[name]
    balance = balance_of(order, *what)
    boxes = in_boxes(balance, monkeypatch)
    if boxes is None:
        assert order == 2 and "flat" in name
        return
    require_the_same(boxes, balance.matrix(balance.fixed))
    cycle = boxes.cycle(single)
    load = boxes.spread(balance.left_over(np.zeros(len(boxes._places)))[0])
    steps: list[Floats] = []
    operator = sparse.linalg.LinearOperator(boxes.matrix.shape, matvec=lambda x: boxes.matrix @ np.ravel(x))
    ready = sparse.linalg.LinearOperator(boxes.matrix.shape, matvec=cycle, dtype=float)
    found, failed = sparse.linalg.cg(operator, load, rtol=1e-10, M=ready, callback=steps.append)
    assert not failed and len(steps) <= most
    assert not found[~boxes._space.free].any()


def test_spaces_are_kept_while_cells_conduct_alike_and_the_same_nodes_are_free(monkeypatch: pytest.MonkeyPatch) -> None:
    """After every change the solution is that of factors."""
    monkeypatch.setattr("blunt_ember.fem.multigrid.boxes._LARGE", 0)
    monkeypatch.setattr(linear, "LATTICE_NODES", 100)
    balance = balance_of(2, *CASES["cubes"][:-1])
    problem = balance.problem
    prepared = Prepared()
    kept = [in_boxes(balance, monkeypatch, prepared.spaces)]
    film, held = problem.exchanges["core.top"][0], problem.held["block.bottom"]
    changed = [
        replace(problem, exchanges={**problem.exchanges, "core.top": (film, film)}),
        replace(problem, conductors=problem.conductors[::-1]),
        replace(problem, held={"block.bottom": held, "block.top": held}),
    ]
    for each in changed:
        own = Balance(each)
        kept.append(in_boxes(own, monkeypatch, prepared.spaces))
        solution = solve_steady(each, prepared=prepared)
        assert solution.method == "conjugate gradients with multigrid"
        load = own.left_over(np.zeros(np.count_nonzero(own.constraints.free)))[0]
        exact = own.excess_of(factorised(own.matrix(own.fixed), True)(load))
        assert np.abs(solution.temperature - own.reference_temperature - exact).max() < 1e-8
    spaces = [each._space for each in kept if each is not None]
    cells = spaces[-1].cells
    wider = replace(cells, lines=tuple(2 * lines for lines in cells.lines))  # as many, which conduct alike
    assert prepared.spaces.of(cells, 2, spaces[-1].free) is spaces[-1]
    assert prepared.spaces.of(wider, 2, spaces[-1].free) is not spaces[-1]
    assert len(spaces) == 4
    assert spaces[0] is spaces[1] and len({id(each) for each in spaces}) == 3


@pytest.mark.one_in(2)
@pytest.mark.parametrize("single", [False, True])
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", CASES)
def test_few_steps_through_halves_of_the_lattice(name: str, order: int, single: bool) -> None:
    *what, most = CASES[name]
    balance = balance_of(order, *what)
    assert balance.problem.mesh.lattice is not None and balance.spaces.on_lattice
    matrix = balance.matrix(balance.fixed)
    cycle = multigrid_cycle(matrix, balance.spaces, single=single)
    load = balance.left_over(np.zeros(matrix.shape[0]))[0]
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
    for space in spaces:
        coarse = sparse.linalg.lsqr(space.up, height, atol=1e-15, btol=1e-15)[0]
        assert np.abs(space.up @ coarse - height).max() < 1e-9
        height = coarse


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("name", CASES)
def test_what_longer_cells_conduct_is_what_products_say(name: str, order: int) -> None:
    *what, _ = CASES[name]
    balance = balance_of(order, *what)
    spaces = balance.spaces_in_parts
    assert spaces.in_parts is not None
    whole, rest, known = balance.matrix(balance.fixed), spaces.in_parts.rest(), 0
    for space in spaces:
        whole, rest = (sparse.csr_array(space.up.T @ each @ space.up) for each in (whole, rest))
        if space.conduction is not None:
            known += 1
            assert abs(space.conduction + rest - whole).max() < 1e-12 * abs(whole).max()
    assert known >= 2


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


@pytest.mark.parametrize(
    ("kind", "order", "size"), [("section", 1, 50), ("section", 2, 80), ("stacked", 1, 90), ("stacked", 2, 140)]
)
def test_bodies_that_fill_no_box_have_the_same_sums(
    kind: str, order: int, size: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A trough of two materials, whose walls differ in height: there are places on its lattice where no cell is."""
    trough = {
        "low": {"size": ["1 m", "0.4 m"], "material": "clay"},
        "left": {"size": ["0.3 m", "0.6 m"], "at": ["0 m", "0.4 m"], "material": "casting"},
        "right": {"size": ["0.2 m", "0.6 m"], "at": ["0.8 m", "0.4 m"], "material": "clay"},
    }
    tops = {"low": "1 m", "left": "0.5 m", "right": "0.75 m"}
    regions = {
        name: {"shape": "rectangle", **each, **({"z": ["0 m", tops[name]]} if kind == "stacked" else {})}
        for name, each in trough.items()
    }
    held = {"on": "low.bottom", "temperature": "0 °C"}
    film = {"on": ["low.left", "right.right"], "film": {"h": "25 W/(m² K)", "temperature": "200 °C"}}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}, "casting": {"k": "30 W/(m K)"}},
            "body": {"kind": kind, "regions": regions},
            "mesh": {"order": order, "size": f"{size} mm"},
            "surroundings": [held, film],
        }
    )
    mesh = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    balance = Balance(problem_from_case(case.document, mesh))
    terms = [(term.nodes.copy(), term.slope(np.zeros(term.nodes.shape), 0.0)) for term in balance.terms]
    sorted_one = assembled(
        [(nodes, slope) for nodes, slope in terms if slope is not None], mesh, balance.constraints.free
    )
    whole, spaces = balance.matrix(balance.fixed), balance.spaces_in_parts
    assert abs(whole - sorted_one).max() < 1e-14 * abs(sorted_one).max()
    assert spaces.in_parts is not None
    rest, known = spaces.in_parts.rest(), 0
    for space in spaces:
        whole, rest = (sparse.csr_array(space.up.T @ each @ space.up) for each in (whole, rest))
        if space.conduction is not None:
            known += 1
            assert abs(space.conduction + rest - whole).max() < 1e-13 * abs(whole).max()
    assert known >= 2
    monkeypatch.setattr("blunt_ember.fem.multigrid.boxes._SPARSE", 4)
    boxes = in_boxes(balance, monkeypatch)
    assert boxes is not None
    require_the_same(boxes, sorted_one)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("steps", [{"HASTY_STEPS": 2}, {"HASTY_STEPS": 2, "PATIENT_STEPS": 2}], ids=len)
@pytest.mark.parametrize("large", [False, True])
def test_cells_too_uneven_for_it_are_solved_all_the_same(
    large: bool, steps: dict[str, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """With all digits, or after a few steps by factors; of large matrices algebraic multigrid goes on from where it
    got to."""
    if large:
        monkeypatch.setattr("blunt_ember.fem.linear.MOST_FACTORED", {3: 0})
    for name, most in steps.items():
        assert getattr(linear, name) > most
        monkeypatch.setattr(linear, name, most)
    monkeypatch.setattr("blunt_ember.fem.linear.MULTIGRID_NODES", 100)
    balance = balance_of(2, *CASES["cubes"][:-1])
    matrix = balance.matrix(balance.fixed)
    load = balance.left_over(np.zeros(matrix.shape[0]))[0]
    solver = LinearSolver(matrix, balance.spaces, 3)
    found = solver.solve(load)
    iterated = large or len(steps) == 1
    assert solver.method == (
        "conjugate gradients with multigrid" if iterated else "direct, as the iteration did not get there"
    )
    assert np.linalg.norm(load - matrix @ found) < 1e-10 * np.linalg.norm(load)


def test_products_by_threads_are_the_same_to_the_last_digit(monkeypatch: pytest.MonkeyPatch) -> None:
    """Of a matrix by rows, and of one by diagonals, of cells of different heights along one axis."""
    balance = balance_of(2, *CASES["conductivities 10 000 times apart"][:-1])
    boxes = in_boxes(balance, monkeypatch)
    assert boxes is not None
    conduction, x = boxes._space.conduction, np.random.default_rng(4).random(len(boxes._space.free))
    alone = conduction @ x
    for module in ("product", "diagonals"):
        monkeypatch.setattr(f"blunt_ember.fem.multigrid.{module}._LARGE", 1)
    monkeypatch.setattr("os.sched_getaffinity", lambda process: {0, 1, 2})
    shared = Diagonals(2, conduction._box, conduction._entries)
    assert len(shared._shares) == 3 and np.array_equal(shared @ x, alone)
    matrix = sparse.random_array((1000, 700), density=0.01, rng=np.random.default_rng(3), format="csr")
    product = Product(matrix)
    assert len(product._parts) == 3
    assert np.array_equal(product @ x[:700], matrix @ x[:700])


def test_what_hardly_any_heat_passes_is_solved_to_its_last_digits() -> None:
    """Between weak films, with conductivities far apart: no residual gets below what digits of heat in cells make."""

    def box(
        size: tuple[float, float], at: tuple[float, float], z: tuple[float, float], material: str
    ) -> dict[str, Any]:
        lengths = {"size": size, "at": at, "z": z}
        made_of = {"material": material} if material else {"void": True}
        return {
            "shape": "rectangle",
            **{key: [f"{each} mm" for each in pair] for key, pair in lengths.items()},
            **made_of,
        }

    regions = {
        "block": box((1000, 100), (0, 0), (0, 400), "felt"),
        "slot": box((287.6, 16.4), (677.5, 25.1), (194.4, 400), ""),
        "hole": box((921.7, 23.4), (66.4, 56.0), (194.4, 400), ""),
        "bar": box((313.2, 22.7), (51.6, 59.5), (194.4, 386.2), "iron"),
    }
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"felt": {"k": "0.03 W/(m K)"}, "iron": {"k": "200 W/(m K)"}},
            "body": {"kind": "stacked", "regions": regions},
            "mesh": {"size": "80 mm"},
            "surroundings": [
                {"on": "block.bottom", "film": {"h": "0.009942 W/(m² K)", "temperature": "139 °C"}},
                {"on": "block.slot front", "film": {"h": "0.003657 W/(m² K)", "temperature": "81 °C"}},
            ],
        }
    )
    mesh = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    solution = solve_steady(problem_from_case(case.document, mesh))
    assert solution.method == "conjugate gradients with multigrid" and mesh.node_count > LATTICE_NODES
    assert 81 < solution.temperature.min() - 273.15 < solution.temperature.max() - 273.15 < 139


@pytest.mark.parametrize("large", [False, True])
def test_parts_on_a_lattice_are_those_whose_cells_meet(large: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of three blocks two meet at a corner alone; a few are linked by their nodes, very many looked through at once."""
    monkeypatch.setattr(well_posedness, "_LARGE", 0 if large else 10**9)
    places = {"a": ["0 m", "0 m"], "b": ["1 m", "1 m"], "c": ["0 m", "3 m"]}
    regions = {
        name: {"shape": "rectangle", "size": ["1 m", "1 m"], "at": at, "material": "clay"}
        for name, at in places.items()
    }
    held = [{"on": ["a.left", "b.right", "c.left"], "temperature": "0 °C"}]
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}},
            "body": {"kind": "section", "regions": regions},
            "mesh": {"size": "200 mm"},
            "surroundings": held,
        }
    )
    problem = problem_from_case(
        case.document, generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    )
    assert problem.mesh.lattice is not None and problem.mesh.neighbours is not None
    balance = Balance(problem)
    count, part = well_posedness.separate_parts_of(problem, balance.terms, balance.constraints)
    assert count == 2 and len(np.unique(part)) == 2
    top = problem.mesh.points[:, 1] > 2.5
    assert len(np.unique(part[top])) == len(np.unique(part[~top])) == 1
