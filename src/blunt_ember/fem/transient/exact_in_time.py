"""Runs that are exact in time: where nothing that is stated changes, and no material follows temperature.

Between two breaks C y' = f − K y then has the solution y(t) = y₀ + t φ₁(−t A) C⁻¹ r₀, with A = C⁻¹ K and r₀ = f − K y₀.
It is found for all times at once in the space that (C + γ K)⁻¹ C spans with (C + γ K)⁻¹ r₀, by Lanczos' method in the
inner product of C: one factorisation and some twenty solutions (J. van den Eshof & M. Hochbruck, SIAM J. Sci. Comput.
27 (2006) 1438; I. Moret & P. Novati, BIT 44 (2004) 595).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats
from blunt_ember.fem.factors import factorised
from blunt_ember.fem.linear import fits_factors
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepping import Stepper, fitted
from blunt_ember.fem.transient.time_step import State, Step

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
_STILL = 1e-3


@dataclass(frozen=True)
class Trajectory:
    """All instants from ``begin`` to ``reach``, both in s, of an ``excess`` (n,) in K over the reference temperature.

    The modes (n, m) decay at ``rates`` (m,) in 1/s; ``moved`` (m,) in K/s is how much of each there is at the begin.
    """

    begin: float
    reach: float
    excess: Floats
    modes: Floats
    rates: Floats
    moved: Floats

    def seen(self, first: float, last: float) -> tuple[Floats, Floats, Floats]:
        """Return the excess (n,) at the ``last`` of two times in s, its mean since the first, and its rate in K/s."""
        since, until = first - self.begin, last - self.begin
        mean = (_twice_integrated(self.rates, until) - _twice_integrated(self.rates, since)) / (until - since)
        weights = [_integrated(self.rates, until), mean, np.exp(-self.rates * until)]
        at_last, between, rate = (self.modes @ (self.moved[:, None] * np.stack(weights, axis=1))).T
        return self.excess + at_last, self.excess + between, rate

    def at(self, t: float) -> Floats:
        """Return the excess (n,) at a time in s, K."""
        return self.excess + self.modes @ (self.moved * _integrated(self.rates, t - self.begin))

    def rate_at(self, t: float) -> Floats:
        """Return how fast the excess (n,) changes at a time in s, K/s."""
        return np.asarray(self.modes @ (self.moved * np.exp(-self.rates * (t - self.begin))))


@dataclass(frozen=True)
class LinearBalance:
    """C y' = ``given`` − K y of all nodes.

    ``given`` (n,) in W, the ``capacity`` C (n, n) in J/K, the ``conductance`` K (n, n) in W/K.
    """

    given: Floats
    capacity: csr_array
    conductance: csr_array

    def states(self, times: tuple[float, ...], excesses: tuple[Floats, ...]) -> list[State]:
        """Return the instants at some times in s with the excesses (n,) in K then."""
        together = np.stack(excesses, axis=1)
        contents, heats = self.capacity @ together, self.given[:, None] - self.conductance @ together
        return [
            State(t, excess, content, heat)
            for t, excess, content, heat in zip(times, excesses, contents.T, heats.T, strict=True)
        ]


def linear_balance(heating: Heating) -> LinearBalance:
    """Return the balance of what is linear and unchanging."""
    zero = np.zeros(heating.count)
    begin = heating.begin
    return LinearBalance(heating.heat(zero, begin), heating.capacity(zero), heating.conductance(zero, begin))


@dataclass(frozen=True)
class ExactStep(Step):
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
    """Tell whether a piece of a run can be had exactly: all is linear, and nothing changes until the next break."""
    return (
        heating.linear
        and heating.symmetric
        and heating.unchanging
        and heating.count <= _MOST_NODES
        and fits_factors(heating.count, heating.problem.mesh.dimension)
        and heating.constraints.prolongation.shape[1] > 0
    )


@dataclass
class ExactStepper:
    """Takes steps through one piece of the time, exactly; what no space is found for is left to another ``stepper``."""

    heating: Heating
    stepper: Stepper
    _known: Trajectory | None = None
    #: The last instants that lie on what is known.
    _on: tuple[State, ...] = ()

    def first_length(self, state: State, longest: float) -> float:
        """Return a length for the first step: the time in which the cells that are given heat resolve it."""
        free = self.heating.constraints.free
        given = np.abs(state.heat[free])
        felt = given >= _FELT * given.max(initial=0.0)
        capacity, conductance = (
            each.diagonal()[free][felt] for each in (self._balance.capacity, self._balance.conductance)
        )
        least = float((capacity / np.maximum(conductance, 1e-300)).min(initial=np.inf))
        return float(np.clip(_RESOLVED * least, _FIRST[0] * longest, _FIRST[1] * longest))

    def step(self, state: State, wanted: float, end: float) -> tuple[Step, float]:
        """Return a step of at most the ``wanted`` length in s, and the length wanted next; it may end at ``end``."""
        length, last = fitted(wanted, end - state.t)
        trajectory = self._from(state, length, end)
        if trajectory is None:
            return self.stepper.step(state, wanted, end)
        t = end if last else min(state.t + length, trajectory.reach)
        made = self._made(trajectory, state, t)
        return made, max(wanted, _GROWTH * made.length)

    def fixed_step(self, state: State, length: float, end: float) -> Step:
        """Return a step of a given length in s, or up to ``end``."""
        trajectory = self._from(state, length, end)
        if trajectory is None:
            return self.stepper.fixed_step(state, length, end)
        t = end if length >= (end - state.t) * (1 - 1e-9) else state.t + length
        return self._made(trajectory, state, t)

    def _made(self, trajectory: Trajectory, state: State, t: float) -> ExactStep:
        made = exact_step(trajectory, self._balance, state, t)
        self.stepper.work.steps += 1
        self.stepper.work.exact += 1
        self._on = (state, made.after)
        return made

    @cached_property
    def _balance(self) -> LinearBalance:
        return linear_balance(self.heating)

    @cached_property
    def _free_matrices(self) -> tuple[csr_array, csr_array]:
        """Capacity and conductance as the free nodes see them."""
        reduced = self.heating.constraints.reduced
        return reduced(self._balance.capacity), reduced(self._balance.conductance)

    def _from(self, state: State, length: float, end: float) -> Trajectory | None:
        """The trajectory through a state that holds for a length from it on in s; None where none is found."""
        known = self._known
        on_it = any(state is each for each in self._on)
        if known is not None and on_it and state.t + length * (1 - 1e-9) <= known.reach:
            return known
        reach = min(end - state.t, (_REACH if on_it else _REACH_ROUGH) * length)
        while True:
            self._known = self._found(state, length, reach)
            if self._known is not None or reach <= length:
                return self._known
            reach = max(reach / _LESS, length)

    def _found(self, state: State, first: float, reach: float) -> Trajectory | None:
        """The trajectory from a state on, from a ``first`` time after it to its ``reach``, both in s."""
        capacity, conductance = self._free_matrices
        prolongation, pole, work = self.heating.constraints.prolongation, reach / _POLE, self.stepper.work
        solve = factorised(csr_array(capacity + pole * conductance), True)
        work.factorised += 1
        times = np.geomspace(min(first, reach), reach, 8)
        start = solve(np.asarray(prolongation.T @ state.heat))
        work.solved += 1
        size = np.sqrt(start @ (capacity @ start))
        if not np.isfinite(size):
            return None
        if size == 0:
            nothing = np.zeros((self.heating.count, 1))
            return Trajectory(state.t, state.t + reach, state.excess, nothing, np.zeros(1), np.zeros(1))
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
            now = turned @ (shares[:, None] * _over(rates, times))
            still = still + 1 if before is not None and _same(before, now) else 0
            if left <= _CONVERGED or still == 2 or count == len(start):
                modes = prolongation @ (basis[:, :count] @ turned)
                return Trajectory(state.t, state.t + reach, state.excess, modes, rates, size * shares)
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


def _over(rates: Floats, times: Floats) -> Floats:
    """How far modes have moved by some times, and how fast they then do times that, (m, 2 t)."""
    moved = _integrated(rates[:, None], times)
    return np.concatenate([moved, times * np.exp(-rates[:, None] * times)], axis=1)


def _same(before: Floats, now: Floats) -> bool:
    """Whether one more vector changed nothing."""
    change = now.copy()
    change[: len(before)] -= before
    return bool((np.linalg.norm(change, axis=0) <= _CONVERGED * np.linalg.norm(now, axis=0).max()).all())


def _integrated(rates: Floats, t: Floats | float) -> Floats:
    """∫₀ᵗ exp(−λ s) ds."""
    gone = rates * t
    return np.asarray(np.where(gone > 1e-300, -np.expm1(-gone) / np.maximum(rates, 1e-300), t))


def _twice_integrated(rates: Floats, t: float) -> Floats:
    """∫₀ᵗ of the above."""
    gone = rates * t
    series = t**2 * (1 / 2 - gone / 6 + gone**2 / 24 - gone**3 / 120 + gone**4 / 720)
    with np.errstate(all="ignore"):
        closed = (t + np.expm1(-gone) / rates) / rates
    return np.where(gone < _STILL, series, closed)
