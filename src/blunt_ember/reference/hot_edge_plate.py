"""Rectangular plate with one edge at another temperature than the other three.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 4.2,
eq. 4.19, written with decaying exponentials so that it holds for any ratio of the sides.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
SOURCE = "Incropera et al. (2007), eq. 4.19: series for a plate with one hot edge"
#: Terms of the series; nearer to the hot edge than a thousandth of the width more would be needed.
TERMS = 6000


@dataclass(frozen=True)
class HotEdgePlate:
    """Plate 0 ≤ x ≤ ``width``, 0 ≤ y ≤ ``height`` (m): ``hot`` (K) at y = height, ``cold`` (K) on the other edges."""

    width: float
    height: float
    hot: float
    cold: float

    def far_edge_heat(self, conductivity: float) -> float:
        """Heat in W/m leaving through the edge opposite the hot one, y = 0: (8/π) k ΔT Σ 1/(n sinh(nπH/W)), n odd."""
        n = np.arange(1, 2 * TERMS, 2)
        decay = np.exp(-n * np.pi * self.height / self.width)
        return float(8 / np.pi * conductivity * (self.hot - self.cold) * np.sum(2 * decay / (1 - decay**2) / n))

    def temperature_at(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m; on the hot edge itself its temperature."""
        x, y = points[:, 0] / self.width, points[:, 1] / self.width
        top = self.height / self.width
        n = np.arange(1, 2 * TERMS, 2) * np.pi
        result = np.empty(len(points))
        for place in range(len(points)):
            up, down = np.exp(-n * (top - y[place])), np.exp(-n * (top + y[place]))
            share = (up - down) / -np.expm1(-2 * n * top)
            result[place] = 4 * np.sum(np.sin(n * x[place]) / n * share)
        on_edge = y >= top * (1 - 1e-12)
        return self.cold + (self.hot - self.cold) * np.where(on_edge, 1.0, result)
