"""Steps in time: the error against the tolerance, the work beside SciPy's BDF, and the cost of keeping fields.

Figures of one run are ratios; seconds depend on the machine.
"""

from __future__ import annotations

import sys
import time
from typing import Any

import numpy as np
from scipy.integrate import solve_ivp
from scipy.sparse import csc_array, diags_array

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.flow.cache import StepCache
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.in_time.clock_steps import ClockSteps
from blunt_ember.flow.in_time.run_plan import run_case
from blunt_ember.flow.outcome import Outcome
from blunt_ember.flow.steps import Steps
from blunt_ember.gallery.families import family

_SWEPT = ("cooling-wall-one-sided", "quenched-wall", "deep-wall-film", "swinging-wall", "lumped-film", "cooling-bar")
_TOLERANCES = (1e-2, 1e-3, 1e-4, 1e-5, 1e-6)


def restated(name: str, **changed: Any) -> Case:
    """Return a family with parts of its clock and mesh changed."""
    data = dict(family(name).case().data)
    for block, entries in changed.items():
        data[block] = {**data.get(block, {}), **entries}
    return case_from_data({**data, "questions": []})


def ran(case: Case) -> tuple[Outcome, Run, float]:
    """Run a case without estimating errors; return the seconds it took too."""
    begin = time.perf_counter()
    outcome = next(each for each in Flow().outcomes(case) if each.run is not None or each.trouble)
    if outcome.trouble is not None or outcome.run is None:
        raise outcome.trouble or RuntimeError(case.document.title)
    return outcome, outcome.run, time.perf_counter() - begin


def sweep() -> None:
    """Largest error of a run over its asked tolerance, against a run 30 times more exact on the same mesh."""
    print("true error / tolerance, by tolerance", *(f"{each:.0e}" for each in _TOLERANCES), sep="\t")
    for name in _SWEPT:
        at = [f"{share:g}*{_end(name)} s" for share in (0.1, 0.3, 0.6, 1.0)]

        def fields(tolerance: float, name: str = name, at: list[str] = at) -> tuple[np.ndarray, float]:
            clock = {"tolerance": f"{100 * tolerance:.6g} %", "at": at, "end": f"{_end(name)} s"}
            _, run, _ = ran(restated(name, clock=clock))
            kept = np.array([run.fields.field(number) for number in range(1, len(run.fields.times))])
            return kept, float(run.highest.max() - run.lowest.min())

        exact, span = fields(_TOLERANCES[-1] / 30)
        ratios = [float(np.abs(fields(each)[0] - exact).max()) / span / each for each in _TOLERANCES]
        print(name, *(f"{ratio:.2f}" for ratio in ratios), sep="\t")


def _end(name: str) -> float:
    clock = family(name).case().document.running_clock
    assert clock is not None and clock.end is not None
    return clock.end.si


def beside_bdf() -> None:
    """A slab of 50 000 nodes beside SciPy's BDF on the same equations, its tolerance taken down to our error."""
    case = restated("cooling-wall", clock={"capacity": "lumped"}, mesh={"size": "thickness/632", "order": 1})
    outcome, run, _ = ran(case)
    assert outcome.solution is not None and outcome.mesh is not None and outcome.exact_now is not None
    steps = Steps(StepCache(), lambda step: None)
    request = ClockSteps(steps, lambda: False, None, curves=True).request(case, steps.mesh(case, 1))
    begin = time.perf_counter()
    run_case(request, None, lambda _: None, lambda: False, curves=True)
    seconds = time.perf_counter() - begin
    exact = outcome.exact_now.temperature(outcome.mesh.points)
    error = float(np.abs(outcome.solution.temperature - exact).max())
    print(f"\nours: {outcome.mesh.node_count} nodes, {run.work}, {seconds:.2f} s, error {error:.2g} K at the end")
    problem = run.pieces[0][1]
    heating = Heating(problem, 600.0, 0.0)
    capacity = heating.capacity(np.zeros(heating.count)).diagonal()
    jacobian = csc_array(-(diags_array(1 / capacity) @ heating.conductance(np.zeros(heating.count), 0.0)))
    start = np.full(heating.count, float(run.mean[0]) - 600.0)
    for tolerance in (1e-3, 1e-4, 1e-6, 1e-8, 1e-9):
        begin = time.perf_counter()
        found = solve_ivp(
            lambda t, y: heating.heat(y, t) / capacity,
            (0.0, run.times[-1]),
            start,
            "BDF",
            jac=jacobian,
            rtol=tolerance,
            atol=tolerance * 622,
            t_eval=[run.times[-1]],
        )
        theirs = time.perf_counter() - begin
        gap = float(np.abs(found.y[:, -1] + 600.0 - exact).max())
        print(
            f"BDF at {tolerance:g}: {found.nlu} factorised, {found.nfev} evaluations, {theirs:.2f} s, "
            f"error {gap:.2g} K: {theirs / seconds:.1f} times ours"
        )
        if gap <= error:
            return


def keeping() -> None:
    """20 000 nodes and 500 fields: how long, how many bytes, and how soon any of them is there."""
    case = restated("cooling-wall", clock={"every": "2.4 s"}, mesh={"size": "thickness/200"})
    outcome, run, seconds = ran(case)
    assert outcome.mesh is not None
    _, _, without = ran(restated("cooling-wall", clock={"every": "1200 s"}, mesh={"size": "thickness/200"}))
    chosen = np.random.default_rng(5).integers(0, len(run.fields.times), 60)
    begin = time.perf_counter()
    for number in chosen.tolist():
        outcome.at_frame(number)
    each = (time.perf_counter() - begin) / len(chosen)
    print(
        f"\n{outcome.mesh.node_count} nodes, {len(run.fields.times)} fields: {seconds:.2f} s, without them "
        f"{without:.2f} s; {run.fields.size / 1e6:.1f} MB on disk; {1000 * each:.2f} ms to read one"
    )


if __name__ == "__main__":
    for part in sys.argv[1:] or ("beside_bdf", "keeping", "sweep"):
        {"sweep": sweep, "beside_bdf": beside_bdf, "keeping": keeping}[part]()
