"""Heat that spreads through plates on each other from where it enters: a series along the plates, exact through them.

T = T₀(z) + Σ cₙ Uₙ(x, y) θₙ(z): no heat passes the edges of the plates, so that the modes Uₙ of the plan (cosines of a
strip or a rectangle, Bessel functions of a disc) go through all of them alike. The mean heat makes T₀, and each mode
obeys k θ″ = k_along Λₙ² θ in every plate, which is the admittance of what lies behind, carried from plate to plate.
Carslaw & Jaeger, *Conduction of Heat in Solids*, 2nd ed. (1959), secs. 5.6, 8.3 and 8.4; Muzychka, Culham & Yovanovich,
*J. Electron. Packag.* 125 (2003) 178 (spreading through layers).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

import numpy as np
from scipy import special

from blunt_ember.arrays import Floats
from blunt_ember.reference.crosswise.fading import fading
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer
from blunt_ember.reference.side import Side

SPREADING_SOURCE = "Carslaw & Jaeger (1959), secs. 5.6 and 8.3; Muzychka, Culham & Yovanovich (2003)"
_AT_ONCE = 4_000_000
#: A term with an exponent beyond this adds nothing to a double.
_SPENT = 40.0


class Plan(Protocol):
    """The outline of plates through whose edge no heat passes."""

    @property
    def reach(self) -> float:
        """The longest wave of its modes is about twice this, m."""

    def modes(self, count: int) -> Floats:
        """Return Λ (n,) of modes, 1/m, ``count`` of them along each axis, without the one that is even."""

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """Return what a flux of 1 through a patch, between places in m along each axis, is of each mode (n,)."""

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """Return the area of a patch over that of the plan."""

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """Return Σ Uₙ wₙ at ``places`` (p, axes) in m with ``weights`` (n,)."""


@dataclass(frozen=True)
class Strip:
    """A width from 0 on, m, of a section."""

    wide: float

    @property
    def reach(self) -> float:
        """The width, m."""
        return self.wide

    def modes(self, count: int) -> Floats:
        """Those of cosines."""
        return np.asarray(np.pi * np.arange(1, count) / self.wide)

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """The integral of each cosine over the patch."""
        return _of_cosines(self.wide, patch[0], count)[1:] * fading(count)[1:]

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """A share of the width."""
        return (patch[0][1] - patch[0][0]) / self.wide

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """Of cosines."""
        return np.asarray(np.cos(places[:, :1] * self.modes(count)) @ weights)


@dataclass(frozen=True)
class Rectangle:
    """A plan ``wide`` by ``deep`` from the origin on, m."""

    wide: float
    deep: float

    @property
    def reach(self) -> float:
        """The longer side, m."""
        return max(self.wide, self.deep)

    def modes(self, count: int) -> Floats:
        """Products of cosines, in the order of the first axis."""
        along, across = (np.pi * np.arange(count) / length for length in (self.wide, self.deep))
        return np.asarray(np.hypot(along[:, None], across).ravel()[1:])

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """Products of those of both axes."""
        soft = fading(count)
        both = [_of_cosines(length, within, count) * soft for length, within in zip(self._sides, patch, strict=True)]
        return np.asarray(np.multiply.outer(*both).ravel()[1:])

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """A share of the area."""
        return float(np.prod([(high - low) / length for length, (low, high) in zip(self._sides, patch, strict=True)]))

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """First along one axis."""
        first, second = (
            np.cos(places[:, axis, None] * (np.pi * np.arange(count) / length))
            for axis, length in enumerate(self._sides)
        )
        table = np.concatenate([[0.0], weights]).reshape(count, count)
        return np.asarray(((first @ table) * second).sum(axis=1))

    @property
    def _sides(self) -> tuple[float, float]:
        return self.wide, self.deep


@dataclass(frozen=True)
class Disc:
    """A plan within a ``radius``, m, in which heat spreads from the middle alike in every direction."""

    radius: float
    _roots: dict[int, Floats] = field(default_factory=dict, compare=False, repr=False)

    @property
    def reach(self) -> float:
        """The radius, m."""
        return self.radius

    def modes(self, count: int) -> Floats:
        """Roots of J₁."""
        if count not in self._roots:
            self._roots[count] = np.asarray(special.jn_zeros(1, count - 1) / self.radius)
        return self._roots[count]

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """The integral of each over a ring."""
        roots, (low, high) = self.modes(count), patch[0]
        whole = [reach * special.j1(roots * reach) for reach in (low, high)]
        norms = roots * (self.radius * special.j0(roots * self.radius)) ** 2 / 2
        return np.asarray((whole[1] - whole[0]) / norms * fading(count)[1:])

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """A share of the disc."""
        low, high = patch[0]
        return (high**2 - low**2) / self.radius**2

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """Of J₀."""
        return np.asarray(special.j0(places[:, :1] * self.modes(count)) @ weights)


def _of_cosines(length: float, within: tuple[float, float], count: int) -> Floats:
    """What 1 between two places is of the first ``count`` cosines of a length."""
    order = np.pi * np.arange(count) / length
    low, high = within
    swept = 2 * (np.sin(order * high) - np.sin(order * low)) / np.where(order > 0, order, 1.0) / length
    return np.where(order > 0, swept, (high - low) / length)


@dataclass(frozen=True)
class Plate:
    """A plate up to ``end`` in m, of conductivity ``k`` through and ``along`` it in W/(m K); ``generation`` in W/m³,
    and behind it a ``contact`` resistance in m² K/W."""

    end: float
    k: float
    along: float
    generation: float = 0.0
    contact: float = 0.0


@dataclass(frozen=True)
class Patch:
    """Where at an ``end`` of the pile, 0 or 1, a ``flux`` in W/m² comes in besides what all of the end meets, between
    places ``within`` in m along each axis of the plan."""

    end: int
    within: tuple[tuple[float, float], ...]
    flux: float


@dataclass(frozen=True)
class Spreading:
    """A pile of ``plates`` from 0 on with a ``plan``; ``sides`` are what all of both ends meet, without ``patches``.

    ``counts`` are the modes taken along each axis, by how far a place is from the patches.
    """

    plan: Plan
    plates: tuple[Plate, ...]
    sides: tuple[Side, Side]
    patches: tuple[Patch, ...]
    counts: tuple[int, ...]

    @cached_property
    def mean(self) -> Warming:
        """The pile with every flux spread over all of its end."""
        fluxes = [
            sum(patch.flux * self.plan.area(patch.within) for patch in self.patches if patch.end == end)
            for end in (0, 1)
        ]
        layers = tuple(
            WarmingLayer(each.end, each.k, each.k, 0.0, each.generation, each.contact) for each in self.plates
        )
        first, last = (
            Side(side.held, side.flux + flux, side.h, side.fluid) for side, flux in zip(self.sides, fluxes, strict=True)
        )
        return Warming("wall", 0.0, layers, (first, last))

    def temperature_at(self, places: Floats, layer: int | None = None) -> Floats:
        """Temperature in K at ``places`` (p, axes + 1) in m, the last of them up the pile, in one ``layer`` if one is
        given."""
        up = places[:, -1]
        owner = self.mean.stack.layer_at(up) if layer is None else np.full(len(places), layer)
        ends = [0.0 if patch.end == 0 else self.plates[-1].end for patch in self.patches]
        away = np.abs(up[:, None] - np.array(ends)).min(axis=1) if ends else np.full(len(up), np.inf)
        wanted = _SPENT * self.plan.reach / (np.pi * np.maximum(away, 1e-12 * self.plan.reach))
        sizes = np.minimum(np.searchsorted(self.counts, wanted), len(self.counts) - 1)
        result = np.empty(len(places))
        # Places of one height share what comes through to it.
        kinds, which = np.unique(np.column_stack([sizes, owner, up]), axis=0, return_inverse=True)
        order = np.argsort(which.ravel(), kind="stable")
        for (size, at, height), own in zip(
            kinds, np.split(order, np.flatnonzero(np.diff(which.ravel()[order])) + 1), strict=True
        ):
            count, layer = self.counts[int(size)], int(at)
            result[own] = self.mean.settled_at(layer, np.array([height]))
            weights = sum(
                patch.flux * self.plan.shares(patch.within, count) * self._through(count, patch.end, layer, height)
                for patch in self.patches
            )
            for some in np.array_split(own, len(own) * count // _AT_ONCE + 1) if self.patches else ():
                result[some] += self.plan.summed(places[some, :-1], np.asarray(weights), count)
        return result

    def _through(self, count: int, end: int, layer: int, up: float) -> Floats:
        """θ (n,) of every mode at a height of a layer for a flux of 1 at an end, m² K/W."""
        modes = self.plan.modes(count)
        plates = self.plates if end else self.plates[::-1]
        far = self.sides[1 - end]
        begins = [0.0, *(plate.end for plate in self.plates[:-1])]
        thick = [plate.end - begin for plate, begin in zip(self.plates, begins, strict=True)][:: 1 if end else -1]
        behind = np.full(len(modes), np.inf if far.held is not None else far.h)
        carried: list[tuple[Floats, Floats]] = []
        contacts = [plate.contact for plate in self.plates[:-1]]
        passed = [*(contacts if end else contacts[::-1]), 0.0]
        roots = [modes * np.sqrt(plate.along / plate.k) for plate in plates]
        for plate, root, length, contact in zip(plates, roots, thick, passed, strict=True):
            own = plate.k * root
            near = _entering(behind, own, np.tanh(root * length))
            carried.append((behind / own, near))
            behind = near / (1 + contact * near)
        level = 1 / (carried[-1][1] + self.sides[end].h)
        number = layer if end else len(plates) - 1 - layer
        for place in range(len(plates) - 1, number, -1):
            level = level * _fallen(roots[place], thick[place], 0.0, carried[place][0])
            level = level / (1 + passed[place - 1] * carried[place - 1][1])
        within = up - begins[layer] if end else self.plates[layer].end - up
        return level * _fallen(roots[number], thick[number], within, carried[number][0])


def _entering(behind: Floats, own: Floats, tanh: Floats) -> Floats:
    """What enters a plate for each kelvin on its near side (n,), W/(m² K), by what leaves ``behind`` it."""
    shut = np.isinf(behind)
    leaves = np.where(shut, 0.0, behind)
    return np.where(shut, own / tanh, own * (leaves + own * tanh) / (own + leaves * tanh))


def _fallen(root: Floats, thick: float, height: float, leaves: Floats) -> Floats:
    """What is left (n,) at a height above the far side of a plate of 1 on its near side; ``leaves`` is the admittance
    behind it over its own."""
    down, up = np.exp(-root * (thick - height)), np.exp(-root * (thick + height))
    whole = np.exp(-2 * root * thick)
    shut = np.isinf(leaves)
    share = np.where(shut, -1.0, (1 - np.where(shut, 0.0, leaves)) / (1 + np.where(shut, 0.0, leaves)))
    return np.asarray((down + share * up) / (1 + share * whole))
