"""A chain of pieces with heat through their sides that radiate, even across: straight rods and fins, and flat rings.

k A (w T')' + w (P q(T) + g A) = 0 with w = 1, or w = r of a ring; q is what enters a side, of which radiation goes with
T⁴ (Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 3.6.1, eq. 1.7).
No closed form is known: the equation is met at Chebyshev points of every piece (J. P. Boyd, *Chebyshev and Fourier
Spectral Methods*, 2nd ed. (2001), chapters 3 and 6), at twice as many until nothing changes, by Newton's method.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.along.rod_chain import RodPiece
from blunt_ember.reference.side import Side

RADIATING_CHAIN_SOURCE = "balance along a rod that radiates, Incropera et al. (2007), sec. 3.6.1, by collocation"
#: Intervals of every piece to begin with and at most, and the change, as a share of the highest temperature, that ends
#: it: near the round-off of a collocation of so many points.
_FIRST, _MOST, _SETTLED = 16, 512, 1e-10
_STEPS = 80


@immutable
class RadiatingChain:
    """Pieces from ``start`` to ``end``, which are what the end faces meet; of a flat ring ``inner`` is the radius in m
    of its bore, and areas and perimeters of its pieces are those for each metre of radius."""

    pieces: tuple[RodPiece, ...]
    start: Side
    end: Side
    inner: float | None = None

    def __post_init__(self) -> None:
        sides = [piece.side for piece in self.pieces]
        if any(side.held is not None for side in sides):
            raise ReferenceRefusedError("the side of a piece is held at a temperature, so heat does not flow along it")
        if not any(side.drives for side in (self.start, self.end, *sides)):
            raise ReferenceRefusedError("no end is held and nothing meets a fluid, so any temperature would do")

    @property
    def driving(self) -> tuple[float, ...]:
        """The temperatures that are stated, K."""
        return tuple(t for side in (self.start, self.end, *(piece.side for piece in self.pieces)) for t in side.driving)

    def temperature_in(self, piece: int, x: float) -> float:
        """Temperature in K at ``x`` m from the start of a piece."""
        return float(_between(self._solved[piece], np.array([x / self.pieces[piece].length]))[0])

    def heat_along(self, piece: int, x: float) -> float:
        """Heat in W that flows from start to end at ``x`` m from the start of a piece."""
        own, values = self.pieces[piece], self._solved[piece]
        slopes = _derivative(len(values) - 1) @ values / own.length
        return -own.k * own.area * self._width(piece, x) * float(_between(slopes, np.array([x / own.length]))[0])

    def temperature_at(self, x: Floats, piece: int | None = None) -> Floats:
        """Temperature in K at ``x`` m from the start of the chain, in one ``piece`` if one is given; NaN outside."""
        stations = self._stations
        slack = 1e-9 * stations[-1]
        place = np.clip(np.searchsorted(stations, x, side="right") - 1, 0, len(self.pieces) - 1)
        if piece is not None:
            place = np.full(x.shape, piece)
        result = np.full(x.shape, np.nan)
        for number in np.unique(place).tolist():
            own = place == number
            result[own] = _between(self._solved[number], (x[own] - stations[number]) / self.pieces[number].length)
        return np.where((x >= -slack) & (x <= stations[-1] + slack), result, np.nan)

    @cached_property
    def _stations(self) -> Floats:
        return np.concatenate([[0.0], np.cumsum([each.length for each in self.pieces])])

    def _width(self, piece: int, x: float) -> float:
        """The weight w of a place: 1, or the radius of a ring in m."""
        return 1.0 if self.inner is None else self.inner + float(self._stations[piece]) + x

    @cached_property
    def _solved(self) -> list[Floats]:
        """Temperatures at the Chebyshev points of every piece, in K."""
        count = _FIRST
        found = self._newton([np.full(count + 1, max(self.driving)) for _ in self.pieces])
        while count < _MOST:
            count *= 2
            before = [_between(each, _points(count)) for each in found]
            found = self._newton(before)
            change = max(float(np.abs(a - b).max()) for a, b in zip(found, before, strict=True))
            if change <= _SETTLED * max(float(np.abs(each).max()) for each in found):
                return found
        raise ReferenceRefusedError("the temperature falls too steeply along it to be found to enough digits")

    def _newton(self, values: list[Floats]) -> list[Floats]:
        sizes = np.cumsum([0, *(len(each) for each in values)])
        at = np.concatenate(values)
        scale = float(np.abs(at).max())
        for _ in range(_STEPS):
            residual, matrix = self._equations(at, sizes)
            step = np.linalg.solve(matrix, -residual)
            at = at + step
            if np.abs(step).max() <= 1e-13 * max(scale, float(np.abs(at).max())):
                break
        else:
            # Round-off of steep pieces keeps the last steps from getting smaller; what is no balance is told by them.
            if not np.abs(step).max() <= _SETTLED * scale:
                raise ReferenceRefusedError("its temperatures find no balance")
        return [at[low:high] for low, high in zip(sizes[:-1].tolist(), sizes[1:].tolist(), strict=True)]

    def _equations(self, at: Floats, sizes: Floats) -> tuple[Floats, Floats]:
        """What is out of balance (n,) at temperatures (n,) in K, and its derivatives (n, n)."""
        residual, matrix = np.zeros(len(at)), np.zeros((len(at), len(at)))
        for number, piece in enumerate(self.pieces):
            low, high = int(sizes[number]), int(sizes[number + 1])
            own = slice(low, high)
            first = _derivative(high - low - 1) / piece.length
            conducted = first @ first
            if self.inner is not None:
                places = _points(high - low - 1) * piece.length
                conducted = conducted + first / (self._width(number, 0.0) + places)[:, None]
            flux, change = _inflow(piece.side, at[own])
            ratio = piece.perimeter / (piece.k * piece.area)
            residual[own] = conducted @ at[own] + ratio * flux + piece.generation / piece.k
            matrix[own, own] = conducted + np.diag(ratio * change)
        for row, equation in self._meetings(at, sizes):
            residual[row], matrix[row] = equation[0], equation[1:]
        return residual, matrix

    def _meetings(self, at: Floats, sizes: Floats) -> Iterator[tuple[int, Floats]]:
        """The rows of both ends and of the joints: what is out of balance, and its derivatives, (1 + n,)."""
        edges = [
            (int(sizes[n]), int(sizes[n + 1]), _derivative(int(sizes[n + 1] - sizes[n]) - 1) / piece.length, piece)
            for n, piece in enumerate(self.pieces)
        ]
        for side, (low, high, first, piece), end, inward in (
            (self.start, edges[0], 0, 1.0),
            (self.end, edges[-1], -1, -1.0),
        ):
            row = low if end == 0 else high - 1
            equation = np.zeros(1 + len(at))
            if side.held is not None:
                equation[0], equation[1 + row] = at[row] - side.held, 1.0
            else:
                flux, change = _inflow(side, at[row : row + 1])
                equation[0] = flux[0] + inward * piece.k * float(first[end] @ at[low:high])
                equation[1 + low : 1 + high] = inward * piece.k * first[end]
                equation[1 + row] += change[0]
            yield row, equation
        for number, (low, high, first, piece) in enumerate(edges[:-1], start=1):
            then, last, second, after = edges[number]
            passing, on = piece.k * piece.area * first[-1], after.k * after.area * second[0]
            width = self._width(number, 0.0)
            fall, same = np.zeros(1 + len(at)), np.zeros(1 + len(at))
            fall[1 + low : 1 + high] = piece.contact * width * passing
            fall[high] += 1.0
            fall[1 + then] -= 1.0
            same[1 + low : 1 + high], same[1 + then : 1 + last] = passing, -on
            for row, equation in ((high - 1, fall), (then, same)):
                equation[0] = float(equation[1:] @ at)
                yield row, equation


def ring_piece(length: float, thickness: float, k: float, side: Side, faces: int) -> RodPiece:
    """Return the piece of a flat ring, ``length`` m from bore to rim, whose ``faces``, one or both, meet a side."""
    return RodPiece(length, 2 * np.pi * thickness, 2 * np.pi * faces, k, side)


def as_film(side: Side, highest: float) -> float:
    """Return the film coefficient in W/(m² K) that a side has at most, up to the ``highest`` temperature in K."""
    return side.h + sum(4 * emissivity * STEFAN_BOLTZMANN * highest**3 for emissivity, _ in side.radiation)


def _inflow(side: Side, temperature: Floats) -> tuple[Floats, Floats]:
    """Heat flux (n,) in W/m² that enters a side at temperatures (n,) in K, and its derivative."""
    flux = side.flux + side.h * (side.fluid - temperature)
    change = np.full(len(temperature), -side.h)
    for emissivity, around in side.radiation:
        flux = flux + emissivity * STEFAN_BOLTZMANN * (around**4 - temperature * np.abs(temperature) ** 3)
        change = change - 4 * emissivity * STEFAN_BOLTZMANN * np.abs(temperature) ** 3
    return flux, change


def _points(count: int) -> Floats:
    """Chebyshev points (count + 1,) from 0 to 1."""
    return (1 - np.cos(np.pi * np.arange(count + 1) / count)) / 2


def _derivative(count: int) -> Floats:
    """The matrix (count + 1, count + 1) of derivatives at the Chebyshev points (Boyd 2001, appendix F.8)."""
    points = _points(count)
    weights = np.ones(count + 1)
    weights[[0, -1]] = 2.0
    weights *= (-1.0) ** np.arange(count + 1)
    apart = points[:, None] - points[None] + np.eye(count + 1)
    matrix = np.outer(weights, 1 / weights) / apart
    np.fill_diagonal(matrix, 0.0)
    np.fill_diagonal(matrix, -matrix.sum(axis=1))
    return np.asarray(matrix)


def _between(values: Floats, share: Floats) -> Floats:
    """Values (p,) between those at the Chebyshev points, by shares (p,) of the way (barycentric, Boyd 2001, ch. 5)."""
    points = _points(len(values) - 1)
    weights = (-1.0) ** np.arange(len(values))
    weights[[0, -1]] /= 2
    apart = share[:, None] - points[None]
    exact = np.abs(apart) < 1e-15
    factors = weights / np.where(exact, 1.0, apart)
    found = factors @ values / factors.sum(axis=1)
    return np.where(exact.any(axis=1), values[exact.argmax(axis=1)], found)
