"""Walls, cylinders and spheres, in layers, solid or hollow, that warm or cool: the full series, any Biot number.

T = S(s, t) + Σ Kₙ(t) Xₙ(s): S is what the layers settle into; the modes Xₙ carry what the start, and every change of a
side, is off it (Duhamel). Carslaw & Jaeger (1959), sections 1.14, 2.6, 3.4 to 3.11, 7.5 to 7.9, 9.3 to 9.5 and 12.8;
Özışık (1993), *Heat Conduction*, 2nd ed., chapter 8 (layers).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.in_layers.changing import Course, Swing, Unsteady
from blunt_ember.reference.in_layers.modes import BodyForm, Modes, Stack, modes_of
from blunt_ember.reference.in_layers.settled import Settled, layer_rule
from blunt_ember.reference.side import Side

WARMING_SOURCE = "series solution, Carslaw & Jaeger (1959), chapters 3, 7, 9 and 12"
#: Terms are summed until the exponential is below e to minus this.
_FADED = 42.0
#: Terms that are summed at most; earlier times are not said.
_MOST_TERMS = 4_000
#: Terms under a side that goes on changing, whose sum ends as the cube of their number.
_CHANGING_TERMS = 2_048
#: The same where a start differs from place to place, and in how many places it is read for each turn of a mode.
_MOST_READ_TERMS = 1_024
_READ = 6


#: The temperature in K at which a layer starts, or how it depends on the places (p,) in m.
Start = float | Callable[[Floats], Floats]


@immutable
class WarmingLayer:
    """A layer up to ``end`` in m, of conductivity ``k`` W/(m K) and ``diffusivity`` m²/s, at first at ``start``;
    ``generation`` in W/m³, and behind it a ``contact`` resistance in m² K/W."""

    end: float
    k: float
    diffusivity: float
    start: Start
    generation: float = 0.0
    contact: float = 0.0


@immutable
class Warming:
    """Layers from ``start`` in m on; ``sides`` are what both ends meet, ``changes`` how the temperature of each swings
    or goes on, if it does. Of a solid body the first side is idle."""

    form: BodyForm
    start: float
    layers: tuple[WarmingLayer, ...]
    sides: tuple[Side, Side]
    changes: tuple[Unsteady | None, Unsteady | None] = (None, None)
    _made: dict[int, tuple[Modes, Floats]] = field(default_factory=dict, compare=False, repr=False)

    def __post_init__(self) -> None:
        if any(side.radiation for side in self.sides):
            raise ReferenceRefusedError("a surface radiates")

    @property
    def end(self) -> float:
        """Where the last layer ends, m."""
        return self.layers[-1].end

    @cached_property
    def stack(self) -> Stack:
        """The layers, as their modes know them."""
        return Stack(
            self.form,
            (self.start, *(layer.end for layer in self.layers)),
            tuple(layer.k for layer in self.layers),
            tuple(layer.diffusivity for layer in self.layers),
            tuple(layer.contact for layer in self.layers[:-1]),
            (_leaves(self.sides[0]), _leaves(self.sides[1])),
        )

    @cached_property
    def _settled(self) -> Settled:
        generation = tuple(layer.generation for layer in self.layers)
        return Settled(self.stack, generation, self.sides, self.changes, self._base)

    def temperature_at(self, s: Floats, t: float, layer: int | None = None) -> Floats:
        """Return the temperature in K at places (p,) in m, in one ``layer`` if one is given, and a time in s; NaN at a
        time too early to sum."""
        owner = self.stack.layer_at(s) if layer is None else np.full(len(s), layer)
        result = np.empty(len(s))
        terms = None if t <= 0 else self._terms(t)
        for place in np.unique(owner).tolist():
            own = owner == place
            unique, back = np.unique(
                np.clip(s[own], self.stack.lines[place], self.stack.lines[place + 1]), return_inverse=True
            )
            if t <= 0:
                values = self._started(place, unique)
            elif terms is None:
                values = np.full(len(unique), np.nan)
            else:
                values = self._settled.at(place, unique, t) + summed(terms[0], terms[1], place, unique)
            result[own] = values[back]
        return result

    def flow_at(self, line: int, t: float) -> float:
        """Return the heat that passes outward at a line between layers, 0 being the start: W/m² of a wall, W/m per
        radian of a cylinder, W per steradian of a sphere; NaN at a time too early to sum."""
        terms = None if t <= 0 else self._terms(t)
        if terms is None:
            return float("nan")
        modes, weights = terms
        layer, end = (line - 1, 1) if line else (0, 0)
        known = -self._settled.flow_at(layer, end, t) - float(modes.flows[end][layer] @ weights)
        return known + self._lagging_flow(line, modes, t)

    def flux_in(self, t: float) -> tuple[float, float]:
        """Return the heat flux in W/m² that enters each side; NaN at a time too early to sum."""
        terms = None if t <= 0 else self._terms(t)
        if terms is None:
            return float("nan"), float("nan")
        modes, weights = terms
        found = []
        for place, (line, layer, sign) in enumerate(((0, 0, 1.0), (len(self.layers), len(self.layers) - 1, -1.0))):
            side, area = self.sides[place], self.stack.area(line)
            if side.held is not None:
                found.append(sign * self.flow_at(line, t) / area)
                continue
            face = self._settled.at(layer, np.array([self.stack.lines[line]]), t)[0]
            face = float(face + modes.values[place][layer] @ weights)
            inflow = side.flux + side.h * (side.fluid + self._changed(place, t) - face)
            lagging = sign * self._lagging_flow(line, modes, t) / area if side.h > 0 else 0.0
            found.append(inflow + lagging)
        return found[0], found[1]

    def _lagging_flow(self, line: int, modes: Modes, t: float) -> float:
        """The heat that passes outward at a line by the modes that are not summed, as a side goes on.

        Those follow a side that rises by R K/s at −R F/(N r⁴), F being how it drives them. As Σ F/(N r²) X is its
        steady answer U per kelvin, the flows of all of them together are ∫ c U₀ U at the start, less ∫ c U up to a
        line. Without them the heat that enters would be right to the inverse of how many are summed.
        """
        total = 0.0
        for place, change in enumerate(self.changes):
            rate = change.rate(t) if isinstance(change, Course) else 0.0
            if rate == 0.0:
                continue
            every = 0.0
            for layer in range(len(self.layers)):
                s, weight = layer_rule(self.stack, layer, 200)
                driven = self.stack.capacity(layer) * weight * self._settled.per_kelvin(place, layer, s)
                if _leaves(self.sides[0]) > 0 and not self.stack.solid:
                    every += float(driven @ self._settled.per_kelvin(0, layer, s))
                if layer < line:
                    every -= float(driven.sum())
            layer, end = (line - 1, 1) if line else (0, 0)
            known = modes.flows[end][layer] * self._forcing(modes, place) / (modes.norms * modes.roots**4)
            total += rate * (every - float(known.sum()))
        return total

    def gained_at(self, t: float) -> float:
        """Return the heat stored since the start: J/m² of a wall, J/m per radian of a cylinder, J per steradian of a
        sphere; NaN at a time too early to sum."""
        if t <= 0:
            return 0.0
        terms = self._terms(t)
        if terms is None:
            return float("nan")
        modes, weights = terms
        total = 0.0
        for layer in range(len(self.layers)):
            s, weight = layer_rule(self.stack, layer, 200)
            still = (self._settled.at(layer, s, t) - self._started(layer, s)) @ weight
            total += self.stack.capacity(layer) * (float(still) + float(modes.parts[layer] @ weights))
        return total

    def passed_at(self, place: int, t: float) -> float:
        """Return the heat that has come in through a side since the start, as :meth:`gained_at` tells it.

        By Green's identity with the steady answer U to one kelvin at that side, what is off S sends through it what it
        loses of ∫ c U (T − S). NaN at a time too early to sum.
        """
        side = self.sides[place]
        line = 0 if place == 0 else len(self.layers)
        if t <= 0 or (self.stack.solid and place == 0):
            return 0.0
        if side.held is None and side.h == 0:
            return side.flux * t * self.stack.area(line)
        terms = self._terms(t)
        if terms is None:
            return float("nan")
        modes, weights = terms
        layer, sign = (0, -1.0) if place == 0 else (len(self.layers) - 1, 1.0)
        total = float(self._forcing(modes, place) / modes.roots**2 @ weights)
        for each in range(len(self.layers)):
            s, weight = layer_rule(self.stack, each, 200)
            unit = self._settled.per_kelvin(place, each, s)
            off = self._settled.steady_at(each, s, t) + self._settled.swung_at(each, s, 0.0) - self._started(each, s)
            total += self.stack.capacity(each) * float((weight * unit) @ off)
        return total + sign * self._settled.passed_at(layer, place, t)

    def swing_through(self, place: int) -> tuple[float, float] | None:
        """Return by what share a swing at a side comes to the face on the other one, and how much later, s; None where
        nothing swings there."""
        change = self.changes[place]
        if not isinstance(change, Swing):
            return None
        share, turned = self._settled.swing_through(place)
        return share, turned / abs(change.rate)

    def expanded(self, count: int) -> tuple[Modes, Floats]:
        """Return the ``count`` slowest modes, and what the start is off what it settles into at first, K of each."""
        modes = modes_of(self.stack, count)
        return modes, self._begun(modes)

    def settled_at(self, layer: int, s: Floats) -> Floats:
        """Return what a layer settles into, as it is at first, at places (p,) in m, K."""
        return self._settled.at(layer, s, 0.0)

    def settled_flow(self, layer: int, end: int) -> float:
        """Return k sᵐ dT/ds of that at the begin (``end`` 0) or at the end of a layer."""
        return self._settled.flow_at(layer, end, 0.0)

    @property
    def rise(self) -> float:
        """How fast that rises where no heat can leave, K/s."""
        return self._settled.rise

    # --- the series ---

    def _terms(self, t: float) -> tuple[Modes, Floats] | None:
        """Modes that have not faded at a time, with their weights there, K."""
        since = min([t, *(t - course_jump for course_jump in self._jumps(t))])
        if since <= 0:
            return None
        count = self._below(float(np.sqrt(_FADED / since))) + 1
        if count > (_MOST_READ_TERMS if any(callable(each.start) for each in self.layers) else _MOST_TERMS):
            return None
        if any(isinstance(change, Course) for change in self.changes):
            count = max(count, _CHANGING_TERMS)
        size = 1 << int(np.ceil(np.log2(max(count, 8))))
        if size not in self._made:
            made = modes_of(self.stack, size)
            self._made[size] = made, self._begun(made)
        modes, begun = self._made[size]
        weights = begun * np.exp(-(modes.roots**2) * t)
        for place, change in enumerate(self.changes):
            if isinstance(change, Course):
                weights = weights - self._forcing(modes, place) / modes.norms * _lagging(modes, change, t)
        return modes, weights

    def _below(self, root: float) -> int:
        """How many modes have a smaller root, by those that are known if they reach so far."""
        for modes, _ in self._made.values():
            if modes.roots[-1] > root:
                return int(np.searchsorted(modes.roots, root))
        return int(self.stack.below(np.array([root]))[0])

    def _jumps(self, t: float) -> list[float]:
        """When the temperature of a side has jumped before a time."""
        return [
            begin
            for change in self.changes
            if isinstance(change, Course)
            for begin, end, _ in change.pieces(t)
            if begin == end
        ]

    def _begun(self, modes: Modes) -> Floats:
        """What the start is off the part that stays, by modes, K."""
        base = self._base
        started = np.zeros(len(modes.roots))
        for layer, each in enumerate(self.layers):
            capacity = self.stack.capacity(layer)
            if callable(each.start):
                s, weight = layer_rule(self.stack, layer, self._fine(layer, modes))
                off = weight * (each.start(s) - base)
                run = max(1, 4_000_000 // len(modes.roots))
                for first in range(0, len(s), run):
                    part = slice(first, first + run)
                    started += capacity * (off[part] @ modes.in_layer(layer, s[part]))
            else:
                started += capacity * modes.parts[layer] * (each.start - base)
        driven = sum(self._forcing(modes, place) * self._driving(place) for place in (0, 1))
        for layer, each in enumerate(self.layers):
            driven = driven + each.generation * modes.parts[layer]
        decay = np.where(modes.resting, 1.0, modes.roots**2)
        weights = started - np.where(modes.resting, 0.0, driven / decay)
        for place, change in enumerate(self.changes):
            if isinstance(change, Swing):
                turned = change.amplitude * np.exp(1j * change.phase) / (modes.roots**2 + 1j * change.rate)
                weights = weights - self._forcing(modes, place) * turned.imag
        weights = weights / modes.norms
        if self.stack.rests:
            weights[0] -= self._settled.resting_mean - base
        return np.asarray(weights)

    def _fine(self, layer: int, modes: Modes) -> int:
        """In how many places of a layer the modes are read beside a start that differs from place to place."""
        low, high = self.stack.lines[layer : layer + 2]
        turns = float(modes.roots[-1]) * (high - low) / np.sqrt(self.layers[layer].diffusivity) / (2 * np.pi)
        return 48 + int(_READ * turns)

    def _forcing(self, modes: Modes, place: int) -> Floats:
        """How a side drives each mode (Green's identity), per kelvin, or per W/m² where it merely sends heat in."""
        line = 0 if place == 0 else len(self.layers)
        if self.stack.solid and place == 0:
            return np.zeros(len(modes.roots))
        side, layer = self.sides[place], 0 if place == 0 else len(self.layers) - 1
        if side.held is not None:
            return modes.flows[place][layer] * (1.0 if place == 0 else -1.0)
        return modes.values[place][layer] * self.stack.area(line) * (side.h if side.h > 0 else 1.0)

    def _driving(self, place: int) -> float:
        """What a side drives by at the start, over the base: K, or W/m² where it merely sends heat in."""
        side, change = self.sides[place], self.changes[place]
        first = change.rises[0] if isinstance(change, Course) else 0.0
        if side.held is not None:
            return side.held + first - self._base
        if side.h > 0:
            return side.fluid + first - self._base + side.flux / side.h
        return side.flux

    def _changed(self, place: int, t: float) -> float:
        change = self.changes[place]
        return 0.0 if change is None else change.at(t)

    @cached_property
    def _base(self) -> float:
        """A temperature near those of the start, from which others are counted."""
        first = self.layers[0].start
        return float(first(np.array([self.start]))[0]) if callable(first) else first

    def _started(self, layer: int, s: Floats) -> Floats:
        start = self.layers[layer].start
        return np.asarray(start(s)) if callable(start) else np.full(len(s), start)


def one_layer(
    form: BodyForm, start: float, end: float, k: float, diffusivity: float, sides: tuple[Side, Side], first: float
) -> Warming:
    """Return a body of one layer in which no heat arises, at first at one temperature, K."""
    return Warming(form, start, (WarmingLayer(end, k, diffusivity, first),), sides)


def _leaves(side: Side) -> float:
    return np.inf if side.held is not None else side.h


def summed(modes: Modes, weights: Floats, layer: int, s: Floats) -> Floats:
    """Return Σ Kₙ Xₙ at places (p,) of a layer, so many at a time that memory does not grow with them."""
    values = np.empty(len(s))
    run = max(1, 4_000_000 // len(weights))
    for first in range(0, len(s), run):
        part = slice(first, first + run)
        values[part] = modes.in_layer(layer, s[part]) @ weights
    return values


def _lagging(modes: Modes, course: Course, t: float) -> Floats:
    """By how much (n,) modes lag behind a side that goes on by pieces, per what it drives them by, K s."""
    decay = np.where(modes.resting, 1.0, modes.roots**2)
    total = np.zeros(len(decay))
    for begin, end, rise in course.pieces(t):
        if end > begin:
            left = np.exp(-decay * (t - end)) * -np.expm1(-decay * (end - begin))
            total += rise / (end - begin) * left / decay**2
        else:
            total += rise * np.exp(-decay * (t - begin)) / decay
    return total
