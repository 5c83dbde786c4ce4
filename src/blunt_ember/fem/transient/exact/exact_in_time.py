"""Runs that are exact in time: where no material follows temperature, and what is given is a polynomial of the time.

Between two breaks C y' = f(t) − K y then has the solution y(t) = y₀ + Σ cₖ k! tᵏ⁺¹ φₖ₊₁(−t A) C⁻¹ d, with A = C⁻¹ K,
summed over what drives the difference from the begin: f(0) − K y₀ at once, and a few patterns d in space whose shares
Σ cₖ tᵏ change with time; what is held takes part in them. The response to each is found for all times at once in the
space that (C + γ K)⁻¹ C spans with (C + γ K)⁻¹ d, by Lanczos' method in the inner product of C: one factorisation and
some twenty solutions (J. van den Eshof & M. Hochbruck, SIAM J. Sci. Comput. 27 (2006) 1438; I. Moret & P. Novati, BIT
44 (2004) 595).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats
from blunt_ember.fem.factors import factorised
from blunt_ember.fem.linear import fits_factors
from blunt_ember.fem.transient.exact.driving import PASSED, Driving, StatedInTime
from blunt_ember.fem.transient.exact.trajectory import Response, Trajectory, every_integral
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepwise.stepping import Stepper, step_length
from blunt_ember.fem.transient.stepwise.time_step import SAME_INSTANT, State, StepForm
from blunt_ember.immutable import immutable

#: How many times longer a space reaches than the first step taken in it: after a break, where what jumps is rough, and
#: later on; and than its pole. One that is not found reaches so many times less far.
_REACH_ROUGH, _REACH, _POLE, _LESS = 10.0, 1000.0, 30.0, 10.0
#: Vectors of a space at most, and how little the last two may change of what is moved, by their share.
_MOST_VECTORS, _CONVERGED = 56, 1e-12
#: By how much a step is longer than the one before.
_GROWTH = 1.4
#: Nodes up to which the vectors of a space are held.
_MOST_NODES = 300_000
#: A first step is at most this share of the time, and at least that one; and so many times the time in which the cells
#: feel heat, as before that they overshoot: what a mesh cannot resolve is not read from it.
_FIRST, _RESOLVED = (3e-4, 0.02), 16.0
#: Nodes that are given this share of the largest heat decide about the first step.
_FELT = 1e-3
#: Steps through what is no straight line, and how small a pattern of what drives a run is none, as a share of the
#: largest.
_SEEN, _PATTERN = 24, 1e-12
#: How often it is looked again for polynomials where none was found.
_TRIES = 3
#: By how much the pole of factors may be off the best one.
_ALIKE = 4.0


@immutable
class LinearBalance:
    """C y' = f − K y of all nodes, as they are ``driven``; the ``capacity`` C (n, n) in J/K, the ``conductance`` K
    (n, n) in W/K."""

    driven: Driving
    capacity: csr_array
    conductance: csr_array

    def state(self, t: float, excess: Floats, first: float | None = None) -> State:
        """Return the instant at a time in s with the excess (n,) in K then; the mean of all since the ``first`` time,
        where one is given."""
        since = None if first is None else (first, t)
        given = self.driven.given_at(t) if first is None else self.driven.given_between(first, t)
        at = t if first is None else (first + t) / 2
        return State(at, excess, self.capacity @ excess, given - self.conductance @ excess, since)

    def patterns(self, t: float, prolongation: csr_array) -> tuple[Floats, Floats]:
        """Return the patterns (f, r) in W of what changes after a time in s as the free nodes are given it, and the
        shares (d, r) of each in the first and every further power of the seconds since."""
        driven = self.driven
        whole = driven.given.T - self.conductance @ driven.held.T - self.capacity @ driven.held_rates.T
        columns = np.asarray(prolongation.T @ whole)[:, 1:]
        if not columns.any():
            return np.zeros((len(columns), 0)), np.zeros((0, 0))
        left, values, right = np.linalg.svd(columns, full_matrices=False)
        kept = values > _PATTERN * values.max()
        shares = np.vstack([np.zeros(int(kept.sum())), (right[kept] * values[kept, None]).T])
        return left[:, kept], driven.since(t, shares)[1:]


@immutable
class ExactStep(StepForm):
    """A piece of a trajectory from ``before`` to ``after``.

    ``mean`` is the mean of all instants between, whose heat is all that has come in; the excess of ``rate`` in K/s is
    how fast that of ``after`` changes.
    """

    trajectory: Trajectory
    balance: LinearBalance
    before: State
    mean: State
    after: State
    rate: State

    @property
    def states(self) -> tuple[State, ...]:
        """All four."""
        return self.before, self.mean, self.after, self.rate

    def seen(self, share: float) -> tuple[ExactStep, float]:
        """Return the step that ends at a share of this one, of which all is known at its ends alone."""
        if share <= 0 or share >= 1:
            return self, share
        t = self.before.t + share * self.length
        return exact_step(self.trajectory, self.balance, self.before, t), 1.0

    def excess_at(self, share: float) -> Floats:
        """Return the temperatures (n,) over the reference temperature at a share of the step, K."""
        return self.trajectory.at(self.before.t + share * self.length)

    def rate_at(self, share: float) -> Floats:
        """Return how fast the temperatures (n,) change at a share of the step, K/s."""
        return self.trajectory.rate_at(self.before.t + share * self.length)

    def blend(self, share: float) -> Floats:
        """Return the weights (4,) of the states at an end of the step."""
        return np.array([0.0, 0.0, 1.0, 0.0]) if share else np.array([1.0, 0.0, 0.0, 0.0])

    def slopes(self, share: float) -> Floats:
        """Return the weights (4,) of the states in the rate of change at its end; at its begin in that of the whole,
        as what jumps there has no rate."""
        return np.array([0.0, 0.0, 0.0, 1.0]) if share else np.array([-1.0, 0.0, 1.0, 0.0]) / self.length

    def heat_weights(self, share: float) -> Floats:
        """Return the weights (4,) in s of the heats whose sum is the heat that has come in up to an end."""
        return np.array([0.0, share * self.length, 0.0, 0.0])

    def heat_rates(self, share: float) -> Floats:
        """Return the weights (4,) of the heats in the power that closes the balance with :meth:`slopes`."""
        return np.array([0.0, 0.0, 1.0, 0.0]) if share else np.array([0.0, 1.0, 0.0, 0.0])


def exact_step(trajectory: Trajectory, balance: LinearBalance, before: State, t: float) -> ExactStep:
    """Return the step of a trajectory from an instant on it to a time in s."""
    after, mean, rate = trajectory.seen(before.t, t)
    return ExactStep(
        trajectory, balance, before, balance.state(t, mean, before.t), balance.state(t, after), balance.state(t, rate)
    )


def is_exact(heating: Heating) -> bool:
    """Tell whether a piece of a run can be had exactly: all is linear, and what it is driven by is known beforehand."""
    return (
        heating.linear
        and heating.symmetric
        and heating.count <= _MOST_NODES
        and fits_factors(heating.count, heating.problem.mesh.dimension)
        and heating.constraints.prolongation.shape[1] > 0
    )


@dataclass
class ExactStepper:
    """Takes steps through one piece of the time, exactly; what no space is found for is left to another ``stepper``."""

    heating: Heating
    stepper: Stepper
    #: What is known up to the end of the piece, s; None where nothing drives it that a polynomial could be.
    _balance: LinearBalance | None = None
    _stated: StatedInTime | None = None
    _end: float | None = None
    #: When to look again after nothing was met, s, and how often that was.
    _again: float | None = None
    _refused: int = 0
    _known: Trajectory | None = None
    #: The last instants that lie on what is known.
    _on: tuple[State, ...] = ()
    #: The pole of the last factors, s, and what solves with them.
    _factors: tuple[float, Callable[[Floats], Floats]] | None = None

    def begin(self, begin: float, end: float) -> None:
        """Look at what is stated between two times in s, at which it may bend or jump."""
        self._end, self._known, self._on, self._refused = end, None, (), 0
        self._stated = StatedInTime(self.heating, begin, end)
        self._look(begin, end)

    def first_length(self, state: State, longest: float) -> float:
        """Return a length for the first step: the time in which the cells that are given heat resolve it."""
        balance = self._balanced(state, state.t + longest)
        if balance is None:
            return self.stepper.first_length(state, longest)
        free = self.heating.constraints.free
        given = np.abs(state.heat[free])
        felt = given >= _FELT * given.max(initial=0.0)
        capacity, conductance = (each.diagonal()[free][felt] for each in (balance.capacity, balance.conductance))
        least = float((capacity / np.maximum(conductance, 1e-300)).min(initial=np.inf))
        return float(np.clip(_RESOLVED * least, _FIRST[0] * longest, _FIRST[1] * longest))

    def step(self, state: State, wanted: float, end: float) -> tuple[StepForm, float]:
        """Return a step of at most the ``wanted`` length in s, and the length wanted next; it may end at ``end``."""
        balance = self._balanced(state, end)
        if balance is None:
            return self.stepper.step(state, wanted, end if self._again is None else min(end, self._again))
        length, last = step_length(min(wanted, _longest_step(balance.driven)), end - state.t)
        found = self._from(state, length, balance)
        if found is None:
            return self.stepper.step(state, wanted, end)
        t = end if last and found.reach >= end * (1 - 1e-12) else min(state.t + length, found.reach)
        made = self._made(found, balance, state, t)
        return made, max(wanted, _GROWTH * made.length)

    def fixed_step(self, state: State, length: float, end: float) -> StepForm:
        """Return a step of a given length in s, or up to ``end``; a shorter one where what is stated goes on as
        another polynomial before."""
        balance = self._balanced(state, end)
        found = None if balance is None else self._from(state, length, balance)
        if balance is None or found is None:
            return self.stepper.fixed_step(state, length, end)
        t = end if length >= (end - state.t) * (1 - 1e-9) else state.t + length
        return self._made(found, balance, state, min(t, max(found.reach, state.t + length * (1 - 1e-9))))

    def _balanced(self, state: State, end: float) -> LinearBalance | None:
        """The balance from a state on; another one where what drives it was known up to there only."""
        known = self._balance
        if self._end is None:
            self.begin(state.t, end)
        elif (known is not None and state.t >= known.driven.end - SAME_INSTANT * known.driven.length) or (
            known is None and self._again is not None and state.t >= self._again * (1 - SAME_INSTANT)
        ):
            self._look(state.t, self._end)
        return self._balance

    def _look(self, t: float, end: float) -> None:
        """Look at what drives it from a time in s on; what meets nothing is passed by steps, and looked at again."""
        assert self._stated is not None
        driven, zero = self._stated.since(t), np.zeros(self.heating.count)
        self._balance = self._known = None
        if driven is not None:
            capacity, conductance = self.heating.capacity(zero), self.heating.conductance(zero, t)
            self._balance = LinearBalance(driven, capacity, conductance)
        self._refused += driven is None
        self._again = t + PASSED * (end - t) if self._refused < _TRIES else None

    def _made(self, trajectory: Trajectory, balance: LinearBalance, state: State, t: float) -> ExactStep:
        made = exact_step(trajectory, balance, state, t)
        self.stepper.work.steps += 1
        self.stepper.work.exact += 1
        self._on = (state, made.after)
        return made

    @cached_property
    def _free_matrices(self) -> tuple[csr_array, csr_array]:
        """Capacity and conductance as the free nodes see them."""
        reduced, zero = self.heating.constraints.reduced, np.zeros(self.heating.count)
        return reduced(self.heating.capacity(zero)), reduced(self.heating.conductance(zero, self.heating.begin))

    def _from(self, state: State, length: float, balance: LinearBalance) -> Trajectory | None:
        """The trajectory through a state that holds for a length from it on in s, or to the end of what drives it; None
        where none is found."""
        known, end = self._known, balance.driven.end
        length = min(length, end - state.t)
        on_it = any(state is each for each in self._on)
        if known is not None and on_it and state.t + length * (1 - 1e-9) <= known.reach:
            return known
        reach = min(end - state.t, (_REACH if on_it else _REACH_ROUGH) * length)
        while True:
            self._known = self._found(state, length, reach, balance)
            if self._known is not None or reach <= length:
                return self._known
            reach = max(reach / _LESS, length)

    def _found(self, state: State, first: float, reach: float, balance: LinearBalance) -> Trajectory | None:
        """The trajectory from a state on, from a ``first`` time after it to its ``reach``, both in s."""
        prolongation, driven = self.heating.constraints.prolongation, balance.driven
        at_once = prolongation.T @ (state.heat - balance.capacity @ driven.held_rate(state.t))
        patterns, shares = balance.patterns(state.t, prolongation)
        powers = np.arange(1, len(shares) + 1)
        # The k-th derivative of a power at the begin.
        shares = shares * np.cumprod(powers)[:, None]
        driven_by = [(np.asarray(at_once), np.ones(1))] if at_once.any() else []
        driven_by += [(pattern, np.append(0.0, share)) for pattern, share in zip(patterns.T, shares.T, strict=True)]
        responses = []
        for pattern, share in driven_by:
            found = self._response(pattern, share, first, reach)
            if found is None:
                return None
            responses.append(found)
        return Trajectory(state.t, state.t + reach, state.excess, driven, tuple(responses))

    def _solve(self, pole: float) -> Callable[[Floats], Floats]:
        """What solves with C + pole K; factors that are there already do for a pole that is not much another one."""
        capacity, conductance = self._free_matrices
        known = self._factors
        if known is None or not 1 / _ALIKE <= known[0] / pole <= _ALIKE:
            self._factors = known = (pole, factorised(csr_array(capacity + pole * conductance), True))
            self.stepper.work.factorised += 1
        return known[1]

    def _response(self, driving: Floats, shares: Floats, first: float, reach: float) -> Response | None:
        """How the free nodes answer to what drives them, (f,) in W by its ``shares``; None where no space is found."""
        capacity, _ = self._free_matrices
        solve, work = self._solve(reach / _POLE), self.stepper.work
        assert self._factors is not None
        pole = self._factors[0]
        prolongation = self.heating.constraints.prolongation
        times = np.geomspace(min(first, reach), reach, 8)
        start = solve(driving)
        work.solved += 1
        size = np.sqrt(start @ (capacity @ start))
        if not np.isfinite(size):
            return None
        if size == 0:
            return Response(np.zeros((self.heating.count, 1)), np.zeros(1), np.zeros(1), shares)
        # What does not begin at once is smoother, and the more so the later it begins.
        order = 1 if shares[0] else 2
        basis = np.empty((len(start), _MOST_VECTORS), order="F")
        basis[:, 0] = start / size
        held = capacity @ basis[:, 0]
        small, before, still = np.zeros((_MOST_VECTORS, _MOST_VECTORS)), None, 0
        for count in range(1, _MOST_VECTORS):
            # Twice, as what round-off leaves in the directions before would grow.
            following = solve(held)
            work.solved += 1
            held = capacity @ following
            for _ in range(2):
                along = basis[:, :count].T @ held
                small[:count, count - 1] += along
                following -= basis[:, :count] @ along
                held = capacity @ following
            left = float(np.sqrt(max(following @ held, 0.0)))
            if not np.isfinite(small[:count, :count]).all():
                return None
            rates, moved, turned = _modes(small[:count, :count], pole)
            now = turned @ (moved[:, None] * _over(rates, times, order))
            still = still + 1 if before is not None and _same(before, now) else 0
            if left <= _CONVERGED or still == 2 or count == len(start):
                modes = prolongation @ (basis[:, :count] @ turned)
                return Response(modes, rates, size * moved, shares)
            before = now
            small[count, count - 1] = left
            basis[:, count], held = following / left, held / left
        return None


def _modes(small: Floats, pole: float) -> tuple[Floats, Floats, Floats]:
    """Rates (m,) in 1/s at which the modes of a space decay, how much of each a unit of its first vector moves, and
    the modes (m, m) themselves."""
    values, turned = np.linalg.eigh((small + small.T) / 2)
    values = np.clip(values, 1e-14, 1.0)
    return (1 / values - 1) / pole, turned[0] / values, turned


def _longest_step(driven: Driving) -> float:
    """How long a step may be, s: what swings is seen several times on its way."""
    return np.inf if driven.degree <= 1 else driven.length / _SEEN


def _over(rates: Floats, times: Floats, order: int) -> Floats:
    """How far modes have moved by some times, and how fast they then do times that, (m, 2 t)."""
    every = every_integral(rates, times, order)
    return np.concatenate([every[order], times * every[order - 1]], axis=1)


def _same(before: Floats, now: Floats) -> bool:
    """Whether one more vector changed nothing."""
    change = now.copy()
    change[: len(before)] -= before
    return bool((np.linalg.norm(change, axis=0) <= _CONVERGED * np.linalg.norm(now, axis=0).max()).all())
