"""The one-way flow: Case → Geometry → Mesh → Problem → Solution → Answers → Checks, each step cached by content."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.document.bodies import Body, Imported, without_materials
from blunt_ember.case.document.case_document import Expectation, Question
from blunt_ember.case.faults.plausibility import plausibility
from blunt_ember.case.values.display import time_kind
from blunt_ember.case.values.units import Kind
from blunt_ember.checks.ledger import ledger, ledger_at
from blunt_ember.checks.notes import remarks, run_remarks
from blunt_ember.checks.questions.answers import SolvedField, answer, exact_answer, exact_history, history
from blunt_ember.checks.questions.history import History, thinned
from blunt_ember.checks.questions.sentence import question_sentence
from blunt_ember.checks.references.exact_field import exact_field, recognised
from blunt_ember.checks.references.fits.field import ExactField, MovingField
from blunt_ember.checks.references.fits.moving import MOVING_SOLUTIONS, Timing, moving_field, recognised_in_time
from blunt_ember.checks.references.working_field import working_field
from blunt_ember.checks.verdict import Check, check
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import BluntEmberError, OpenCaseError, ReferenceRefusedError, SolverError, StoppedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.problem.problem_from_case import open_properties, problem_from_case, split_at_joints
from blunt_ember.fem.steady.heat_flows import heat_flows
from blunt_ember.fem.steady.steady import NewtonStep, Solution, reference_temperature_of, solve_steady
from blunt_ember.fem.transient.run import Progress, Run
from blunt_ember.fem.transient.time_constants import time_scales
from blunt_ember.flow.error_estimate import EXACTER, ResolveSpec, estimate_errors
from blunt_ember.flow.outcome import Outcome, with_errors
from blunt_ember.flow.run_plan import (
    RunRequest,
    breaks_of,
    horizon_of,
    run_case,
    stage_plans,
    start_field,
    tolerance_of,
)
from blunt_ember.mesh.any_body import AnyGeometry, geometry_of
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.mesh import Mesh

Step = TypeVar("Step")

#: Runs that are kept.
_MOST_RUNS = 4


@dataclass(frozen=True)
class Ran:
    """A run with the solution at its end, the problem that held there, and both as the questions see them."""

    run: Run
    solution: Solution
    problem: Problem
    solved: SolvedField


class Flow:
    """Runs cases and keeps the results of recent steps; holds no other state."""

    def __init__(
        self,
        capacity: int = 64,
        on_progress: Callable[[NewtonStep | Progress], None] = lambda step: None,
        stopped: Callable[[], bool] = lambda: False,
        folder: str | None = None,
    ) -> None:
        #: Hears of every step of Newton's method as it is done, and how far a run has got.
        self._on_progress = on_progress
        #: Asked in a run whether it is to be stopped; what was computed until then is kept.
        self._stopped = stopped
        #: Where the fields of runs are kept; among the temporary files when none is given.
        self._folder = folder
        self._kept: OrderedDict[tuple[str, str], Any] = OrderedDict()
        self._capacity = capacity
        #: Hashes of values met lately, by identity; the values are held so that no identity is given out twice.
        self._hashed: OrderedDict[int, tuple[Any, str]] = OrderedDict()

    def run(self, case: Case) -> Outcome:
        """Return the whole outcome; raise the error that stopped the flow when it could not be finished."""
        *_, outcome = self.outcomes(case)
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
            solved = self._solved(case, 1) if reached.run is None else self._ran(case, 1).solved
            reached = replace(
                reached,
                checks=self._checks(reached, solved),
                histories=self._histories(reached, solved),
                seconds=time.perf_counter() - start,
            )
            yield reached
            yield with_errors(reached, estimate_errors(self, case, solved))
        except BluntEmberError as error:
            yield replace(reached, trouble=error, final=True, seconds=time.perf_counter() - start)
        except MemoryError:
            too_large = SolverError("the mesh does not fit in memory; state a larger size")
            yield replace(reached, trouble=too_large, final=True, seconds=time.perf_counter() - start)

    def solved(self, case: Case, refinement: int = 1) -> SolvedField:
        """Return the solution on the mesh of a case with every cell divided so often; raise what stops it."""
        if case.document.running_clock is not None:
            return self._ran(case, refinement).solved
        return self._solved(case, refinement)

    def solved_on(self, case: Case, mesh: Mesh) -> tuple[SolvedField, Problem]:
        """Return the solution on a mesh of the body, and the problem that was solved, the last one of a run."""
        return self._solved_anew(case, split_at_joints(case.document, mesh), 1.0, self._on_progress)

    def _solved_anew(
        self, case: Case, mesh: Mesh, time_tolerance_factor: float, on_progress: Callable[[NewtonStep | Progress], None]
    ) -> tuple[SolvedField, Problem]:
        """The solution on a mesh and the problem, neither of them kept, with so much larger errors in time."""
        if case.document.running_clock is not None:
            request = replace(self._request_on(case, mesh), tolerance_factor=time_tolerance_factor)
            run, last, problem, columns = run_case(request, self._folder, on_progress, self._stopped)
            return SolvedField(request.geometry, mesh, last.temperature, {}, run, columns), problem
        problem = problem_from_case(case.document, mesh, 0, 0.0)
        solution = solve_steady(problem, on_progress=on_progress)
        return SolvedField(self.geometry(case), mesh, solution.temperature, heat_flows(problem, solution)), problem

    def answers_again(self, case: Case, again: ResolveSpec) -> tuple[float, ...]:
        """Return the mesh value of every question, in SI, in a second solution that is not kept.

        Raises :class:`StoppedError` where that was asked for.
        """
        self._go_on()
        mesh = self.mesh(case, again.refinement)

        def on_progress(step: NewtonStep | Progress) -> None:
            self._on_progress(replace(step, again=True))
            self._go_on()

        def made() -> tuple[float, ...]:
            self._go_on()
            solved, _ = self._solved_anew(case, mesh, again.time_tolerance_factor, on_progress)
            if solved.run is not None and solved.run.unfinished:
                raise StoppedError("it was stopped")
            return self.answers(case, solved)

        return self._cached("answers", content_hash(self._run_key(case, mesh), again), made)

    def _go_on(self) -> None:
        """Raise where it was asked to stop."""
        if self._stopped():
            raise StoppedError("it was stopped")

    def answers(self, case: Case, solved: SolvedField) -> tuple[float, ...]:
        """Return the mesh value of every question, in SI."""
        document = case.document
        return tuple(
            answer(
                question, place, document.members_asked(question.target), solved, ("questions", place, question.asks)
            )
            for place, question in enumerate(document.questions)
        )

    def kinds(self, case: Case, solved: SolvedField) -> tuple[Kind, ...]:
        """Return the kind every answer is shown in."""
        return tuple(self._kind_of(question, case, solved) for question in case.document.questions)

    def _reached(self, case: Case) -> Iterator[Outcome]:
        geometry = self.geometry(case)
        stated = plausibility(case)
        yield Outcome(case, geometry, notes=stated)
        open_items = open_properties(case.document)
        mesh = self.mesh(case, 1)
        yield Outcome(case, geometry, mesh, notes=stated)
        if open_items:
            raise OpenCaseError(open_items)
        problem = self._problem(case, mesh)
        if case.document.running_clock is not None:
            yield from self._reached_in_time(Outcome(case, geometry, mesh, problem, notes=(*stated, *problem.notes)))
            return
        solution = self._solution(problem)
        heat = self._heat(problem, solution)
        yield Outcome(
            case,
            geometry,
            mesh,
            problem,
            solution,
            recognised(geometry, problem) or self._own(case, geometry),
            ledger=ledger(problem, heat, case.document, solution.noise),
            notes=(*stated, *problem.notes, *solution.notes, *remarks(case, problem, solution.temperature[None])),
        )

    def _reached_in_time(self, reached: Outcome) -> Iterator[Outcome]:
        """The outcome before the run, with what is predicted of it; and after it."""
        case, geometry = reached.case, reached.geometry
        assert geometry is not None and reached.mesh is not None
        scales = self._request(case, 1).scales
        yield replace(reached, problem=None, scales=scales)
        ran = self._ran(case, 1)
        run, problem = ran.run, ran.problem
        exact = recognised_in_time(geometry, problem, self._timing(case)) or self._own(case, geometry)
        yield replace(
            reached,
            problem=problem,
            solution=ran.solution,
            scales=scales,
            run=run,
            exact=exact,
            ledger=ledger_at(run, case.document, len(run.times) - 1),
            notes=(*reached.notes, *run_remarks(case, run)),
        )

    def _timing(self, case: Case) -> Timing:
        clock = case.document.running_clock
        assert clock is not None
        switches, _ = breaks_of(case)
        one = not switches and len(clock.stages) < 2 and not clock.start_in
        request = self._request(case, 1)
        return Timing(clock.start, one, sum(plan.lasts for plan in stage_plans(request)), request.scales.biot)

    def _request(self, case: Case, refinement: float) -> RunRequest:
        return self._request_on(case, self.mesh(case, refinement))

    def _request_on(self, case: Case, mesh: Mesh) -> RunRequest:
        """What a run on a mesh needs."""
        clock = case.document.running_clock
        assert clock is not None
        problem = self._problem(case, mesh)

        def made() -> RunRequest:
            start = start_field(case, clock, problem)
            reference_temperature = (
                reference_temperature_of(problem) if problem.held or problem.exchanges else float(start.mean())
            )
            scales = time_scales(problem, start, reference_temperature, horizon_of(clock), tolerance_of(clock))
            return RunRequest(
                case,
                self.geometry(case),
                mesh,
                lambda stage, t: self._problem(case, mesh, stage, t),
                scales,
                start,
                reference_temperature,
            )

        return self._cached("request", content_hash(self._run_key(case, mesh), case.folder), made)

    def _run_key(self, case: Case, mesh: Mesh) -> str:
        document = case.document
        return content_hash(self._hash(mesh), self._said(case), document.clock, _read(document.questions))

    def _ran(self, case: Case, refinement: int) -> Ran:
        """The run on divided cells, which is more exact in time too."""
        request = self._request(case, refinement)
        if refinement > 1:
            request = replace(request, tolerance_factor=EXACTER)
        key = ("run", self._run_key(case, request.mesh))
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        run, solution, problem, columns = run_case(request, self._folder, self._on_progress, self._stopped)
        solved = SolvedField(request.geometry, request.mesh, solution.temperature, {}, run, columns)
        ran = Ran(run, solution, problem, solved)
        if not run.unfinished:
            self._cached(*key, lambda: ran)
            # Each holds its fields on disk, so only the newest are kept.
            for old in [place for place in self._kept if place[0] == "run"][:-_MOST_RUNS]:
                del self._kept[old]
        return ran

    def _histories(self, reached: Outcome, solved: SolvedField) -> tuple[History, ...]:
        """What was asked, at every instant of the run, and the exact curves."""
        if solved.run is None:
            return ()
        case, made = reached.case, []
        for place, question in enumerate(case.document.questions):
            members = case.document.members_asked(question.target)
            values = history(question, place, members, solved)
            if values is None:
                continue
            times, exact, source = solved.run.times, None, ""
            field = reached.exact
            named = _field_named(question.expect, case) if question.expect is not None else None
            try:
                if named is not None and (field is None or field.name != named):
                    field = self._field(named, case, reached)
                if field is not None:
                    times = thinned(solved.run.times)
                    exact, source = exact_history(question, members, field, solved, times), field.source
            except ReferenceRefusedError:
                exact = None
            if exact is not None and np.isnan(exact).all():
                exact = None
            kind = self._kind_of(question, case, solved)
            made.append(History(question.name, kind, values, times, exact, source if exact is not None else ""))
        return tuple(made)

    def _own(self, case: Case, geometry: AnyGeometry) -> ExactField | MovingField | None:
        """The first field of the Working that a question is compared with."""
        for question in case.document.questions:
            name = question.expect.working if question.expect is not None else None
            places = set("xyz"[: geometry.space.dimension])  # a line that leaves one out may hold on a face alone
            if name is not None and name in case.fields and places <= case.fields[name].variables:
                try:
                    return working_field(
                        name, case.fields[name], geometry.space, case.document.running_clock is not None
                    )
                except ReferenceRefusedError:
                    continue
        return None

    def _solved(self, case: Case, refinement: float) -> SolvedField:
        geometry, mesh = self.geometry(case), self.mesh(case, refinement)
        problem = self._problem(case, mesh)
        solution = self._solution(problem)
        return SolvedField(geometry, mesh, solution.temperature, self._heat(problem, solution))

    def _checks(self, reached: Outcome, solved: SolvedField) -> tuple[Check, ...]:
        """What was asked, not yet with its errors."""
        assert reached.geometry is not None and reached.problem is not None
        case, checks = reached.case, list[Check]()
        fitted = {reached.exact.name: reached.exact} if reached.exact is not None else {}
        span = float(np.ptp(solved.temperature))
        if solved.run is not None:
            span = float(solved.run.highest.max() - solved.run.lowest.min())
        for place, question in enumerate(case.document.questions):
            path = ("questions", place, question.asks)
            members = case.document.members_asked(question.target)
            value = answer(question, place, members, solved, path)
            expected, source, note = case.expected.get(place), None, ""
            if np.isnan(value):
                note = "it did not come true" if question.when is not None else "the run did not get to that time"
            expect = question.expect
            named = _field_named(expect, case) if expect is not None else None
            if named is not None:
                try:
                    field = fitted.get(named) or self._field(named, case, reached)
                    fitted[named] = field
                    expected, source = exact_answer(question, members, field, solved), field.source
                    source = source if named in case.fields else f"exact: {source}"
                    if np.isnan(expected):
                        expected, note = None, f"'{named}' does not say this"
                except ReferenceRefusedError as refusal:
                    note = f"'{named}' does not hold here: {refusal}"
            elif expect is not None:
                source = f"working: {expect.working}" if expect.working else expect.source or "source not stated"
            checks.append(
                check(
                    question,
                    self._kind_of(question, case, solved),
                    question_sentence(question, case.document.body.heat_basis, solved.run is not None),
                    value,
                    None,
                    expected,
                    source,
                    span,
                    note,
                )
            )
        return tuple(checks)

    def _kind_of(self, question: Question, case: Case, solved: SolvedField) -> Kind:
        """The kind an answer is shown in: times in the unit that suits the run."""
        if question.when is not None and solved.run is not None:
            return time_kind(float(solved.run.times[-1]), case.units)
        return case.units.of(question.kind)

    def _field(self, name: str, case: Case, reached: Outcome) -> ExactField | MovingField:
        assert reached.geometry is not None and reached.problem is not None
        runs = case.document.running_clock is not None
        if name in case.fields:
            return working_field(name, case.fields[name], reached.geometry.space, runs)
        if runs and name in MOVING_SOLUTIONS:
            return moving_field(name, reached.geometry, reached.problem, self._timing(case))
        return exact_field(name, reached.geometry, reached.problem)

    def geometry(self, case: Case) -> AnyGeometry:
        """Return the body of a case."""
        body = case.document.body
        return self._cached(
            "geometry", self._body_key(case), lambda: geometry_of(body, case.folder, case.document.surface_parts)
        )

    def mesh(self, case: Case, refinement: float) -> Mesh:
        """Return the mesh of a case with every cell divided so often, parted at its joints."""
        document = case.document
        own = document.surfaces if document.mesh.local else {}
        key = content_hash(self._body_key(case), document.mesh, own, refinement)

        def made() -> Mesh:
            return generate_mesh(self.geometry(case), document.mesh, refinement, document.members_of)

        whole = self._cached("mesh", key, made)
        joints = sorted({name for joint in document.joints for name in joint.surfaces})
        parted = content_hash(key, joints, document.surfaces if joints else {})
        return self._cached("parted mesh", parted, lambda: split_at_joints(document, whole))

    def _solution(self, problem: Problem) -> Solution:
        return self._cached(
            "solution", self._hash(problem), lambda: solve_steady(problem, on_progress=self._on_progress)
        )

    def _heat(self, problem: Problem, solution: Solution) -> dict[str, float]:
        return self._cached("heat", self._hash(problem), lambda: heat_flows(problem, solution))

    def _said(self, case: Case) -> Any:
        document = case.document
        return (
            self._body_key(case),
            document.body,
            document.materials,
            document.surfaces,
            document.surroundings,
            document.heat_inside,
            document.joints,
            [(question.target, question.side) for question in document.questions],
        )

    def _problem(self, case: Case, mesh: Mesh, stage: int = 0, t: float = 0.0) -> Problem:
        document = case.document
        key = content_hash(self._hash(mesh), self._said(case), document.clock, stage, t)
        return self._cached("problem", key, lambda: problem_from_case(document, mesh, stage, t))

    def _body_key(self, case: Case) -> str:
        body = case.document.body
        key = self._hash(body, _shape_hash)
        if case.document.surface_parts:
            key = content_hash(key, case.document.surface_parts)
        return key if not isinstance(body, Imported) else content_hash(key, _stamp(Path(case.folder) / body.file))

    def _hash(self, value: Any, of: Callable[[Any], str] = content_hash) -> str:
        if id(value) not in self._hashed:
            self._hashed[id(value)] = (value, of(value))
            while len(self._hashed) > self._capacity:
                self._hashed.popitem(last=False)
        return self._hashed[id(value)][1]

    def _cached(self, step: str, key: str, do: Callable[[], Step]) -> Step:
        place = (step, key)
        if place not in self._kept:
            self._kept[place] = do()
            while len(self._kept) > self._capacity:
                self._kept.popitem(last=False)
        self._kept.move_to_end(place)
        return self._kept[place]


def _read(questions: Sequence[Question]) -> list[Question]:
    """Questions without what does not matter to an answer: their names and what is expected."""
    return [question.model_copy(update={"name": "", "expect": None, "tolerance": None}) for question in questions]


def _field_named(expect: Expectation, case: Case) -> str | None:
    """The exact solution, or the line of the Working that follows the place, that an answer is compared with."""
    return expect.working if expect.working in case.fields else expect.exact


def _stamp(path: Path) -> tuple[str, int, int]:
    """What changes when a file does: a mesh that is written anew is read anew."""
    try:
        state = path.stat()
    except OSError:
        return str(path), 0, 0
    return str(path), state.st_mtime_ns, state.st_size


def _shape_hash(body: Body) -> str:
    """A hash of a body without its materials, which no mesh depends on."""
    return content_hash(without_materials(body))
