"""What layers settle into: the steady answer, one that rises evenly where no heat can leave, and a swing.

Carslaw & Jaeger (1959), sections 2.6, 3.6 and 3.7, layer by layer with the contacts between them.
"""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import special

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.quadrature import gauss_rule
from blunt_ember.reference.in_layers.changing import Course, Swing, Unsteady
from blunt_ember.reference.in_layers.modes import Stack
from blunt_ember.reference.side import Side

#: Places of a layer along which it is followed how far a swing lags.
_ALONG = 400

Complexes = NDArray[Any]


@immutable
class Settled:
    """The part of the answer of a ``stack`` that stays, with what arises in each layer, W/m³, and what its ``sides``
    meet, whose ``changes`` it follows; temperatures are counted from a ``base`` in K."""

    stack: Stack
    generation: tuple[float, ...]
    sides: tuple[Side, Side]
    changes: tuple[Unsteady | None, Unsteady | None]
    base: float

    @cached_property
    def rise(self) -> float:
        """How fast the mean rises where no heat can leave, K/s."""
        if not self.stack.rests:
            return 0.0
        gained = sum(heat * self.stack.volume(layer) for layer, heat in enumerate(self.generation))
        gained += self.sides[1].flux * self.stack.area(len(self.stack.k))
        gained += 0.0 if self.stack.solid else self.sides[0].flux * self.stack.area(0)
        return gained / self.stack.content

    @cached_property
    def resting_mean(self) -> float:
        """Mean of the part that stays at the start, by what it takes to warm it, K."""
        total = 0.0
        for layer in range(len(self.stack.k)):
            s, weight = layer_rule(self.stack, layer, 60)
            total += self.stack.capacity(layer) * float(self.at(layer, s, 0.0) @ weight)
        return total / self.stack.content

    def _bent(self, layer: int) -> float:
        """∇²T of the part that stays, K/m²."""
        return self.rise / self.stack.diffusivity[layer] - self.generation[layer] / self.stack.k[layer]

    def per_kelvin(self, place: int, layer: int, s: Floats) -> Floats:
        """Return the steady answer (p,) in a layer where nothing but one side is a kelvin warmer."""
        constant, turn = self._units[place][layer]
        return constant + turn * self._grown(layer, s)

    def _grown(self, layer: int, s: Floats) -> Floats:
        """What carries heat through a layer: s, ln s, or −1/s, from where it begins."""
        low = self.stack.lines[layer]
        if self.stack.form == "wall":
            return s - low
        if low == 0:
            return np.zeros_like(s)
        return np.log(s / low) if self.stack.form == "cylinder" else 1 / low - 1 / s

    def _parabola(self, layer: int, s: Floats) -> Floats:
        return self._bent(layer) * (s**2 - self.stack.lines[layer] ** 2) / (2 * (self.stack.power + 1))

    def _steady_basis(self, layer: int) -> _Basis:
        stack, k, power = self.stack, self.stack.k[layer], self.stack.power + 1
        ends = np.array(stack.lines[layer : layer + 2])
        carries = 0.0 if stack.solid and layer == 0 else k
        return _Basis(
            np.stack([np.ones(2), self._grown(layer, ends), self._parabola(layer, ends)], axis=1),
            np.stack([np.zeros(2), np.full(2, carries), k * self._bent(layer) * ends**power / power], axis=1),
        )

    @cached_property
    def _steady(self) -> NDArray[np.float64]:
        """Constant and growing part (l, 2) of the steady answer over the base."""
        bases = [self._steady_basis(layer) for layer in range(len(self.stack.k))]
        return _joined(self.stack, bases, self.sides, self._met).real

    @cached_property
    def _units(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The same where nothing but one side is a kelvin warmer."""
        bases = []
        for layer in range(len(self.stack.k)):
            basis = self._steady_basis(layer)
            bases.append(_Basis(basis.values * [1.0, 1.0, 0.0], basis.flows * [1.0, 1.0, 0.0]))
        first, second = (_joined(self.stack, bases, self.sides, _unit(self.sides, place)).real for place in (0, 1))
        return first, second

    @property
    def _met(self) -> tuple[float, float]:
        """What each side brings, over the base: K where it is held, else W/m²."""
        met = []
        for side in self.sides:
            held = side.held
            met.append(held - self.base if held is not None else side.flux + side.h * (side.fluid - self.base))
        return met[0], met[1]

    def _coefficients(self, t: float) -> NDArray[np.float64]:
        """Constant and growing part (l, 2) of the part that stays, without swings, over the base."""
        found = self._steady
        for place, change in enumerate(self.changes):
            if isinstance(change, Course):
                found = found + change.at(t) * self._units[place]
        return found

    def at(self, layer: int, s: Floats, t: float) -> Floats:
        """Return the temperature in K at places (p,) of a layer, in m, and a time in s."""
        return self.steady_at(layer, s, t) + self.swung_at(layer, s, t)

    def steady_at(self, layer: int, s: Floats, t: float) -> Floats:
        """The same without swings."""
        constant, turn = self._coefficients(t)[layer]
        value = self.base + constant + turn * self._grown(layer, s) + self._parabola(layer, s) + self.rise * t
        return np.asarray(value)

    def swung_at(self, layer: int, s: Floats, t: float) -> Floats:
        """What swings add, K."""
        value = np.zeros(len(s))
        for place, change in enumerate(self.changes):
            if isinstance(change, Swing):
                now = change.amplitude * np.exp(1j * (change.rate * t + change.phase))
                weights = self._swinging[place][layer]
                value = value + (_swung(self.stack, layer, s, change.rate)[0] @ weights * now).imag
        return value

    def swing_through(self, place: int) -> tuple[float, float]:
        """Return by what share a swing at one side comes to the face on the other, the decrement, and by what angle in
        radians it lags there, which is followed along the way as it may be more than a turn.

        H. S. Carslaw & J. C. Jaeger (1959), section 3.7.
        """
        change = self.changes[place]
        assert isinstance(change, Swing)
        count = len(self.stack.k)
        way = [np.ones(1, dtype=complex)]  # what swings itself
        for layer in range(count) if place == 0 else range(count - 1, -1, -1):
            s = np.linspace(self.stack.lines[layer], self.stack.lines[layer + 1], _ALONG)
            swung = _swung(self.stack, layer, s, change.rate)[0] @ self._swinging[place][layer]
            way.append(swung if place == 0 else swung[::-1])
        along = np.concatenate(way)
        return float(abs(along[-1])), float(-np.sign(change.rate) * np.unwrap(np.angle(along))[-1])

    def flow_at(self, layer: int, end: int, t: float) -> float:
        """k sᵐ dT/ds at the begin (``end`` 0) or at the end of a layer."""
        basis = self._steady_basis(layer)
        flow = float(basis.flows[end] @ [*self._coefficients(t)[layer], 1.0])
        s = np.array(self.stack.lines[layer : layer + 2])
        for place, change in enumerate(self.changes):
            if isinstance(change, Swing):
                now = change.amplitude * np.exp(1j * (change.rate * t + change.phase))
                swung = _swung(self.stack, layer, s, change.rate)[1][end] @ self._swinging[place][layer]
                flow += float((swung * now).imag)
        return flow

    def passed_at(self, layer: int, end: int, t: float) -> float:
        """∫ k sᵐ dT/ds dt from the start at the begin or at the end of a layer."""
        basis = self._steady_basis(layer)
        lasting = self._steady[layer] * t
        for place, change in enumerate(self.changes):
            if isinstance(change, Course):
                lasting = lasting + change.lasting(t) * self._units[place][layer]
        passed = float(basis.flows[end] @ [*lasting, t])
        s = np.array(self.stack.lines[layer : layer + 2])
        for place, change in enumerate(self.changes):
            if isinstance(change, Swing):
                turned = np.exp(1j * change.phase) * np.expm1(1j * change.rate * t) / (1j * change.rate)
                swung = _swung(self.stack, layer, s, change.rate)[1][end] @ self._swinging[place][layer]
                passed += float((swung * change.amplitude * turned).imag)
        return passed

    @cached_property
    def _swinging(self) -> tuple[Complexes, Complexes]:
        """Weights (l, 2) of the complex answers to a unit swing of each side that swings."""
        found = []
        for place, change in enumerate(self.changes):
            if not isinstance(change, Swing):
                found.append(np.zeros((len(self.stack.k), 2), dtype=complex))
                continue
            bases = []
            for layer in range(len(self.stack.k)):
                values, flows = _swung(self.stack, layer, np.array(self.stack.lines[layer : layer + 2]), change.rate)
                none = np.zeros((2, 1))
                bases.append(_Basis(np.hstack([values, none]), np.hstack([flows, none])))
            found.append(_joined(self.stack, bases, self.sides, _unit(self.sides, place)))
        return found[0], found[1]


def layer_rule(stack: Stack, layer: int, count: int) -> tuple[Floats, Floats]:
    """Places (q,) of a layer, and weights for ∫ … sᵐ ds, in pieces of 48 where there are more than 200."""
    low, high = stack.lines[layer : layer + 2]
    pieces = 1 if count <= 200 else -(-count // 48)
    at, weight = gauss_rule(count if pieces == 1 else 48)
    step = (high - low) / pieces
    s = (low + step * np.arange(pieces)[:, None] + step * (1 + at) / 2).ravel()
    return s, np.tile(weight, pieces) * step / 2 * s**stack.power


@immutable
class _Basis:
    """Values and flows (2, 3) at the begin and the end of a layer, of two answers without and one with what drives."""

    values: NDArray[Any]
    flows: NDArray[Any]


def _unit(sides: tuple[Side, Side], place: int) -> tuple[float, float]:
    """What both sides bring where one is a kelvin warmer."""
    brings = [0.0, 0.0]
    brings[place] = 1.0 if sides[place].held is not None else sides[place].h
    return brings[0], brings[1]


def _joined(stack: Stack, bases: list[_Basis], sides: tuple[Side, Side], brings: tuple[float, float]) -> NDArray[Any]:
    """Return the weights (l, 2) with which answers in layers meet both sides and each other.

    ``brings`` are the temperatures of sides that are held, the flux into others at no temperature. Where no heat can
    leave, the first weight of the first layer is 0.
    """
    count = 2 * len(bases)
    matrix = np.zeros((count, count), dtype=np.result_type(*(basis.values for basis in bases)))
    right = np.zeros(count, dtype=matrix.dtype)
    for row, layer, end, sign in ((0, 0, 0, -1.0), (count - 1, len(bases) - 1, 1, 1.0)):
        side, values, flows = sides[end], bases[layer].values[end], bases[layer].flows[end]
        if end == 0 and stack.solid:
            matrix[row, 1] = 1.0
            continue
        area = stack.area(0 if end == 0 else len(bases))
        line = values if side.held is not None else sign * flows + side.h * area * values
        matrix[row, 2 * layer : 2 * layer + 2] = line[:2]
        right[row] = brings[end] * (1.0 if side.held is not None else area) - line[2]
    for layer, contact in enumerate(stack.contacts):
        before, after = bases[layer], bases[layer + 1]
        leap = before.values[1] + contact / stack.area(layer + 1) * before.flows[1]
        for row, left, further in (
            (2 * layer + 1, leap, after.values[0]),
            (2 * layer + 2, before.flows[1], after.flows[0]),
        ):
            matrix[row, 2 * layer : 2 * layer + 4] = [*-left[:2], *further[:2]]
            right[row] = left[2] - further[2]
    if stack.rests:
        matrix[-1], right[-1] = 0.0, 0.0
        matrix[-1, 0] = 1.0
    scale = np.abs(matrix).max(axis=1)
    solved: NDArray[Any] = np.linalg.solve(matrix / scale[:, None], right / scale).reshape(-1, 2)
    return solved


def _swung(stack: Stack, layer: int, s: Floats, rate: float) -> tuple[Complexes, Complexes]:
    """Two answers (p, 2) of a layer to a unit swing, and their flows, of functions that cannot overflow; of the middle
    of a solid body but one."""
    low, high = stack.lines[layer : layer + 2]
    k, root = stack.k[layer], np.sqrt(1j * rate / stack.diffusivity[layer])
    if stack.form == "cylinder":
        # ive and kve leave out an exponential; what is left of it is taken from the nearer radius.
        size = np.exp((root * s).real - root * high)
        rising = special.ive(0, root * s) * size, root * special.ive(1, root * s) * size
        if low == 0:
            falling = 0 * rising[0], 0 * rising[0]
        else:
            size = np.exp(-root * (s - low))
            falling = special.kve(0, root * s) * size, -root * special.kve(1, root * s) * size
        return np.stack([rising[0], falling[0]], axis=1), k * s[:, None] * np.stack([rising[1], falling[1]], axis=1)
    up, down = np.exp(root * (s - high)), np.exp(-root * (s - low))
    if stack.form == "wall":
        return np.stack([up, down], axis=1), k * root * np.stack([up, -down], axis=1)
    if low == 0:
        mirrored = np.exp(-root * (s + high))
        with np.errstate(divide="ignore", invalid="ignore"):
            small = s < 1e-9 * high
            value = np.where(small, 2 * root * np.exp(-root * high), (up - mirrored) / s)
            flow = np.where(small, 0.0, root * s * (up + mirrored) - (up - mirrored))
        return np.stack([value, 0 * value], axis=1), k * np.stack([flow, 0 * flow], axis=1)
    away = s[:, None]
    both = np.stack([up, down], axis=1)
    return both / away, k * (root * np.stack([up, -down], axis=1) * away - both)
