"""Plane and composite walls in series, with any mix of held temperature, flux and film on either side.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 3.1,
plane wall and composite wall as thermal resistances in series.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from blunt_ember.errors import ReferenceRefusedError

Floats = NDArray[np.float64]
SOURCE = "Incropera et al. (2007), sec. 3.1: resistances in series"


@dataclass(frozen=True)
class Layer:
    """A layer of ``thickness`` m and ``conductivity`` W/(m K)."""

    thickness: float
    conductivity: float

    @property
    def resistance(self) -> float:
        """Resistance in m² K/W."""
        return self.thickness / self.conductivity


@dataclass(frozen=True)
class WallSide:
    """What one side meets: ``held`` temperature (K), or ``flux`` (W/m² into the wall) with a film ``h``, ``fluid``."""

    held: float | None = None
    flux: float = 0.0
    h: float = 0.0
    fluid: float = 0.0

    @property
    def drives(self) -> bool:
        """Whether this side can anchor a temperature."""
        return self.held is not None or self.h > 0


@dataclass(frozen=True)
class CompositeWall:
    """The exact field of a wall whose layers stand from ``s = 0`` (``start``) in the order given."""

    layers: tuple[Layer, ...]
    start: WallSide
    end: WallSide

    def __post_init__(self) -> None:
        if not self.layers:
            raise ReferenceRefusedError("a wall needs at least one layer")
        if not (self.start.drives or self.end.drives):
            raise ReferenceRefusedError("neither side is held or meets a fluid, so any temperature would do")

    @property
    def flux(self) -> float:
        """Heat flux in W/m² from start to end.

        With T0 and T1 the two faces, q = q_s + h_s (T_s − T0) = (T0 − T1)/R = −q_e − h_e (T_e − T1); each side is
        written as a driving temperature behind a resistance, or as a flux when nothing else drives it.
        """
        if not self.start.drives:
            return self.start.flux
        if not self.end.drives:
            return -self.end.flux
        (hot, r_start), (cold, r_end) = _driven(self.start), _driven(self.end)
        return (hot - cold) / (r_start + sum(layer.resistance for layer in self.layers) + r_end)

    @property
    def temperatures(self) -> tuple[float, ...]:
        """Temperatures in K at the start, at every joint and at the end."""
        flux, steps = self.flux, [layer.resistance for layer in self.layers]
        if self.start.drives:
            driving, resistance = _driven(self.start)
            return tuple(accumulate(steps, lambda t, r: t - flux * r, initial=driving - flux * resistance))
        driving, resistance = _driven(self.end)
        backward = accumulate(reversed(steps), lambda t, r: t + flux * r, initial=driving + flux * resistance)
        return tuple(reversed(list(backward)))

    def temperature_at(self, s: Floats) -> Floats:
        """Temperature in K at the distances ``s`` (m) from the start; NaN outside the wall."""
        joints = np.concatenate([[0.0], np.cumsum([layer.thickness for layer in self.layers])])
        slack = 1e-9 * joints[-1]
        inside = (s >= -slack) & (s <= joints[-1] + slack)
        return np.where(inside, np.interp(s, joints, self.temperatures), np.nan)


def _driven(side: WallSide) -> tuple[float, float]:
    """Return driving temperature (K) and resistance (m² K/W) that stand for a held or film side with its flux."""
    if side.held is not None:
        return side.held, 0.0
    return side.fluid + side.flux / side.h, 1.0 / side.h
