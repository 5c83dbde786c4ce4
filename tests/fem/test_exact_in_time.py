"""Runs in which nothing changes between breaks are exact in time: set beside the matrix exponential."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from scipy.linalg import expm

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.fem.transient.exact.exact_in_time import ExactStepper, is_exact
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepwise.stepping import Stepper
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
            "mesh": {"size": "10 mm", "order": 2},
            "clock": {"start": "20 °C", **clock},
            "questions": [{"name": "mean", "mean": "plate"}],
        }
        | more
    )


def solved(case: Case) -> Outcome:
    return Flow(curves=False).answered(case)


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
    for number in np.unique(np.linspace(1, len(run.fields.times) - 1, 4).astype(int)).tolist():
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


#: What swings with sin(t/90 s), and nothing else that moves.
SWINGS: dict[str, tuple[list[dict[str, Any]], list[dict[str, Any]]]] = {
    "held": ([{"on": "plate.left", "temperature": "90 °C + 40 K*sin(t/90 s)"}, AIR], []),
    "fluid, more of it above": (
        [{"on": "plate.right", "film": {"h": "55 W/(m² K)", "temperature": "18 °C + 9 K/mm*y*sin(t/90 s)"}}],
        [],
    ),
    "flux and source": (
        [AIR, {"on": "plate.bottom", "flux": "6 kW/m²*sin(t/90 s)"}],
        [{"region": "plate", "per_volume": "0.4 MW/m³*(1 + sin(t/90 s))"}],
    ),
    "all of it": (
        [
            {"on": "plate.left", "temperature": "90 °C + 40 K*sin(t/90 s)"},
            {"on": "plate.right", "film": {"h": "55 W/(m² K)", "temperature": "18 °C + 9 K*sin(t/90 s)"}},
            {"on": "plate.top", "flux": "6 kW/m²*sin(t/90 s)*x/60 mm"},
        ],
        [],
    ),
}


def swung(heating: Heating, start: np.ndarray, t: float) -> np.ndarray:
    """The excess (n,) at a time of what swings with sin(t/90 s), from the exponential of a matrix that swings too."""
    free, zero, prolongation = heating.constraints.free, np.zeros(heating.count), heating.constraints.prolongation
    capacity = heating.constraints.reduced(heating.capacity(zero)).toarray()
    conductance = heating.constraints.reduced(heating.conductance(zero, 0.0)).toarray()
    quarter = 90.0 * np.pi / 2
    at_rest, at_most = (heating.heat(heating.held(at), at) for at in (0.0, quarter))
    swing = (heating.held(quarter) - heating.held(0.0)) / 90.0
    size = len(capacity)
    # The last unknowns are sin, cos and 1.
    system = np.zeros((size + 3, size + 3))
    system[:size, :size] = -np.linalg.solve(capacity, conductance)
    given = (at_most - at_rest, -(heating.capacity(zero) @ swing), at_rest)
    system[:size, size:] = np.linalg.solve(capacity, np.stack([prolongation.T @ each for each in given], axis=1))
    system[size, size + 1], system[size + 1, size] = 1 / 90.0, -1 / 90.0
    begin = np.concatenate([heating.state(start, 0.0).excess[free], [0.0, 1.0, 1.0]])
    return np.asarray(heating.excess_of((expm(system * t) @ begin)[:size], t))


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", SWINGS)
def test_what_swings_is_exact_too(name: str) -> None:
    surroundings, inside = SWINGS[name]
    found = solved(plate({"end": "40 min"}, *surroundings, inside=inside))
    run = found.run
    assert run is not None and run.exact_in_time and run.work.factorised <= 6 and run.work.steps < 400
    heating = Heating(run.pieces[0][1], 300.0, 0.0)
    start = np.full(heating.count, 293.15 - 300.0)
    for number in np.unique(np.linspace(1, len(run.fields.times) - 1, 9).astype(int)).tolist():
        expected = 300.0 + swung(heating, start, float(run.fields.times[number]))
        # Fields are kept in single precision.
        assert np.abs(run.fields.field(number) - expected).max() < 1e-6 * (float(np.ptp(expected)) + 1) + 4e-5
    assert run.worst_step < 1e-8 and found.ledger is not None and found.ledger.relative < 1e-9


LOG = [["0 s", "20 °C"], ["4 min", "90 °C"], ["9 min", "60 °C"], ["20 min", "65 °C"]]


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    "held",
    [
        "20 °C + 2e-4 K/s^2*t^2",
        {"table": LOG, "between": "smooth"},
        "20 °C + 80 K*(1 - exp(-t/4 min))",
        "20 °C + 30 K*sin(t/3 min)*exp(-t/10 min)",
    ],
)
def test_what_bends_smoothly_is_what_very_small_steps_lead_to(held: Any) -> None:
    stated = {"on": "plate.left", "temperature": held}
    clock = {"end": "20 min", "at": ["3 min", "12 min"]}
    exact, small = (
        solved(plate({**clock, **how}, stated, AIR)).run for how in ({}, {"tolerance": "0.0001 K", "step": "2 s"})
    )
    assert exact is not None and exact.exact_in_time and small is not None and not small.exact_in_time
    for t in (180.0, 720.0, 1200.0):
        own, other = (run.fields.field(int(np.abs(run.fields.times - t).argmin())) for run in (exact, small))
        assert np.abs(own - other).max() < 5e-4


def test_a_short_pulse_is_not_stepped_over() -> None:
    pulse = {"on": "plate.bottom", "flux": "900 kW/m²*exp(-((t - 1000 s)/2 s)^2)"}
    run = solved(plate({"end": "40 min"}, pulse)).run
    assert run is not None and run.exact_in_time
    given = 900e3 * 2 * np.sqrt(np.pi) * 0.06 * 0.3
    assert run.passed[-1, run.column("plate.bottom")] == pytest.approx(given, rel=1e-8)
    assert run.stored[-1].sum() == pytest.approx(given, rel=1e-8)


@pytest.mark.parametrize("held", ["20 °C + 50 K*abs(sin(t/1 min))", "20 °C + 40 K*sqrt(t/1 min)"])
def test_what_has_corners_takes_steps_and_says_so(held: str) -> None:
    run = solved(plate({"end": "4 min"}, {"on": "plate.left", "temperature": held}, AIR)).run
    assert run is not None and not run.exact_in_time and run.work.exact < run.work.steps


def test_what_passes_a_temperature_within_a_swing_is_seen() -> None:
    swings = {"on": "plate.left", "temperature": "60 °C + 40 K*sin(t/40 s)"}
    until = {"passes": "95 °C", "highest": "plate.left", "going": "up"}
    run = solved(plate({"end": "20 min", "until": until}, swings, AIR)).run
    assert run is not None and run.exact_in_time and run.met
    assert run.times[-1] == pytest.approx(40 * np.arcsin(35 / 40), rel=1e-6)


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
        {"surroundings": [HOT, {"on": "plate.right", "film": {"h": "9 W/(m² K)*t/1 min", "temperature": "18 °C"}}]},
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
    monkeypatch.setattr("blunt_ember.fem.transient.exact.exact_in_time._MOST_VECTORS", 3)
    stepped = solved(case)
    assert exact.run is not None and exact.run.exact_in_time
    assert stepped.run is not None and not stepped.run.exact_in_time and stepped.run.work.exact < stepped.run.work.steps
    assert stepped.solution is not None and exact.solution is not None
    assert np.abs(stepped.solution.temperature - exact.solution.temperature).max() < 3e-4 * 220
    assert stepped.run.worst_step < 1e-9
