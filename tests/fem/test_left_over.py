"""What an iteration leaves over, beside what factors find, in bodies whose parts hardly meet."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.fem import linear
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.problem.problem_from_case import problem_from_case
from blunt_ember.fem.steady import balance
from blunt_ember.fem.steady.heat_flows import heat_flows, round_off
from blunt_ember.fem.steady.steady import Solution, solve_steady
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh_request import MeshRequest


def random_problem(number: int, radiates: bool) -> Problem:
    """Up to three blocks in another one, conductivities over five decades, films over six."""
    random = np.random.default_rng(number)
    order = int(random.integers(1, 3))
    regions: dict[str, Any] = {}
    materials: dict[str, Any] = {}
    for part in range(4):
        low, high = np.sort(random.choice(11, (2, 3), replace=False) if part else [[0, 0, 0], [10, 10, 10]], axis=0)
        high = np.maximum(high, low + 1)
        regions[f"part {part}"] = {
            "shape": "rectangle",
            "size": [f"{10 * side} mm" for side in (high - low)[:2].tolist()],
            "at": [f"{10 * at} mm" for at in low[:2].tolist()],
            "z": [f"{10 * low[2]} mm", f"{10 * high[2]} mm"],
            "material": f"material {part}",
        }
        materials[f"material {part}"] = {"k": f"{10 ** random.uniform(-2, 3)} W/(m K)"}
    surroundings: list[dict[str, Any]] = [
        {
            "on": f"part 0.{side}",
            "film": {"h": f"{10 ** random.uniform(-2, 4)} W/(m² K)", "temperature": f"{random.uniform(0, 300)} °C"},
        }
        for side in ("left", "right", "front")
    ]
    if radiates:
        surroundings.append({"on": "part 0.back", "radiation": {"emissivity": 0.8, "temperature": "150 °C"}})
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": materials,
            "body": {"kind": "stacked", "regions": regions},
            "mesh": {"size": "10 mm", "order": order},
            "surroundings": surroundings,
        }
    )
    mesh = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    return problem_from_case(case.document, mesh)


def within(problem: Problem, solution: Solution) -> tuple[dict[str, float], dict[str, float], float]:
    """Heat by surface and its ±, and the ± of temperatures."""
    return heat_flows(problem, solution), round_off(problem, solution), solution.off


@pytest.mark.one_in(3)
@pytest.mark.parametrize("radiates", [False, True])
@pytest.mark.parametrize("number", [0, 1, 2, 4, 7, 11])
def test_what_is_left_over_takes_nothing_beyond_its_band(
    number: int, radiates: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    problem = random_problem(number, radiates)
    monkeypatch.setattr("blunt_ember.fem.multigrid.boxes._LARGE", 0)
    monkeypatch.setattr(linear, "LATTICE_NODES", 100)
    iterated = solve_steady(problem)
    assert iterated.method == "conjugate gradients with multigrid"
    heat, missed, kelvin = within(problem, iterated)
    monkeypatch.setattr(linear, "LATTICE_NODES", 10**9)
    monkeypatch.setattr(linear, "MULTIGRID_NODES", 10**9)
    factored = solve_steady(problem)
    assert factored.method == "direct"
    exact, of_exact, last_digits = within(problem, factored)
    off = np.abs(iterated.temperature - factored.temperature).max()
    assert off <= kelvin + last_digits
    assert last_digits <= 1e-6 and kelvin <= 1e-6  # of hundreds
    for name, through in heat.items():
        assert abs(through - exact[name]) <= missed[name] + of_exact[name], name


@pytest.mark.parametrize("number", [8, 9])
def test_what_last_digits_make_of_temperatures_is_within_their_band(
    number: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Counted from another temperature all digits are other ones."""
    monkeypatch.setattr(linear, "MULTIGRID_NODES", 10**9)
    monkeypatch.setattr(linear, "LATTICE_NODES", 10**9)
    problem = random_problem(number, radiates=True)
    first, usual = solve_steady(problem), balance.reference_temperature_of
    for apart in (-11.7, 37.123, 90.31):
        monkeypatch.setattr(balance, "reference_temperature_of", lambda *of, apart=apart: usual(*of) + apart)
        again = solve_steady(problem)
        assert np.abs(again.temperature - first.temperature).max() <= first.off + again.off <= 1e-6


def test_last_digits_of_the_heat_in_a_thin_layer_are_no_kelvins() -> None:
    """In a shell that conducts well, held by itself, hardly any heat flows beside what its cells would conduct."""
    outcome = Flow(curves=False).answered(family("drum-kiln").case())
    assert outcome.solution is not None and outcome.solution.off < 1e-9
