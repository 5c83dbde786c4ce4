"""Steady solves: beside PyAMG alone on the same equations, growth with nodes, from an edit to its picture, Newton."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import time
from typing import Any

import numpy as np
import pyamg
from scipy.sparse import csr_matrix

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.fem.problem.problem_from_case import problem_from_case
from blunt_ember.fem.steady.balance import Balance
from blunt_ember.fem.steady.heat_flows import heat_flows
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import FAMILIES
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.picture.body.drawn import drawn_box, pose_of
from blunt_ember.picture.body.renderer import BodyRenderer
from blunt_ember.picture.body.view import view_of_box
from blunt_ember.picture.lenses.registry import shade
from blunt_ember.picture.palette import LIGHT
from figures import compared

TOLERANCE = 1e-10
#: Name, dimension, divisions and order of what is solved beside PyAMG alone.
BESIDE = (
    ("solid, 1.07 million nodes, quadratic", 3, 50, 2),
    ("solid, 1.03 million nodes, linear", 3, 100, 1),
    ("plane, 252 000 nodes, quadratic", 2, 250, 2),
    ("plane, 251 000 nodes, linear", 2, 500, 1),
)
GROWTH = {3: (10, 16, 23, 34, 50), 2: (50, 100, 160, 250, 500)}


def block(dimension: int, divisions: int, order: int) -> Case:
    """A block with a core that conducts fifteen times better; held below, film on one side and over the core."""
    outer: dict[str, Any] = {"shape": "rectangle", "size": ["1 m", "1 m"], "material": "clay"}
    core: dict[str, Any] = {
        "shape": "rectangle",
        "size": ["0.5 m", "0.5 m"],
        "at": ["0.25 m", "0.25 m"],
        "material": "casting",
    }
    if dimension == 3:
        outer["z"], core["z"] = ["0 m", "1 m"], ["0.5 m", "1 m"]
    else:
        core["at"] = ["0.25 m", "0.5 m"]
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": {"k": "2 W/(m K)"}, "casting": {"k": "30 W/(m K)"}},
            "body": {"kind": "stacked" if dimension == 3 else "section", "regions": {"block": outer, "core": core}},
            "mesh": {"size": f"{1 / divisions} m", "order": order},
            "surroundings": [
                {"on": "block.bottom", "temperature": "10 °C"},
                {"on": ["block.left", "core.top"], "film": {"h": "25 W/(m² K)", "temperature": "200 °C"}},
            ],
        }
    )


def beside(dimension: int, divisions: int, order: int) -> None:
    """Print seconds and memory of every step, and those of PyAMG's solver given the same matrix."""
    case = block(dimension, divisions, order)
    times = [time.perf_counter()]
    mesh = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
    times.append(time.perf_counter())
    problem = problem_from_case(case.document, mesh)
    solution = solve_steady(problem)
    times.append(time.perf_counter())
    heat = heat_flows(problem, solution)
    times.append(time.perf_counter())
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    left = sum(value for name, value in heat.items() if "|" not in name) / max(map(abs, heat.values()))
    took = np.diff(times)
    steps = zip(("mesh", "assembly and solve", "ledger", "in all"), (*took, sum(took)), strict=True)
    print("    " + "  ".join(f"{step} {seconds:.1f} s" for step, seconds in steps))
    print(f"    {mesh.node_count:,} nodes, peak {peak:.1f} GB, ledger closes to {abs(left):.0e}")
    balance = Balance(problem)
    matrix = csr_matrix(balance.matrix(balance.fixed))
    load = balance.left_over(np.zeros(matrix.shape[0]))[0]
    start = time.perf_counter()
    levels = pyamg.smoothed_aggregation_solver(matrix)
    ready = time.perf_counter()
    levels.solve(load, tol=TOLERANCE, accel="cg", maxiter=400)
    alone = time.perf_counter() - start
    ratio = sum(took) / alone
    print(
        f"    PyAMG alone: set-up {ready - start:.1f} s, in all {alone:.1f} s to {TOLERANCE:g}; "
        f"ours, all of it, is {ratio:.2f} × that"
    )
    print(ratio)


def growth(dimension: int) -> float:
    """Print seconds of assembly and solve against nodes; return the exponent."""
    nodes, seconds = [], []
    for divisions in GROWTH[dimension]:
        case = block(dimension, divisions, 2)
        mesh = generate_mesh(geometry_of(case.document.body), MeshRequest(case.document.mesh))
        problem = problem_from_case(case.document, mesh)
        start = time.perf_counter()
        method = solve_steady(problem).method
        nodes.append(mesh.node_count)
        seconds.append(time.perf_counter() - start)
        print(f"    {mesh.node_count:>9,} nodes  {seconds[-1]:7.2f} s  {method}")
    slope = np.polyfit(np.log(nodes), np.log(seconds), 1)[0]
    print(f"    exponent {slope:.2f}")
    return float(slope)


def edits() -> None:
    """Print the time from another film coefficient to a finished picture."""
    renderer = BodyRenderer()
    for name, dimension, divisions in (("2-D", 2, 49), ("3-D", 3, 22)):
        flow, case = Flow(), block(dimension, divisions, 2)
        next(outcome for outcome in flow.outcomes(case) if outcome.checks or outcome.ledger)
        took = []
        for h in (20, 30, 40, 50, 60):
            changed = with_value(case, ("surroundings", 1, "film", "h"), f"{h} W/(m² K)")
            start = time.perf_counter()
            outcome = next(outcome for outcome in flow.outcomes(changed) if outcome.ledger)
            assert outcome.geometry is not None and outcome.mesh is not None
            view = view_of_box(*drawn_box(outcome.geometry), 579, 501, (92, 62, 112, 92), pose_of(outcome.geometry))
            renderer.draw(outcome, "Temperature", shade(outcome, "Temperature"), view, LIGHT)
            took.append(time.perf_counter() - start)
        assert outcome.mesh is not None
        print(f"    {name}, {outcome.mesh.node_count:,} nodes: {np.median(took) * 1e3:.0f} ms")
    renderer.close()


def newton() -> None:
    """Print the steps each family that follows temperature takes, from several starts."""
    for name, family in FAMILIES.items():
        outcome = Flow().run(family.case())
        if outcome.solution is None or outcome.problem is None or not outcome.solution.steps:
            continue
        starts = {"own": None, "0 K": 0.0, "1 mK": 1e-3, "293 K": 293.15, "1500 K": 1500.0}
        counts = {start: len(solve_steady(outcome.problem, at).steps) for start, at in starts.items()}
        print(f"    {name:<26}" + "  ".join(f"{start}: {count}" for start, count in counts.items()))


def main() -> None:
    """Print all tables; each of the large solves in a process of its own, so that its memory is its own."""
    ratios: dict[str, float] = {}
    print("\nsteady solves beside PyAMG alone")
    for name, *what in BESIDE:
        command = [sys.executable, __file__, *map(str, what)]
        env = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}  # as the command sets it
        said = subprocess.run(command, env=env, check=True, capture_output=True, text=True).stdout.splitlines()
        print(f"  {name}", *said[:-1], sep="\n", flush=True)
        ratios[f"steady: {name}, beside PyAMG alone"] = float(said[-1])
    for dimension in (3, 2):
        print(f"  growth with nodes, {dimension}-D, quadratic")
        ratios[f"steady: exponent of growth, {dimension}-D"] = growth(dimension)
    print("  from an edit of h to a finished picture")
    edits()
    print("  steps of Newton's method")
    newton()
    print("\nbeside the figures that are kept")
    print("\n".join(compared(ratios, "--keep" in sys.argv[1:])) or "  nothing differs by a quarter or more")


if __name__ == "__main__":
    if len(sys.argv) > 2:
        beside(*map(int, sys.argv[1:]))
    else:
        main()
