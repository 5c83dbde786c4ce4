"""Hollow cylinders and spheres of several layers, with any mix of held temperature, flux and film on either side.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 3.3:
R = ln(r2/r1)/(2πkL) for a cylinder and (1/r1 − 1/r2)/(4πk) for a sphere.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.series import Side, require_drive, series

Floats = NDArray[np.float64]
SOURCE = "Incropera et al. (2007), sec. 3.3: radial resistances in series"


@dataclass(frozen=True)
class RadialLayers:
    """The exact field between ``radii`` (m, rising), layer ``i`` of ``conductivity[i]`` W/(m K) from i to i + 1.

    Heat is per radian and metre of length for a cylinder (W/m), per steradian for a sphere (W).
    """

    kind: Literal["cylinder", "sphere"]
    radii: tuple[float, ...]
    conductivity: tuple[float, ...]
    inner: Side
    outer: Side

    def __post_init__(self) -> None:
        if self.radii[0] <= 0:
            raise ReferenceRefusedError("radial layers need a bore of some radius")
        require_drive(self.inner, self.outer)

    @property
    def _power(self) -> int:
        return 1 if self.kind == "cylinder" else 2

    def _depth(self, radius: Floats) -> Floats:
        """What a resistance grows with: ln r for a cylinder, −1/r for a sphere."""
        return np.log(radius) if self.kind == "cylinder" else -1.0 / radius

    @cached_property
    def _solved(self) -> tuple[float, tuple[float, ...]]:
        steps = np.diff(self._depth(np.array(self.radii))) / np.array(self.conductivity)
        areas = self.radii[0] ** self._power, self.radii[-1] ** self._power
        return series(steps.tolist(), self.inner, self.outer, *areas)

    @property
    def heat(self) -> float:
        """Heat outward, per radian and metre or per steradian."""
        return self._solved[0]

    @property
    def temperatures(self) -> tuple[float, ...]:
        """Temperatures in K at every radius."""
        return self._solved[1]

    def temperature_at(self, radius: Floats) -> Floats:
        """Temperature in K at ``radius`` (m); NaN outside the layers."""
        slack = 1e-9 * self.radii[-1]
        inside = (radius >= self.radii[0] - slack) & (radius <= self.radii[-1] + slack)
        held = np.clip(radius, self.radii[0], self.radii[-1])
        along = np.interp(self._depth(held), self._depth(np.array(self.radii)), self.temperatures)
        return np.where(inside, along, np.nan)
