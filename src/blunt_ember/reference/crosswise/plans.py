"""Outlines of plates, and the modes in which heat spreads along them.

Modes of a strip or a rectangle whose edges pass no heat are cosines, those of a disc Bessel functions; where edges are
held or meet a film they are those of each axis by itself.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from scipy import special

from blunt_ember.arrays import Floats
from blunt_ember.quadrature import gauss_rule
from blunt_ember.reference.crosswise.fading import fading
from blunt_ember.reference.in_layers.modes import Modes, Stack, modes_of

#: Places of one piece that a course is read at; each piece has at most so many modes.
_READ, _OF_PIECE = 16, 4
#: Modes as many as a mean is read for.
_OF_MEAN = 128
#: An axis: places (g,) in m a course is read at, and what each mode takes from a value there (g, n).
Rule = tuple[Floats, Floats]


class Plan(Protocol):
    """The outline of plates: what it is along each axis, and the modes that go with it."""

    @property
    def reach(self) -> float:
        """The longest wave of its modes is about twice this, m."""

    @property
    def spans(self) -> tuple[tuple[float, float, int], ...]:
        """Where each axis begins and ends, m, and the power of the place that an area goes with."""

    @property
    def shut(self) -> bool:
        """Whether no heat passes its edge."""

    def modes(self, count: int) -> Floats:
        """Return Λ (n,) of modes, 1/m, ``count`` of them along each axis, without one that is even."""

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """Return what a flux of 1 through a patch, between places in m along each axis, is of each mode (n,)."""

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """Return the area of a patch over that of the plan."""

    def rules(self, count: int) -> list[Rule]:
        """Return for every axis where a course along it is read, and what it is of ``count`` modes."""

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

    @property
    def spans(self) -> tuple[tuple[float, float, int], ...]:
        """The width."""
        return ((0.0, self.wide, 0),)

    @property
    def shut(self) -> bool:
        """None does."""
        return True

    def modes(self, count: int) -> Floats:
        """Those of cosines."""
        return np.asarray(np.pi * np.arange(1, count) / self.wide)

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """The integral of each cosine over the patch."""
        return _of_cosines(self.wide, patch[0], count)[1:] * fading(count)[1:]

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """A share of the width."""
        return (patch[0][1] - patch[0][0]) / self.wide

    def rules(self, count: int) -> list[Rule]:
        """That of its width."""
        return [_cosine_rule(self.wide, count)]

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

    @property
    def spans(self) -> tuple[tuple[float, float, int], ...]:
        """Both sides."""
        return (0.0, self.wide, 0), (0.0, self.deep, 0)

    @property
    def shut(self) -> bool:
        """None does."""
        return True

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

    def rules(self, count: int) -> list[Rule]:
        """Those of both sides."""
        return [_cosine_rule(length, count) for length in self._sides]

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

    @property
    def spans(self) -> tuple[tuple[float, float, int], ...]:
        """The radius."""
        return ((0.0, self.radius, 1),)

    @property
    def shut(self) -> bool:
        """None does."""
        return True

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

    def rules(self, count: int) -> list[Rule]:
        """That of its radius."""
        places, weight = _pieces(0.0, self.radius, count)
        roots = np.concatenate([[0.0], self.modes(count)])
        norms = (self.radius * special.j0(roots * self.radius)) ** 2 / 2
        return [(places, (weight * places)[:, None] * special.j0(places[:, None] * roots) / norms)]

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """Of J₀."""
        return np.asarray(special.j0(places[:, :1] * self.modes(count)) @ weights)


def _of_cosines(length: float, within: tuple[float, float], count: int) -> Floats:
    """What 1 between two places is of the first ``count`` cosines of a length."""
    order = np.pi * np.arange(count) / length
    low, high = within
    swept = 2 * (np.sin(order * high) - np.sin(order * low)) / np.where(order > 0, order, 1.0) / length
    return np.where(order > 0, swept, (high - low) / length)


def _cosine_rule(length: float, count: int) -> Rule:
    places, weight = _pieces(0.0, length, count)
    waves = np.cos(places[:, None] * (np.pi * np.arange(count) / length))
    return places, weight[:, None] * waves * np.where(np.arange(count) > 0, 2.0, 1.0) / length


def _pieces(begin: float, end: float, count: int) -> tuple[Floats, Floats]:
    """Places (g,) of Gauss's rule in as many pieces as so many modes want, and their weights (g,)."""
    place, weight = gauss_rule(_READ)
    edges = np.linspace(begin, end, count // _OF_PIECE + 2)
    half = np.diff(edges)[:, None] / 2
    return (edges[:-1, None] + half * (place + 1)).ravel(), (half * weight).ravel()


@dataclass(frozen=True)
class Crossed:
    """One or two axes, each with what meets its ends: an axis is a stack of one layer that conducts 1 W/(m K)."""

    axes: tuple[Stack, ...]
    _made: dict[int, tuple[Modes, ...]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def reach(self) -> float:
        """The longest axis, m."""
        return max(axis.lines[-1] - axis.lines[0] for axis in self.axes)

    @property
    def spans(self) -> tuple[tuple[float, float, int], ...]:
        """Its axes."""
        return tuple((axis.lines[0], axis.lines[-1], axis.power) for axis in self.axes)

    @property
    def shut(self) -> bool:
        """None does where no axis lets any out."""
        return all(axis.rests for axis in self.axes)

    def modes(self, count: int) -> Floats:
        """Every one of the first axis with every one of the second."""
        squared = [modes.roots**2 for modes in self._modes(count)]
        whole = squared[0] if len(squared) == 1 else np.add.outer(*squared).ravel()
        return np.sqrt(whole[int(self.shut) :])

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """The integral of each over the patch."""
        soft = fading(count)
        each = [
            modes.between(*within) / modes.norms * soft for modes, within in zip(self._modes(count), patch, strict=True)
        ]
        return np.asarray((each[0] if len(each) == 1 else np.multiply.outer(*each).ravel())[int(self.shut) :])

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """A share of all of it."""
        found = 1.0
        for (begin, end, power), (low, high) in zip(self.spans, patch, strict=True):
            found *= (high ** (power + 1) - low ** (power + 1)) / (end ** (power + 1) - begin ** (power + 1))
        return found

    def rules(self, count: int) -> list[Rule]:
        """Those of its axes."""
        found = []
        for axis, modes in zip(self.axes, self._modes(count), strict=True):
            places, weight = _pieces(axis.lines[0], axis.lines[-1], count)
            taken = (weight * places**axis.power)[:, None] * modes.in_layer(0, places) / modes.norms
            found.append((places, taken))
        return found

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """First along one axis."""
        each = [modes.in_layer(0, places[:, axis]) for axis, modes in enumerate(self._modes(count))]
        whole = np.concatenate([np.zeros(int(self.shut)), weights])
        if len(each) == 1:
            return np.asarray(each[0] @ whole)
        return np.asarray(((each[0] @ whole.reshape(count, count)) * each[1]).sum(axis=1))

    def _modes(self, count: int) -> tuple[Modes, ...]:
        if count not in self._made:
            self._made[count] = tuple(modes_of(axis, count) for axis in self.axes)
        return self._made[count]


def projected(plan: Plan, follows: Callable[[Floats], Floats], count: int) -> Floats:
    """Return what something that follows the place, given at places (p, axes) in m, is of each mode (n,); they fade, so
    that what is left out of their sum cancels."""
    rules = plan.rules(count)
    values = _on_grid(follows, [places for places, _ in rules])
    soft = fading(count)
    found = (rules[0][1] * soft).T @ values
    if len(rules) == 2:
        found = found @ (rules[1][1] * soft)
    return np.asarray(found.ravel()[found.size - len(plan.modes(count)) :])


def mean_over(plan: Plan, follows: Callable[[Floats], Floats]) -> float:
    """Return the mean over a plan of what follows the place, given at places (p, axes) in m."""
    rules = [_pieces(low, high, _OF_MEAN) for low, high, _ in plan.spans]
    values = _on_grid(follows, [places for places, _ in rules])
    for (places, weight), (_, _, power) in zip(rules, plan.spans, strict=True):
        share = weight * places**power
        values = np.tensordot(share / share.sum(), values, axes=(0, 0))
    return float(values)


def _on_grid(follows: Callable[[Floats], Floats], places: list[Floats]) -> Floats:
    grid = np.meshgrid(*places, indexing="ij")
    return follows(np.column_stack([each.ravel() for each in grid])).reshape(grid[0].shape)
