"""Conduction between two circles, one off the middle of the other, each held at a temperature: bipolar coordinates.

The temperature is even on the circles of Apollonius of two points, ln(distance to one / distance to the other), and
both rims are such circles. The heat is that of Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass
Transfer*, 6th ed. (2007), table 4.1, eccentric cylinders.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable

TWO_CIRCLES_SOURCE = "bipolar coordinates; heat as Incropera, table 4.1, eccentric cylinders"


@immutable
class TwoCircles:
    """Rims by their ``middle`` (2,) and ``radius``, m, the outer one first, not concentric, and their ``held``
    temperatures in K, in a body that conducts ``k``, W/(m K)."""

    middle: tuple[tuple[float, float], tuple[float, float]]
    radius: tuple[float, float]
    held: tuple[float, float]
    k: float

    @cached_property
    def _poles(self) -> Floats:
        """The two points (2, 2), the one within the inner rim first: each the image of the other in both rims."""
        away = np.subtract(self.middle[1], self.middle[0])
        distance = float(np.linalg.norm(away))
        outer, inner = self.radius
        both = (outer**2 + distance**2 - inner**2) / distance
        far = (both + np.sqrt(both**2 - 4 * outer**2)) / 2
        return np.array(self.middle[0]) + np.outer([outer**2 / far, far], away / distance)

    def _level(self, points: Floats) -> Floats:
        near, far = (np.linalg.norm(points - pole, axis=1) for pole in self._poles)
        return np.asarray(np.log(near / far))

    @cached_property
    def _levels(self) -> Floats:
        """What is even on the outer and on the inner rim."""
        rims = np.array(self.middle) + np.array([[self.radius[0], 0.0], [self.radius[1], 0.0]])
        return self._level(rims)

    def temperature(self, points: Floats) -> Floats:
        """Return the temperature (p,) in K at ``points`` (p, 2) in m."""
        outer, inner = self._levels
        share = (self._level(points) - outer) / (inner - outer)
        return self.held[0] + (self.held[1] - self.held[0]) * share

    @property
    def heat(self) -> float:
        """The heat in W/m from the inner rim to the outer one."""
        outer, inner = self._levels
        return float(2 * np.pi * self.k * (self.held[1] - self.held[0]) / (outer - inner))
