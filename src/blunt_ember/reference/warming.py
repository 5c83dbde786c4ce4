"""A wall, a long cylinder or a sphere of one material, from one temperature: the full series, any Biot number.

T = T_still(s, t) + Σ Kₙ Xₙ(s) exp(−a λₙ² t), where T_still is what is left in the end: the steady answer; where no heat
can leave, a parabola that rises evenly; and under a temperature that swings, the swing that it settles into. Carslaw &
Jaeger (1959), sections 3.4 to 3.11, 7.5 to 7.9, 9.3 to 9.5; the swing as in 3.6 and 2.6.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.quadrature import gauss_rule
from blunt_ember.reference.modes import POWER, BodyForm, Modes, modes_of
from blunt_ember.reference.side import Side

Complexes = NDArray[np.complex128]
WARMING_SOURCE = "series solution, Carslaw & Jaeger (1959), chapters 3, 7 and 9"
#: Terms are summed until the exponential is below e to minus this.
_FADED = 42.0
#: Terms that are summed at most; earlier times are not said.
_MOST_TERMS = 4_000


@dataclass(frozen=True)
class Swing:
    """The temperature that a side is held at, or meets, swings about its mean by ``amplitude`` K sin(``rate`` t +
    ``phase``), rate in rad/s."""

    amplitude: float
    rate: float
    phase: float


@dataclass(frozen=True)
class Warming:
    """From ``start`` to ``end`` in m, of conductivity ``k`` W/(m K) and ``diffusivity`` m²/s, at first at
    ``temperature`` K; ``sides`` are what both ends meet, ``swings`` how the temperature of each swings, if it does;
    ``generation`` in W/m³. A cylinder is solid; of a solid body the first side is idle."""

    form: BodyForm
    start: float
    end: float
    k: float
    diffusivity: float
    sides: tuple[Side, Side]
    temperature: float
    generation: float = 0.0
    swings: tuple[Swing | None, Swing | None] = (None, None)
    _made: dict[int, Modes] = field(default_factory=dict, compare=False, repr=False)

    def __post_init__(self) -> None:
        if any(side.radiation for side in self.sides):
            raise ReferenceRefusedError("a surface radiates")
        if self.form == "cylinder" and self.start > 0:
            raise ReferenceRefusedError("the cylinder is hollow")

    def temperature_at(self, s: Floats, t: float) -> Floats:
        """Return the temperature in K at places (p,) in m and a time in s; NaN at a time too early to sum."""
        if t <= 0:
            return np.full(len(s), self.temperature)
        terms = self._terms(t)
        if terms is None:
            return np.full(len(s), np.nan)
        modes, weights = terms
        unique, back = np.unique(s, return_inverse=True)
        values = np.empty(len(unique))
        run = max(1, 4_000_000 // len(weights))
        for first in range(0, len(unique), run):
            part = slice(first, first + run)
            values[part] = modes.at(unique[part]) @ weights
        return self.temperature + (self._still(unique, t) + values)[back]

    def flux_in(self, t: float) -> tuple[float, float]:
        """Return the heat flux in W/m² that enters each side; NaN at a time too early to sum."""
        if t <= 0:
            return float("nan"), float("nan")
        terms = self._terms(t)
        if terms is None:
            return float("nan"), float("nan")
        modes, weights = terms
        found = []
        for place, s, out in ((0, self.start, -1.0), (1, self.end, 1.0)):
            side = self.sides[place]
            if side.held is not None:
                slope = self._still_slope(s, t) + float(modes.slope(s) @ weights)
                found.append(self.k * slope * out)
            else:
                face = float(self.temperature_at(np.array([s]), t)[0])
                found.append(side.flux + side.h * (side.fluid + self._swung(place, t) - face))
        return found[0], found[1]

    def mean_at(self, t: float) -> float:
        """Return the mean temperature in K; NaN at a time too early to sum."""
        if t <= 0:
            return self.temperature
        terms = self._terms(t)
        if terms is None:
            return float("nan")
        modes, weights = terms
        return self.temperature + self._still_mean(t) + float(self._integrals(modes) @ weights) / self.volume

    # --- the series ---

    @property
    def _power(self) -> int:
        return POWER[self.form]

    @property
    def volume(self) -> float:
        """∫ sᵐ ds: length of a wall, m; area of a cylinder per radian, m²; volume of a sphere per steradian, m³."""
        power = self._power + 1
        return (self.end**power - self.start**power) / power

    @property
    def _leaves(self) -> tuple[float, float]:
        first, last = (np.inf if side.held is not None else side.h / self.k for side in self.sides)
        return float(first), float(last)

    @property
    def _rests(self) -> bool:
        """Whether no heat can leave, so that the mean changes evenly."""
        return not any(self._leaves)

    def _terms(self, t: float) -> tuple[Modes, Floats] | None:
        """Modes that have not faded at a time, with their weights there, K."""
        length = self.end - self.start
        count = int(np.sqrt(_FADED / (self.diffusivity * t)) * length / np.pi) + 3
        if count > _MOST_TERMS:
            return None
        size = 1 << int(np.ceil(np.log2(max(count, 8))))
        if size not in self._made:
            self._made[size] = modes_of(self.form, self.start, self.end, self._leaves, size)
        modes = self._made[size]
        fading = np.exp(-self.diffusivity * modes.roots**2 * t)
        return modes, self._weights(modes) * fading

    def _weights(self, modes: Modes) -> Floats:
        """Kₙ: what the still part lacks of the start."""
        decay = self.diffusivity * modes.roots**2
        ends = [self._forcing(modes, place) for place in (0, 1)]
        even = sum(end * self._driving(place) for place, end in enumerate(ends))
        even = even + self._integrals(modes) * self.generation / self.k
        scale = self.diffusivity / modes.norms
        resting = modes.roots == 0
        weights = np.where(resting, 0.0, -scale * even / np.where(resting, 1.0, decay))
        for place, swing in enumerate(self.swings):
            if swing is not None:
                turned = swing.amplitude * np.exp(1j * swing.phase) / (decay + 1j * swing.rate)
                weights = weights - scale * ends[place] * turned.imag
        return np.asarray(weights)

    def _forcing(self, modes: Modes, place: int) -> Floats:
        """How an end drives each mode (Green's identity), per kelvin, or per K/m where it merely sends heat in."""
        s = (self.start, self.end)[place]
        area = s**self._power
        if self.form != "wall" and s == 0:
            return np.zeros(len(modes.roots))
        if self.sides[place].held is not None:
            return np.asarray(modes.slope(s) * area * (1.0 if place == 0 else -1.0))
        value = modes.at(np.array([s]))[0] * area
        # A swing is of the fluid, so what it drives by is h/k; the rest is put in by _driving.
        return value * (self.sides[place].h / self.k if self.sides[place].h > 0 else 1.0)

    def _driving(self, place: int) -> float:
        side = self.sides[place]
        if side.held is not None:
            return side.held - self.temperature
        if side.h > 0:
            return side.fluid - self.temperature + side.flux / side.h
        return side.flux / self.k

    def _integrals(self, modes: Modes) -> Floats:
        """∫ Xₙ sᵐ ds, which is what their slopes at both ends leave over."""
        resting = modes.roots == 0
        ends = self.end**self._power * modes.slope(self.end) - self.start**self._power * modes.slope(self.start)
        return np.where(resting, self.volume, -ends / np.where(resting, 1.0, modes.roots) ** 2)

    # --- what is left in the end, over the first temperature ---

    def _swung(self, place: int, t: float) -> float:
        swing = self.swings[place]
        return 0.0 if swing is None else swing.amplitude * float(np.sin(swing.rate * t + swing.phase))

    def _still(self, s: Floats, t: float) -> Floats:
        constant, turn = self._coefficients
        value = constant + turn * self._grown(s) + self._parabola(s) + self._rise * t
        for place, swing in enumerate(self.swings):
            if swing is not None:
                now = swing.amplitude * np.exp(1j * (swing.rate * t + swing.phase))
                value = value + (self._swinging(s, place, swing.rate)[0] * now).imag
        return np.asarray(value)

    def _still_slope(self, s: float, t: float) -> float:
        slope = self._coefficients[1] * self._grown_slope(s) + self._parabola_slope(s)
        for place, swing in enumerate(self.swings):
            if swing is not None:
                now = swing.amplitude * np.exp(1j * (swing.rate * t + swing.phase))
                slope += float((self._swinging(np.array([s]), place, swing.rate)[1][0] * now).imag)
        return float(slope)

    def _still_mean(self, t: float) -> float:
        at, weight = gauss_rule(200)
        s = self.start + (self.end - self.start) * (1 + at) / 2
        value = self._still(s, t) * s**self._power
        return float(value @ weight) * (self.end - self.start) / 2 / self.volume

    def _grown(self, s: Floats) -> Floats:
        """The part of a steady answer that carries heat through: s, ln s, or −1/s."""
        if self.form != "wall" and self.start == 0:
            return np.zeros_like(s)
        with np.errstate(divide="ignore"):
            return s if self.form == "wall" else np.log(s) if self.form == "cylinder" else -1 / s

    def _grown_slope(self, s: float) -> float:
        if self.form != "wall" and self.start == 0:
            return 0.0
        return float(s ** (-self._power))

    @property
    def _rise(self) -> float:
        """How fast the mean rises where no heat can leave, K/s."""
        if not self._rests:
            return 0.0
        gained = self.generation * self.volume
        gained += sum(side.flux * s**self._power for side, s in zip(self.sides, (self.start, self.end), strict=True))
        return gained / self.volume * self.diffusivity / self.k

    @property
    def _bend(self) -> float:
        """∇²T of the still part, K/m²."""
        return self._rise / self.diffusivity - self.generation / self.k

    def _parabola(self, s: Floats) -> Floats:
        return self._bend * s**2 / (2 * (self._power + 1))

    def _parabola_slope(self, s: float) -> float:
        return self._bend * s / (self._power + 1)

    @cached_property
    def _coefficients(self) -> tuple[float, float]:
        """Constant and growing part of the still answer over the first temperature, from what both ends meet."""
        rows, right = [], []
        for place, s, out in ((0, self.start, -1.0), (1, self.end, 1.0)):
            side = self.sides[place]
            if self.form != "wall" and s == 0:
                rows.append([0.0, 1.0])
                right.append(0.0)
                continue
            places = np.array([s])
            grown, parabola = float(self._grown(places)[0]), float(self._parabola(places)[0])
            slope, bent = self._grown_slope(s), self._parabola_slope(s)
            if side.held is not None:
                rows.append([1.0, grown])
                right.append(side.held - self.temperature - parabola)
            else:
                rows.append([side.h, self.k * slope * out + side.h * grown])
                met = side.h * (side.fluid - self.temperature) + side.flux
                right.append(met - self.k * bent * out - side.h * parabola)
        if self._rests:  # heat that comes in is spread evenly; the mean over the first temperature is that of the rise
            hollow = self.form == "wall" or self.start > 0
            turn = right[0] / rows[0][1] if hollow else 0.0
            at, weight = gauss_rule(40)
            places = self.start + (self.end - self.start) * (1 + at) / 2
            mean = ((turn * self._grown(places) + self._parabola(places)) * places**self._power) @ weight
            return -float(mean) * (self.end - self.start) / 2 / self.volume, float(turn)
        constant, turn = np.linalg.solve(np.array(rows), np.array(right))
        return float(constant), float(turn)

    def _swinging(self, s: Floats, place: int, rate: float) -> tuple[Complexes, Complexes]:
        """The complex answer (p,) to a unit swing of an end, and its slope; of functions that cannot overflow."""
        root = np.sqrt(1j * rate / self.diffusivity)

        def pair(places: Floats) -> list[tuple[Complexes, Complexes]]:
            if self.form == "cylinder":
                # ive is divided by the exponential of the real part; the rest is taken from the outer radius.
                size = np.exp((root * places).real - root * self.end)
                value = special.ive(0, root * places) * size
                return [(value, root * special.ive(1, root * places) * size), (0 * value, 0 * value)]
            rising, falling = np.exp(root * (places - self.end)), np.exp(-root * (places - self.start))
            if self.form == "wall":
                return [(rising, root * rising), (falling, -root * falling)]
            with np.errstate(divide="ignore", invalid="ignore"):
                if self.start == 0:
                    odd = np.exp(root * (places - self.end)) - np.exp(-root * (places + self.end))
                    even = np.exp(root * (places - self.end)) + np.exp(-root * (places + self.end))
                    small = places < 1e-9 * self.end
                    value = np.where(small, 2 * root * np.exp(-root * self.end), odd / places)
                    slope = np.where(small, 0.0, root * even / places - odd / places**2)
                    return [(value, slope), (0 * odd, 0 * odd)]
            return [
                (rising / places, root * rising / places - rising / places**2),
                (falling / places, -root * falling / places - falling / places**2),
            ]

        rows, right = [], []
        for number, end, out in ((0, self.start, -1.0), (1, self.end, 1.0)):
            side = self.sides[number]
            if self.form != "wall" and end == 0:
                rows.append([0.0, 1.0])
                right.append(0.0)
                continue
            (first, first_slope), (second, second_slope) = pair(np.array([end]))
            if side.held is not None:
                rows.append([first[0], second[0]])
                right.append(1.0 if number == place else 0.0)
            else:
                rows.append(
                    [
                        self.k * first_slope[0] * out + side.h * first[0],
                        self.k * second_slope[0] * out + side.h * second[0],
                    ]
                )
                right.append(side.h if number == place else 0.0)
        one, two = np.linalg.solve(np.array(rows, dtype=complex), np.array(right, dtype=complex))
        (first, first_slope), (second, second_slope) = pair(s)
        return one * first + two * second, one * first_slope + two * second_slope
