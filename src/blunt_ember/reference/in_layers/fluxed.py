"""Layers into one side of which a flux comes that goes on by straight pieces (Duhamel).

What a flux of 1 W/m² does from the start on, U(s, t), is integrated over how long each piece has lasted; where no heat
can leave, U rises for ever. Carslaw & Jaeger (1959), section 1.14.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Protocol

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.in_layers.changing import Course
from blunt_ember.reference.in_layers.modes import BodyForm, Modes, Stack
from blunt_ember.reference.in_layers.settled import layer_rule
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer, summed
from blunt_ember.reference.side import Side
from blunt_ember.sent_bare import SentBare

#: Terms, whose sum ends as the square of their number in heat, and at most, right behind a jump.
_TERMS, _MOST = 2_048, 4_000
#: A term whose exponent is beyond this adds nothing to a double.
_FADED = 42.0


class InLayers(Protocol):
    """What layers that warm say of themselves."""

    @property
    def form(self) -> BodyForm:
        """Which way the heat spreads."""

    @property
    def start(self) -> float:
        """Where the first layer begins, m."""

    @property
    def layers(self) -> tuple[WarmingLayer, ...]:
        """The layers."""

    @property
    def sides(self) -> tuple[Side, Side]:
        """What both sides meet."""

    @property
    def end(self) -> float:
        """Where the last layer ends, m."""

    @property
    def stack(self) -> Stack:
        """The layers, as their modes know them."""

    def temperature_at(self, s: Floats, t: float, layer: int | None = None) -> Floats:
        """Temperature in K at places (p,) in m and a time in s."""

    def flow_at(self, line: int, t: float) -> float:
        """The heat that passes outward at a line between layers."""

    def flux_in(self, t: float) -> tuple[float, float]:
        """The heat flux in W/m² that enters each side."""

    def gained_at(self, t: float) -> float:
        """The heat stored since the start."""

    def passed_at(self, place: int, t: float) -> float:
        """The heat that has come in through a side since the start."""


@immutable
class Fluxed(SentBare):
    """Layers ``without`` what a flux at a ``place`` has more than at the start, and its ``course`` in W/m²."""

    without: InLayers
    place: int
    course: Course

    @cached_property
    def _known(self) -> dict[int, tuple[Modes, Floats]]:
        """Terms of the unit flux, by how many there are."""
        return {}

    @property
    def form(self) -> BodyForm:
        """Which way the heat spreads."""
        return self.without.form

    @property
    def start(self) -> float:
        """Where the first layer begins, m."""
        return self.without.start

    @property
    def layers(self) -> tuple[WarmingLayer, ...]:
        """The layers."""
        return self.without.layers

    @property
    def sides(self) -> tuple[Side, Side]:
        """What both sides meet at the start."""
        return self.without.sides

    @property
    def end(self) -> float:
        """Where the last layer ends, m."""
        return self.without.end

    @property
    def stack(self) -> Stack:
        """The layers, as their modes know them."""
        return self.without.stack

    @cached_property
    def _unit(self) -> Warming:
        """The layers at nothing, into which 1 W/m² comes."""
        if self.sides[self.place].held is not None or self.sides[self.place].h:
            raise ReferenceRefusedError("a side into which a flux comes meets something else too")
        sides = [Side(held=None if side.held is None else 0.0, h=side.h) for side in self.sides]
        sides[self.place] = Side(flux=1.0)
        layers = tuple(replace(each, start=0.0, generation=0.0) for each in self.layers)
        return Warming(self.form, self.start, layers, (sides[0], sides[1]))

    def temperature_at(self, s: Floats, t: float, layer: int | None = None) -> Floats:
        """Return the temperature in K at places (p,) in m, in one ``layer`` if one is given, and a time in s; NaN at a
        time too early to sum."""
        base = self.without.temperature_at(s, t, layer)
        if t <= 0:
            return base
        found = self._begun(t)
        if found is None:
            return np.full(len(s), np.nan)
        modes, weights = found
        rise, rising = self.course.at(t), self._unit.rise * self.course.lasting(t)
        owner = self.stack.layer_at(s) if layer is None else np.full(len(s), layer)
        for number in np.unique(owner).tolist():
            own = owner == number
            places = np.clip(s[own], self.stack.lines[number], self.stack.lines[number + 1])
            unique, back = np.unique(places, return_inverse=True)
            settled = self._unit.settled_at(number, unique) * rise + rising
            base[own] += (settled + summed(modes, weights, number, unique))[back]
        return base

    def flow_at(self, line: int, t: float) -> float:
        """Return the heat that passes outward at a line between layers, as :meth:`Warming.flow_at` does."""
        return self.without.flow_at(line, t) + self._flow(line, t)

    def flux_in(self, t: float) -> tuple[float, float]:
        """Return the heat flux in W/m² that enters each side; NaN at a time too early to sum."""
        found = list(self.without.flux_in(t))
        for place, line, sign in ((0, 0, 1.0), (1, len(self.layers), -1.0)):
            if place == self.place:
                found[place] += self.course.at(t)
            elif self.sides[place].held is not None or self.sides[place].h:
                found[place] += sign * self._flow(line, t) / self.stack.area(line)
        return found[0], found[1]

    def gained_at(self, t: float) -> float:
        """Return the heat stored since the start, as :meth:`Warming.gained_at` does."""
        return self.without.gained_at(t) + self._gain(t)

    def passed_at(self, place: int, t: float) -> float:
        """Return the heat that has come in through a side since the start, as :meth:`Warming.passed_at` does."""
        base = self.without.passed_at(place, t)
        if t <= 0 or (self.stack.solid and place == 0):
            return base
        own = self.course.lasting(t) * self.stack.area(0 if self.place == 0 else len(self.layers))
        return base + (own if place == self.place else self._gain(t) - own)

    def _flow(self, line: int, t: float) -> float:
        """What the flux adds to the heat that passes outward at a line."""
        found = self._begun(t)
        if found is None:
            return float("nan")
        modes, weights = found
        layer, end = (line - 1, 1) if line else (0, 0)
        settled = self._unit.settled_flow(layer, end) * self.course.at(t)
        return -settled - float(modes.flows[end][layer] @ weights)

    def _gain(self, t: float) -> float:
        """What the flux adds to the heat that is stored."""
        if t <= 0:
            return 0.0
        found = self._begun(t)
        if found is None:
            return float("nan")
        modes, weights = found
        rise, rising, total = self.course.at(t), self._unit.rise * self.course.lasting(t), 0.0
        for layer in range(len(self.layers)):
            s, weight = layer_rule(self.stack, layer, 60)
            settled = float(self._unit.settled_at(layer, s) @ weight) * rise + rising * self.stack.volume(layer)
            total += self.stack.capacity(layer) * (settled + float(modes.parts[layer] @ weights))
        return total

    def _begun(self, t: float) -> tuple[Modes, Floats] | None:
        """The modes of what the flux adds, with their weights at a time, K; None at one too early to sum."""
        pieces = [piece for piece in self.course.pieces(t) if piece[1] > piece[0] or piece[0] < t]
        jumped = [t - begin for begin, end, _ in pieces if begin == end]
        count = _TERMS
        if jumped:
            count = max(count, int(self.stack.below(np.array([np.sqrt(_FADED / min(jumped))]))[0]) + 1)
        if count > _MOST:
            return None
        count = _TERMS if count == _TERMS else _MOST
        if count not in self._known:
            self._known[count] = self._unit.expanded(count)
        modes, weights = self._known[count]
        rates = modes.roots**2
        rests = rates == 0
        total = np.zeros(len(rates))
        for begin, end, rise in pieces:
            if end > begin:
                left = np.exp(-rates * (t - end)) * -np.expm1(-rates * (end - begin))
                total += rise * np.where(rests, 1.0, left / np.where(rests, 1.0, rates * (end - begin)))
            else:
                total += rise * np.exp(-rates * (t - begin))
        return modes, weights * total
