"""Runs that are exact in time: where what is given changes evenly with time at most, and no material follows
temperature.

Between two breaks C y' = f + ḟ t − K y then has the solution y(t) = y₀ + t φ₁(−t A) C⁻¹ r₀ + t² φ₂(−t A) C⁻¹ ḟ, with
A = C⁻¹ K and r₀ = f − K y₀; what is held and changes evenly takes part in f and ḟ. Either response is found for all
times at once in the space that (C + γ K)⁻¹ C spans with (C + γ K)⁻¹ r₀, or ḟ, by Lanczos' method in the inner product
of C: one factorisation and some twenty solutions (J. van den Eshof & M. Hochbruck, SIAM J. Sci. Comput. 27 (2006) 1438;
I. Moret & P. Novati, BIT 44 (2004) 595).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from math import factorial

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats
from blunt_ember.fem.factors import factorised
from blunt_ember.fem.linear import fits_factors
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepping import Stepper, step_length
from blunt_ember.fem.transient.time_step import State, StepForm

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
#: Below this share of its time a mode has hardly moved, and its integrals are taken from their series.
_STILL, _TERMS = 0.3, 14
#: How long a time is looked at, s, where one is without end.
_LONGEST = 1e6
#: By how much the pole of factors may be off the best one.
_ALIKE = 4.0


@dataclass(frozen=True)
class Response:
    """How temperatures answer to heat that begins at once (``order`` 1) or grows evenly (2).

    The modes (n, m) decay at ``rates`` (m,) in 1/s; ``moved`` (m,), in K/s or K/s², is how much of each is driven.
    """

    order: int
    modes: Floats
    rates: Floats
    moved: Floats

    def at(self, since: float) -> Floats:
        """Return what has been added (n,) in K so many seconds ``since`` the begin."""
        return np.asarray(self.modes @ (self.moved * _integrated(self.rates, since, self.order)))

    def rate_at(self, since: float) -> Floats:
        """Return how fast that changes (n,), K/s."""
        return np.asarray(self.modes @ (self.moved * _integrated(self.rates, since, self.order - 1)))

    def seen(self, since: float, until: float) -> Floats:
        """Return what has been added ``until`` so many seconds, its mean from others on, and its rate, (3, n)."""
        over = _integrated(self.rates, until, self.order + 1) - _integrated(self.rates, since, self.order + 1)
        last, rate = (_integrated(self.rates, until, order) for order in (self.order, self.order - 1))
        weights = np.stack([last, over / (until - since), rate], axis=1)
        return np.asarray((self.modes @ (self.moved[:, None] * weights)).T)


@dataclass(frozen=True)
class Trajectory:
    """All instants from ``begin`` to ``reach``, both in s, of an ``excess`` (n,) in K over the reference temperature.

    What is held drifts, (n,) in K/s; the ``responses`` are what is added to that.
    """

    begin: float
    reach: float
    excess: Floats
    drift: Floats
    responses: tuple[Response, ...]

    def seen(self, first: float, last: float) -> tuple[Floats, Floats, Floats]:
        """Return the excess (n,) at the ``last`` of two times in s, its mean since the first, and its rate in K/s."""
        since, until = first - self.begin, last - self.begin
        at_last, between, rate = sum((each.seen(since, until) for each in self.responses), np.zeros((3, 1)))
        drifted = self.excess + self.drift * until, self.excess + self.drift * (since + until) / 2
        return drifted[0] + at_last, drifted[1] + between, self.drift + rate

    def at(self, t: float) -> Floats:
        """Return the excess (n,) at a time in s, K."""
        since = t - self.begin
        return sum((each.at(since) for each in self.responses), self.excess + self.drift * since)

    def rate_at(self, t: float) -> Floats:
        """Return how fast the excess (n,) changes at a time in s, K/s."""
        return sum((each.rate_at(t - self.begin) for each in self.responses), self.drift)


@dataclass(frozen=True)
class LinearBalance:
    """C y' = ``given`` + ``growing`` (t − ``since``) − K y of all nodes.

    ``given`` (n,) in W at the time ``since`` in s, ``growing`` (n,) in W/s, the ``capacity`` C (n, n) in J/K, the
    ``conductance`` K (n, n) in W/K; what is held drifts, (n,) in K/s.
    """

    since: float
    given: Floats
    growing: Floats
    drift: Floats
    capacity: csr_array
    conductance: csr_array

    def states(self, times: tuple[float, ...], excesses: tuple[Floats, ...]) -> list[State]:
        """Return the instants at some times in s with the excesses (n,) in K then."""
        together, since = np.stack(excesses, axis=1), np.array(times) - self.since
        contents = self.capacity @ together
        heats = self.given[:, None] + self.growing[:, None] * since - self.conductance @ together
        return [
            State(t, excess, content, heat)
            for t, excess, content, heat in zip(times, excesses, contents.T, heats.T, strict=True)
        ]


def linear_balance(heating: Heating, begin: float, end: float) -> LinearBalance:
    """Return the balance of what is linear and changes evenly between two times in s, at which it may bend or jump."""
    zero = np.zeros(heating.count)
    capacity, conductance = heating.capacity(zero), heating.conductance(zero, begin)
    if heating.unchanging:
        return LinearBalance(begin, heating.heat(zero, begin), zero, zero, capacity, conductance)
    length = min(end - begin, _LONGEST)
    early, late = begin + length / 4, begin + 3 * length / 4
    first, last = heating.heat(zero, early), heating.heat(zero, late)
    growing = (last - first) / (late - early)
    drift = (heating.held(late) - heating.held(early)) / (late - early)
    return LinearBalance(begin, first - growing * (early - begin), growing, drift, capacity, conductance)


@dataclass(frozen=True)
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
    after, mean, rate = balance.states((t, (before.t + t) / 2, t), trajectory.seen(before.t, t))
    return ExactStep(trajectory, balance, before, mean, after, rate)


def is_exact(heating: Heating) -> bool:
    """Tell whether a piece of a run can be had exactly: all is linear, and changes evenly until the next break."""
    return (
        heating.linear
        and heating.symmetric
        and heating.evenly_driven
        and heating.count <= _MOST_NODES
        and fits_factors(heating.count, heating.problem.mesh.dimension)
        and heating.constraints.prolongation.shape[1] > 0
    )


@dataclass
class ExactStepper:
    """Takes steps through one piece of the time, exactly; what no space is found for is left to another ``stepper``."""

    heating: Heating
    stepper: Stepper
    _balance: LinearBalance | None = None
    _known: Trajectory | None = None
    #: The last instants that lie on what is known.
    _on: tuple[State, ...] = ()
    #: The pole of the last factors, s, and what solves with them.
    _factors: tuple[float, Callable[[Floats], Floats]] | None = None

    def begin(self, begin: float, end: float) -> None:
        """Look at what is stated between two times in s, at which it may bend or jump."""
        self._balance, self._known, self._on = linear_balance(self.heating, begin, end), None, ()

    def first_length(self, state: State, longest: float) -> float:
        """Return a length for the first step: the time in which the cells that are given heat resolve it."""
        free, balance = self.heating.constraints.free, self._balanced(state, state.t + longest)
        given = np.abs(state.heat[free])
        felt = given >= _FELT * given.max(initial=0.0)
        capacity, conductance = (each.diagonal()[free][felt] for each in (balance.capacity, balance.conductance))
        least = float((capacity / np.maximum(conductance, 1e-300)).min(initial=np.inf))
        return float(np.clip(_RESOLVED * least, _FIRST[0] * longest, _FIRST[1] * longest))

    def step(self, state: State, wanted: float, end: float) -> tuple[StepForm, float]:
        """Return a step of at most the ``wanted`` length in s, and the length wanted next; it may end at ``end``."""
        length, last = step_length(wanted, end - state.t)
        trajectory = self._from(state, length, end)
        if trajectory is None:
            return self.stepper.step(state, wanted, end)
        t = end if last else min(state.t + length, trajectory.reach)
        made = self._made(trajectory, state, t)
        return made, max(wanted, _GROWTH * made.length)

    def fixed_step(self, state: State, length: float, end: float) -> StepForm:
        """Return a step of a given length in s, or up to ``end``."""
        trajectory = self._from(state, length, end)
        if trajectory is None:
            return self.stepper.fixed_step(state, length, end)
        t = end if length >= (end - state.t) * (1 - 1e-9) else state.t + length
        return self._made(trajectory, state, t)

    def _balanced(self, state: State, end: float) -> LinearBalance:
        if self._balance is None:
            self.begin(state.t, end)
        assert self._balance is not None
        return self._balance

    def _made(self, trajectory: Trajectory, state: State, t: float) -> ExactStep:
        made = exact_step(trajectory, self._balanced(state, t), state, t)
        self.stepper.work.steps += 1
        self.stepper.work.exact += 1
        self._on = (state, made.after)
        return made

    @cached_property
    def _free_matrices(self) -> tuple[csr_array, csr_array]:
        """Capacity and conductance as the free nodes see them."""
        reduced, zero = self.heating.constraints.reduced, np.zeros(self.heating.count)
        return reduced(self.heating.capacity(zero)), reduced(self.heating.conductance(zero, self.heating.begin))

    def _from(self, state: State, length: float, end: float) -> Trajectory | None:
        """The trajectory through a state that holds for a length from it on in s; None where none is found."""
        known = self._known
        on_it = any(state is each for each in self._on)
        if known is not None and on_it and state.t + length * (1 - 1e-9) <= known.reach:
            return known
        reach = min(end - state.t, (_REACH if on_it else _REACH_ROUGH) * length)
        while True:
            self._known = self._found(state, length, reach, self._balanced(state, end))
            if self._known is not None or reach <= length:
                return self._known
            reach = max(reach / _LESS, length)

    def _found(self, state: State, first: float, reach: float, balance: LinearBalance) -> Trajectory | None:
        """The trajectory from a state on, from a ``first`` time after it to its ``reach``, both in s."""
        prolongation = self.heating.constraints.prolongation
        at_once = state.heat - balance.capacity @ balance.drift
        growing = balance.growing - balance.conductance @ balance.drift
        responses = []
        for order, driving in enumerate((at_once, growing), start=1):
            if driving.any():
                found = self._response(np.asarray(prolongation.T @ driving), order, first, reach)
                if found is None:
                    return None
                responses.append(found)
        return Trajectory(state.t, state.t + reach, state.excess, balance.drift, tuple(responses))

    def _solve(self, pole: float) -> Callable[[Floats], Floats]:
        """What solves with C + pole K; factors that are there already do for a pole that is not much another one."""
        capacity, conductance = self._free_matrices
        known = self._factors
        if known is None or not 1 / _ALIKE <= known[0] / pole <= _ALIKE:
            self._factors = known = (pole, factorised(csr_array(capacity + pole * conductance), True))
            self.stepper.work.factorised += 1
        return known[1]

    def _response(self, driving: Floats, order: int, first: float, reach: float) -> Response | None:
        """How the free nodes answer to what drives them, (f,) in W or W/s; None where no space is found."""
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
            return Response(order, np.zeros((self.heating.count, 1)), np.zeros(1), np.zeros(1))
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
            rates, shares, turned = _modes(small[:count, :count], pole)
            now = turned @ (shares[:, None] * _over(rates, times, order))
            still = still + 1 if before is not None and _same(before, now) else 0
            if left <= _CONVERGED or still == 2 or count == len(start):
                modes = prolongation @ (basis[:, :count] @ turned)
                return Response(order, modes, rates, size * shares)
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


def _over(rates: Floats, times: Floats, order: int) -> Floats:
    """How far modes have moved by some times, and how fast they then do times that, (m, 2 t)."""
    moved = _integrated(rates[:, None], times, order)
    return np.concatenate([moved, times * _integrated(rates[:, None], times, order - 1)], axis=1)


def _same(before: Floats, now: Floats) -> bool:
    """Whether one more vector changed nothing."""
    change = now.copy()
    change[: len(before)] -= before
    return bool((np.linalg.norm(change, axis=0) <= _CONVERGED * np.linalg.norm(now, axis=0).max()).all())


def _integrated(rates: Floats, t: Floats | float, order: int) -> Floats:
    """exp(−λ t), integrated over t from 0 so many times: tᵏ φₖ(−λ t)."""
    gone = rates * t
    value = np.exp(-gone)
    if order == 0:
        return value
    value = np.where(gone > 1e-300, -np.expm1(-gone) / np.maximum(rates, 1e-300), t)
    for done in range(1, order):
        # Of slow modes the difference is lost in round-off.
        series = sum((-gone) ** k / factorial(k + done + 1) for k in range(_TERMS))
        with np.errstate(all="ignore"):
            closed = (t**done / factorial(done) - value) / rates
        value = np.where(gone < _STILL, t ** (done + 1) * series, closed)
    return np.asarray(value)
