"""A body so deep that nothing has reached its far side yet, from one temperature."""

from __future__ import annotations

import numpy as np
from scipy import special

from blunt_ember.arrays import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.immutable import immutable
from blunt_ember.reference.side import Side

HALF_SPACE_SOURCE = "half-space, Carslaw & Jaeger (1959), sections 2.4, 2.7 and 2.9"
#: What may have reached the far side, as a share of what happens at the face.
_REACHED = 1e-11


@immutable
class HalfSpace:
    """Conductivity ``k`` in W/(m K), ``diffusivity`` in m²/s, at first at ``temperature`` K; its face meets ``side``.

    It is taken to end ``depth`` m below the face, where nothing may have changed.
    """

    k: float
    diffusivity: float
    side: Side
    temperature: float
    depth: float

    def __post_init__(self) -> None:
        if self.side.radiation:
            raise ReferenceRefusedError("a surface radiates")

    def require_depth(self, t: float) -> None:
        """Raise :class:`ReferenceRefusedError` where the far side is no longer out of reach at a time in s."""
        if t > 0 and special.erfc(self.depth / (2 * np.sqrt(self.diffusivity * t))) > _REACHED:
            raise ReferenceRefusedError(f"at {t:.4g} s heat has reached the far side")

    def temperature_at(self, depth: Floats, t: float) -> Floats:
        """Return the temperature in K at depths (p,) in m and a time in s."""
        if t <= 0:
            return np.full(len(depth), self.temperature)
        reach = np.sqrt(self.diffusivity * t)
        eta = depth / (2 * reach)
        result = np.full(len(depth), self.temperature)
        if self.side.held is not None:
            return result + (self.side.held - self.temperature) * special.erfc(eta)
        flux = self.side.flux
        if self.side.h > 0:
            # A flux beside a film is that film against a fluid so much warmer.
            beta = self.side.h * reach / self.k
            share = special.erfc(eta) - np.exp(-(eta**2)) * special.erfcx(eta + beta)
            return result + (self.side.fluid - self.temperature + flux / self.side.h) * share
        spread = 2 * reach / np.sqrt(np.pi) * np.exp(-(eta**2)) - depth * special.erfc(eta)
        return result + flux / self.k * spread

    def flux_in(self, t: float) -> float:
        """Return the heat flux in W/m² that enters the face at a time in s."""
        if t <= 0:
            return float("nan")
        if self.side.held is not None:
            return float(self.k * (self.side.held - self.temperature) / np.sqrt(np.pi * self.diffusivity * t))
        return self.side.inflow(float(self.temperature_at(np.zeros(1), t)[0]))

    def passed(self, t: float) -> float:
        """Return the heat in J/m² that has entered the face by a time in s."""
        if t <= 0:
            return 0.0
        reach = np.sqrt(self.diffusivity * t)
        if self.side.held is not None:
            return float(2 * self.k * (self.side.held - self.temperature) * reach / self.diffusivity / np.sqrt(np.pi))
        if self.side.h > 0:
            beta = self.side.h * reach / self.k
            drive = self.side.fluid - self.temperature + self.side.flux / self.side.h
            grown = special.erfcx(beta) - 1 + 2 * beta / np.sqrt(np.pi)
            return float(self.k**2 * drive / (self.side.h * self.diffusivity) * grown)
        return self.side.flux * t
