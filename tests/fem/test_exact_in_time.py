"""Runs in which nothing changes between breaks are exact in time: set beside the matrix exponential."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from scipy.linalg import expm

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.fem.transient.exact_in_time import ExactStepper, is_exact
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepping import Stepper
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome

HOT = {"on": "plate.left", "temperature": "240 °C"}
AIR = {"on": ["plate.right", "plate.top"], "film": {"h": "55 W/(m² K)", "temperature": "18 °C"}}
LAMP = {"on": "plate.bottom", "flux": "6 kW/m²"}
POWER = {"region": "plate", "per_volume": "0.4 MW/m³"}


def plate(
    clock: dict[str, Any], *surroundings: dict[str, Any], inside: list[dict[str, Any]] | None = None, **more: Any
) -> Case:
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "title": "A glazed tile",
            "materials": {"stoneware": {"k": "1.4 W/(m K)", "density": "2300 kg/m³", "c": "900 J/(kg K)"}},
            "body": {
                "kind": "section",
                "depth": "0.3 m",
                "regions": {
                    "plate": {
                        "shape": "rectangle",
                        "size": ["60 mm", "40 mm"],
                        "at": ["0 mm", "0 mm"],
                        "material": "stoneware",
                    }
                },
            },
            "surroundings": list(surroundings),
            "heat_inside": inside or [],
            "mesh": {"size": "8 mm", "order": 2},
            "clock": {"start": "20 °C", **clock},
            "questions": [{"name": "mean", "mean": "plate"}],
        }
        | more
    )


def solved(case: Case) -> Outcome:
    return next(each for each in Flow().outcomes(case) if each.checks)


def exponential(heating: Heating, start: np.ndarray, t: float, begin: float = 0.0) -> np.ndarray:
    """The excess (n,) at a time, from dense matrices and their exponential."""
    free, zero, prolongation = heating.constraints.free, np.zeros(heating.count), heating.constraints.prolongation
    capacity = heating.constraints.reduced(heating.capacity(zero)).toarray()
    conductance = heating.constraints.reduced(heating.conductance(zero, 0.0)).toarray()
    state, length = heating.state(start, begin), t - begin
    drift = (heating.held(t) - heating.held(begin)) / length
    stored = prolongation.T @ (heating.capacity(zero) @ drift)
    # What it is given where it stands, now and then.
    now, then = (prolongation.T @ heating.heat(heating.excess_of(state.excess[free], at), at) for at in (begin, t))
    size = len(now)
    # The last unknowns are the time and 1: they carry what is given.
    system = np.zeros((size + 2, size + 2))
    system[:size, :size] = -np.linalg.solve(capacity, conductance)
    system[:size, size] = np.linalg.solve(capacity, (then - now) / length)
    system[:size, size + 1] = np.linalg.solve(capacity, now - stored)
    system[size, size + 1] = 1.0
    moved = expm(system * length)[:size, size + 1]
    return np.asarray(heating.excess_of(state.excess[free] + moved, t))


RAMP = {"on": "plate.left", "temperature": {"table": [["0 s", "20 °C"], ["40 min", "240 °C"]]}}
WARMER = {"on": ["plate.right", "plate.top"], "film": {"h": "55 W/(m² K)", "temperature": "18 °C + 2 K/min*t"}}
DIMMED = {"on": "plate.bottom", "flux": "(6 kW/m² - 2 W/(m² s)*t)/2"}
MORE_POWER = {"region": "plate", "per_volume": {"table": [["0 s", "0.1 MW/m³"], ["40 min", "0.4 MW/m³"]]}}

STATED: dict[str, tuple[list[dict[str, Any]], list[dict[str, Any]]]] = {
    "held and films": ([HOT, AIR], []),
    "films, a flux and a source": ([AIR, LAMP], [POWER]),
    "nothing that holds a temperature": ([LAMP], [POWER]),
    "what is held grows evenly": ([RAMP, AIR], []),
    "fluid, flux and source change evenly": ([WARMER, DIMMED], [MORE_POWER]),
    "all of it changes evenly": ([RAMP, WARMER, DIMMED], [MORE_POWER]),
    "nothing that holds, and more and more": ([DIMMED], [MORE_POWER]),
}


@pytest.mark.parametrize("name", STATED)
@pytest.mark.parametrize("lumped", [False, True])
def test_every_instant_is_that_of_the_matrix_exponential(name: str, lumped: bool) -> None:
    surroundings, inside = STATED[name]
    clock = {"end": "40 min", "capacity": "lumped" if lumped else "consistent"}
    found = solved(plate(clock, *surroundings, inside=inside))
    run = found.run
    assert run is not None and run.exact_in_time and run.work.factorised <= 6
    heating = Heating(run.pieces[0][1], 300.0, 0.0)
    start = np.full(heating.count, 293.15 - 300.0)
    for number in np.unique(np.linspace(1, len(run.fields.times) - 1, 7).astype(int)).tolist():
        expected = 300.0 + exponential(heating, start, float(run.fields.times[number]))
        span = float(np.ptp(expected)) + 1e-3
        # Fields are kept in single precision.
        assert np.abs(run.fields.field(number) - expected).max() < 1e-6 * span + 4e-5
    assert run.worst_step < 1e-9 and np.abs(run.missing).max() < 1e-9 * np.abs(run.passed).max()
    assert found.ledger is not None and found.ledger.relative < 1e-9


def test_tables_are_exact_from_row_to_row_on_few_factors() -> None:
    rows = [(0.0, 20.0), (300.0, 260.0), (900.0, 240.0), (1000.0, 90.0), (2400.0, 60.0)]
    log = {"on": "plate.left", "temperature": {"table": [[f"{t} s", f"{held} °C"] for t, held in rows]}}
    run = solved(plate({"end": "40 min", "at": [f"{t} s" for t, _ in rows[1:]]}, log, AIR)).run
    assert run is not None and run.exact_in_time and run.work.factorised <= 14
    heating = Heating(run.pieces[0][1], 300.0, 0.0)
    excess = np.full(heating.count, 293.15 - 300.0)
    for (begin, _), (end, _) in pairwise(rows):
        excess = exponential(heating, excess, end, begin)
        frame = int(np.abs(run.fields.times - end).argmin())
        assert run.fields.times[frame] == pytest.approx(end)
        assert np.abs(run.fields.field(frame) - 300.0 - excess).max() < 1e-4
    assert run.worst_step < 1e-9 and np.abs(run.missing).max() < 1e-9 * np.abs(run.passed).max()


@pytest.mark.parametrize(
    "held", ["20 °C + 100 K*sin(t/600 s)", "20 °C + 0.1 K/s^2*t^2", {"table": [["0 s", "20 °C"], ["40 min", "90 °C"]]}]
)
def test_what_bends_with_time_keeps_its_steps(held: Any) -> None:
    stated = {"on": "plate.left", "temperature": {**held, "between": "smooth"} if isinstance(held, dict) else held}
    run = solved(plate({"end": "4 min"}, stated, AIR)).run
    assert run is not None and run.work.exact == 0


def test_steps_of_any_length_lead_to_the_same_instant_to_round_off() -> None:
    problem = solved(plate({"end": "1 min"}, HOT, AIR)).problem
    assert problem is not None
    heating = Heating(problem, 300.0, 0.0)
    assert is_exact(heating)
    start, end = np.full(heating.count, -6.85), 1800.0
    exact = exponential(heating, start, end)
    for first in (end, 60.0, 0.2, 1e-3):
        stepper = ExactStepper(heating, Stepper(heating, 1e-3, 600.0))
        state, wanted = heating.state(start, 0.0), first
        taken = 0.0
        while state.t < end:
            step, wanted = stepper.step(state, wanted, end)
            state = step.after
            taken += float(step.length * step.states[1].heat.sum())
        assert state.t == end
        assert np.abs(state.excess - exact).max() < 1e-8
    refused = stepper.fixed_step(heating.state(start, 0.0), 10.0, end)
    assert refused.after.t == 10.0 and np.abs(refused.excess_at(0.5) - exponential(heating, start, 5.0)).max() < 1e-8
    assert (
        np.abs(refused.rate_at(1.0) * 1e-3 - (exponential(heating, start, 10.001) - refused.after.excess)).max() < 1e-6
    )


def test_a_stage_that_ends_when_something_passes_ends_then_and_the_next_one_is_exact_again() -> None:
    stages = [
        {"name": "heat", "until": {"mean": "plate", "passes": "60 °C"}, "lasts": "10 h", "surroundings": [HOT]},
        {"name": "cool", "lasts": "5 min", "surroundings": [AIR]},
    ]
    case = plate({"stages": stages}, surroundings=[LAMP])
    found = solved(case)
    run = found.run
    assert run is not None and run.exact_in_time and len(run.stage_ends) == 2
    heating = Heating(run.pieces[0][1], 300.0, 0.0)
    start = np.full(heating.count, -6.85)
    ends = exponential(heating, start, run.stage_ends[0])
    weights = np.asarray(heating.capacity(start).sum(axis=1)).ravel()
    assert 300.0 + weights @ ends / weights.sum() == pytest.approx(60 + 273.15, abs=1e-7)
    then = exponential(Heating(run.pieces[1][1], 300.0, run.stage_ends[0]), ends, 300.0)
    assert found.solution is not None
    assert np.abs(found.solution.temperature - 300.0 - then).max() < 1e-7


@pytest.mark.parametrize(
    "changed",
    [
        {
            "surroundings": [
                HOT,
                {"on": "plate.right", "film": {"h": "9 W/(m² K)", "temperature": "18 °C + 2 K*sin(t/1 min)"}},
            ]
        },
        {"surroundings": [HOT, {"on": "plate.right", "radiation": {"emissivity": "0.9", "temperature": "18 °C"}}]},
        {"materials": {"stoneware": {"k": "1.4 W/(m K)", "density": "2300 kg/m³", "c": "900 J/(kg K)*(1 + T/1000 K)"}}},
        {"clock": {"end": "10 min", "step": "20 s"}},
    ],
)
def test_what_follows_time_or_temperature_or_states_its_steps_takes_steps(changed: dict[str, Any]) -> None:
    clock = changed.get("clock", {"end": "10 min"})
    found = solved(plate(clock, HOT, AIR, **{key: value for key, value in changed.items() if key != "clock"}))
    assert found.run is not None and found.run.work.exact == 0 and not found.run.exact_in_time


def test_what_no_space_is_found_for_takes_steps_and_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    case = plate({"end": "10 min", "tolerance": "0.01 %"}, HOT, AIR)
    exact = solved(case)
    monkeypatch.setattr("blunt_ember.fem.transient.exact_in_time._MOST_VECTORS", 3)
    stepped = solved(case)
    assert exact.run is not None and exact.run.exact_in_time
    assert stepped.run is not None and not stepped.run.exact_in_time and stepped.run.work.exact < stepped.run.work.steps
    assert stepped.solution is not None and exact.solution is not None
    assert np.abs(stepped.solution.temperature - exact.solution.temperature).max() < 3e-4 * 220
    assert stepped.run.worst_step < 1e-9
