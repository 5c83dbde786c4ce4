"""Outlines of plates, and the modes in which heat spreads along them: those of each axis by itself, multiplied."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.quadrature import gauss_rule
from blunt_ember.reference.crosswise.fading import fading
from blunt_ember.reference.in_layers.modes import BodyForm, Modes, Stack, modes_of

#: Places of one piece that a course is read at; each piece has at most so many modes.
_READ, _OF_PIECE = 16, 4
#: Modes as many as a mean is read for, and so many that pieces lie elsewhere; and as many as it is read for along one
#: axis alone, where it may bend.
_OF_MEAN, _ELSEWHERE, _ALONE = 128, 180, 16_384
#: Modes as many as what bends is read for, as its bends lie within pieces.
_BENT = 4_096
#: Where two means differ by more than this of the largest value, what follows the place jumps, or bends.
_JUMPS, _SMOOTH = 1e-5, 1e-12


@immutable
class Plan:
    """One or two axes, each with what meets its ends: an axis is a stack of one layer that conducts 1 W/(m K)."""

    axes: tuple[Stack, ...]
    _made: dict[int, tuple[Modes, ...]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def reach(self) -> float:
        """The longest axis, m: the longest wave of its modes is about twice this."""
        return max(axis.lines[-1] - axis.lines[0] for axis in self.axes)

    @property
    def shut(self) -> bool:
        """Whether no heat passes its edge, so that one mode is even, which is left out."""
        return all(axis.rests for axis in self.axes)

    def modes(self, count: int) -> Floats:
        """Return Λ (n,), 1/m, of every one of ``count`` modes of the first axis with every one of the second."""
        squared = [modes.roots**2 for modes in self._modes(count)]
        return np.sqrt(self._crossed(squared, np.add))

    def shares(self, patch: tuple[tuple[float, float], ...], count: int) -> Floats:
        """Return what a flux of 1 through a patch is of each mode (n,); they fade, so that what is left out of their
        sum cancels."""
        soft = fading(count)
        each = [
            modes.between(*within) / modes.norms * soft for modes, within in zip(self._modes(count), patch, strict=True)
        ]
        return self._crossed(each, np.multiply)

    def area(self, patch: tuple[tuple[float, float], ...]) -> float:
        """Return the area of a patch over that of the plan."""
        found = 1.0
        for axis, (low, high) in zip(self.axes, patch, strict=True):
            power, (begin, end) = axis.power + 1, axis.lines
            found *= (high**power - low**power) / (end**power - begin**power)
        return found

    def whole(self, count: int) -> Floats:
        """Return the integral of each mode (n,) over the plan."""
        each = [
            modes.between(axis.lines[0], axis.lines[-1])
            for axis, modes in zip(self.axes, self._modes(count), strict=True)
        ]
        return self._crossed(each, np.multiply)

    def leaving(self, axis: int, end: int, count: int) -> Floats:
        """Return what of each mode (n,) leaves through an end, 0 or 1, of an axis, in all its length."""
        each = []
        for number, (own, modes) in enumerate(zip(self.axes, self._modes(count), strict=True)):
            flow = -modes.flows[1][-1] if end else modes.flows[0][0]
            each.append(flow if number == axis else modes.between(own.lines[0], own.lines[-1]))
        return self._crossed(each, np.multiply)

    def projected(self, follows: Callable[[Floats], Floats], count: int, fade: bool = True) -> Floats:
        """Return what something that follows the place, given at places (p, axes) in m, is of each mode (n,); they fade
        as :meth:`shares` do, unless that is not wanted."""
        places, taken = [], []
        pieces = max(count, _BENT) if len(self.axes) == 1 and self._bends(follows) else count
        for axis, modes in zip(self.axes, self._modes(count), strict=True):
            at, weight = _pieces(axis, pieces)
            places.append(at)
            taken.append(weight[:, None] * modes.in_layer(0, at) / modes.norms * (fading(count) if fade else 1.0))
        found = taken[0].T @ _on_grid(follows, places)
        if len(taken) == 2:
            found = found @ taken[1]
        return np.asarray(found.ravel()[int(self.shut) :])

    def mean(self, follows: Callable[[Floats], Floats]) -> float:
        """Return the mean of what follows the place, given at places (p, axes) in m; NaN where it jumps, so that no
        rule reads it well."""
        first, again = (self._mean(follows, count) for count in (_OF_MEAN, _ELSEWHERE))
        if abs(first[0] - again[0]) > _JUMPS * first[1]:
            return float("nan")
        return self._mean(follows, _ALONE)[0] if len(self.axes) == 1 else first[0]

    def _bends(self, follows: Callable[[Floats], Floats]) -> bool:
        """Whether what follows the place is not smooth: a rule with pieces elsewhere finds another mean."""
        first, again = (self._mean(follows, count) for count in (_OF_MEAN, _ELSEWHERE))
        return abs(first[0] - again[0]) > _SMOOTH * first[1]

    def summed(self, places: Floats, weights: Floats, count: int) -> Floats:
        """Return Σ Uₙ wₙ at ``places`` (p, axes) in m with ``weights`` (n,)."""
        each = [modes.in_layer(0, places[:, axis]) for axis, modes in enumerate(self._modes(count))]
        whole = np.concatenate([np.zeros(int(self.shut)), weights])
        if len(each) == 1:
            return np.asarray(each[0] @ whole)
        return np.asarray(((each[0] @ whole.reshape(count, count)) * each[1]).sum(axis=1))

    def _mean(self, follows: Callable[[Floats], Floats], count: int) -> tuple[float, float]:
        """The mean, and the largest size of a value."""
        rules = [_pieces(axis, count) for axis in self.axes]
        values = _on_grid(follows, [places for places, _ in rules])
        largest = float(np.abs(values).max())
        for _, weight in rules:
            values = np.tensordot(weight / weight.sum(), values, axes=(0, 0))
        return float(values), largest

    def _crossed(self, each: list[Floats], by: np.ufunc) -> Floats:
        whole = each[0] if len(each) == 1 else by.outer(*each).ravel()
        return np.asarray(whole[int(self.shut) :])

    def _modes(self, count: int) -> tuple[Modes, ...]:
        if count not in self._made:
            self._made[count] = tuple(modes_of(axis, count) for axis in self.axes)
        return self._made[count]


def strip(wide: float) -> Plan:
    """Return a width in m of a section, through whose ends no heat passes."""
    return Plan((_shut("wall", wide),))


def rectangle(wide: float, deep: float) -> Plan:
    """Return a rectangle of two sides in m, through whose edges no heat passes."""
    return Plan((_shut("wall", wide), _shut("wall", deep)))


def disc(radius: float) -> Plan:
    """Return a disc of a radius in m, in which heat spreads from the middle alike in every direction."""
    return Plan((_shut("cylinder", radius),))


def _shut(form: BodyForm, end: float) -> Stack:
    return Stack(form, (0.0, end), (1.0,), (1.0,), (), (0.0, 0.0))


def _pieces(axis: Stack, count: int) -> tuple[Floats, Floats]:
    """Places (g,) of Gauss's rule in as many pieces of an axis as so many modes want, and the areas (g,) they stand
    for."""
    place, weight = gauss_rule(_READ)
    edges = np.linspace(axis.lines[0], axis.lines[-1], count // _OF_PIECE + 2)
    half = np.diff(edges)[:, None] / 2
    places = (edges[:-1, None] + half * (place + 1)).ravel()
    return places, (half * weight).ravel() * places**axis.power


def _on_grid(follows: Callable[[Floats], Floats], places: list[Floats]) -> Floats:
    grid = np.meshgrid(*places, indexing="ij")
    return follows(np.column_stack([each.ravel() for each in grid])).reshape(grid[0].shape)
