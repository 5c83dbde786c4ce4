"""Derivatives of the answers of a steady case by its parameters, from one adjoint solution an answer.

With temperatures T that leave the residual R(T, p) = 0, an answer J(T, p) follows a parameter p by
dJ/dp = ∂J/∂p + λ·∂R/∂p, where λ solves the transposed equations for ∂J/∂T (Giles & Pierce, Flow, Turbulence and
Combustion 65 (2000) 393). ∂J/∂p and ∂R/∂p are taken at the temperatures as they are, on nodes that move with the
parameter: nothing is solved again for any of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NoReturn

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.case import Case
from blunt_ember.case.document.places import SurfaceNames
from blunt_ember.case.document.questions.question import Question, Reading
from blunt_ember.checks.questions.answers import answer
from blunt_ember.checks.questions.probes import probe_of
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.adjoint import Influences
from blunt_ember.fem.steady.balance import Balance
from blunt_ember.fem.steady.heat_flows import HeatFlows
from blunt_ember.flow.flow import Flow
from blunt_ember.immutable import immutable
from blunt_ember.studies.points import Point, data_with

#: Steps of the differences of residuals and of what is read of given temperatures, as a share of a parameter: nothing
#: is solved for them, so that they may be small.
STEP = 1e-3
#: By what share of all temperatures, or of the heat, what an answer is made of is changed to see how it follows.
_LITTLE = 1e-4


class NoAdjointError(BluntEmberError):
    """An answer or a parameter of which the adjoint solution does not tell; it says why."""


@immutable
class _Lagrangian:
    """What stays of an answer where temperatures are what they are: J + λ·R, whose derivative by a parameter is that of
    the answer."""

    question: Question
    place: int
    adjoint: Floats


class AdjointSlopes:
    """Derivatives of the answers of a steady case about its solution.

    Raises :class:`NoAdjointError` for a clock that runs.
    """

    def __init__(self, case: Case, flow: Flow) -> None:
        if case.document.running_clock is not None:
            raise NoAdjointError("the clock runs")
        self._case, self._flow = case, flow
        self._solved = flow.solved(case)
        self._base = Balance(flow.problem(case))
        self._influences = Influences(self._base.problem, self._solved.temperature)
        self._lagrangians: dict[str, _Lagrangian] = {}
        #: Why the adjoint solution does not tell of an answer, by its question.
        self.untold: dict[str, str] = {}
        for place, question in enumerate(case.document.questions):
            try:
                self._lagrangians[question.name] = _Lagrangian(question, place, self._adjoint(question, place))
            except NoAdjointError as error:
                self.untold[question.name] = str(error)

    def by(self, name: str, size: float) -> dict[str, tuple[float, float]]:
        """Return the derivative, SI, of every answer that can be told, by a parameter that has a ``size``: by
        differences of the second order, on half and on whole steps.

        Raises :class:`NoAdjointError` where cells do not stay the same as it changes, and the errors of cases that
        cannot be.
        """
        step = STEP * size
        middle = float(self._case.parameters[name].magnitude)
        far, near = ([self._values({name: middle + way * part * step}) for way in (1.0, -1.0)] for part in (1.0, 0.5))
        return {
            question: (
                (near[0][question] - near[1][question]) / step,
                (far[0][question] - far[1][question]) / (2 * step),
            )
            for question in self._lagrangians
        }

    def _values(self, point: Point) -> dict[str, float]:
        """J + λ·R of every answer at other parameters, at the temperatures of the solution but where they are held."""
        case = self._case.restated(data_with(self._case, point))
        problem = self._flow.problem(case)
        _require_same_cells(problem, self._base.problem)
        balance = Balance(problem)
        held, base = balance.constraints, self._base.constraints
        if not np.array_equal(held.held_nodes, base.held_nodes):
            raise NoAdjointError("other nodes are held as it changes")
        temperature = self._solved.temperature.copy()
        temperature[held.held_nodes] += held.held_values - base.held_values
        excess = temperature - balance.reference_temperature
        given, residual = balance.given(excess), balance.residual(excess)
        reaction = -residual
        reaction[balance.untied] = 0.0
        heat = HeatFlows(problem, balance.constraints).of(given, reaction)
        geometry = self._flow.geometry(case)
        at = SolvedField(case.document, geometry, problem.mesh, temperature, heat, problem=problem)
        questions = {question.name: question for question in case.document.questions}
        return {
            name: answer(questions[name], each.place, at) + float(each.adjoint @ residual)
            for name, each in self._lagrangians.items()
        }

    def _adjoint(self, question: Question, place: int) -> Floats:
        """λ (n,) of an answer, by all that it is made of."""
        reader = _Followed(self._solved, self._base.problem)
        question.read(reader)
        adjoint = np.zeros(self._solved.mesh.node_count)
        for number, part in enumerate(reader.parts):
            changed = [
                float(question.read(_Followed(self._solved, self._base.problem, number, way * part.step))[0])
                for way in (1.0, -1.0)
            ]
            share = (changed[0] - changed[1]) / (2 * part.step)
            if share:
                adjoint += share * self._adjoint_of(part)
        return adjoint

    def _adjoint_of(self, part: _Part) -> Floats:
        if part.slope is not None:
            return self._influences.on_reading(part.slope)
        return self._influences.shares_of(part.surfaces) - self._influences.on_heat(part.surfaces)


@immutable
class _Part:
    """A temperature that an answer is made of, with its ``slope`` (n,) by all temperatures, or heat through
    ``surfaces``; and the step by which it is changed to see what the answer makes of it."""

    step: float
    slope: Floats | None = None
    surfaces: tuple[str, ...] = ()


@dataclass
class _Followed:
    """Reads a solution and keeps what was read; the part of a number is read as if it were more ``by`` so much.

    What hangs on a solution in another way than by temperatures and heat through outer surfaces is refused.
    """

    solved: SolvedField
    problem: Problem
    changed: int = -1
    by: float = 0.0
    parts: list[_Part] = field(default_factory=list)

    def _read(self, value: float, part: _Part) -> Floats:
        self.parts.append(part)
        return np.array([value + (self.by if len(self.parts) - 1 == self.changed else 0.0)])

    def temperature(self, reading: Reading) -> Floats:
        """Read a temperature."""
        solved = self.solved
        probe = probe_of(reading, solved.document, solved.mesh, solved.geometry, ())
        part = _Part(_LITTLE * max(solved.span, 1e-6), slope=probe.slope(solved.temperature))
        return self._read(probe(solved.temperature), part)

    def heat_flow(self, surface: SurfaceNames) -> Floats:
        """Read the heat through outer surfaces."""
        names = self.solved.document.members_of(surface)
        _require_told(self.problem, names)
        value = sum(self.solved.heat[name] for name in names)
        scale = max((abs(self.solved.heat[name]) for name in names), default=0.0)
        return self._read(value, _Part(_LITTLE * max(scale, 1e-6), surfaces=tuple(names)))

    def answer(self, question: str) -> Floats:
        """Read another answer, of which the same parts are."""
        other = self.solved.document.questions[self.solved.document.place_of_question(question)]
        return other.read(self)

    def depth(self) -> float:
        """Return what a section stands for, m."""
        return self.solved.depth

    def area(self, surface: SurfaceNames) -> float:
        """Return the area of a surface, m²."""
        return self.solved.area(surface)

    def _refuse(self, *of: object) -> NoReturn:
        raise NoAdjointError("it is no temperature and no heat through an outer surface")

    heat_passed = heat_stored = radiation = view_factor = exchanged = coupling = _refuse
    undisturbed = undisturbed_flat = temperature_factor = surface_humidity = time_of = _refuse


def _require_told(problem: Problem, names: Sequence[str]) -> None:
    """Raise :class:`NoAdjointError` where heat through surfaces is not what their own temperatures and films make."""
    surfaces = problem.mesh.surfaces
    if not all(surfaces[name].outer for name in names):
        raise NoAdjointError("it is heat through an interface")
    if any(name in problem.enclosed for name in names):
        raise NoAdjointError("it is heat through a surface that looks into an enclosure")
    if any(name in pair for pair in problem.periodic for name in names):
        raise NoAdjointError("it is heat through a surface that repeats")
    for name in names:
        for other in problem.held:
            if name in problem.held and other not in names and _meet_in_two_regions(problem, name, other):
                raise NoAdjointError(f"'{name}' meets '{other}' of another region, and both are held")


def _meet_in_two_regions(problem: Problem, first: str, second: str) -> bool:
    one, other = (problem.mesh.surfaces[name] for name in (first, second))
    return one.regions[0] != other.regions[0] and bool(np.intersect1d(one.nodes, other.nodes).size)


def _require_same_cells(problem: Problem, base: Problem) -> None:
    """Raise :class:`NoAdjointError` where a mesh is not the same one with its nodes moved."""
    now, was = _cells(problem), _cells(base)
    same = problem.mesh.node_count == base.mesh.node_count and list(now) == list(was)
    if not same or not all(np.array_equal(now[key], was[key]) for key in was):
        raise NoAdjointError("the mesh is another one as it changes")


def _cells(problem: Problem) -> dict[str, Ints]:
    return {f"{place} {block.family}": block.nodes for place, block in enumerate(problem.mesh.blocks)}
