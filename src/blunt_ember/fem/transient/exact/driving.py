"""What drives a linear run between two breaks, as polynomials of the time: exactly where it is one, else as near as
round-off lets it be, in pieces.

What is stated is sampled at Chebyshev's points of a piece, and on a fine grid besides, so that nothing narrow is
stepped over (L. N. Trefethen, *Approximation Theory and Approximation Practice* (2013), chapters 3 to 8).
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache, cached_property

import numpy as np
from numpy.polynomial import Chebyshev, Polynomial, chebyshev

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ExpressionError
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.immutable import immutable

#: Degree of a polynomial at most, and how far from what is stated it may lie, as a share of the largest value.
_DEGREE, _CLOSE = 16, 1e-11
#: Times at which what is stated is looked at over the whole, and how often a piece is halved at most.
_GRID, _HALVINGS = 4096, 11
#: Where it is looked at in a piece: evenly, and nearer and nearer to its ends, where a corner would be least seen.
_SHARES = np.concatenate([(np.arange(97) + 0.5) / 97, 0.5 ** np.arange(2, 34), 1 - 0.5 ** np.arange(2, 34)])
#: How long a time is looked at, s, where one is without end.
_LONGEST = 1e6


@immutable
class Driving:
    """What is given and held from ``begin`` to ``end``, both in s.

    ``given`` (d + 1, n) in W at the reference temperature and ``held`` (d + 1, n) in K over it, 0 elsewhere, are the
    coefficients of Chebyshev's polynomials of the time.
    """

    begin: float
    end: float
    given: Floats
    held: Floats

    @property
    def degree(self) -> int:
        """The degree of the polynomials."""
        return len(self.given) - 1

    @property
    def length(self) -> float:
        """The time from its begin to its end, s."""
        return self.end - self.begin

    @cached_property
    def held_rates(self) -> Floats:
        """The coefficients (d + 1, n) of how fast what is held changes, K/s."""
        rates = np.zeros_like(self.held)
        if self.degree:
            rates[:-1] = chebyshev.chebder(self.held, scl=2 / self.length)
        return rates

    def given_at(self, t: float) -> Floats:
        """Return the heat (n,) in W at a time in s."""
        return np.asarray(self._terms(t) @ self.given)

    def given_between(self, first: float, last: float) -> Floats:
        """Return the mean of the heat (n,) in W between two times in s."""
        return np.asarray(self._mean_terms(first, last) @ self.given)

    def held_at(self, t: float) -> Floats:
        """Return the temperatures (n,) in K at a time in s."""
        return np.asarray(self._terms(t) @ self.held)

    def held_between(self, first: float, last: float) -> Floats:
        """Return the mean of the temperatures (n,) in K between two times in s."""
        return np.asarray(self._mean_terms(first, last) @ self.held)

    def held_rate(self, t: float) -> Floats:
        """Return how fast the temperatures (n,) change at a time in s, K/s."""
        return np.asarray(self._terms(t) @ self.held_rates)

    def since(self, t: float, coefficients: Floats) -> Floats:
        """Return coefficients (d + 1, r) of Chebyshev's polynomials as those of powers of the seconds since a time."""
        way = Polynomial([self._place(t), 2 / self.length])
        terms = [Polynomial([1.0]), way]
        for _ in range(2, self.degree + 1):
            terms.append(2 * way * terms[-1] - terms[-2])
        rows = np.zeros((self.degree + 1, self.degree + 1))
        for place, term in enumerate(terms[: self.degree + 1]):
            rows[: len(term.coef), place] = term.coef
        return np.asarray(rows @ coefficients)

    def _place(self, t: float) -> float:
        """Where a time lies between the ends, from −1 to 1."""
        return 2 * (t - self.begin) / self.length - 1

    def _terms(self, t: float) -> Floats:
        return _chebyshev(self._place(t), self.degree)

    def _mean_terms(self, first: float, last: float) -> Floats:
        low, high = self._place(first), self._place(last)
        reached = _chebyshev(high, self.degree + 1) - _chebyshev(low, self.degree + 1)
        return np.asarray(reached @ _integrals(self.degree) / (high - low))


def _chebyshev(place: float, degree: int) -> Floats:
    """Values (d + 1,) of Chebyshev's polynomials at a place from −1 to 1."""
    return np.asarray(np.cos(np.arange(degree + 1) * np.arccos(min(max(place, -1.0), 1.0))))


@cache
def _integrals(degree: int) -> Floats:
    """The coefficients (d + 2, d + 1) of the integrals of Chebyshev's polynomials."""
    return np.asarray(chebyshev.chebint(np.eye(degree + 1)))


#: The share of a time that is passed by steps where nothing meets what is stated.
PASSED = 0.5**_HALVINGS


class StatedInTime:
    """What drives a run from ``begin`` to ``end``, both in s, at which what is stated may bend or jump."""

    def __init__(self, heating: Heating, begin: float, end: float) -> None:
        self._heating = heating
        self._end = end if np.isfinite(end) else begin + _LONGEST
        self._simple = heating.degree_in_time <= _DEGREE
        laws = [] if self._simple else _moving_laws(heating)
        self._known = [_Scalar(law, where, begin, self._end) for law, where in laws]
        self._most = _largest(heating, [scalar.peak for scalar in self._known])

    def since(self, t: float) -> Driving | None:
        """Return what drives a run from a time in s on, as far towards the end as one polynomial comes; None where it
        bends or jumps too sharply for any."""
        heating, end = self._heating, self._end
        if heating.unchanging:
            return Driving(t, end, heating.heat(np.zeros(heating.count), t)[None], heating.held(t)[None])
        if self._simple:
            return _sampled(heating, t, end, int(heating.degree_in_time))
        for halved in range(_HALVINGS + 1):
            last = t + (end - t) / 2**halved
            if all(scalar.is_met(t, last) for scalar in self._known):
                found = _sampled(heating, t, last, _DEGREE)
                if _is_near(heating, found, self._most):
                    return found
        return None


class _Scalar:
    """A law at a few places, on a grid of times."""

    def __init__(self, law: Law, where: dict[str, Floats], begin: float, end: float) -> None:
        self._law, self._where = law, where
        self._times = begin + (np.arange(_GRID) + 0.5) / _GRID * (end - begin)
        self._values = self._at(self._times)
        self._close = _CLOSE * max(float(np.abs(self._values).max(initial=0.0)), 1e-300)

    @property
    def peak(self) -> float:
        """The time at which it is largest, s."""
        return float(self._times[np.unravel_index(np.nan_to_num(np.abs(self._values)).argmax(), self._values.shape)[1]])

    def is_met(self, begin: float, end: float) -> bool:
        """Whether a polynomial between two times comes near to all that is known of the law there."""
        if not np.isfinite(self._values).all():
            return False
        points = _points(begin, end, _DEGREE)
        within = begin + _SHARES * (end - begin)
        inside = (self._times > begin) & (self._times < end)
        times = np.concatenate([within, self._times[inside]])
        values = np.concatenate([self._at(within), self._values[:, inside]], axis=1)
        sampled = self._at(points)
        if not (np.isfinite(values).all() and np.isfinite(sampled).all()):
            return False
        fitted = (Chebyshev.fit(points, row, _DEGREE, [begin, end])(times) for row in sampled)
        return all(np.abs(row - near).max() <= self._close for row, near in zip(values, fitted, strict=True))

    def _at(self, times: Floats) -> Floats:
        """Its values (p, t)."""
        places = len(next(iter(self._where.values())))
        shape = (places, len(times))
        where = {name: np.broadcast_to(value[:, None], shape) for name, value in self._where.items()}
        try:
            found = self._law.at({**where, "t": np.broadcast_to(times, shape)})
        except ExpressionError:
            return np.full(shape, np.nan)
        return np.broadcast_to(np.asarray(found, dtype=float), shape)


def _moving_laws(heating: Heating) -> Iterator[tuple[Law, dict[str, Floats]]]:
    """What follows time in no simple way, with a few places it is stated at."""
    problem, mesh = heating.problem, heating.problem.mesh
    on_surfaces = [(name, value) for name, laws in problem.exchanges.items() for law in laws for value in law.values]
    stated = [(value, mesh.surfaces[name].nodes) for name, value in (*on_surfaces, *problem.held.items())]
    for source in problem.sources:
        own = [block.nodes[block.region == source.region].ravel() for block in mesh.blocks]
        stated.append((source.per_volume, np.concatenate(own)))
    stated += [(point.total, point.nodes) for point in problem.points]
    for law, nodes in stated:
        if law.degree_in_time > _DEGREE:
            some = nodes[np.unique(np.linspace(0, len(nodes) - 1, 3).astype(np.int64))]
            yield law, mesh.space.variables(mesh.points[some])


def _points(begin: float, end: float, degree: int) -> Floats:
    """Chebyshev's points of the first kind, which spare the ends, where what is stated may jump."""
    angle = (2 * np.arange(degree + 1) + 1) * np.pi / (2 * (degree + 1))
    return np.asarray((begin + end) / 2 - (end - begin) / 2 * np.cos(angle))


def _sampled(heating: Heating, begin: float, end: float, degree: int) -> Driving:
    """The polynomials through what is given and held at Chebyshev's points."""
    zero = np.zeros(heating.count)
    times = _points(begin, end, degree)
    given = _coefficients(np.stack([heating.heat(zero, t) for t in times.tolist()]))
    held = _coefficients(np.stack([heating.held(t) for t in times.tolist()]))
    return Driving(begin, end, given, held)


def _coefficients(values: Floats) -> Floats:
    """Coefficients (d + 1, n) of Chebyshev's polynomials from values (d + 1, n) at their points."""
    degree = len(values) - 1
    angle = np.pi - (2 * np.arange(degree + 1) + 1) * np.pi / (2 * (degree + 1))
    terms = np.cos(np.arange(degree + 1)[:, None] * angle) * 2 / (degree + 1)
    terms[0] /= 2
    return np.asarray(terms @ values)


def _largest(heating: Heating, times: list[float]) -> tuple[float, float]:
    """The largest heat in W that a node is given, and temperature in K over the reference it is held at, at times."""
    zero = np.zeros(heating.count)
    given = max((float(np.abs(heating.heat(zero, t)).max()) for t in times), default=0.0)
    return given, max((float(np.abs(heating.held(t)).max()) for t in times), default=0.0)


def _is_near(heating: Heating, found: Driving, most: tuple[float, float]) -> bool:
    """Whether what is given and held is met between the points too, at every node, as a share of the ``most``."""
    zero = np.zeros(heating.count)
    for share in (0.03, 0.37, 0.71, 0.98):
        t = found.begin + share * found.length
        stated = heating.heat(zero, t), heating.held(t)
        near = found.given_at(t), found.held_at(t)
        for known, other, largest in zip(stated, near, most, strict=True):
            if not np.abs(known - other).max() <= 10 * _CLOSE * max(float(np.abs(known).max()), largest, 1e-300):
                return False
    return True
