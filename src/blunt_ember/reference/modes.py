"""Modes in which a wall, a long cylinder or a sphere cools: roots and functions of the series solutions.

Carslaw & Jaeger (1959), *Conduction of Heat in Solids*, 2nd ed., sections 3.9 to 3.11, 7.7 and 9.4.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from scipy import special

from blunt_ember.arrays import Floats

BodyForm = Literal["wall", "cylinder", "sphere"]
#: What the distance is raised to in the area that heat passes.
POWER = {"wall": 0, "cylinder": 1, "sphere": 2}
_HALVINGS = 90
#: Biot number of a ball below which its slowest root is taken from a series.
_SMALL_BIOT = 1e-3


class Modes(Protocol):
    """The slowest modes of a body: ``roots`` (n,) in 1/m, the first of them 0 where no heat can leave."""

    @property
    def roots(self) -> Floats:
        """Square roots of the eigenvalues over the diffusivity."""

    def at(self, s: Floats) -> Floats:
        """Return the modes (p, n) at places (p,) in m."""

    def slope(self, s: float) -> Floats:
        """Return their slopes (n,) in 1/m at a place in m."""

    @property
    def norms(self) -> Floats:
        """Integrals (n,) of X² sᵐ ds."""


def modes_of(form: BodyForm, start: float, end: float, leaves: tuple[float, float], count: int) -> Modes:
    """Return the ``count`` slowest modes between two places in m.

    ``leaves`` are h/k in 1/m at both ends, infinite where the temperature is held. A cylinder is solid.
    """
    if form == "cylinder":
        return _CylinderModes(end, leaves[1], count)
    if form == "wall":
        return _StraightModes(start, end, leaves, count, ball=False)
    # U = s X of a sphere obeys the equation of a wall, its ends those of other film coefficients.
    inner = np.inf if start == 0 else leaves[0] + 1 / start
    return _StraightModes(start, end, (inner, leaves[1] - 1 / end), count, ball=True, still=not any(leaves))


@dataclass(frozen=True)
class _StraightModes:
    """cos(λ(s − start) − φ), divided by s in a ball."""

    start: float
    end: float
    leaves: tuple[float, float]
    count: int
    ball: bool
    still: bool = False

    def __post_init__(self) -> None:
        length = self.end - self.start
        number = np.arange(self.count, dtype=float)
        resting = self.still if self.ball else not any(self.leaves)
        if resting:
            number[0] = 1.0 if self.count > 1 else 0.0
        low, high = np.maximum((number - 1) * np.pi / length, 1e-12 / length), (number + 1) * np.pi / length
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            below = self._angle(middle) < number * np.pi
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        roots = (low + high) / 2
        if resting:
            roots[0] = 0.0
        elif self.ball and self.start == 0 and 1 + self.leaves[1] * self.end < _SMALL_BIOT:
            roots[0] = _slowest_of_ball(1 + self.leaves[1] * self.end) / self.end
        object.__setattr__(self, "roots", roots)

    roots: Floats = None  # type: ignore[assignment]

    def _angle(self, root: Floats) -> Floats:
        """What is a multiple of π at a root: the angle turned through, less those at both ends."""
        ends = sum(np.pi / 2 if np.isinf(leaves) else np.arctan2(leaves, root) for leaves in self.leaves)
        return np.asarray(root * (self.end - self.start) - ends)

    def _turned(self) -> Floats:
        first = self.leaves[0]
        return np.full(self.count, np.pi / 2) if np.isinf(first) else np.arctan2(first, self.roots)

    def _straight(self, s: Floats) -> Floats:
        resting = self.roots == 0
        plain = np.cos(np.multiply.outer(s - self.start, self.roots) - self._turned())
        if not resting.any():
            return plain
        return np.where(resting, s[:, None] if self.ball else 1.0, plain)

    def _straight_slope(self, s: float) -> Floats:
        resting = self.roots == 0
        plain = -self.roots * np.sin((s - self.start) * self.roots - self._turned())
        return np.where(resting, 1.0 if self.ball else 0.0, plain)

    def at(self, s: Floats) -> Floats:
        """The modes."""
        if not self.ball:
            return self._straight(s)
        middle = s < 1e-9 * self.end
        divided = self._straight(s) / np.where(middle, 1.0, s)[:, None]
        if middle.any():
            divided[middle] = np.where(self.roots == 0, 1.0, self.roots)
        return divided

    def slope(self, s: float) -> Floats:
        """Their slopes."""
        if not self.ball:
            return self._straight_slope(s)
        if s == 0:
            return np.zeros(self.count)
        return self._straight_slope(s) / s - self._straight(np.array([s]))[0] / s**2

    @property
    def norms(self) -> Floats:
        """Of U over ds, which in a ball are those of X over s² ds."""
        length, turned = self.end - self.start, self._turned()
        root = np.where(self.roots == 0, 1.0, self.roots)
        swung = length / 2 + (np.sin(2 * (root * length - turned)) + np.sin(2 * turned)) / (4 * root)
        resting = (self.end**3 - self.start**3) / 3 if self.ball else length
        return np.where(self.roots == 0, resting, swung)


def _slowest_of_ball(biot: float) -> float:
    """Root of 1 − z cot z = Bi for a small one, from the series of its left side, which loses no digits."""
    squared = 3 * biot
    for _ in range(40):
        rest = squared**2 * (1 / 45 + squared * (2 / 945 + squared * (1 / 4725 + squared * 2 / 93555)))
        squared = 3 * (biot - rest)
    return float(np.sqrt(squared))


@dataclass(frozen=True)
class _CylinderModes:
    """J₀(λ s), with λR J₁(λR) = (hR/k) J₀(λR)."""

    radius: float
    leaves: float
    count: int

    def __post_init__(self) -> None:
        number = np.arange(1, self.count + 1, dtype=float)
        upper = _bessel_zeros(0, number)
        if np.isinf(self.leaves):
            object.__setattr__(self, "roots", upper / self.radius)
            return
        lower = np.concatenate([[0.0], _bessel_zeros(1, number[:-1])])
        if self.leaves == 0:
            object.__setattr__(self, "roots", lower / self.radius)
            return
        biot, low, high = self.leaves * self.radius, lower, upper
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            # Between a zero of J₁ and the next of J₀ the ratio grows from 0 without bound.
            below = middle * special.j1(middle) * np.sign(special.j0(middle)) < biot * np.abs(special.j0(middle))
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        object.__setattr__(self, "roots", (low + high) / 2 / self.radius)

    roots: Floats = None  # type: ignore[assignment]

    def at(self, s: Floats) -> Floats:
        """The modes."""
        return np.asarray(special.j0(np.multiply.outer(s, self.roots)))

    def slope(self, s: float) -> Floats:
        """Their slopes."""
        return np.asarray(-self.roots * special.j1(self.roots * s))

    @property
    def norms(self) -> Floats:
        """Of J₀² over s ds."""
        at_rim = self.roots * self.radius
        return np.asarray(self.radius**2 / 2 * (special.j0(at_rim) ** 2 + special.j1(at_rim) ** 2))


def _bessel_zeros(order: Literal[0, 1], number: Floats) -> Floats:
    """Zeros of J₀ or J₁ by their number, from McMahon's expansion by Newton's method (DLMF 10.21.19)."""
    first = (number + order / 2 - 0.25) * np.pi
    mu = 4.0 * order**2
    at = first - (mu - 1) / (8 * first)
    for _ in range(6):
        value = special.j0(at) if order == 0 else special.j1(at)
        slope = -special.j1(at) if order == 0 else special.j0(at) - special.j1(at) / at
        at = at - value / slope
    return np.asarray(at)
