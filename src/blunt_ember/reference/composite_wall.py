"""Plane and composite walls in series, with any mix of held temperature, flux and film on either side.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 3.1,
plane wall and composite wall as thermal resistances in series.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.series import Side, require_drive, series

Floats = NDArray[np.float64]
SOURCE = "Incropera et al. (2007), sec. 3.1: resistances in series"


@dataclass(frozen=True)
class Layer:
    """A layer of ``thickness`` m and ``conductivity`` W/(m K)."""

    thickness: float
    conductivity: float


@dataclass(frozen=True)
class CompositeWall:
    """The exact field of a wall whose layers stand from ``s = 0`` (``start``) in the order given."""

    layers: tuple[Layer, ...]
    start: Side
    end: Side

    def __post_init__(self) -> None:
        if not self.layers:
            raise ReferenceRefusedError("a wall needs at least one layer")
        require_drive(self.start, self.end)

    @cached_property
    def _solved(self) -> tuple[float, tuple[float, ...]]:
        return series([layer.thickness / layer.conductivity for layer in self.layers], self.start, self.end)

    @property
    def flux(self) -> float:
        """Heat flux in W/m² from start to end."""
        return self._solved[0]

    @property
    def temperatures(self) -> tuple[float, ...]:
        """Temperatures in K at the start, at every joint and at the end."""
        return self._solved[1]

    def temperature_at(self, s: Floats) -> Floats:
        """Temperature in K at the distances ``s`` (m) from the start; NaN outside the wall."""
        joints = np.concatenate([[0.0], np.cumsum([layer.thickness for layer in self.layers])])
        slack = 1e-9 * joints[-1]
        inside = (s >= -slack) & (s <= joints[-1] + slack)
        return np.where(inside, np.interp(s, joints, self.temperatures), np.nan)
