"""From what a case says of its clock to a run: stages, conditions, breaks, instants, and what is read at each."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.clock import Clock, Condition
from blunt_ember.case.document.every_value import every_value
from blunt_ember.case.document.questions.question import reading_of
from blunt_ember.case.document.surroundings import HeatInside, Surrounding
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.units import NUMBER
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.probes import Probe, probe_of
from blunt_ember.checks.questions.solved_field import RunColumns
from blunt_ember.errors import CaseError, DataPath, Fault, OpenCaseError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.steady import Solution, solve_steady
from blunt_ember.fem.transient.marching import Control, March, StagePlan, Watch, Watched
from blunt_ember.fem.transient.recorded.field_store import FieldStore
from blunt_ember.fem.transient.recorded.recorder import Keeping, Recorder
from blunt_ember.fem.transient.recorded.run import Progress, Run
from blunt_ember.fem.transient.start import Start
from blunt_ember.fem.transient.time_constants import SETTLED_SHARE, TimeScales
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Slowest time constants after which a condition is no longer waited for.
_PATIENCE = 100.0
#: Instants that a run is read at, at least, where it says nothing of them.
_INSTANTS = 100
#: What a temperature is near to when nothing is said, K.
_NEAR = 1.0

#: How much smaller the error in time is where times are asked for and no tolerance is stated: when a temperature passes
#: a value is told less well than the temperature, where it changes slowly.
_FOR_TIMES = 0.25


@immutable
class RunRequest:
    """Everything a run needs; ``tolerance_factor`` makes a second, more exact one."""

    case: Case
    geometry: BodyGeometry
    mesh: Mesh
    problem_at: Callable[[int, float], Problem]
    scales: TimeScales
    start: Start
    reference_temperature: float
    tolerance_factor: float = 1.0


def run_case(
    request: RunRequest,
    folder: str | None,
    on_progress: Callable[[Progress], None],
    stopped: Callable[[], bool],
    curves: bool,
) -> tuple[Run, Solution, Problem, RunColumns]:
    """Run the clock of a case; return the run, the solution at its end with the problem that held there, and where
    the run keeps what questions read. For ``curves`` it is read between steps that are long, too."""
    case, mesh = request.case, request.mesh
    clock = case.document.running_clock
    assert clock is not None
    probes: list[Probe | ExtremeProbe] = []
    watched: list[Watched] = []
    columns = RunColumns({}, {})
    for place, question in enumerate(case.document.questions):
        path = ("questions", place, question.asks)
        if question.condition is not None:
            columns.conditions[place] = len(watched)
            watched.append(_watch_maker(question.condition, request, path))
        for number, reading in enumerate(question.readings):
            columns.readings[place, number] = len(probes)
            probes.append(probe_of(reading, case.document, mesh, request.geometry, path))
    plans = stage_plans(request)
    end = sum(plan.lasts for plan in plans)
    asked = tuple(at.si for question in case.document.questions if (at := question.asked_time) is not None)
    every = [stage.every or clock.every for stage in clock.stages] or [clock.every]
    kept = tuple(None if each is None else each.si for each in every)
    # Where conditions end it, all that is known beforehand is when it will have settled.
    expected = min(end, request.scales.suggested_end or end)
    told_end = expected if any(plan.until is not None for plan in plans) else end
    # What is radiated is read from fields, so these are kept where it is asked for.
    times = (question.asked_time for question in case.document.questions if question.enclosed)
    radiated = tuple(each.si for each in times if each is not None)
    apart = expected / _INSTANTS if curves else np.inf
    keeping = Keeping(kept, tuple(at.si for at in clock.at), asked, apart, radiated)
    switches, kinks = breaks_of(case)
    march = March(
        request.problem_at,
        plans,
        switches,
        kinks,
        request.start.temperature,
        request.reference_temperature,
        control_of(clock, request),
    )
    fields = FieldStore(mesh.node_count, request.reference_temperature, folder)
    recorder = Recorder(mesh, request.start, request.reference_temperature, probes, watched, keeping, fields)
    run, last = recorder.record(march, told_end, on_progress, stopped)
    temperature = last.step.after.excess + request.reference_temperature
    solution = Solution(temperature, "in time")
    return run, solution, last.heating.problem, columns


def breaks_of(case: Case) -> tuple[list[float], list[float]]:
    """Return the times in s at which statements begin or end, and those at which what follows time bends or jumps."""
    document = case.document
    entries: list[Surrounding | HeatInside] = [*document.surroundings, *document.heat_inside]
    clock = document.running_clock
    entries += [entry for stage in clock.stages for entry in stage.surroundings] if clock is not None else []
    switches = {edge.si for entry in entries for edge in (entry.after, entry.before) if edge is not None}
    kinks = {t for _, value in document.values if isinstance(value, Law) for t in value.breaks}
    return sorted(t for t in switches if t > 0), sorted(t for t in kinks - switches if t > 0)


def control_of(clock: Clock, request: RunRequest) -> Control:
    """Return how the steps of a run are chosen."""
    factor, asked = request.tolerance_factor, tolerance_of(request.case, clock)
    fixed = None if clock.step is None else clock.step.si * np.sqrt(factor)
    return Control(lambda span: factor * asked(span), request.scales.span, request.scales.slowest or np.inf, fixed)


def _asks_for_times(case: Case, clock: Clock) -> bool:
    """Whether it is asked when something comes true, or the clock ends then."""
    ends = [clock.until, *(stage.until for stage in clock.stages)]
    return any(each is not None for each in (*ends, *(question.condition for question in case.document.questions)))


def tolerance_of(case: Case, clock: Clock) -> Callable[[float], float]:
    """Return the error of time stepping in K for a span of temperatures in K."""
    exacter = "tolerance" not in clock.model_fields_set and _asks_for_times(case, clock)
    amount = clock.tolerance.amount * (_FOR_TIMES if exacter else 1.0)
    return lambda span: amount * max(span, 1e-6) if clock.tolerance.kind == NUMBER else amount


def horizon_of(clock: Clock) -> float | None:
    """Return the time in s at which the clock ends at the latest, as far as that is stated."""
    if not clock.stages:
        return None if clock.end is None else clock.end.si
    lasts = [stage.lasts for stage in clock.stages]
    return None if None in lasts else sum(each.si for each in lasts if each is not None)


def stage_plans(request: RunRequest) -> list[StagePlan]:
    """Return the stages of a case's clock; raise :class:`OpenCaseError` where it would never end."""
    clock = request.case.document.running_clock
    assert clock is not None
    slowest = request.scales.slowest
    if clock.stages:
        return [
            _plan(stage.lasts, stage.until, ("clock", "stages", place), request)
            for place, stage in enumerate(clock.stages)
        ]
    if clock.end is None and clock.until is None:
        if not slowest:
            why = "nothing holds a temperature, so the body never settles by itself"
            why = why if slowest is None else "every temperature is held, so there is nothing to settle"
            raise OpenCaseError((Fault(("clock", "end"), f"say when the clock ends: {why}"),))
        if _changes(request.case):
            what = "say when the clock ends: what surrounds the body changes with time, so it need not settle"
            raise OpenCaseError((Fault(("clock", "end"), what),))
        within = max(SETTLED_SHARE * request.scales.span, 1e-6)
        return [StagePlan(_PATIENCE * slowest, Watched(lambda problem, t, begin: _settled(problem, t, within)))]
    return [_plan(clock.end, clock.until, ("clock",), request)]


def _plan(
    lasts: Quantity | None, until: Condition | None, path: tuple[str | int, ...], request: RunRequest
) -> StagePlan:
    slowest = request.scales.slowest
    if lasts is None and not slowest:
        key = "end" if path == ("clock",) else "lasts"
        what = "it is not known how long the body takes, nor so how long to wait for the condition; say that too"
        raise OpenCaseError((Fault((*path, key), what),))
    longest = lasts.si if lasts is not None else _PATIENCE * (slowest or 0.0)
    return StagePlan(longest, None if until is None else _watch_maker(until, request, (*path, "until")))


def _changes(case: Case) -> bool:
    switches, kinks = breaks_of(case)
    follows = any(isinstance(value, Law) and value.follows_time for _, value in case.document.values)
    return bool(switches or kinks or follows)


def _watch_maker(condition: Condition, request: RunRequest, path: DataPath) -> Watched:
    """Return what makes the function that tells when a condition has been met."""
    if condition.passes is not None:
        reading = reading_of(condition)
        probe = probe_of(reading, request.case.document, request.mesh, request.geometry, (*path, condition.how))
        goal = condition.passes.si

        def passing(problem: Problem, t: float, begin: Floats) -> Watch:
            rising = condition.going == "up" if condition.going else probe(begin) <= goal
            sign = 1.0 if rising else -1.0
            return lambda temperature, rate, t: sign * (goal - probe(temperature))

        return Watched(passing, at_once=condition.going is None)
    if condition.near is not None:
        near, within = condition.near.si, _NEAR if condition.within is None else condition.within.si
        return Watched(lambda *_: lambda temperature, rate, t: float(np.abs(temperature - near).max()) - within)
    if condition.slower is not None:
        slower = condition.slower.si
        return Watched(lambda *_: lambda temperature, rate, t: float(np.abs(rate).max()) - slower)
    assert condition.settled is not None
    distance = condition.settled.si
    if any(isinstance(value, Law) and value.follows_time for _, value in every_value(request.case.document)):
        what = "what surrounds the body follows time, so there is no steady answer to settle at; say 'slower'"
        raise CaseError((Fault(path, what),))
    return Watched(lambda problem, t, begin: _settled(problem, t, distance))


def _settled(problem: Problem, t: float, within: float) -> Watch:
    try:
        steady = solve_steady(problem, t=t).temperature
    except OpenCaseError:  # nothing holds a temperature as long as this problem holds
        return lambda temperature, rate, t: np.inf
    return lambda temperature, rate, t: float(np.abs(temperature - steady).max()) - within
