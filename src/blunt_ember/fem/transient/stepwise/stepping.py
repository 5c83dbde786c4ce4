"""Steps in time with an error tolerance: how long the next one is, and when its matrix is made anew."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field, replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import SolverError
from blunt_ember.fem.bounds import Bounds, met_at, together
from blunt_ember.fem.coupling import Solves, coupled
from blunt_ember.fem.linear import LinearSolver
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepwise.time_step import ERROR_WEIGHTS, INNER, NEWEST, State, TimeStep

#: Matrices that are kept ready, for lengths of step that come again.
_KEPT = 3
#: Lengths of step stand on a ladder of this ratio, so that one matrix serves many steps; of a wider one above so many
#: nodes, where a matrix costs more than the steps it saves.
_RUNG, _WIDE_RUNG, _WIDE_FROM = 2.0, 4.0, 5_000
#: How much a step may grow from one to the next, and shrink.
_GROWTH, _SHRINK = 8.0, 0.15
_SAFETY = 0.85
#: Share of the asked tolerance that the steps within the memory of the body may add up to.
_SHARE = 1.2
#: Corrections of the temperatures within a step before it is made shorter.
_CORRECTIONS = 10
#: What may be left over of a balance, as a share of the heat moved in the step, and where round-off begins.
_SETTLED, _ROUND_OFF = 1e-10, 1e-14
_GOOD_ENOUGH = 1e-7
#: A correction that takes less than this off what is left over wants a new matrix.
_SLOW = 0.2
#: Beyond this share of the span, temperatures outside their bounds are not round-off.
_OUTSIDE = 1e-10


@dataclass
class Work:
    """What a run has cost: steps taken and refused, matrices factorised, systems solved; ``exact`` steps lose nothing
    in time, ``even`` ones keep within bounds."""

    steps: int = 0
    refused: int = 0
    factorised: int = 0
    solved: int = 0
    even: int = 0
    exact: int = 0


@dataclass
class Stepper:
    """Steps through one piece of the time.

    ``tolerance`` in K is what the error may be at any time; ``memory`` in s is how long the body remembers an error.
    Errors of steps that lie further back have faded, so those within the memory, or since the last break, share the
    tolerance among them by their lengths: the error then follows the tolerance, however many steps there are.
    """

    heating: Heating
    tolerance: float
    memory: float
    bounded: bool = False
    work: Work = field(default_factory=Work)
    #: Time of the last break, from which on errors are remembered, s.
    begin: float = 0.0
    _solvers: OrderedDict[float, Solves] = field(default_factory=OrderedDict)

    def first_length(self, state: State, longest: float) -> float:
        """Return a length for the first step: the fastest node then moves by a small part of the tolerance."""
        free = self.heating.constraints.free
        capacity = np.abs(self.heating.capacity(state.excess).diagonal())[free]
        rate = np.abs(state.heat[free]) / np.maximum(capacity, 1e-300)
        fastest = float(rate.max(initial=0.0))
        length = self.tolerance / fastest if fastest > 0 else longest
        return float(np.clip(length, 1e-9 * longest, 0.02 * longest))

    def step(self, state: State, wanted: float, end: float) -> tuple[TimeStep, float]:
        """Return a step of at most the ``wanted`` length that keeps the tolerance, and the length wanted next.

        It ends at ``end`` exactly, if it comes so far. Raises :class:`SolverError` where no step is short enough.
        """
        wanted = self._on_ladder(wanted)
        while True:
            length, last = step_length(wanted, end - state.t)
            made = self._tried_step(state, end if last else state.t + length, last)
            allowed = self._allowed(state.t, length)
            if made is not None and made.error <= allowed:
                self.work.steps += 1
                growth = _SAFETY * np.sqrt(allowed / max(made.error, 1e-300))
                longer = float(length * np.clip(growth, _SHRINK, _GROWTH))
                return made, longer if not last else max(longer, wanted if growth > 1 else longer)
            self.work.refused += 1
            factor = 0.25 if made is None else _SAFETY * np.sqrt(allowed / made.error)
            wanted = float(length * np.clip(factor, _SHRINK, 0.7))
            if state.t + wanted == state.t or wanted < 1e-14 * max(abs(end), 1e-300):
                what = "no step is short enough to keep the tolerance"
                raise SolverError(f"{what} at {state.t:.6g} s; look for values that jump with temperature or time")

    def fixed_step(self, state: State, length: float, end: float) -> TimeStep:
        """Return a step of a given length, or up to ``end``; raise :class:`SolverError` where it does not settle."""
        last = length >= (end - state.t) * (1 - 1e-9)
        made = self._tried_step(state, end if last else state.t + length, last)
        if made is None:
            raise SolverError(f"the heat balance did not settle at {state.t:.6g} s; state a shorter step")
        self.work.steps += 1
        return made

    def _allowed(self, t: float, length: float) -> float:
        remembered = min(t - self.begin + length, self.memory)
        return self.tolerance * _SHARE * min(1.0, length / remembered)

    def _on_ladder(self, length: float) -> float:
        rung = _WIDE_RUNG if self.heating.count > _WIDE_FROM else _RUNG
        return float(rung ** np.floor(np.log(length) / np.log(rung) + 1e-9))

    def _tried_step(self, state: State, t: float, last: bool) -> TimeStep | None:
        """The step up to a time; None where the balance does not settle."""
        length = t - state.t
        weight = NEWEST * length
        # What is stated may jump at the end of a piece; this piece sees it from before.
        seen = float(np.nextafter(t, -np.inf)) if last else t
        halfway = state.t + INNER * length
        share = (1 / (INNER * (2 - INNER)), (1 - INNER) ** 2 / (INNER * (2 - INNER)))
        with np.errstate(all="ignore"):
            guess = state.excess
            inner = self._settled(state.content + weight * state.heat, weight, halfway, guess, state)
            if inner is None:
                return None
            guess = state.excess + (inner.excess - state.excess) / INNER
            known = share[0] * inner.content - share[1] * state.content
            after = self._settled(known, weight, t, guess, state, seen)
            if after is None:
                return None
            heats = sum(each * moment.heat for each, moment in zip(ERROR_WEIGHTS, (state, inner, after), strict=True))
            error = self._solved(weight, after, self.heating.constraints.collected(length * heats))
        largest = float(np.abs(error).max(initial=0.0))
        made = TimeStep(state, inner, after, largest if np.isfinite(largest) else np.inf)
        return self._within_bounds(replace(made, straight=True), seen) if self.bounded else made

    def _within_bounds(self, made: TimeStep, seen: float) -> TimeStep | None:
        """The step, or where it leaves the bounds of what it began with and meets, one that cannot."""
        low, high = self._bounds(made, seen)
        slack = _OUTSIDE * max(high - low, 1e-12) if np.isfinite(high - low) else 0.0
        reached = np.concatenate([made.inner.excess, made.after.excess])
        if reached.min() >= low - slack and reached.max() <= high + slack:
            return made
        before, t = made.before, made.after.t
        after = self._settled(before.content, made.length, t, before.excess, before, seen)
        if after is None:
            return None
        self.work.even += 1
        midway = State(made.inner.t, before.excess + INNER * (after.excess - before.excess), before.content, after.heat)
        inner = State(midway.t, midway.excess, self.heating.content(midway.excess), after.heat)
        return TimeStep(before, inner, after, float(np.abs(after.excess - made.after.excess).max()), even=True)

    def _bounds(self, made: TimeStep, seen: float) -> Bounds:
        """Lowest and highest excess, K, that heat may flow to, as no source stands against it."""
        heating, before = self.heating, made.before.excess
        times = (made.before.t, made.inner.t, seen)
        met = [met_at(heating.problem, heating.terms, before, heating.reference_temperature, t) for t in times]
        return together([(float(before.min()), float(before.max())), *met])

    def _settled(
        self, known: Floats, weight: float, t: float, guess: Floats, before: State, seen: float | None = None
    ) -> State | None:
        """The instant at which content less ``weight`` times heat is what is ``known``; None where none is found."""
        heating = self.heating
        seen = t if seen is None else seen
        constraints, free = heating.constraints, guess[heating.constraints.free]
        fresh, size = False, np.inf
        for correction in range(_CORRECTIONS):
            excess = heating.excess_of(free, seen)
            try:
                content, heat = heating.content(excess), heating.heat(excess, seen)
            except SolverError:
                return None
            left = constraints.collected(known + weight * heat - content)
            before_size, size = size, float(np.linalg.norm(left))
            moved = weight * np.linalg.norm(heat) + np.linalg.norm(content - before.content)
            floor = _ROUND_OFF * (np.linalg.norm(known) + np.linalg.norm(content))
            if not np.isfinite(size):
                return None
            if size <= _SETTLED * moved + floor:
                return State(t, excess, content, heat)
            if correction and size > 0.5 * before_size and size <= _GOOD_ENOUGH * moved + 10 * floor:
                return State(t, excess, content, heat)  # round-off: there is nothing left to gain
            if correction and size > _SLOW * before_size and not heating.linear and not fresh:
                self._solvers.clear()
                fresh = True
            if correction > 1 and fresh and size > 2 * before_size:
                return None
            free = free + self._solved(weight, State(seen, excess, content, heat), left)
        return None

    def _solved(self, weight: float, at: State, left: Floats) -> Floats:
        solver = self._solver(weight, at)
        before = solver.prepared
        result = solver.solve(left)
        self.work.solved += 1
        self.work.factorised += int(solver.prepared) - int(before)
        return result

    def _solver(self, weight: float, at: State) -> Solves:
        """A matrix made ready: that of this very length, or in a nonlinear balance one that is close."""
        near = 1e-9 if self.heating.linear else 0.3
        known = next((each for each in self._solvers if abs(each / weight - 1) < near), None)
        if known is None:
            matrix = self.heating.matrix(at.excess, at.t, weight)
            dimension = self.heating.problem.mesh.dimension
            sparse = LinearSolver(matrix, self.heating.spaces, dimension, self.heating.symmetric, True, heavy=True)
            self._solvers[weight] = coupled(sparse, self.heating.couplings(at.excess, at.t, weight))
            self.work.factorised += int(self._solvers[weight].prepared)
            known = weight
            while len(self._solvers) > (_KEPT if self.heating.linear else 1):
                self._solvers.popitem(last=False)
        self._solvers.move_to_end(known)
        return self._solvers[known]


def step_length(wanted: float, remaining: float) -> tuple[float, bool]:
    """Return a length that leaves no crumb before the end, and whether it reaches it."""
    if wanted >= remaining * (1 - 1e-9):
        return remaining, True
    return (remaining / 2, False) if wanted > remaining / 2 else (wanted, False)
