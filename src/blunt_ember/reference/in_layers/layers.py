"""Layers that heat passes one after the other: walls, cylinders and spheres, with all that may act on them.

Each layer has its own conductivity, constant or following temperature, and even generation; contact resistances lie
between them; each side is held, or meets fluxes, films and radiation in any mix. Along s, with the area A = 1, s or s²:
A q = Q(s) = Q₀ + ∫ g A ds, and the Kirchhoff transform ∫ k dT = −∫ Q/A ds holds whatever k follows.

Sources: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), secs. 3.1 (wall,
contact resistance), 3.3 (cylinder, sphere, critical radius), 3.5 and app. C (generation); Carslaw & Jaeger, *Conduction
of Heat in Solids*, 2nd ed. (1959), sec. 1.6 (Kirchhoff transform); Incropera et al. (2007), table 13.3 (two grey,
diffuse faces that see only each other, parallel, concentric cylinders and spheres).
"""

from __future__ import annotations

from functools import cached_property
from typing import Literal

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.roots import balanced, straight_root
from blunt_ember.reference.side import Side

LayerForm = Literal["wall", "cylinder", "sphere"]
SOURCES = {
    "wall": "Incropera et al. (2007), secs. 3.1 and 3.5: plane layers in series",
    "cylinder": "Incropera et al. (2007), secs. 3.3 and 3.5: cylindrical layers in series",
    "sphere": "Incropera et al. (2007), sec. 3.3 and app. C: spherical layers in series",
}
#: Steps in which a conductivity that follows temperature is followed.
_MARCH = 16
_GAUSS, _GAUSS_WEIGHTS = np.polynomial.legendre.leggauss(24)


@immutable
class ReferenceLayer:
    """A layer from the end of the one before to ``end`` (m), of ``k``, with ``generation`` (W/m³), and behind it a
    ``contact`` resistance (m² K/W).

    One that is empty has a ``gap`` in place of what it conducts: the emissivities of the faces on both sides of it,
    between which heat is radiated.
    """

    end: float
    k: Law
    generation: float = 0.0
    contact: float = 0.0
    gap: tuple[float, float] | None = None


@immutable
class Layers:
    """Layers from ``start`` (m; 0 in a solid cylinder or sphere) outward, and what the two sides meet.

    Heat is per m² of a wall, per radian and metre of a cylinder, per steradian of a sphere.
    """

    form: LayerForm
    start: float
    layers: tuple[ReferenceLayer, ...]
    inner: Side
    outer: Side

    def __post_init__(self) -> None:
        if self.solid and self.inner != Side():
            raise ReferenceRefusedError("nothing can surround the middle of a solid body")

    @property
    def solid(self) -> bool:
        """Whether it reaches the middle of a cylinder or sphere."""
        return self.form != "wall" and self.start <= 0

    @property
    def source(self) -> str:
        """Where it comes from."""
        return SOURCES[self.form]

    @property
    def ends(self) -> Floats:
        """Where layers begin and end, (l + 1,) in m."""
        return np.array([self.start, *(layer.end for layer in self.layers)])

    def _area(self, s: float) -> float:
        return {"wall": 1.0, "cylinder": s, "sphere": s * s}[self.form]

    def _volume(self, s: float) -> float:
        """∫ A ds from the origin."""
        return {"wall": s, "cylinder": s * s / 2, "sphere": s * s * s / 3}[self.form]

    def _depth(self, low: float, s: Floats) -> Floats:
        """∫ ds/A from ``low`` to ``s``."""
        if self.form == "wall":
            return s - low
        return np.log1p((s - low) / low) if self.form == "cylinder" else (s - low) / (s * low)

    def _drop(self, place: int, heat: float, s: Floats) -> Floats:
        """∫ Q/A ds from the start of a layer, where ``heat`` comes in, to ``s``."""
        low, generation = float(self.ends[place]), self.layers[place].generation
        risen = generation * (s - low) * (s + low) / {"wall": 2, "cylinder": 4, "sphere": 6}[self.form]
        if low <= 0 and self.form != "wall":
            return risen
        return (heat - generation * self._volume(low)) * self._depth(low, s) + risen

    def _marched(self, first: float, heat: float) -> list[tuple[float, float, float]]:
        """(temperature at its start, heat into it, temperature at its end) of every layer."""
        found = []
        ends = self.ends
        for place, layer in enumerate(self.layers):
            if layer.gap is not None:
                last = self._across(place, layer.gap, first, heat)
            else:
                drop = self._drop(place, heat, ends[place + 1 : place + 2])
                last = float(_after_drop(layer.k, first, drop)[0])
            found.append((first, heat, last))
            heat = heat + layer.generation * (self._volume(float(ends[place + 1])) - self._volume(float(ends[place])))
            first = last - heat / self._area(float(ends[place + 1])) * layer.contact
        found.append((first, heat, first))
        return found

    def _across(self, place: int, gap: tuple[float, float], first: float, heat: float) -> float:
        """Temperature of the far face of a gap: σ (T₁⁴ − T₂⁴) = Q (1/(ε₁ A₁) + (1 − ε₂)/(ε₂ A₂))."""
        near, far = (self._area(float(each)) for each in self.ends[place : place + 2])
        power = first * abs(first) ** 3 - heat / STEFAN_BOLTZMANN * _gap_resistance(gap, near, far)
        return float(np.sign(power) * abs(power) ** 0.25)

    def _resistance(self, place: int, temperature: float) -> float:
        """About what a layer resists at a temperature, K per unit of heat."""
        layer, (low, high) = self.layers[place], self.ends[place : place + 2]
        if layer.gap is not None:
            slope = 4 * STEFAN_BOLTZMANN * temperature**3
            return _gap_resistance(layer.gap, self._area(float(low)), self._area(float(high))) / slope
        depth = float(self._depth(float(low), np.array([high]))[0])
        return depth / float(layer.k.at({"T": np.array([temperature])})[0])

    @cached_property
    def _solved(self) -> list[tuple[float, float, float]]:
        if not (self.inner.drives or self.outer.drives):
            raise ReferenceRefusedError("neither side is held or meets a fluid, so any temperature would do")
        stated = [*self.inner.driving, *self.outer.driving]
        guess, reach = float(np.mean(stated)), max(float(np.ptp(stated)), 1.0)
        straight = all(layer.k.constant is not None for layer in self.layers)
        straight = straight and not (self.inner.radiation or self.outer.radiation)
        straight = straight and not any(layer.gap for layer in self.layers)
        area = self._area(self.start)
        # Behind a film the heat is the better unknown: its face follows from it without loss of digits.
        by_heat = self.inner.held is not None or (self.inner.h > 0 and not self.inner.radiation)

        def from_start(unknown: float) -> list[tuple[float, float, float]]:
            if self.inner.held is not None:
                return self._marched(self.inner.held, unknown)
            if by_heat:
                return self._marched(self.inner.fluid + (self.inner.flux - unknown / area) / self.inner.h, unknown)
            return self._marched(unknown, 0.0 if self.solid else self.inner.inflow(unknown) * area)

        def balance(unknown: float) -> float:
            last, heat, _ = from_start(unknown)[-1]
            if self.outer.held is not None:
                return last - self.outer.held
            return heat + self.outer.inflow(last) * self._area(float(self.ends[-1]))

        if by_heat:
            resistance = (0.0 if self.inner.held is not None else 1 / (self.inner.h * area)) + sum(
                self._resistance(place, guess) for place in range(len(self.layers))
            )
            guess, reach = 0.0, reach / max(resistance, 1e-300)
        root = straight_root(balance, guess, reach) if straight else balanced(balance, guess, reach)
        return from_start(root)

    @property
    def heat_in(self) -> float:
        """Heat that enters at the inner side."""
        return self._solved[0][1]

    @property
    def heat_out(self) -> float:
        """Heat that leaves at the outer side."""
        return self._solved[-1][1]

    def heat_after(self, place: int) -> float:
        """Heat that passes from layer ``place`` to the next."""
        return self._solved[place + 1][1]

    def faces(self, place: int) -> tuple[float, float]:
        """Temperatures in K at the start and the end of a layer."""
        return self._solved[place][0], self._solved[place][2]

    def temperature_at(self, s: Floats, layer: int | None = None) -> Floats:
        """Temperature in K at ``s`` (m), in one ``layer`` if one is given; NaN outside the layers."""
        ends = self.ends
        slack = 1e-9 * float(np.abs(ends).max())
        result = np.full(s.shape, np.nan)
        for place in range(len(self.layers)) if layer is None else [layer]:
            low, high = float(ends[place]), float(ends[place + 1])
            if self.layers[place].gap is not None:
                continue
            own = (s >= low - slack) & (s <= high + slack) & np.isnan(result)
            first, heat, _ = self._solved[place]
            drop = self._drop(place, heat, np.clip(s[own], low, high))
            result[own] = _after_drop(self.layers[place].k, first, drop)
        return result


def _gap_resistance(gap: tuple[float, float], near: float, far: float) -> float:
    """1/(ε₁ A₁) + (1 − ε₂)/(ε₂ A₂) of faces of areas ``near`` and ``far``, of which the first sees only the second."""
    first, second = gap
    return 1 / (first * near) + (1 - second) / (second * far)


def _after_drop(k: Law, first: float, drop: Floats) -> Floats:
    """The temperature T at which ∫ k dT from ``first`` (K) to T is −``drop`` (W/m); NaN where there is none.

    dT/dθ = 1/k is followed from the first temperature on (Runge & Kutta), as a start from which Newton's method gains
    the last digits; where k falls to nothing on the way, no temperature lets so much heat pass.
    """
    if k.constant is not None:
        return first - drop / k.constant

    def steep(temperature: Floats) -> Floats:
        value = k.at({"T": temperature})
        return np.where(value > 0, 1 / value, np.nan)

    with np.errstate(all="ignore"):
        step, result = -drop / _MARCH, np.full(drop.shape, first)
        for _ in range(_MARCH):
            a = steep(result)
            b = steep(result + step / 2 * a)
            c = steep(result + step / 2 * b)
            d = steep(result + step * c)
            result = result + step * (a + 2 * b + 2 * c + d) / 6
        for _ in range(6):
            half = (result - first)[:, None] / 2
            gap = _integral(k, first, result, first + half * (1 + _GAUSS), half) + drop
            change = gap * steep(result)
            result = result - change
            if not (np.abs(change) > 1e-14 * np.abs(result)).any():
                break
    return result


def _integral(k: Law, first: float, last: Floats, places: Floats, half: Floats) -> Floats:
    if k.table is None:
        return (k.at({"T": places}) * _GAUSS_WEIGHTS * half).sum(axis=1)
    # Straight pieces are integrated exactly, each for itself.
    xs, ys = np.array(k.table.xs), np.array(k.table.ys)
    whole = np.concatenate([[0.0], np.cumsum(np.diff(xs) * (ys[1:] + ys[:-1]) / 2)])

    def from_first(t: Floats) -> Floats:
        within = np.clip(t, xs[0], xs[-1])
        piece = np.clip(np.searchsorted(xs, within, side="right") - 1, 0, len(xs) - 2)
        part = (within - xs[piece]) * (ys[piece] + np.interp(within, xs, ys)) / 2
        return whole[piece] + part + ys[0] * np.minimum(t - xs[0], 0.0) + ys[-1] * np.maximum(t - xs[-1], 0.0)

    return from_first(last) - from_first(np.array([first]))
