"""The steps of the flow where the clock runs: what a run needs, and the run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from blunt_ember.case.case import Case
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import reference_temperature_of
from blunt_ember.fem.steady.steady import Solution
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.fem.transient.time_constants import time_scales
from blunt_ember.flow.cache import Step
from blunt_ember.flow.in_time.run_plan import RunRequest, breaks_of, horizon_of, run_case, stage_plans, tolerance_of
from blunt_ember.flow.in_time.start_field import start_field
from blunt_ember.flow.steps import CaseMesh, OnProgress, Steps
from blunt_ember.immutable import immutable


@immutable
class Ran:
    """A run with the solution at its end, the problem that held there, and both as the questions see them."""

    run: Run
    solution: Solution
    problem: Problem
    solved: SolvedField


class ClockSteps:
    """Runs the clocks of cases and keeps recent runs; ``folder`` is where their fields go, else a temporary one.

    Where ``curves`` are wanted, long steps are read in between too.
    """

    def __init__(self, steps: Steps, stopped: Callable[[], bool], folder: str | None, curves: bool) -> None:
        self._steps = steps
        self._stopped = stopped
        self._folder = folder
        self._curves = curves

    def request(self, case: Case, on: CaseMesh) -> RunRequest:
        """Return what a run on a mesh needs."""
        clock = case.document.running_clock
        assert clock is not None
        steps = self._steps

        def make() -> RunRequest:
            problem = steps.problem(case, on)
            start = start_field(case, clock, problem)
            known = problem.held or problem.exchanges or any(law.opening for law in problem.enclosures)
            reference_temperature = reference_temperature_of(problem) if known else float(start.temperature.mean())
            scales = time_scales(
                problem, start.temperature, reference_temperature, horizon_of(clock), tolerance_of(case, clock)
            )
            return RunRequest(
                case,
                steps.geometry(case),
                on.mesh,
                lambda stage, t: steps.problem(case, on, stage, t),
                scales,
                start,
                reference_temperature,
            )

        if on.refinement is None:
            return make()
        return steps.cache.get(Step.REQUEST, steps.keys.of(case, Step.REQUEST, on.refinement, case.folder), make)

    def ran(self, case: Case, refinement: float, time_tolerance_factor: float = 1) -> Ran:
        """Return the run on divided cells, with so much larger errors in time; one that was stopped is not kept."""
        steps = self._steps
        request = self.request(case, steps.mesh(case, refinement))
        request = replace(request, tolerance_factor=time_tolerance_factor)
        key = steps.keys.of(case, Step.RUN, refinement, time_tolerance_factor)
        if steps.cache.known(Step.RUN, key):
            return steps.cache.get(Step.RUN, key, lambda: self._run(request, steps.on_progress, self._curves))
        ran = self._run(request, steps.on_progress, self._curves)
        if not ran.run.unfinished:
            steps.cache.put(Step.RUN, key, ran)
        return ran

    def ran_anew(
        self, case: Case, on: CaseMesh, time_tolerance_factor: float, on_progress: OnProgress, curves: bool
    ) -> tuple[SolvedField, Problem]:
        """Return a run on a mesh and the last of its problems, neither kept, with so much larger errors in time."""
        ran = self._run(replace(self.request(case, on), tolerance_factor=time_tolerance_factor), on_progress, curves)
        return ran.solved, ran.problem

    def timing(self, case: Case) -> Timing:
        """Return how a run begins and ends, as far as exact solutions need to know."""
        clock = case.document.running_clock
        assert clock is not None
        switches, _ = breaks_of(case)
        one = not switches and len(clock.stages) < 2
        request = self.request(case, self._steps.mesh(case, 1))
        start_in = {request.mesh.regions.index(name): law for name, law in clock.start_in.items()}
        return Timing(clock.start, start_in, one, sum(plan.lasts for plan in stage_plans(request)), request.scales.biot)

    def _run(self, request: RunRequest, on_progress: OnProgress, curves: bool) -> Ran:
        run, solution, problem, columns = run_case(request, self._folder, on_progress, self._stopped, curves)
        solved = SolvedField(
            request.case.document, request.geometry, request.mesh, solution.temperature, {}, run, columns
        )
        return Ran(run, solution, problem, solved)
