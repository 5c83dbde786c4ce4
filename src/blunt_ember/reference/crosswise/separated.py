"""Steady heat in boxes and finite cylinders, each face held, heated by a flux, or behind a film: series along axes.

T = P(s) + Σ Xₙ(s) [Rₙ(y) + Σ Yₘ(y) Zₙₘ(z)]: P takes what arises inside and what both ends of the first axis meet, its
modes Xₙ leave them alone; Rₙ obeys κ R″ = Λ² R and takes what both ends of the next axis meet, and so on. The first
axis may be a radius, solid or hollow, and have layers. Carslaw & Jaeger, *Conduction of Heat in Solids*, 2nd ed.
(1959), secs. 5.2 to 5.6 (rectangle), 6.2 (box), 8.3 (finite cylinder); Özışık, *Heat Conduction*, 2nd ed. (1993), ch. 2
and 3.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.fading import fading
from blunt_ember.reference.crosswise.grid import grid_of
from blunt_ember.reference.in_layers.modes import Modes, Stack, modes_of
from blunt_ember.reference.in_layers.warming import Warming
from blunt_ember.reference.side import Side

SEPARATED_SOURCE = "Carslaw & Jaeger (1959), secs. 6.2 and 8.3: series along each axis"
_AT_ONCE = 4_000_000


@immutable
class Along:
    """An axis from 0 to ``length`` in m; ``share`` is its conductivity over that of the last axis (1 where layers are),
    ``sides`` what both ends meet, films over the conductivity along the last axis (1/m)."""

    length: float
    share: float
    sides: tuple[Side, Side]

    @cached_property
    def stack(self) -> Stack:
        """The axis, as its modes know it; what they decay by is over the conductivity along the last axis."""
        leaves = tuple(np.inf if side.held is not None else side.h for side in self.sides)
        return Stack("wall", (0.0, self.length), (self.share,), (self.share,), (), (leaves[0], leaves[1]))


@immutable
class Spot:
    """Part of an ``end`` of the last axis, between places ``within`` in m along each axis before it, through which a
    ``flux`` in W/m² comes in besides what the rest of it meets."""

    end: int
    within: tuple[tuple[float, float], ...]
    flux: float


@immutable
class _Level:
    """What stands along one axis for every set of modes (n,) before it: decay Λ² (n,) in 1/m², a source (n,) in K/m²,
    and what both ends bring (n, 2): K where they are held, else K/m."""

    axis: Along
    decay: Floats
    source: Floats
    brings: Floats

    @cached_property
    def still(self) -> NDArray[np.bool_]:
        """Which of them obey R″ = constant."""
        return self.decay <= 1e-14 * max(float(self.decay.max(initial=0.0)), 1 / self.axis.length**2)

    @cached_property
    def root(self) -> Floats:
        """Λ over the square root of the share, 1/m; 1 where it is 0."""
        return np.where(self.still, 1.0, np.sqrt(self.decay / self.axis.share))

    @cached_property
    def rise(self) -> Floats:
        """What is left of the source (n,) where no heat can leave along this axis, for the axes that follow."""
        if not self.axis.stack.rests:
            return np.zeros(len(self.decay))
        gained = self.source + self.brings.sum(axis=1) / self.axis.length
        return np.where(self.still, gained, 0.0)

    @cached_property
    def bend(self) -> Floats:
        """R″ of what the source makes (n,), K/m²; 0 where it makes a constant."""
        return np.where(self.still, (self.rise - self.source) / self.axis.share, 0.0)

    @cached_property
    def _apart(self) -> Floats:
        """What the source alone makes (n,) far from both ends, K."""
        return np.where(self.still, 0.0, self.source / np.where(self.still, 1.0, self.decay))

    def basis(self, y: Floats) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:
        """Two answers (p, n) without and one with the source, and their slopes."""
        y, length = y[:, None], self.axis.length
        up, down = np.exp(self.root * (y - length)), np.exp(-self.root * y)
        forced = self._apart + self.bend * y**2 / 2
        one, slope_one = np.where(self.still, 1.0, up), np.where(self.still, 0.0, self.root * up)
        two, slope_two = np.where(self.still, y / length, down), np.where(self.still, 1 / length, -self.root * down)
        return one, two, forced, slope_one, slope_two, np.broadcast_to(self.bend * y, forced.shape)

    @cached_property
    def weights(self) -> Floats:
        """With which the two answers (n, 2) meet both ends."""
        ends = self.basis(np.array([0.0, self.axis.length]))
        matrix = np.empty((len(self.decay), 2, 2))
        right = np.empty((len(self.decay), 2))
        for end, sign in ((0, -1.0), (1, 1.0)):
            side, share = self.axis.sides[end], self.axis.share
            one, two, forced, slope_one, slope_two, slope = (each[end, :] for each in ends)
            if side.held is not None:
                matrix[:, end] = np.stack([one, two], axis=1)
                right[:, end] = self.brings[:, end] - forced
            else:
                matrix[:, end, 0] = sign * share * slope_one + side.h * one
                matrix[:, end, 1] = sign * share * slope_two + side.h * two
                right[:, end] = self.brings[:, end] - sign * share * slope - side.h * forced
        if self.axis.stack.rests:
            matrix[self.still, 1], right[self.still, 1] = (1.0, 0.0), 0.0
        return np.asarray(np.linalg.solve(matrix, right[..., None])[..., 0])

    def at(self, y: Floats) -> Floats:
        """Return R (p, n) at places (p,) in m; places that are the same are worked out once."""
        once, back = np.unique(y, return_inverse=True)
        if 2 * len(once) < len(y):
            return self.at(once)[back]
        length, still = self.axis.length, self.still
        found = np.multiply.outer(y - length, self.root)
        np.exp(found, out=found)
        found *= np.where(still, 0.0, self.weights[:, 0])
        down = np.multiply.outer(-y, self.root)
        np.exp(down, out=down)
        down *= np.where(still, 0.0, self.weights[:, 1])
        found += down
        found += self._apart
        few = np.flatnonzero(still)  # straight, or bent by a source
        found[:, few] = self.weights[few, 0] + np.multiply.outer(y / length, self.weights[few, 1])
        found[:, few] += np.multiply.outer(y**2 / 2, self.bend[few])
        return found

    def slope(self, end: int) -> Floats:
        """Return its slopes (n,) at an end."""
        *_, one, two, forced = (each[0] for each in self.basis(np.array([self.axis.length * end])))
        return np.asarray(one * self.weights[:, 0] + two * self.weights[:, 1] + forced)

    @cached_property
    def whole(self) -> Floats:
        """∫ R dy (n,)."""
        length = self.axis.length
        swept = -np.expm1(-self.root * length) / self.root
        one, two = np.where(self.still, length, swept), np.where(self.still, length / 2, swept)
        return np.asarray(
            one * self.weights[:, 0] + two * self.weights[:, 1] + self._apart * length + self.bend * length**3 / 6
        )

    def expanded(self, modes: Modes) -> Floats:
        """Return what R is of each mode of this axis (n, m), by Green's identity where they decay together."""
        whole = modes.parts.sum(axis=0)
        together = self.decay[:, None] + modes.roots**2
        driven = self.source[:, None] * whole - self.rise[:, None] * whole
        for end, sign in ((0, 1.0), (1, -1.0)):
            side = self.axis.sides[end]
            forcing = sign * modes.flows[end][0] if side.held is not None else modes.values[end][0]
            driven = driven + self.brings[:, end, None] * forcing
        resting = together <= 1e-14 / self.axis.length**2
        found = np.where(resting, self.whole[:, None], driven / np.where(resting, 1.0, together))
        return np.asarray(found / modes.norms)


@immutable
class Separated:
    """A body along a first axis ``across``, with diffusivities that are its conductivities over those of the last axis,
    and along one or two ``others``; so many modes are taken of the first axis, and of each of the first two in
    ``pairs``. ``spots`` are on the ends of the last axis."""

    across: Warming
    others: tuple[Along, ...]
    terms: int
    pairs: int = 0
    spots: tuple[Spot, ...] = ()

    @cached_property
    def _first(self) -> tuple[Modes, Floats, Floats, Floats]:
        """Modes of the first axis, what P, one kelvin and a flux of 1 over all of it are of each."""
        modes, off = self.across.expanded(self.terms)
        capacity = np.array([self.across.stack.capacity(layer) for layer in range(len(self.across.layers))])
        return modes, -off, capacity @ modes.parts / modes.norms, modes.parts.sum(axis=0) / modes.norms

    @cached_property
    def _second(self) -> _Level:
        modes, along, ones, even = self._first
        axis = self.others[0]
        source = np.where(modes.resting, self.across.rise, 0.0)
        brings = np.stack([_brought(side, along, ones, even) for side in axis.sides], axis=1)
        for spot in self.spots if len(self.others) == 1 else ():
            brings[:, spot.end] += spot.flux * self._shares(modes, spot.within[0]) * fading(self.terms)
        return _Level(axis, modes.roots**2, source, brings)

    def _shares(self, modes: Modes, within: tuple[float, float]) -> Floats:
        """What a flux of 1 over part of the first axis is of each of its modes, over the conductivity that follows."""
        if len(self.across.layers) == 1:
            return modes.between(*within) / modes.norms / self.across.stack.capacity(0)
        raise ReferenceRefusedError("a part of an end is heated across layers")

    @cached_property
    def _third(self) -> tuple[Modes, _Level]:
        """Modes of the second axis, and what stands along the third for every pair."""
        first, *of_first = self._first
        along, ones, even = (each[: self.pairs] for each in of_first)
        second, axis = self._second, self.others[1]
        modes = modes_of(second.axis.stack, self.pairs)
        one = modes.parts.sum(axis=0) / modes.norms
        of_pairs = np.multiply.outer(along, one) + second.expanded(modes)[: self.pairs]
        pairs = [
            _brought(side, of_pairs.ravel(), np.multiply.outer(ones, one).ravel(), np.multiply.outer(even, one).ravel())
            for side in axis.sides
        ]
        brings = np.stack(pairs, axis=1)
        for spot in self.spots:
            one_way, other = spot.within
            shares = self._shares(first, one_way)[: self.pairs], modes.between(*other) / modes.norms
            soft = fading(self.pairs)
            brings[:, spot.end] += spot.flux * np.multiply.outer(shares[0] * soft, shares[1] * soft).ravel()
        decay = (first.roots[: self.pairs, None] ** 2 + modes.roots**2).ravel()
        source = np.where(modes.resting, second.rise[: self.pairs, None], 0.0).ravel()
        return modes, _Level(axis, decay, source, brings)

    def temperature_at(self, places: Floats, layer: int | None = None) -> Floats:
        """Temperature in K at ``places`` (p, 1 + others) in m along each axis, in one ``layer`` if one is given."""
        modes = self._first[0]
        owner = self.across.stack.layer_at(places[:, 0]) if layer is None else np.full(len(places), layer)
        result = np.empty(len(places))
        for at in np.unique(owner).tolist():
            own = np.flatnonzero(owner == at)
            if (grid := grid_of(places[own])) is not None:
                lines, numbers = grid
                found = self._on_grid(at, lines)[numbers]
                result[own] = self.across.settled_at(at, lines[0])[numbers[0]] + found
                continue
            size = max(len(modes.roots), self.pairs**2)
            for some in np.array_split(own, len(own) * size // _AT_ONCE + 1):
                s = places[some, 0]
                across = modes.in_layer(at, s)
                found = self._second.at(places[some, 1])
                if len(self.others) == 2:
                    second, third = self._third
                    pairs = third.at(places[some, 2]).reshape(len(some), self.pairs, self.pairs)
                    found[:, : self.pairs] += np.einsum("pnm,pm->pn", pairs, second.in_layer(0, places[some, 1]))
                result[some] = self.across.settled_at(at, s) + (across * found).sum(axis=1)
        return result

    def _on_grid(self, layer: int, lines: list[Floats]) -> Floats:
        """How far it is from what is settled along the first axis, K, where lines across each axis meet."""
        across = self._first[0].in_layer(layer, lines[0])
        found = across @ self._second.at(lines[1]).T
        if len(self.others) == 1:
            return np.asarray(found)
        second, third = self._third
        every = np.empty((*found.shape, len(lines[2])))
        other = second.in_layer(0, lines[1])
        for number, place in enumerate(lines[2]):
            pairs = third.at(np.array([place])).reshape(self.pairs, self.pairs)
            every[..., number] = found + across[:, : self.pairs] @ pairs @ other.T
        return every

    def heat_in(self, axis: int, end: int) -> float:
        """Return the heat in W that enters at an end of an axis (of a cylinder per radian), with as many modes as there
        are."""
        modes = self._first[0]
        layer = len(self.across.layers) - 1 if end else 0
        sign = 1.0 if end else -1.0
        rest = float(np.prod([other.length for other in self.others]))
        capacity = np.array([self.across.stack.capacity(each) for each in range(len(self.across.layers))])
        if axis == 0:
            of_first, alone = modes.flows[end][layer], self.across.settled_flow(layer, end) * rest
        else:
            of_first, alone = capacity @ modes.parts, 0.0
        second = self._second
        along = second.axis.share * second.slope(end) if axis == 1 else second.whole
        total = alone + float(of_first @ along) * (rest / second.axis.length if axis < 2 else 0.0)
        if len(self.others) == 2:
            inner, third = self._third
            of_second = inner.flows[end][0] if axis == 1 else inner.parts.sum(axis=0)
            pairs = third.slope(end) if axis == 2 else third.whole
            total += float(of_first[: self.pairs] @ pairs.reshape(self.pairs, self.pairs) @ of_second)
        return sign * total


def _brought(side: Side, along: Floats, ones: Floats, even: Floats) -> Floats:
    """What an end brings to each mode (n,), of which what came before is ``along``."""
    if side.held is not None:
        return side.held * ones - along
    return side.flux * even + side.h * (side.fluid * ones - along)
