"""The heat balance of every node, solved at once where it is linear, else by Newton's method with a line search."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import SolverError
from blunt_ember.fem.alike_matrices import diagonals_of
from blunt_ember.fem.assembly import assembled
from blunt_ember.fem.constraints import constraints_of
from blunt_ember.fem.coupling import Coupling, Solves, coupled
from blunt_ember.fem.equations import Equations
from blunt_ember.fem.linear import LinearSolver, Solved, fits_factors, solve_corrected
from blunt_ember.fem.multigrid.on_boxes import on_boxes
from blunt_ember.fem.multigrid.spaces import InParts, Spaces
from blunt_ember.fem.prepared import Prepared
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import build_terms
from blunt_ember.fem.terms.enclosure import couplings_of
from blunt_ember.fem.terms.inside import Conduction
from blunt_ember.fem.terms.term import Term, TermKind
from blunt_ember.immutable import immutable

#: Newton's method ends when the residual is this share of the heat that flows, or does not fall any more below the
#: second share, where round-off begins.
CONVERGED = 1e-13


RESIDUAL_TOLERANCE = 1e-9


#: Residual below which a new slope pays no more.
SAME_SLOPE = 1e-5


#: What an iteration leaves over of a step of Newton's method, as the next one takes it down further.
STEP_LEFT_OVER = 1e-7


MOST_STEPS = 60


#: Steps in which the residual must at least halve.
PATIENCE = 12


#: A step is halved until it takes the residual down by this share of what the linear model promises.
SUFFICIENT = 1e-4


MOST_HALVINGS = 60

#: Where hardly anything is left over a step that does not take it down is round-off: few halvings tell.
HALVINGS_AT_THE_END = 4


@immutable
class NewtonStep:
    """One step: the residual left by it as a share of the heat that flows, and the share of the step taken.

    ``again`` marks one of a solution that only tells how far the answers of another may be off.
    """

    residual: float
    taken: float
    again: bool = False


@immutable
class Given:
    """Heat in W, ``heat`` (m, n), that a term gives to ``nodes`` (m, n) at the solution; the rest as of the term."""

    kind: TermKind
    name: str
    regions: Ints
    nodes: Ints
    heat: Floats


@immutable
class _At:
    """What is ``given`` at an ``excess`` (n,), and what its last digits make of that, once it is asked for."""

    excess: Floats
    given: tuple[Given, ...]
    find_noise: Callable[[], Floats]

    @cached_property
    def noise(self) -> Floats:
        """What last digits make of heat at every node (n,), W."""
        return self.find_noise()

    @cached_property
    def _sums(self) -> tuple[Floats, Floats]:
        left, total = np.zeros((2, len(self.excess)))
        for each in self.given:
            nodes = each.nodes.ravel()
            at_nodes = np.bincount(nodes, each.heat.ravel(), minlength=len(left))
            left += at_nodes
            if each.kind != "conduction":
                at_nodes = np.bincount(nodes, np.abs(each.heat.ravel()), minlength=len(left))
            total += np.abs(at_nodes)
        return left, total

    @property
    def left(self) -> Floats:
        """Heat (n,) that is given to each node and goes nowhere."""
        return self._sums[0]

    @property
    def flowing(self) -> float:
        """The size of the heat flows that it is the sum of."""
        return max(float(np.linalg.norm(self._sums[1])), 1e-300)


class Balance:
    """The heat balance of every node, as a function of the temperatures that are free."""

    def __init__(self, problem: Problem, t: float = 0.0) -> None:
        self.problem = problem
        self.t = t
        self.reference_temperature = reference_temperature_of(problem, t)
        self.terms = build_terms(problem, self.reference_temperature)
        self.constraints = constraints_of(problem, t)
        self.fixed = np.zeros(problem.mesh.node_count)
        self.fixed[self.constraints.held_nodes] = self.constraints.held_values - self.reference_temperature
        # What is solved for is asked for once more when it is found.
        self._latest: _At | None = None

    @cached_property
    def untied(self) -> Ints:
        """Free nodes that no other follows and that follow no other: nothing is given to them by a constraint."""
        tied = [tie.nodes for tie in self.constraints.ties] + [tie.weights.indices for tie in self.constraints.ties]
        untied = self.constraints.free.copy()
        untied[np.concatenate([np.zeros(0, dtype=np.int64), *tied])] = False
        return np.flatnonzero(untied)

    def excess_of(self, free: Floats) -> Floats:
        """All temperatures over the reference temperature, from those that are free."""
        return self.constraints.every(free) + self.fixed

    def given(self, excess: Floats) -> tuple[Given, ...]:
        """Every term with the heat it gives."""
        return self._at(excess).given

    def residual(self, excess: Floats) -> Floats:
        """Heat in W (n,) that is given to each node and goes nowhere."""
        return self._at(excess).left

    def _at(self, excess: Floats) -> _At:
        """What holds at an excess; known of the latest one."""
        if self._latest is None or not np.array_equal(self._latest.excess, excess):
            given = tuple(
                Given(term.kind, term.name, term.regions, term.nodes, term.heat(excess[term.nodes], self.t))
                for term in self.terms
            )
            self._latest = _At(excess, given, lambda: self._noise(excess))
        return self._latest

    def noise(self, excess: Floats) -> Floats:
        """What the last digits of the temperatures make of heat at every node (n,), W."""
        return self._at(excess).noise

    def _noise(self, excess: Floats) -> Floats:
        total = np.zeros(len(excess))
        for term in self.terms:
            slope = term.slope(excess[term.nodes], self.t)
            if slope is not None:
                own = np.abs(diagonals_of(slope))
                total += np.bincount(term.nodes.ravel(), own.ravel(), minlength=len(total))
        return np.finfo(float).eps * (np.abs(excess).max() + abs(self.reference_temperature)) * total

    def matrix(self, excess: Floats) -> csr_array:
        """Minus the derivative of the residual, for the free temperatures."""
        return self._assembled(self.terms, excess)

    def _assembled(self, terms: Sequence[Term], excess: Floats) -> csr_array:
        """What some terms make of it."""
        slopes = [
            (term.nodes, slope) for term in terms if (slope := term.slope(excess[term.nodes], self.t)) is not None
        ]
        if self.constraints.ties:
            return self.constraints.reduced(assembled(slopes, self.problem.mesh))
        return assembled(slopes, self.problem.mesh, self.constraints.free)

    @property
    def spaces_in_parts(self) -> Spaces:
        """Those of a linear problem, which know what its conduction comes to."""
        return Spaces(self.problem.mesh, self.constraints, self._in_parts)

    @property
    def _in_parts(self) -> InParts | None:
        """The matrix of a linear problem on a lattice, as what alike cells conduct and the rest."""
        conduction = [term.alike for term in self.terms if isinstance(term, Conduction)]
        if len(conduction) != 1 or conduction[0] is None:
            return None
        others = [term for term in self.terms if not isinstance(term, Conduction)]
        return InParts(conduction[0], lambda: self._assembled(others, self.fixed))

    def couplings(self, excess: Floats) -> tuple[Coupling, ...]:
        """What the matrix leaves out, for the free temperatures: heat that follows temperatures far away."""
        return couplings_of(self.terms, excess, self.t, self.constraints.prolongation)

    @property
    def symmetric(self) -> bool:
        """Whether the matrix is, and positive definite: what follows temperature may make it neither."""
        return all(term.spd for term in self.terms)

    @cached_property
    def spaces(self) -> Spaces:
        """Ever coarser spaces of the free temperatures."""
        return Spaces(self.problem.mesh, self.constraints)

    def linear_excess(self, prepared: Prepared | None = None, near: Solved | None = None) -> Solved:
        """Solve a linear problem in one go; ``prepared`` and ``near`` as in :func:`solve_steady`."""
        free = np.zeros(self.constraints.prolongation.shape[1])
        if not len(free):
            return Solved(self.fixed, "direct", 0.0)
        dimension, prepared = self.problem.mesh.dimension, prepared or Prepared()
        spaces = self.spaces_in_parts
        boxes = None
        if spaces.in_parts is not None and not fits_factors(len(free), dimension, False, spaces.on_lattice):
            boxes = on_boxes(self.problem.mesh, self.constraints.free, spaces.in_parts, prepared.spaces)
        matrix = Equations(len(free), lambda: self.matrix(self.fixed), boxes)
        thought = None
        if near is not None and not self.constraints.ties:
            thought = replace(near, x=(near.x - self.reference_temperature)[self.constraints.free])
        found = solve_corrected(matrix, self.left_over, self._noise_of, spaces, dimension, prepared.analysis, thought)
        return replace(found, x=self.excess_of(found.x))

    def newton(
        self, start: float | None, on_progress: Callable[[NewtonStep], None], prepared: Prepared | None = None
    ) -> tuple[Solved, tuple[NewtonStep, ...]]:
        """Newton's method with a line search on the residual, from an even temperature."""
        free = np.full(
            self.constraints.prolongation.shape[1], 0.0 if start is None else start - self.reference_temperature
        )
        if not len(free):
            return Solved(self.fixed, "direct", 0.0), ()
        left, flowing = self.left_over(free)
        if not np.isfinite(left).all():
            raise SolverError("a value has no finite size at the temperature that the solution starts from")
        steps: list[NewtonStep] = []
        solver: Solves | None = None
        analysis = (prepared or Prepared()).analysis
        while len(steps) < MOST_STEPS:
            if solver is None or not steps or steps[-1].residual > SAME_SLOPE:
                at = self.excess_of(free)
                couplings = self.couplings(at)
                dimension = self.problem.mesh.dimension
                sparse = LinearSolver(
                    self.matrix(at),
                    self.spaces,
                    dimension,
                    self.symmetric,
                    bool(couplings),
                    analysis=analysis,
                    left_over=STEP_LEFT_OVER,
                )
                solver = coupled(sparse, couplings)
            size = float(np.linalg.norm(left))
            settled = size <= RESIDUAL_TOLERANCE * flowing
            halvings = HALVINGS_AT_THE_END if settled else MOST_HALVINGS
            trial, after, now_flowing, taken = self._searched(free, left, solver.solve(left), halvings)
            shrunk = float(np.linalg.norm(after))
            if trial is None or not shrunk < size * 0.5:
                if settled:
                    break  # round-off: there is nothing left to gain
                if trial is None:
                    what = "no step brings the heat balance closer; look for values that jump or fall with temperature"
                    raise SolverError(f"{what} (still {size / flowing:.1g} of the heat that flows is left over)")
            assert trial is not None
            free, left, flowing = trial, after, now_flowing
            steps.append(NewtonStep(shrunk / max(flowing, 1e-300), taken))
            on_progress(steps[-1])
            if shrunk <= CONVERGED * flowing:
                break
            if len(steps) > PATIENCE and steps[-1].residual > steps[-1 - PATIENCE].residual / 2:
                break  # it gets nowhere
        if steps and steps[-1].residual > RESIDUAL_TOLERANCE:
            what = f"the heat balance did not settle in {len(steps)} steps of Newton's method"
            why = "look for values that grow or fall too steeply with temperature"
            raise SolverError(f"{what}; still {steps[-1].residual:.1g} of the heat that flows is left over; {why}")
        excess = self.excess_of(free)
        if (excess + self.reference_temperature < -1e-6).any():
            raise SolverError(self._no_temperature())
        assert solver is not None
        return Solved(excess, solver.method, solver.off(left, self._noise_of(free))), tuple(steps)

    def _no_temperature(self) -> str:
        """Why the balance has no temperatures above absolute zero."""
        sources = [term for term in self.terms if term.kind == "region" and not term.linear]
        warm = np.zeros(self.problem.mesh.node_count)
        if sum(float(term.heat(warm[term.nodes], self.t).sum()) for term in sources) > 0:
            what = "the heat that arises grows with temperature faster than it can flow away, so that none settles"
            return f"{what}: the body heats up without end; state less heat, or better cooling"
        return "more heat is taken out than can flow in: the temperature would fall below absolute zero"

    def left_over(self, free: Floats) -> tuple[Floats, float]:
        """The residual (f,), and the size of the heat flows it is the sum of."""
        at = self._at(self.excess_of(free))
        return self.constraints.collected(at.left), at.flowing

    def _noise_of(self, free: Floats) -> Floats:
        """What last digits make of the residual (f,)."""
        return self.constraints.collected(self.noise(self.excess_of(free)))

    def _searched(
        self, free: Floats, left: Floats, step: Floats, halvings: int
    ) -> tuple[Floats | None, Floats, float, float]:
        """Halve a step until it takes the residual down; None where no share of it does that so many halvings reach."""
        size = float(np.linalg.norm(left))
        share = 1.0
        for _ in range(halvings):
            trial = free + share * step
            try:
                with np.errstate(all="ignore"):
                    after, flowing = self.left_over(trial)
                    shrunk = float(np.linalg.norm(after))
            except SolverError:  # a law has no value so far out
                shrunk = np.inf
            if shrunk <= (1 - SUFFICIENT * share) * size:
                return trial, after, flowing, share
            share /= 2
        return None, left, 1.0, 0.0


def reference_temperature_of(problem: Problem, t: float = 0.0) -> float:
    """Mean of the temperatures that are stated, K."""
    mesh = problem.mesh
    stated: list[float] = []
    stated += [law.opening.constant for law in problem.enclosures if law.opening is not None and law.opening.constant]
    laws = [(name, law) for name, law in problem.held.items()]
    for name, acting in problem.exchanges.items():
        laws += [(name, ambient) for each in acting for ambient in each.ambient]
    for name, law in laws:
        nodes = mesh.surfaces[name].nodes
        if law.constant is not None:
            stated.append(law.constant)
        else:
            # Corners may lie where a formula has no value; its middle serves.
            places = mesh.space.variables(mesh.points[nodes])
            values = law.at({**places, "t": np.full(len(nodes), t)})
            stated.append(float(np.median(values[np.isfinite(values)])) if np.isfinite(values).any() else 300.0)
    return float(np.mean(stated)) if stated else 300.0
