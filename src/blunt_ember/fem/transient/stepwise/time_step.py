"""One step in time: the trapezoidal rule to an inner time, then a backward difference over all three.

Bank, Coughran, Fichtner, Grosse, Rose and Smith, IEEE Trans. CAD 4 (1985), in the form of Hosea and Shampine, Appl.
Numer. Math. 20 (1996), who give the error estimate: second order, L-stable, and both parts share one matrix. Heat
contents are stepped, not temperatures, so that what goes in is what is stored whatever the capacity does.
"""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable

#: The inner time as a share of the step, and the weight of the newest heat in both parts.
INNER = 2 - np.sqrt(2)
NEWEST = INNER / 2
#: Weight of the first and of the inner heat over the whole step.
_OUTER = np.sqrt(2) / 4
_WEIGHTS = np.array([_OUTER, _OUTER, NEWEST])
#: What those weights differ by from the third-order ones of the same three heats.
ERROR_WEIGHTS = _WEIGHTS - np.array([(1 - _OUTER) / 3, (3 * _OUTER + 1) / 3, NEWEST / 3])


#: Two times are one when they differ by this share.
SAME_INSTANT = 1e-9


@immutable
class State:
    """An instant at time ``t`` in s: ``excess`` (n,) in K over the reference temperature, heat ``content`` (n,) in J,
    and ``heat`` (n,) in W given to the nodes. Or the mean of all ``between`` two times in s."""

    t: float
    excess: Floats
    content: Floats
    heat: Floats
    between: tuple[float, float] | None = None


class StepForm(ABC):
    """From one instant ``before`` to another ``after``, with further ``states`` that say what was in between.

    Weights are those of the states, in their order.
    """

    before: State
    after: State

    @property
    @abstractmethod
    def states(self) -> tuple[State, ...]:
        """What the weights are of; the first is ``before``."""

    @property
    def length(self) -> float:
        """Its length in s."""
        return self.after.t - self.before.t

    def share(self, t: float) -> float:
        """Return how far a time in s lies within it, 0 to 1."""
        return float(np.clip((t - self.before.t) / self.length, 0.0, 1.0))

    @abstractmethod
    def seen(self, share: float) -> tuple[StepForm, float]:
        """Return the step by which what is at a share of this one is read, and the share of that."""

    @abstractmethod
    def excess_at(self, share: float) -> Floats:
        """Return the temperatures (n,) over the reference temperature at a share of the step, K."""

    @abstractmethod
    def rate_at(self, share: float) -> Floats:
        """Return how fast the temperatures (n,) change at a share of the step, K/s."""

    @abstractmethod
    def blend(self, share: float) -> Floats:
        """Return the weights of the states at a share of the step."""

    @abstractmethod
    def slopes(self, share: float) -> Floats:
        """Return the weights in 1/s of the states in the rate of change at a share of the step."""

    @abstractmethod
    def heat_weights(self, share: float) -> Floats:
        """Return the weights in s of the heats whose sum is the heat that has come in up to a share of the step."""

    @abstractmethod
    def heat_rates(self, share: float) -> Floats:
        """Return the weights of the heats in the power at a share of the step."""


@immutable
class TimeStep(StepForm):
    """From ``before`` by way of ``inner`` to ``after``; between them a parabola, which is of the order of the method.

    ``even`` marks a step by the backward Euler rule, straight between its ends. ``error`` estimates the largest error
    of the step, K.
    """

    before: State
    inner: State
    after: State
    error: float
    even: bool = False
    #: Whether it is straight between its three states, as a parabola may leave the bounds they keep.
    straight: bool = False

    @property
    def states(self) -> tuple[State, State, State]:
        """All three."""
        return self.before, self.inner, self.after

    def seen(self, share: float) -> tuple[TimeStep, float]:
        """Return itself: all that is within it is read by its three states."""
        return self, share

    def blend(self, share: float) -> Floats:
        """Return the weights (3,) of the states at a share of the step."""
        if self.even:
            return np.array([1 - share, 0.0, share])
        if self.straight:
            if share <= INNER:
                return np.array([1 - share / INNER, share / INNER, 0.0])
            return np.array([0.0, (1 - share) / (1 - INNER), (share - INNER) / (1 - INNER)])
        inner = share * (1 - share) / (INNER * (1 - INNER))
        last = share * (share - INNER) / (1 - INNER)
        return np.array([1 - inner - last, inner, last])

    def slopes(self, share: float) -> Floats:
        """Return the weights (3,) in 1/s of the states in the rate of change at a share of the step."""
        if self.even:
            return np.array([-1.0, 0.0, 1.0]) / self.length
        if self.straight and 0 < share < 1:
            first = np.array([-1.0, 1.0, 0.0]) / INNER
            return (first if share <= INNER else np.array([0.0, -1.0, 1.0]) / (1 - INNER)) / self.length
        inner = (1 - 2 * share) / (INNER * (1 - INNER))
        last = (2 * share - INNER) / (1 - INNER)
        return np.array([-inner - last, inner, last]) / self.length

    def heat_weights(self, share: float) -> Floats:
        """Return the weights (3,) in s of the heats whose sum is the heat that has come in up to a share of the step.

        It is what the contents at that share differ by from those before the step.
        """
        if self.even:
            return np.array([0.0, 0.0, share * self.length])
        _, inner, last = self.blend(share)
        return (inner * np.array([NEWEST, NEWEST, 0.0]) + last * _WEIGHTS) * self.length

    def heat_rates(self, share: float) -> Floats:
        """Return the weights (3,) of the heats in the power at a share of the step, which closes the balance there.

        It is the derivative of :meth:`heat_weights`; at the end of the step that of the last heat alone is left.
        """
        if self.even:
            return np.array([0.0, 0.0, 1.0])
        _, inner, last = self.slopes(share) * self.length
        return inner * np.array([NEWEST, NEWEST, 0.0]) + last * _WEIGHTS

    def excess_at(self, share: float) -> Floats:
        """Return the temperatures (n,) over the reference temperature at a share of the step, K."""
        return self._summed(self.blend(share))

    def rate_at(self, share: float) -> Floats:
        """Return how fast the temperatures (n,) change at a share of the step, K/s."""
        return self._summed(self.slopes(share))

    def _summed(self, weights: Floats) -> Floats:
        result = np.zeros_like(self.before.excess)
        for weight, state in zip(weights, self.states, strict=True):
            if weight:
                result += weight * state.excess
        return result
