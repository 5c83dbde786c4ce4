"""Rectangles, boxes and cylinders of any length that settle into what surrounds them, from one temperature.

T = S + Σ c X Y Z exp(−(r² + s² + q²) t): S is the steady answer, X, Y and Z are modes of a wall or a cylinder along
each axis, each side of which is held at nothing, meets a fluid at nothing or lets nothing pass. By Green's identity the
part of S that goes with a mode φ is ∫ S φ = (a/Λ) (∫ g φ + ∮ (q + h T_f) φ − ∮ k T_h ∂φ/∂n)/k, so that S itself is
not needed for it. Carslaw & Jaeger (1959), sections 1.14, 5.5 and 6.3; Özışık (1993), *Heat Conduction*, 2nd ed.,
sections 2-8 and 3-5.
"""

from __future__ import annotations

from functools import cached_property, reduce

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.grid import grid_of
from blunt_ember.reference.crosswise.limits import approached
from blunt_ember.reference.in_layers.modes import Modes
from blunt_ember.reference.in_layers.warming import Warming
from blunt_ember.reference.side import Side
from blunt_ember.sent_bare import SentBare

SETTLING_SOURCE = "series along each axis, Carslaw & Jaeger (1959), sections 1.14, 5.5 and 6.3"
#: A term whose exponent is beyond this adds nothing to a double; terms that are summed at most, all axes together.
_FADED, _MOST = 42.0, 262_144
#: Terms along each axis of sums over the whole time, from which their limit is found, by the number of axes.
_SUMS = {1: (256, 512, 1_024, 2_048), 2: (64, 128, 256, 512), 3: (16, 32, 64, 128)}
#: Values that are held at once.
_AT_ONCE = 4_000_000


@immutable
class Settling(SentBare):
    """A body of one material along ``axes``, whose own sides are all at nothing; ``sides`` are what its faces meet by
    axis, counted from the temperature at the start. ``generation`` is in W/m³, ``sink`` in W/(m³ K) what leaves along a
    thin body. Heat is that of one unit of what lies across the axes: one metre, one radian, or one m²."""

    axes: tuple[Warming, ...]
    sides: tuple[tuple[Side, Side], ...]
    generation: float
    sink: float = 0.0

    @cached_property
    def _known(self) -> dict[tuple[int, ...], tuple[list[Modes], Floats, Floats]]:
        """Terms, by how many of each axis there are."""
        return {}

    @cached_property
    def _sums(self) -> dict[tuple[int, int] | None, float]:
        """Sums over all time, by face."""
        return {}

    def left_at(self, places: Floats, t: float) -> Floats:
        """How far (p,) it is from settled, K, at coordinates (p, axes) in m; NaN at a time too early to sum."""
        terms = self._fading(t)
        if terms is None:
            return np.full(len(places), np.nan)
        modes, _, weights = terms
        if (grid := grid_of(places)) is not None:
            lines, at = grid
            for each, line in zip(modes, lines, strict=True):  # the axis that comes first goes, and comes again as last
                weights = np.tensordot(weights, each.in_layer(0, line), axes=(0, 1))
            return np.asarray(weights[at])
        found = np.empty(len(places))
        run = max(1, _AT_ONCE // (weights.size // weights.shape[-1]))
        for first in range(0, len(places), run):
            own = places[first : first + run]
            rest = weights @ modes[-1].in_layer(0, own[:, -1]).T
            for axis in range(len(modes) - 2, -1, -1):
                rest = np.einsum("...mp,pm->...p", rest, modes[axis].in_layer(0, own[:, axis]))
            found[first : first + run] = rest
        return found

    def inflow_at(self, axis: int, end: int, t: float) -> float:
        """The heat in W that enters at an end of an axis more than once it has settled; NaN where too early to sum."""
        terms = self._fading(t)
        if terms is None:
            return float("nan")
        modes, _, weights = terms
        return _over(weights, self._through(modes, (axis, end)))

    def passed_at(self, axis: int, end: int, t: float) -> float:
        """The same from the start to a time, J."""
        if t <= 0:
            return 0.0
        terms = self._fading(t)
        if terms is None:
            return float("nan")
        modes, rates, weights = terms
        to_come = _over(weights / np.where(rates == 0, 1.0, rates), self._through(modes, (axis, end)))
        return self._in_all((axis, end)) - to_come

    def gained_at(self, t: float) -> float:
        """The heat stored since the start, J; NaN at a time too early to sum."""
        if t <= 0:
            return 0.0
        terms = self._fading(t)
        if terms is None:
            return float("nan")
        modes, _, weights = terms
        return self._capacity * (_over(weights, self._through(modes, None)) - self._in_all(None))

    def excess_at(self, t: float) -> float:
        """∫ of how far it is from settled over the body, K m³; NaN at a time too early to sum."""
        terms = self._fading(t)
        return float("nan") if terms is None else _over(terms[2], self._through(terms[0], None))

    @property
    def _capacity(self) -> float:
        """Heat capacity, J/(m³ K)."""
        stack = self.axes[0].stack
        return stack.k[0] / stack.diffusivity[0]

    def _in_all(self, face: tuple[int, int] | None) -> float:
        """What a face lets in over all time beside the steady heat, J, or with no face what is gained, K m³: the limit
        of sums of twice as many terms each."""
        if face not in self._sums:
            sums = []
            for count in _SUMS[len(self.axes)]:
                modes, rates, weights = self._terms((count,) * len(self.axes))
                parts = weights if face is None else weights / np.where(rates == 0, 1.0, rates)
                sums.append(_over(parts, self._through(modes, face)))
            self._sums[face] = approached(sums)
        return self._sums[face]

    def _through(self, modes: list[Modes], face: tuple[int, int] | None) -> list[Floats]:
        """What each mode lets in at an end of an axis, or holds where no face is given, by the modes of every axis."""
        factors = [each.parts[0] for each in modes]
        if face is not None:
            axis, end = face
            factors[axis] = modes[axis].flows[end][0] * (1.0 if end else -1.0)
        return factors

    def _fading(self, t: float) -> tuple[list[Modes], Floats, Floats] | None:
        """The modes that have not faded at a time, how fast they do, 1/s, and their weights there."""
        if t <= 0:
            return None
        root = np.array([np.sqrt(_FADED / t)])
        counts = [max(int(axis.stack.below(root)[0]) + 1, 4) for axis in self.axes]
        if float(np.prod([float(count) for count in counts])) > _MOST:
            return None
        modes, rates, weights = self._terms(tuple(1 << int(np.ceil(np.log2(count))) for count in counts))
        return modes, rates, weights * np.exp(-rates * t)

    def _terms(self, counts: tuple[int, ...]) -> tuple[list[Modes], Floats, Floats]:
        """So many modes of each axis, how fast all products of them fade, 1/s, and their weights at the start."""
        if counts not in self._known:
            modes = [axis.expanded(count)[0] for axis, count in zip(self.axes, counts, strict=True)]
            rates = reduce(np.add.outer, [each.roots**2 for each in modes]) + self.sink / self._capacity
            driven = self.generation * reduce(np.multiply.outer, [each.parts[0] for each in modes])
            for axis, pair in enumerate(self.sides):
                for end, side in enumerate(pair):
                    driving = self._driving(axis, end, side, modes[axis])
                    if driving is not None:
                        along = [driving if place == axis else each.parts[0] for place, each in enumerate(modes)]
                        driven = driven + reduce(np.multiply.outer, along)
            norms = reduce(np.multiply.outer, [each.norms / self._capacity for each in modes])
            resting = rates == 0
            weights = -driven / (self._capacity * np.where(resting, 1.0, rates)) / norms
            self._known[counts] = modes, rates, np.where(resting, 0.0, weights)
        return self._known[counts]

    def _driving(self, axis: int, end: int, side: Side, modes: Modes) -> Floats | None:
        """How an end drives the modes of its axis (n,)."""
        stack = self.axes[axis].stack
        if stack.solid and end == 0:
            return None
        if side.held is not None:
            return modes.flows[end][0] * side.held * (-1.0 if end else 1.0)
        brings = side.flux + side.h * side.fluid
        return modes.values[end][0] * stack.area(end) * brings if brings else None


def _over(weights: Floats, factors: list[Floats]) -> float:
    """Σ of weights of as many axes as there are factors, each times those of its axis."""
    for factor in reversed(factors):
        weights = weights @ factor
    return float(weights)
