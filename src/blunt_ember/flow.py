"""The one-way flow: Case → Geometry → Mesh → Problem → Solution → Answers → Checks, each step cached by content."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from blunt_ember.case.bodies import Body, Imported, without_materials
from blunt_ember.case.case import Case
from blunt_ember.case.document import Expectation
from blunt_ember.case.plausibility import plausibility
from blunt_ember.case.structure_faults import path_text
from blunt_ember.checks.answers import SolvedField, answer, exact_answer
from blunt_ember.checks.asking import asked_sentence
from blunt_ember.checks.exact_field import exact_field, recognised
from blunt_ember.checks.fits.field import ExactField
from blunt_ember.checks.ledger import Ledger, ledger
from blunt_ember.checks.own_field import own_field
from blunt_ember.checks.remarks import remarks
from blunt_ember.checks.verdict import Check, check
from blunt_ember.content_hash import content_hash
from blunt_ember.errors import BluntEmberError, Note, OpenCaseError, ReferenceRefusedError, SolverError
from blunt_ember.fem.heat_flows import heat_flows
from blunt_ember.fem.problem import Problem
from blunt_ember.fem.stating import open_properties, parted_by_joints, problem_of
from blunt_ember.fem.steady import NewtonStep, Solution, solve_steady
from blunt_ember.geometry.regions import outer_surfaces
from blunt_ember.mesh.any_body import AnyGeometry, geometry_of
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.making import mesh_of
from blunt_ember.mesh.mesh import Mesh

Step = TypeVar("Step")

#: Above this many nodes the errors of the answers are not estimated by a finer solution.
ESTIMATE_NODES = 20_000


@dataclass(frozen=True)
class Outcome:
    """What is known of a case after the flow; what could not be reached is None, and ``trouble`` says why."""

    case: Case
    geometry: AnyGeometry | None = None
    mesh: Mesh | None = None
    problem: Problem | None = None
    solution: Solution | None = None
    exact: ExactField | None = None
    checks: tuple[Check, ...] = ()
    ledger: Ledger | None = None
    seconds: float = 0.0
    #: Whether the errors of the answers have been estimated, or are known not to be.
    final: bool = False
    #: What the analyst should know of how the case was understood.
    notes: tuple[Note, ...] = ()
    trouble: BluntEmberError | None = None

    @property
    def unstated(self) -> tuple[str, ...]:
        """Outer surfaces on which nothing is stated, so they are insulated."""
        if self.geometry is None:
            return ()
        document = self.case.document
        stated = (name for entry in document.surroundings for name in entry.surfaces)
        said = {member for name in stated for member in document.members_of(name)}
        return tuple(surface.name for surface in outer_surfaces(self.geometry) if surface.name not in said)


class Flow:
    """Runs cases and keeps the results of recent steps; holds no other state."""

    def __init__(self, capacity: int = 64, told: Callable[[NewtonStep], None] = lambda step: None) -> None:
        #: Hears of every step of Newton's method as it is done.
        self._told = told
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
            solved = self._solved(case, 1)
            yield replace(reached, checks=self._checks(reached, solved, None), seconds=time.perf_counter() - start)
            finer = None
            if solved.mesh.node_count <= ESTIMATE_NODES and not isinstance(solved.geometry, ImportedGeometry):
                finer = self._solved(case, 2)
            checks = self._checks(reached, solved, finer)
            yield replace(reached, checks=checks, final=True, seconds=time.perf_counter() - start)
        except BluntEmberError as error:
            yield replace(reached, trouble=error, final=True, seconds=time.perf_counter() - start)
        except MemoryError:
            too_large = SolverError("the mesh does not fit in memory; state a larger size")
            yield replace(reached, trouble=too_large, final=True, seconds=time.perf_counter() - start)

    def _reached(self, case: Case) -> Iterator[Outcome]:
        geometry = self._geometry(case)
        stated = plausibility(case)
        yield Outcome(case, geometry, notes=stated)
        open_items = open_properties(case.document)
        mesh = self._mesh(case, 1)
        yield Outcome(case, geometry, mesh, notes=stated)
        if open_items:
            raise OpenCaseError(open_items)
        problem = self._problem(case, mesh)
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
            notes=(*stated, *problem.notes, *solution.notes, *remarks(case, problem, solution.temperature)),
        )

    def _own(self, case: Case, geometry: AnyGeometry) -> ExactField | None:
        """The first field of the Working that a question is compared with."""
        for question in case.document.questions:
            name = question.expect.working if question.expect is not None else None
            places = set("xyz"[: geometry.space.dimension])  # a line that leaves one out may hold on a face alone
            if name is not None and name in case.fields and places <= case.fields[name].variables:
                try:
                    return own_field(name, case.fields[name], geometry.space)
                except ReferenceRefusedError:
                    continue
        return None

    def _solved(self, case: Case, refinement: int) -> SolvedField:
        geometry, mesh = self._geometry(case), self._mesh(case, refinement)
        problem = self._problem(case, mesh)
        solution = self._solution(problem)
        return SolvedField(geometry, mesh, solution.temperature, self._heat(problem, solution))

    def _checks(self, reached: Outcome, solved: SolvedField, finer: SolvedField | None) -> tuple[Check, ...]:
        assert reached.geometry is not None and reached.problem is not None
        case, checks = reached.case, list[Check]()
        fitted = {reached.exact.name: reached.exact} if reached.exact is not None else {}
        span = float(np.ptp(solved.temperature))
        for place, question in enumerate(case.document.questions):
            path = path_text(("questions", place, question.asks))
            members = case.document.members_of(str(question.target))
            value = answer(question, members, solved, path)
            # A halved cell size takes at least half of the error away where the field is no smoother than at a
            # singular corner, so twice the change is what may be left.
            error = None if finer is None else 2 * abs(answer(question, members, finer, path) - value)
            expected, source, note = case.expected.get(place), None, ""
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
                    case.units.of(question.kind),
                    asked_sentence(question, case.document.body.heat_basis),
                    value,
                    error,
                    expected,
                    source,
                    span,
                    note,
                )
            )
        return tuple(checks)

    def _field(self, name: str, case: Case, reached: Outcome) -> ExactField:
        assert reached.geometry is not None and reached.problem is not None
        if name in case.fields:
            return own_field(name, case.fields[name], reached.geometry.space)
        return exact_field(name, reached.geometry, reached.problem)

    def _geometry(self, case: Case) -> AnyGeometry:
        body = case.document.body
        return self._cached(
            "geometry", self._body_key(case), lambda: geometry_of(body, case.folder, case.document.surface_parts)
        )

    def _mesh(self, case: Case, refinement: int) -> Mesh:
        document = case.document
        own = document.surfaces if document.mesh.local else {}
        key = content_hash(self._body_key(case), document.mesh, own, refinement)

        def made() -> Mesh:
            return mesh_of(self._geometry(case), document.mesh, refinement, document.members_of)

        whole = self._cached("mesh", key, made)
        joints = sorted({name for joint in document.joints for name in joint.surfaces})
        parted = content_hash(key, joints, document.surfaces if joints else {})
        return self._cached("parted mesh", parted, lambda: parted_by_joints(document, whole))

    def _solution(self, problem: Problem) -> Solution:
        return self._cached("solution", self._hash(problem), lambda: solve_steady(problem, told=self._told))

    def _heat(self, problem: Problem, solution: Solution) -> dict[str, float]:
        return self._cached("heat", self._hash(problem), lambda: heat_flows(problem, solution))

    def _problem(self, case: Case, mesh: Mesh) -> Problem:
        document = case.document
        said = (self._body_key(case), document.body, document.materials, document.surfaces,
                document.surroundings, document.heat_inside, document.joints,
                [(question.target, question.side) for question in document.questions])  # fmt: skip
        return self._cached("problem", content_hash(self._hash(mesh), said), lambda: problem_of(document, mesh))

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
        result: Step = self._kept[place]
        return result


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
