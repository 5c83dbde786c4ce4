"""All instants of a linear run at once: modes that decay, and what drives them."""

from __future__ import annotations

from dataclasses import field
from math import factorial

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.fem.transient.exact.driving import Driving
from blunt_ember.immutable import immutable

#: Terms that are smaller beside the first are left out of a series.
_NOTHING = 1e-18
_FACTORIALS = np.array([float(factorial(order)) for order in range(64)])


@immutable
class Response:
    """How temperatures answer to a pattern of heat whose share changes with time.

    The modes (n, m) decay at ``rates`` (m,) in 1/s; ``moved`` (m,), in K/s, is how much of each a whole share drives.
    ``shares`` (d + 1,) are the k-th derivatives of the share at the begin, in s⁻ᵏ.
    """

    modes: Floats
    rates: Floats
    moved: Floats
    shares: Floats


@immutable
class Trajectory:
    """All instants from ``begin`` to ``reach``, both in s, of an ``excess`` (n,) in K over the reference temperature.

    What is held moves as it is ``driven``; the ``responses`` are what is added to that.
    """

    begin: float
    reach: float
    excess: Floats
    driven: Driving
    responses: tuple[Response, ...]
    _summed: dict[float, list[Floats]] = field(default_factory=dict, repr=False, compare=False)

    def seen(self, first: float, last: float) -> tuple[Floats, Floats, Floats]:
        """Return the excess (n,) at the ``last`` of two times in s, its mean since the first, and its rate in K/s."""
        driven, start = self.driven, self.excess - self.driven.held_at(self.begin)
        added = np.zeros((3, len(self.excess)))
        for each, before, after in zip(self.responses, self._moved(first), self._moved(last), strict=True):
            mean = (after[2] - before[2]) / (last - first)
            added += (each.modes @ (each.moved[:, None] * np.stack([after[1], mean, after[0]], axis=1))).T
        return (
            start + driven.held_at(last) + added[0],
            start + driven.held_between(first, last) + added[1],
            driven.held_rate(last) + added[2],
        )

    def at(self, t: float) -> Floats:
        """Return the excess (n,) at a time in s, K."""
        moved = self.excess + self.driven.held_at(t) - self.driven.held_at(self.begin)
        pairs = zip(self.responses, self._moved(t), strict=True)
        return sum((each.modes @ (each.moved * summed[1]) for each, summed in pairs), moved)

    def rate_at(self, t: float) -> Floats:
        """Return how fast the excess (n,) changes at a time in s, K/s."""
        pairs = zip(self.responses, self._moved(t), strict=True)
        return sum((each.modes @ (each.moved * summed[0]) for each, summed in pairs), self.driven.held_rate(t))

    def _moved(self, t: float) -> list[Floats]:
        """What the modes of each response have added by a time in s: its rate, itself and its integral, (3, m), for a
        unit that is moved. A step ends where the next one begins."""
        if t not in self._summed and self.responses:
            most = max(len(each.shares) for each in self.responses) + 1
            every = every_integral(np.concatenate([each.rates for each in self.responses]), t - self.begin, most)
            ends = np.cumsum([len(each.rates) for each in self.responses])[:-1]
            found = [
                np.stack([each.shares @ own[more : more + len(each.shares)] for more in range(3)])
                for each, own in zip(self.responses, np.split(every, ends, axis=1), strict=True)
            ]
            while len(self._summed) > 1:
                del self._summed[next(iter(self._summed))]
            self._summed[t] = found
        return self._summed.get(t, [])


def every_integral(rates: Floats, t: Floats | float, most: int) -> Floats:
    """Return exp(−λ t) for ``rates`` λ (m,) and times (…), integrated over t from 0 no, one and up to ``most`` times,
    (most + 1, m, …): tᵏ φₖ(−λ t).

    Each follows from the one before where a mode decays fast, and from the one after where it is slow: the other way
    the difference would be lost in round-off.
    """
    times = np.asarray(t, dtype=float)
    decay = rates.reshape(-1, *[1] * times.ndim)
    gone = decay * times
    power = [times**order / _FACTORIALS[order] for order in range(most + 1)]
    found = np.empty((most + 1, *gone.shape))
    found[0] = np.exp(-gone)
    with np.errstate(all="ignore"):  # of modes that are slow nothing is kept here
        for order in range(1, most + 1):
            found[order] = (power[order - 1] - found[order - 1]) / decay
    slow = gone < most + 1.0
    after = np.zeros(gone.shape)
    after[slow] = _series(gone[slow], most)
    after *= times**most
    for order in range(most, 0, -1):
        np.copyto(found[order], after, where=gone < order + 1)
        after = power[order - 1] - decay * after
    return found


def _series(gone: Floats, order: int) -> Floats:
    """Σ (−x)ʲ / (j + k)! for x (m,) up to about k, whose terms only fall, by Horner's scheme."""
    largest, shares = float(gone.max(initial=0.0)), [1 / factorial(order)]
    size = shares[0]
    while size > _NOTHING * shares[0]:
        place = order + len(shares)
        size *= largest / place
        shares.append(shares[-1] / place)
    total = np.full_like(gone, shares[-1])
    for share in reversed(shares[:-1]):
        total *= -gone
        total += share
    return total
