"""The clock on its own: orders in time, breaks hit exactly, books kept, bounds kept, histories on disk."""

from __future__ import annotations

import gc
import pickle
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.checks.ledger import ledger_at
from blunt_ember.errors import CaseError, OpenCaseError
from blunt_ember.fem.transient.exact import exact_in_time
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family

STEEL = {"k": "44 W/(m K)", "density": "7300 kg/m³", "c": "540 J/(kg K)"}


def bar(clock: dict[str, Any], surroundings: list[dict[str, Any]], **more: Any) -> Case:
    """A bar 100 mm long of 10 cells, the heat going along it."""
    data = {
        "format": "blunt-ember/1",
        "materials": {"steel": STEEL},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"bar": {"shape": "rectangle", "size": ["100 mm", "10 mm"], "material": "steel"}},
        },
        "surroundings": surroundings,
        "clock": clock,
        "mesh": {"size": "10 mm", "across": 1},
    }
    return case_from_data({**data, **more})


def first(case: Case) -> Outcome:
    """The outcome before errors are estimated."""
    outcome = next(each for each in Flow().outcomes(case) if each.run is not None or each.trouble)
    if outcome.trouble is not None:
        raise outcome.trouble
    return outcome


AIR = [{"on": ["bar.left", "bar.right"], "film": {"h": "400 W/(m² K)", "temperature": "20 °C"}}]
COOLING = {"start": "500 °C", "end": "4 min"}


def test_fixed_steps_converge_with_order_two() -> None:
    ends = []
    for step in ("8 s", "4 s", "2 s", "0.125 s"):
        outcome = first(bar({**COOLING, "step": step}, AIR))
        assert outcome.solution is not None
        ends.append(outcome.solution.temperature)
    errors = [np.abs(end - ends[-1]).max() for end in ends[:-1]]
    assert np.log2(np.array(errors[:-1]) / errors[1:]) == pytest.approx(2.0, abs=0.15)


def test_what_is_read_between_steps_is_of_order_two_too() -> None:
    errors, exact = [], None
    for step in ("0.25 s", "16 s", "8 s", "4 s"):
        case = bar({**COOLING, "step": step, "at": ["77 s", "131 s"]}, AIR)
        run = first(case).run
        assert run is not None
        found = np.array([run.fields.field(int(np.argmin(np.abs(run.fields.times - t)))) for t in (77.0, 131.0)])
        if exact is None:
            exact = found
        else:
            errors.append(np.abs(found - exact).max())
    assert np.log2(np.array(errors[:-1]) / errors[1:]) == pytest.approx(2.0, abs=0.35)


@pytest.mark.parametrize("name", ["swinging-wall"])
def test_the_error_follows_the_tolerance(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(exact_in_time, "_MOST_NODES", 0)  # steps, where it could be had exactly
    made = family(name).case()
    data = {**made.data, "mesh": {"size": "thickness/20", "across": 1}}
    ratios = []
    for tolerance in (1e-2, 1e-3):
        case = case_from_data({**data, "clock": {**data["clock"], "tolerance": f"{tolerance * 100:.3g} %"}})
        outcome = first(case)
        assert outcome.run is not None and outcome.mesh is not None and outcome.exact is not None
        run, span, worst = outcome.run, outcome.run.highest.max() - outcome.run.lowest.min(), 0.0
        at = outcome.mesh.points[outcome.mesh.points[:, 1] < 1e-9]
        lowest = np.flatnonzero(outcome.mesh.points[:, 1] < 1e-9)
        early = int(np.argmin(np.abs(run.fields.times - run.times[-1] / 8)))  # before, the mesh is what limits it
        for frame in np.unique(np.linspace(early, len(run.fields.times) - 1, 8).astype(int)):
            seen = outcome.at_frame(int(frame))
            assert seen.exact_now is not None and seen.solution is not None
            gap = seen.solution.temperature[lowest] - seen.exact_now.temperature(at)
            worst = max(worst, float(np.abs(gap).max()) / span)
        ratios.append(worst / tolerance)
    assert min(ratios) > 0.02 and max(ratios) < 5


def test_the_published_transient_t3() -> None:
    outcome = Flow().answered(
        case_from_data(
            {
                "format": "blunt-ember/1",
                "materials": {"a": {"k": "35 W/(m K)", "density": "7200 kg/m³", "c": "440.5 J/(kg K)"}},
                "body": {"kind": "rod", "pieces": {"a": {"length": "0.1 m", "diameter": "10 mm", "material": "a"}}},
                "surroundings": [
                    {"on": "a.start", "temperature": "0 °C"},
                    {"on": "a.end", "temperature": "0 °C + 100 K*sin(pi*t/(40 s))"},
                ],
                "clock": {"start": "0 °C", "end": "32 s"},
                "questions": [
                    {
                        "name": "T3",
                        "temperature": ["80 mm"],
                        "tolerance": "0.05 K",
                        "expect": {"value": "36.60 °C", "source": "Cameron, Casey and Simpson (1986), test T3"},
                    }
                ],
            }
        )
    )
    assert [check.verdict for check in outcome.checks] == ["agrees"]


def test_breaks_and_stage_ends_are_hit_and_the_books_close() -> None:
    flux = {"table": [["0 s", "0 W/m²"], ["30 s", "80 kW/m²"], ["70 s", "20 kW/m²"]], "over": "t", "between": "step"}
    case = bar(
        {
            "start": "20 °C",
            "stages": [
                {"name": "on", "lasts": "100 s"},
                {"name": "held", "lasts": "45 s", "surroundings": [{"on": "bar.left", "temperature": "300 °C"}]},
                {
                    "name": "cooling",
                    "lasts": "10 min",
                    "until": {"passes": "150 °C", "highest": "body", "going": "down"},
                    "surroundings": [{"on": "bar.left", "insulated": True}],
                },
            ],
        },
        [
            {"on": "bar.left", "flux": flux},
            {"on": "bar.right", "film": {"h": "500 W/(m² K)", "temperature": "20 °C"}},
            {"on": "bar.top", "flux": "5 kW/m²", "after": "12.5 s", "before": "81 s"},
        ],
    )
    run = first(case).run
    assert run is not None
    for t in (12.5, 30.0, 70.0, 81.0, 100.0, 145.0):
        assert np.abs(run.times - t).min() < 1e-9
    assert run.stage_ends[:2] == pytest.approx((100.0, 145.0)) and run.met
    left = run.passed[:, run.column("bar.left")]
    area = 0.01
    at = [int(np.argmin(np.abs(run.times - t))) for t in (30.0, 70.0, 100.0)]
    assert left[at] == pytest.approx([0.0, 80e3 * area * 40, 80e3 * area * 40 + 20e3 * area * 30], abs=1e-6)
    top = run.passed[:, run.column("bar.top")]
    assert top[-1] == pytest.approx(5e3 * 0.1 * (81 - 12.5), rel=1e-12)
    assert np.abs(run.missing).max() < 1e-11 * np.abs(run.passed).max()
    assert run.worst_step < 1e-9
    assert run.highest[-1] == pytest.approx(150.0 + 273.15, abs=1e-6)
    assert left[-1] == pytest.approx(left[int(np.argmin(np.abs(run.times - 145.0)))])  # insulated from there on


def test_the_books_close_at_every_instant_where_all_that_may_follows_time() -> None:
    swing = "(1 + 0.3*sin(t/(20 s)))"
    fluid = {"table": [["0 s", "20 °C"], ["30 s", "400 °C"], ["60 s", "100 °C"]], "between": "step"}
    stepped = {"table": [["20 °C", "450 J/(kg K)"], ["600 °C", "700 J/(kg K)"]], "between": "smooth"}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {
                "a": {
                    "k": f"(2 W/(m K) + 0.001 W/(m K^2)*(T - 300 K))*{swing}",
                    "density": "2000 kg/m³",
                    "c": "900 J/(kg K) + 0.2 J/(kg K^2)*(T - 300 K)",
                    "emissivity": f"0.7*{swing}",
                },
                "b": {"k": "11 W/(m K)", "density": "7000 kg/m³", "c": stepped},
            },
            "body": {
                "kind": "section",
                "depth": "0.4 m",
                "regions": {
                    "left": {"shape": "rectangle", "size": ["40 mm", "30 mm"], "at": ["0 mm", "0 mm"], "material": "a"},
                    "right": {"shape": "rectangle", "size": ["30 mm", "30 mm"], "right_of": "left", "material": "b"},
                },
            },
            "surroundings": [
                {
                    "on": "left.left",
                    "film": {"h": f"40 W/(m² K)*{swing}", "temperature": fluid},
                    "radiation": {"temperature": "300 °C + 40 K*sin(t/(9 s))"},
                },
                {"on": "right.right", "temperature": "60 °C + 1 K*t/(1 s)", "before": "70 s"},
                {"on": "right.right", "film": {"h": "90 W/(m² K)", "temperature": "20 °C"}, "after": "70 s"},
                {"on": "left.top", "heat": f"30 W*{swing}"},
                {"on": ["right.top", "right.bottom"], "periodic": True},
            ],
            "heat_inside": [
                {"region": "right", "total": {"table": [["0 s", "0 W"], ["50 s", "80 W"]], "over": "t"}},
                {"region": "left", "per_volume": f"2e5 W/m³*{swing}", "after": "20 s"},
                {"at": ["20 mm", "15 mm"], "total": f"15 W*{swing}"},
            ],
            "joints": [{"on": "left|right", "conductance": f"600 W/(m² K)*{swing}"}],
            "clock": {"start": "90 °C", "start_in": {"right": "60 °C"}, "end": "100 s"},
            "mesh": {"size": "10 mm"},
        }
    )
    outcome = first(case)
    run = outcome.run
    assert run is not None and outcome.mesh is not None
    for instant in range(len(run.times)):
        assert ledger_at(run, case.document, instant).relative < 1e-7
        assert ledger_at(run, case.document, instant, whole=True).relative < 1e-7
    # What arises inside is known: the integral of what is stated.
    passed = dict(zip(run.names, run.passed[-1], strict=True))
    assert passed["heat in right"] == pytest.approx(80 * 25 + 80 * 50, rel=1e-12)
    assert passed["heat at a point (3)"] == pytest.approx(15 * (100 + 6 * (1 - np.cos(5))), rel=1e-4)
    left = 2e5 * 0.4 * 0.04 * 0.03 * (80 + 6 * (np.cos(1) - np.cos(5)))
    assert passed["heat in left"] == pytest.approx(left, rel=1e-4)
    assert passed["left.top"] == pytest.approx(30 * (100 + 6 * (1 - np.cos(5))), rel=1e-4)
    assert passed["right.top"] == pytest.approx(-passed["right.bottom"], rel=1e-9)


def test_settling_is_looked_for_on_the_way_to_what_holds_now() -> None:
    sides = [
        {"on": "bar.left", "temperature": "20 °C"},
        {"on": "bar.right", "temperature": "120 °C", "after": "20 min"},
        {"on": "bar.right", "temperature": "20 °C", "before": "20 min"},
    ]
    case = bar(
        {"start": "30 °C", "end": "2 hour", "tolerance": "0.01 %"},
        sides,
        questions=[{"name": "again", "when": {"settled": "0.01 K"}}],
    )
    late = {**case.data, "clock": {"start": "30 °C", "end": "2 hour", "until": {"settled": "50 K"}}}
    run = first(case).run
    assert run is not None and run.came_true[0] is not None and run.came_true[0] < 1200
    begun = {
        **late,
        "clock": {
            "start": "30 °C",
            "stages": [
                {"name": "still", "lasts": "20 min"},
                {"name": "warm", "lasts": "2 hour", "until": {"settled": "1 K"}},
            ],
        },
    }
    warm = first(case.restated(begun)).run
    assert warm is not None and warm.met
    # In the second stage the first mode fades: 100 K * 2/π * exp(−t/τ) is 1 K away in the middle.
    tau = 0.1**2 / np.pi**2 / (44 / 7300 / 540)
    assert warm.stage_ends[1] - 1200 == pytest.approx(tau * np.log(100 * 2 / np.pi), rel=0.01)


def test_a_rough_run_with_a_condition_gets_through_where_steps_do_not_settle() -> None:
    firing = family("firing").case()
    case = firing.restated(
        {**firing.data, "clock": {**firing.data["clock"], "tolerance": "5 %"}, "mesh": {"size": "20 mm", "order": 1}}
    )
    run = first(case).run
    assert run is not None and run.met and len(run.stage_ends) == 3
    assert run.highest[-1] == pytest.approx(353.15, abs=1e-5)


def test_the_books_close_where_everything_follows_temperature() -> None:
    steel = {
        "k": {"table": [["20 °C", "50 W/(m K)"], ["800 °C", "26 W/(m K)"]]},
        "density": "7300 kg/m³",
        "c": {
            "table": [
                ["20 °C", "450 J/(kg K)"],
                ["700 °C", "900 J/(kg K)"],
                ["720 °C", "4000 J/(kg K)"],
                ["760 °C", "700 J/(kg K)"],
            ]
        },
        "emissivity": "0.7 + 1e-4 K^-1*(T - 300 K)",
    }
    for capacity in ("consistent", "lumped"):
        film = {"h": "30 W/(m² K)*(1 + 0.001 K^-1*(T - 293 K))", "temperature": "20 °C"}
        sides = [{"on": "bar.left", "radiation": {"temperature": "20 °C"}}, {"on": "bar.right", "film": film}]
        clock = {"start": "1000 °C", "end": "15 min", "capacity": capacity}
        case = bar(clock, sides, materials={"steel": steel})
        run = first(case).run
        assert run is not None
        assert np.abs(run.missing).max() < 1e-8 * np.abs(run.passed).max()
        # What is stored is the integral over the capacity, whatever way it went: here by the trapezoidal rule.
        knots = np.array([20.0, 700.0, 720.0, 760.0]) + 273.15
        grid = np.unique(np.concatenate([knots, [run.mean[-1], 1273.15]]))
        held = np.interp(grid, knots, [450.0, 900.0, 4000.0, 700.0]) * 7300.0
        part = grid >= run.mean[-1]
        lost = np.trapezoid(held[part], grid[part]) * 0.1 * 0.01
        assert run.stored[-1].sum() == pytest.approx(-lost, rel=0.01)


@pytest.mark.parametrize("cells", ["quadrilaterals", "triangles"])
def test_lumped_cells_keep_within_their_bounds_and_consistent_ones_need_not(cells: str) -> None:
    lowest = {}
    for capacity in ("consistent", "lumped"):
        case = bar(
            {"start": "20 °C", "end": "40 s", "capacity": capacity, "tolerance": "1 %"},
            [{"on": "bar.left", "temperature": "420 °C"}],
            mesh={"size": "5 mm", "order": 1, "cells": cells},
        )
        run = first(case).run
        assert run is not None
        lowest[capacity] = run.lowest.min() - 293.15
        assert run.highest.max() <= 420 + 273.15 + 1e-9
    assert lowest["consistent"] < -0.1
    assert lowest["lumped"] > -1e-6


def test_settling_ends_on_the_steady_answer_and_starts_from_one() -> None:
    sides = [{"on": "bar.left", "flux": "30 kW/m²"}, {"on": "bar.right", "temperature": "20 °C"}]
    steady = Flow().answered(bar({"start": "20 °C"}, sides)).case
    still = Flow().answered(steady.restated({**steady.data, "clock": "steady"})).solution
    settled = first(bar({"start": "20 °C", "until": {"settled": "0.01 K"}}, sides))
    assert settled.solution is not None and still is not None and settled.run is not None
    assert np.abs(settled.solution.temperature - still.temperature).max() == pytest.approx(0.01, rel=1e-6)
    rested = first(bar({"start": "steady", "end": "10 min"}, sides))
    assert rested.run is not None and rested.scales is not None
    assert rested.run.exact_in_time and np.ptp(rested.run.mean) < 1e-9
    # The slowest mode of a wall held on one side: λ = π/2L.
    assert rested.scales.slowest == pytest.approx((0.1 * 2 / np.pi) ** 2 / (44 / 7300 / 540), rel=1e-4)


def test_a_condition_is_met_to_the_tolerance_not_to_the_next_instant() -> None:
    outcome = Flow().answered(family("cooling-sphere").case())
    check = next(check for check in outcome.checks if check.name == "half way")
    assert outcome.run is not None and check.expected is not None
    gap = np.diff(outcome.run.times)[np.searchsorted(outcome.run.times, check.value) - 1]
    assert abs(check.value - check.expected) < 0.002 * check.expected < gap


def test_fields_are_kept_on_disk_and_read_after_a_trip_through_a_pipe() -> None:
    outcome = first(bar({**COOLING, "every": "10 s"}, AIR))
    assert outcome.run is not None and outcome.mesh is not None and outcome.solution is not None
    fields = outcome.run.fields
    assert fields.times == pytest.approx(np.arange(0, 241, 10.0))
    assert fields.size == 25 * outcome.mesh.node_count * 4
    sent = pickle.loads(pickle.dumps(fields))
    path = fields._path
    del outcome, fields
    gc.collect()
    assert not path.exists()  # its owner took it away; what is mapped stays readable
    assert sent.field(0) == pytest.approx(773.15, abs=1e-3)
    assert sent.field(24).max() < 773.15


def test_a_run_that_is_stopped_keeps_what_it_has() -> None:
    calls = iter(range(1000))
    flow = Flow(stopped=lambda: next(calls) >= 5)
    *_, outcome = flow.outcomes(
        bar(
            COOLING,
            AIR,
            questions=[
                {"name": "end", "mean": "body"},
                {"name": "late", "mean": "body", "time": "4 min"},
                {"name": "cold", "when": {"passes": "30 °C", "mean": "body"}},
            ],
        )
    )
    assert outcome.run is not None and outcome.run.unfinished
    assert outcome.run.work.steps == 6 and 0 < outcome.run.times[-1] < 240
    assert any("stopped" in note.message for note in outcome.notes)
    assert [np.isnan(check.value) for check in outcome.checks] == [False, True, True]
    # What was reached is compared with what is exact at that time.
    assert [check.verdict for check in outcome.checks] == ["agrees", "open", "open"]


@pytest.mark.parametrize(
    ("clock", "more", "path", "said"),
    [
        ({"start": "20"}, {}, "clock.start", "no unit"),
        ({"start": "20 °C", "end": "-3 s"}, {}, "clock.end", "more than zero"),
        ({"start": "20 °C", "end": "1 min", "stages": [{"name": "a", "lasts": "1 s"}]}, {}, "clock", "remove 'end'"),
        ({"start": "20 °C", "until": {"passes": "30 °C"}}, {}, "clock.until", "say what 'passes'"),
        ({"start": "20 °C", "until": {"settled": "1 K", "slower": "1 K/s"}}, {}, "clock.until", "exactly one"),
        ({"start": "20 °C", "until": {"passes": "30 °C", "highest": "barr"}}, {}, "clock.until.highest", "'bar"),
        (
            {"start": "20 °C", "start_in": {"barr": "3 °C"}, "end": "1 s"},
            {},
            "clock.start_in.barr",
            "did you mean 'bar'",
        ),
        (
            {"start": "20 °C", "end": "1 min"},
            {"questions": [{"name": "q", "mean": "body", "time": "2 min"}]},
            "questions[0].time",
            "ends at 1 min",
        ),
        ("steady", {"questions": [{"name": "q", "heat_passed": "bar.left"}]}, "questions[0].heat_passed", "is steady"),
        (
            "steady",
            {"surroundings": [{"on": "bar.left", "temperature": "20 °C + 1 K*t/(1 s)"}]},
            "surroundings[0].temperature",
            "the clock is steady",
        ),
        ("steady", {"surroundings": [{**AIR[0], "after": "1 s"}]}, "surroundings[0].after", "the clock is steady"),
        (COOLING, {"surroundings": [{**AIR[0], "after": "9 s", "before": "3 s"}]}, "surroundings[0]", "earlier one"),
        (COOLING, {"materials": {"steel": {"k": "44 W/(m K)"}}}, "materials.steel.density", "state the density"),
        ({"start": "20 °C"}, {"surroundings": [{"on": "bar.left", "flux": "1 W/m²"}]}, "clock.end", "never settles"),
        (
            {"start": "20 °C", "until": {"settled": "1 K"}},
            {"surroundings": [{"on": "bar.left", "temperature": "20 °C + 9 K*sin(t/(9 s))"}]},
            "clock.until",
            "follows time",
        ),
    ],
)
def test_what_is_wrong_with_a_clock_is_said_where_it_stands(
    clock: Any, more: dict[str, Any], path: str, said: str
) -> None:
    stated = {"surroundings": AIR, **more}
    with pytest.raises((CaseError, OpenCaseError)) as caught:
        Flow().answered(bar(clock, stated.pop("surroundings"), **stated))
    assert any(fault.path == path and said in fault.message for fault in caught.value.faults), str(caught.value)


@pytest.mark.parametrize(
    ("clock", "at", "said"),
    [
        ({"end": "1 hour", "every": "1e-6 s"}, "clock.every", "keeps 3,600,000,000 fields"),
        ({"end": "1 hour", "step": "1 ms"}, "clock.step", "takes 3,600,000 steps"),
        (
            {"stages": [{"name": "soak", "lasts": "2 day", "every": "1 ms"}]},
            "clock.stages[0].every",
            "keeps 172,800,000 fields",
        ),
        ({"every": "1 ms", "stages": [{"name": "soak", "lasts": "2 day"}]}, "clock.every", "keeps 172,800,000 fields"),
    ],
)
def test_what_would_never_end_is_refused_before_it_begins(clock: dict[str, Any], at: str, said: str) -> None:
    with pytest.raises(CaseError) as refused:
        bar({"start": "20 °C", **clock}, AIR)
    assert [(fault.path, said in fault.message) for fault in refused.value.faults] == [(at, True)]


@pytest.mark.parametrize(
    ("formula", "often"),
    [
        ("20 °C + 9 K*sin(2*pi*t/(1 ms))", 3.6e6),
        ("20 °C + 9 K*cos(t/(1 ms))^2 + t*1 K/s", 3.6e6 / np.pi),
        ("20 °C + 9 K*sin(2*pi*t/(1 min))", None),
        ("20 °C + t*1 K/s + 1e-9 K*t^2/(1 s)^2", None),
        ("20 °C + 40 K*sqrt(t/1 min)", None),
        ("20 °C + 40 K*abs(sin(t/(9 min)))^0.2", None),
        ("20 °C + 900 K*exp(-((t - 30 min)/(1 s))^2)", None),
    ],
)
def test_what_swings_without_number_is_refused_with_about_how_often(formula: str, often: float | None) -> None:
    held = [{"on": "bar.left", "temperature": formula}]
    if often is None:
        assert bar({"start": "20 °C", "end": "1 hour"}, held).document.running_clock is not None
        return
    with pytest.raises(CaseError) as refused:
        bar({"start": "20 °C", "end": "1 hour"}, held)
    (fault,) = refused.value.faults
    assert fault.path == "surroundings[0].temperature"
    said = float(fault.message.split("swings about ")[1].split(" times")[0].replace(",", ""))
    assert said == pytest.approx(often, rel=0.05)


def test_a_run_a_million_times_as_long_as_it_takes_to_settle_ends_soon() -> None:
    run = first(bar({**COOLING, "end": "1e12 s"}, AIR)).run
    assert run is not None and run.exact_in_time and run.work.steps < 150 and len(run.times) < 8_000
    assert run.highest[-1] == pytest.approx(run.lowest[-1], abs=1e-6)
