"""A chain of straight pieces with heat through their sides, even across: each piece's own waves, joined at the ends.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 3.6.1–3.6.2:
d²T/dx² = P (h (T − T_fluid) − q)/(k A) − g/k, with the end conditions of table 3.4; pieces joined by equal heat flow,
and by equal temperature or a contact resistance. The temperature of an end that radiates is the root of its balance.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.roots import balanced
from blunt_ember.reference.side import Side

ROD_CHAIN_SOURCE = "Incropera et al. (2007), sec. 3.6.2: one-dimensional rod, piece by piece"


@immutable
class RodPiece:
    """A piece of ``length`` m, ``area`` m², ``perimeter`` m and ``k`` W/(m K) with what its side meets.

    ``generation`` is in W/m³, ``contact`` the resistance (K/W) behind it.
    """

    length: float
    area: float
    perimeter: float
    k: float
    side: Side
    generation: float = 0.0
    contact: float = 0.0

    @property
    def m(self) -> float:
        """Fin parameter √(h P/(k A)) in 1/m; 0 for a side without film."""
        return float(np.sqrt(self.side.h * self.perimeter / (self.k * self.area)))

    def terms(self, x: float) -> tuple[Floats, Floats, float, float]:
        """Return T and dT/dx at ``x`` as factors (2,) of the two free constants, and the parts free of them."""
        lateral = self.side.flux * self.perimeter + self.generation * self.area
        if self.m > 0:
            waves = np.array([np.exp(-self.m * x), np.exp(-self.m * (self.length - x))])
            rest = self.side.fluid + lateral / (self.side.h * self.perimeter)
            return waves, self.m * waves * [-1.0, 1.0], rest, 0.0
        bend = -lateral / (self.k * self.area)
        return np.array([1.0, x / self.length]), np.array([0.0, 1 / self.length]), bend * x * x / 2, bend * x


@immutable
class RodChain:
    """Pieces from the start to the end; ``start`` and ``end`` are what the two end faces meet."""

    pieces: tuple[RodPiece, ...]
    start: Side
    end: Side

    def __post_init__(self) -> None:
        if not (self.start.drives or self.end.drives or any(piece.m > 0 for piece in self.pieces)):
            raise ReferenceRefusedError("no end is held and nothing meets a fluid, so any temperature would do")
        if any(piece.side.held is not None for piece in self.pieces):
            raise ReferenceRefusedError("the side of a piece is held at a temperature, so heat does not flow along it")
        if any(piece.side.radiation for piece in self.pieces):
            raise ReferenceRefusedError("the side of a piece radiates, for which no closed form is known here")
        if self.start.radiation and self.end.radiation:
            raise ReferenceRefusedError("both ends radiate; one can be found")

    @cached_property
    def _constants(self) -> Floats:
        """The two free constants of every piece, (p, 2)."""
        first, last = self.pieces[0], self.pieces[-1]
        for side, piece, place, x in ((self.start, first, 0, 0.0), (self.end, last, -1, last.length)):
            if side.radiation:
                return self._radiating(side, piece, place, x)
        return self._with_ends(self.start, self.end)

    def _radiating(self, side: Side, piece: RodPiece, place: int, x: float) -> Floats:
        """Find the temperature of the radiating face at which what it takes in is what flows on from it."""

        def constants(face: float) -> Floats:
            held = Side(held=face)
            return self._with_ends(*((held, self.end) if place == 0 else (self.start, held)))

        def gap(face: float) -> float:
            _, slope, _, fixed = piece.terms(x)
            along = -piece.k * piece.area * float(slope @ constants(face)[place] + fixed)
            return side.inflow(face) * piece.area + (along if place else -along)

        stated = [t for meets in (self.start, self.end, *(p.side for p in self.pieces)) for t in meets.driving]
        return constants(balanced(gap, float(np.mean(stated)), max(float(np.ptp(stated)), 1.0)))

    def _with_ends(self, start: Side, end: Side) -> Floats:
        count = len(self.pieces)
        matrix, right = np.zeros((2 * count, 2 * count)), np.zeros(2 * count)
        first, last = self.pieces[0], self.pieces[-1]
        for row, piece, place, side, inward, x in (
            (0, first, slice(0, 2), start, 1.0, 0.0),
            (2 * count - 1, last, slice(2 * count - 2, 2 * count), end, -1.0, last.length),
        ):
            value, slope, fixed, fixed_slope = piece.terms(x)
            if side.held is not None:
                matrix[row, place], right[row] = value, side.held - fixed
            else:  # heat that enters the face goes on into the piece
                matrix[row, place] = side.h * value - inward * piece.k * slope
                right[row] = side.flux + side.h * (side.fluid - fixed) + inward * piece.k * fixed_slope
        for joint in range(count - 1):
            before, after = self.pieces[joint], self.pieces[joint + 1]
            value_a, slope_a, fixed_a, fixed_slope_a = before.terms(before.length)
            value_b, slope_b, fixed_b, fixed_slope_b = after.terms(0.0)
            a, b = slice(2 * joint, 2 * joint + 2), slice(2 * joint + 2, 2 * joint + 4)
            rows = (2 * joint + 1, 2 * joint + 2)
            ka, kb = before.k * before.area, after.k * after.area
            # Behind a contact the next piece is cooler by what passes, −kA dT/dx, times the resistance.
            matrix[rows[0], a] = value_a + before.contact * ka * slope_a
            matrix[rows[0], b] = -value_b
            right[rows[0]] = fixed_b - fixed_a - before.contact * ka * fixed_slope_a
            matrix[rows[1], a], matrix[rows[1], b] = ka * slope_a, -kb * slope_b
            right[rows[1]] = kb * fixed_slope_b - ka * fixed_slope_a
        return np.asarray(np.linalg.solve(matrix, right)).reshape(count, 2)

    def temperature_in(self, piece: int, x: float) -> float:
        """Temperature in K at ``x`` m from the start of a piece."""
        value, _, fixed, _ = self.pieces[piece].terms(x)
        return float(value @ self._constants[piece] + fixed)

    def heat_along(self, piece: int, x: float) -> float:
        """Heat in W that flows from start to end at ``x`` m from the start of a piece."""
        own = self.pieces[piece]
        _, slope, _, fixed = own.terms(x)
        return -own.k * own.area * float(slope @ self._constants[piece] + fixed)

    def temperature_at(self, x: Floats, piece: int | None = None) -> Floats:
        """Temperature in K at ``x`` m from the start of the chain, in one ``piece`` if one is given; NaN outside."""
        stations = np.concatenate([[0.0], np.cumsum([each.length for each in self.pieces])])
        slack = 1e-9 * stations[-1]
        place = np.clip(np.searchsorted(stations, x, side="right") - 1, 0, len(self.pieces) - 1)
        if piece is not None:
            place = np.full(x.shape, piece)
        result = np.array(
            [self.temperature_in(p, v - stations[p]) for p, v in zip(place.tolist(), x.tolist(), strict=True)]
        )
        return np.where((x >= -slack) & (x <= stations[-1] + slack), result, np.nan)
