"""The one-way flow: Case → Geometry → Mesh → Problem → Solution → Answers → Checks."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.faults.plausibility import plausibility
from blunt_ember.case.values.units import Kind
from blunt_ember.checks.ledger import ledger, ledger_at, require_closed
from blunt_ember.checks.notes import run_remarks, steady_remarks
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.references.fits.field import ExactField
from blunt_ember.errors import BluntEmberError, OpenCaseError, SolverError, StoppedError
from blunt_ember.fem.problem.case_faults import open_properties
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import NewtonStep
from blunt_ember.fem.steady.heat_flows import net_radiated
from blunt_ember.fem.transient.recorded.run import Progress
from blunt_ember.flow.answering.checking import answer_kind, answers_of, checks_of, histories_of
from blunt_ember.flow.answering.error_estimate import ResolveSpec, estimate_errors
from blunt_ember.flow.answering.expected_fields import ExpectedFields
from blunt_ember.flow.cache import Step, StepCache
from blunt_ember.flow.in_time.clock_steps import ClockSteps
from blunt_ember.flow.outcome import Outcome, with_errors
from blunt_ember.flow.steps import CaseMesh, OnProgress, Steps
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.mesh.mesh import Mesh


class Flow:
    """Runs cases and keeps the results of recent steps; holds no other state.

    ``stopped`` is asked in a run whether it is to be stopped; what was computed until then is kept. The fields of runs
    are kept in a ``folder``, among the temporary files when none is given. Without ``curves`` a run is read where that
    is asked for and at its steps, and nothing is drawn over time.
    """

    def __init__(
        self,
        on_progress: OnProgress = lambda step: None,
        stopped: Callable[[], bool] = lambda: False,
        folder: str | None = None,
        curves: bool = True,
    ) -> None:
        self.cache = StepCache()
        self._curves = curves
        self._on_progress = on_progress
        self._stopped = stopped
        self._steps = Steps(self.cache, on_progress)
        self._clock = ClockSteps(self._steps, stopped, folder, curves)

    def run(self, case: Case) -> Outcome:
        """Return the whole outcome; raise the error that stopped the flow when it could not be finished."""
        *_, outcome = self.outcomes(case)
        if outcome.trouble is not None:
            raise outcome.trouble
        return outcome

    def answered(self, case: Case) -> Outcome:
        """Return the outcome as soon as all that is asked is answered, before errors are estimated; raise the error
        that stopped the flow."""
        outcomes = self.outcomes(case)
        outcome = next(each for each in outcomes if each.checks or each.trouble is not None or each.final)
        if outcome.trouble is not None:
            raise outcome.trouble
        return outcome

    def outcomes(self, case: Case) -> Iterator[Outcome]:
        """Yield the outcome as soon as it can be shown, then with the errors of its answers estimated.

        Trouble is not raised: it is part of the outcome, with all that was reached before it.
        """
        start = time.perf_counter()
        reached = Outcome(case)
        try:
            for stage in self._reached(case):
                reached = stage
                if stage.scales is not None and stage.run is None:  # what is predicted is seen before the run
                    yield replace(stage, seconds=time.perf_counter() - start)
            solved, fields = self.solved(case), self._fields(reached)
            fields.know(reached.exact)
            reached = replace(
                reached,
                checks=checks_of(case, solved, fields, reached.exact),
                histories=histories_of(case, solved, fields, reached.exact) if self._curves else (),
                seconds=time.perf_counter() - start,
            )
            yield reached
            errors = estimate_errors(self, case, solved)
            if self._has_second_method(reached):
                yield replace(with_errors(reached, errors), final=False)
                reached = self._by_second_method(reached, solved, fields)
            yield with_errors(reached, errors)
        except BluntEmberError as error:
            yield replace(reached, trouble=error, final=True, seconds=time.perf_counter() - start)
        except MemoryError:
            too_large = SolverError("the mesh does not fit in memory; state a larger size")
            yield replace(reached, trouble=too_large, final=True, seconds=time.perf_counter() - start)

    def _has_second_method(self, reached: Outcome) -> bool:
        """Whether something is asked of a steady case of which nothing is known exactly and nothing expected."""
        document = reached.case.document
        open_ones = (
            check.verdict == "open"
            and question.expect is None
            and not question.environments  # what couples them it does not say
            and not np.isnan(check.value)
            for check, question in zip(reached.checks, document.questions, strict=True)
        )
        return document.running_clock is None and any(open_ones)

    def _by_second_method(self, reached: Outcome, solved: SolvedField, fields: ExpectedFields) -> Outcome:
        """Answer what is open by another method than meshes, where one holds and nobody asks to stop."""
        case, geometry, problem = reached.case, reached.geometry, reached.problem
        assert geometry is not None and problem is not None
        key = self._steps.keys.of(case, Step.SECOND_METHOD)

        def second() -> ExactField | None:
            from blunt_ember.checks.references.fits.second_method import second_field  # which brings much along

            return second_field(geometry, problem, solved.span, self._go_on)

        try:
            fields.answer_by(self.cache.get(Step.SECOND_METHOD, key, second))
        except StoppedError:
            return reached
        return replace(reached, checks=checks_of(case, solved, fields, reached.exact))

    def solved(self, case: Case, refinement: float = 1, time_tolerance_factor: float = 1) -> SolvedField:
        """Return the solution on the mesh of a case with every cell divided so often, with so much larger errors in
        time; raise what stops it."""
        if case.document.running_clock is not None:
            return self._clock.ran(case, refinement, time_tolerance_factor).solved
        return self._steps.solved(case, refinement)

    def solved_on(self, case: Case, mesh: Mesh, time_tolerance_factor: float = 1) -> tuple[SolvedField, Problem]:
        """Return the solution on a mesh of the body, with so much larger errors in time, and the problem that was
        solved, the last one of a run."""
        on = self._steps.own_mesh(case, mesh)
        return self._solved_anew(case, on, time_tolerance_factor, self._on_progress, self._curves)

    def answers_again(self, case: Case, again: ResolveSpec) -> tuple[float, ...]:
        """Return the mesh value of every question, in SI, in a second solution that is not kept.

        Raises :class:`StoppedError` where that was asked for.
        """
        self._go_on()
        on = self._steps.mesh(case, again.refinement)

        def on_progress(step: NewtonStep | Progress) -> None:
            self._on_progress(replace(step, again=True))
            self._go_on()

        def make() -> tuple[float, ...]:
            self._go_on()
            solved, _ = self._solved_anew(case, on, again.time_tolerance_factor, on_progress, curves=False)
            if solved.run is not None and solved.run.unfinished:
                raise StoppedError("it was stopped")
            return answers_of(case, solved)

        return self.cache.get(Step.ANSWERS, self._steps.keys.of(case, Step.ANSWERS, again), make)

    def answers(self, case: Case, solved: SolvedField) -> tuple[float, ...]:
        """Return the mesh value of every question, in SI."""
        return answers_of(case, solved)

    def kinds(self, case: Case, solved: SolvedField) -> tuple[Kind, ...]:
        """Return the kind every answer is shown in."""
        return tuple(answer_kind(question, case, solved) for question in case.document.questions)

    def geometry(self, case: Case) -> BodyGeometry:
        """Return the body of a case."""
        return self._steps.geometry(case)

    def mesh(self, case: Case, refinement: float) -> Mesh:
        """Return the mesh of a case with every cell divided so often, split at its joints."""
        return self._steps.mesh(case, refinement).mesh

    def problem(self, case: Case) -> Problem:
        """Return the problem of a steady case, on its mesh."""
        return self._steps.problem(case, self._steps.mesh(case, 1))

    def _reached(self, case: Case) -> Iterator[Outcome]:
        geometry, stated = self.geometry(case), plausibility(case)
        yield Outcome(case, geometry, notes=stated)
        open_items = open_properties(case.document)
        on = self._steps.mesh(case, 1)
        reached = Outcome(case, geometry, on.mesh, notes=stated)
        yield reached
        if open_items:
            raise OpenCaseError(open_items)
        problem = self._steps.problem(case, on)
        reached = replace(reached, problem=problem, notes=(*stated, *problem.notes))
        if case.document.running_clock is not None:
            yield from self._reached_in_time(reached, on)
            return
        solution, heat = self._steps.solution(case, on), self._steps.heat(case, on)
        reached = replace(
            reached,
            solution=solution,
            ledger=ledger(problem, heat, case.document, solution.noise, net_radiated(problem, solution)),
            heat=heat,
            notes=(*reached.notes, *solution.notes, *steady_remarks(case, problem, solution.temperature)),
        )
        yield reached
        require_closed(reached.ledger)
        yield replace(reached, exact=self._fields(reached).recognised())

    def _reached_in_time(self, reached: Outcome, on: CaseMesh) -> Iterator[Outcome]:
        """The outcome before the run, with what is predicted of it; and after it."""
        case = reached.case
        scales = self._clock.request(case, on).scales
        yield replace(reached, problem=None, scales=scales)
        ran = self._clock.ran(case, 1)
        reached = replace(reached, problem=ran.problem, solution=ran.solution, scales=scales, run=ran.run)
        last = len(ran.run.times) - 1
        reached = replace(
            reached, ledger=ledger_at(ran.run, case.document, last), notes=(*reached.notes, *run_remarks(case, ran.run))
        )
        yield reached
        require_closed(ledger_at(ran.run, case.document, last, whole=True))
        yield replace(reached, exact=self._fields(reached).recognised())

    def _fields(self, reached: Outcome) -> ExpectedFields:
        assert reached.geometry is not None and reached.problem is not None
        case, runs = reached.case, reached.case.document.running_clock is not None
        timing = (lambda: self._clock.timing(case)) if runs else None
        return ExpectedFields(case, reached.geometry, reached.problem, timing)

    def _solved_anew(
        self, case: Case, on: CaseMesh, time_tolerance_factor: float, on_progress: OnProgress, curves: bool
    ) -> tuple[SolvedField, Problem]:
        """The solution on a mesh and the problem, neither of them kept, with so much larger errors in time."""
        if case.document.running_clock is not None:
            return self._clock.ran_anew(case, on, time_tolerance_factor, on_progress, curves)
        return self._steps.solved_anew(case, on, on_progress)

    def _go_on(self) -> None:
        """Raise where it was asked to stop."""
        if self._stopped():
            raise StoppedError("it was stopped")
