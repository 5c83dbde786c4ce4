"""Heat that spreads through plates on each other from where it enters: a series along the plates, exact through them.

T = T₀(z) + Σ cₙ Uₙ(x, y) θₙ(z): no heat passes the edges of the plates, so that the modes Uₙ of the plan (cosines of a
strip or a rectangle, Bessel functions of a disc) go through all of them alike. The mean heat makes T₀, and each mode
obeys k θ″ = k_along Λₙ² θ in every plate, which is the admittance of what lies behind, carried from plate to plate.
Carslaw & Jaeger, *Conduction of Heat in Solids*, 2nd ed. (1959), secs. 5.6, 8.3 and 8.4; Muzychka, Culham & Yovanovich,
*J. Electron. Packag.* 125 (2003) 178 (spreading through layers).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.plans import Plan
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer
from blunt_ember.reference.side import Side

SPREADING_SOURCE = "Carslaw & Jaeger (1959), secs. 5.6 and 8.3; Muzychka, Culham & Yovanovich (2003)"
_AT_ONCE = 4_000_000
#: A term with an exponent beyond this adds nothing to a double.
_SPENT = 40.0


@immutable
class Plate:
    """A plate up to ``end`` in m, of conductivity ``k`` through and ``along`` it in W/(m K); ``generation`` in W/m³,
    and behind it a ``contact`` resistance in m² K/W."""

    end: float
    k: float
    along: float
    generation: float = 0.0
    contact: float = 0.0


@immutable
class Patch:
    """Where at an ``end`` of the pile, 0 or 1, a ``flux`` in W/m² comes in besides what all of the end meets, between
    places ``within`` in m along each axis of the plan."""

    end: int
    within: tuple[tuple[float, float], ...]
    flux: float

    def of_modes(self, plan: Plan, count: int) -> Floats:
        """Return what it is of each mode (n,), W/m²."""
        return self.flux * plan.shares(self.within, count)

    def mean(self, plan: Plan) -> float:
        """Return its mean over the plan, W/m²."""
        return self.flux * plan.area(self.within)


@immutable
class Course:
    """What ``follows`` the place on all of an ``end``, besides a mean that the sides have: W/m² that come in, or where
    the end is held K, at places (p, axes) of the plan in m."""

    end: int
    follows: Callable[[Floats], Floats]

    def of_modes(self, plan: Plan, count: int) -> Floats:
        """Return what it is of each mode (n,), which fade, so that what is left out of their sum cancels."""
        return plan.projected(self.follows, count)

    def of_every_mode(self, plan: Plan, count: int) -> Floats:
        """Return what it is of each mode (n,), to the last."""
        return plan.projected(self.follows, count, fade=False)

    def mean(self, plan: Plan) -> float:
        """Nothing, besides what the sides have."""
        return 0.0


@immutable
class Spreading:
    """A pile of ``plates`` from 0 on with a ``plan``; ``sides`` are what all of both ends meet, without ``patches``.

    ``counts`` are the modes taken along each axis, by how far a place is from the patches.
    """

    plan: Plan
    plates: tuple[Plate, ...]
    sides: tuple[Side, Side]
    patches: tuple[Patch | Course, ...]
    counts: tuple[int, ...]
    _made: dict[tuple[int, int], Floats] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def mean(self) -> Warming:
        """The pile with every flux spread over all of its end."""
        fluxes = [sum(patch.mean(self.plan) for patch in self.patches if patch.end == end) for end in (0, 1)]
        layers = tuple(
            WarmingLayer(each.end, each.k, each.k, 0.0, each.generation, each.contact) for each in self.plates
        )
        first, last = (
            Side(side.held, side.flux + flux, side.h, side.fluid) for side, flux in zip(self.sides, fluxes, strict=True)
        )
        return Warming("wall", 0.0, layers, (first, last))

    def temperature_at(self, places: Floats, layer: int | None = None, with_mean: bool = True) -> Floats:
        """Temperature in K at ``places`` (p, axes + 1) in m, the last of them up the pile, in one ``layer`` if one is
        given; without the mean of each height if that is not wanted."""
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
            result[own] = self.mean.settled_at(layer, np.array([height])) if with_mean else 0.0
            weights = sum(
                self._of_modes(place, count) * self._through(count, patch.end, layer, height)
                for place, patch in enumerate(self.patches)
            )
            for some in np.array_split(own, len(own) * count // _AT_ONCE + 1) if self.patches else ():
                result[some] += self.plan.summed(places[some, :-1], np.asarray(weights), count)
        return result

    def _of_modes(self, place: int, count: int) -> Floats:
        if (place, count) not in self._made:
            self._made[place, count] = self.patches[place].of_modes(self.plan, count)
        return self._made[place, count]

    def flows(self, count: int, end: int) -> tuple[Floats, Floats]:
        """Return what of every mode (n,) enters at an end for what drives it there, and leaves at the other one: W/m²
        for each kelvin where the end is held, else for a flux of 1."""
        column = self._column(count, end)
        root, thick, leaves = column.roots[0], column.thick[0], column.leaves[0]
        return column.enters * column.levels[-1], column.levels[0] * column.k * root * _falling(root, thick, leaves)

    def _through(self, count: int, end: int, layer: int, up: float) -> Floats:
        """θ (n,) of every mode at a height of a layer for a flux of 1 at an end, m² K/W."""
        column = self._column(count, end)
        number = layer if end else len(self.plates) - 1 - layer
        begin = self.plates[layer - 1].end if layer else 0.0
        within = up - begin if end else self.plates[layer].end - up
        return column.levels[number] * _fallen(
            column.roots[number], column.thick[number], within, column.leaves[number]
        )

    def _column(self, count: int, end: int) -> _Column:
        """How every mode goes through the pile from an end, from plate to plate."""
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
        near_side = self.sides[end]
        level = np.ones(len(modes)) if near_side.held is not None else 1 / (carried[-1][1] + near_side.h)
        levels = [level]
        for place in range(len(plates) - 1, 0, -1):
            level = level * _fallen(roots[place], thick[place], 0.0, carried[place][0])
            level = level / (1 + passed[place - 1] * carried[place - 1][1])
            levels.append(level)
        return _Column(
            tuple(roots),
            tuple(thick),
            tuple(leaves for leaves, _ in carried),
            tuple(levels[::-1]),
            carried[-1][1],
            plates[0].k,
        )


@immutable
class _Column:
    """Of every mode, plate by plate from the far end to the near one: its decay ``roots`` (n,) in 1/m, how ``thick``
    the plate is, what ``leaves`` (n,) behind it over its own admittance, and the ``levels`` (n,) on its near side; what
    ``enters`` (n,) the nearest one for each kelvin, and ``k`` of the farthest."""

    roots: tuple[Floats, ...]
    thick: tuple[float, ...]
    leaves: tuple[Floats, ...]
    levels: tuple[Floats, ...]
    enters: Floats
    k: float


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
    share = _sent_back(leaves)
    return np.asarray((down + share * up) / (1 + share * whole))


def _falling(root: Floats, thick: float, leaves: Floats) -> Floats:
    """The slope (n,) at the far side over the root, for 1 on the near side."""
    share = _sent_back(leaves)
    return np.asarray(np.exp(-root * thick) * (1 - share) / (1 + share * np.exp(-2 * root * thick)))


def _sent_back(leaves: Floats) -> Floats:
    """What of a wave comes back (n,) from the far side."""
    shut = np.isinf(leaves)
    return np.where(shut, -1.0, (1 - np.where(shut, 0.0, leaves)) / (1 + np.where(shut, 0.0, leaves)))
