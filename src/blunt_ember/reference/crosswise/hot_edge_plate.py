"""Rectangular plate with one edge at another temperature than the other three.

Source: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass Transfer*, 6th ed. (2007), sec. 4.2,
eq. 4.19. Its hyperbolic sines are expanded in decaying exponentials and summed over n in closed form, by
Σ exp(−ns) sin(nx)/n = ½ arctan(sin x / sinh s), n odd (Gradshteyn & Ryzhik, 7th ed., 1.448), so that what is left is a
sum over images of the hot edge that converges to the last digit at every place, next to the hot edge too.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable

HOT_EDGE_PLATE_SOURCE = "Incropera et al. (2007), eq. 4.19: series for a plate with one hot edge"
#: A term with an exponent beyond this adds nothing to a double.
_SPENT = 40.0


@immutable
class HotEdgePlate:
    """Plate 0 ≤ x ≤ ``width``, 0 ≤ y ≤ ``height`` (m): ``hot`` (K) at y = height, ``cold`` (K) on the other edges."""

    width: float
    height: float
    hot: float
    cold: float

    def far_edge_heat(self, conductivity: float) -> float:
        """Heat in W/m leaving through the edge opposite the hot one, y = 0: (8/π) k ΔT Σ 1/(n sinh(nπH/W)), n odd."""
        slope = np.pi * self.height / self.width
        n = np.arange(1, 2 * np.ceil(_SPENT / slope) + 2, 2)
        decay = np.exp(-n * slope)
        return float(8 / np.pi * conductivity * (self.hot - self.cold) * np.sum(2 * decay / (1 - decay**2) / n))

    def temperature_at(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m; on the hot edge itself its temperature."""
        x, y = np.pi * points[:, 0] / self.width, np.pi * points[:, 1] / self.width
        top = np.pi * self.height / self.width
        sine, share = np.sin(x), np.zeros(len(points))
        for image in range(int(np.ceil(_SPENT / (2 * top))) + 1):
            above, below = top - y + 2 * image * top, top + y + 2 * image * top
            share += np.arctan2(sine, np.sinh(np.minimum(above, 700.0)))
            share -= np.arctan2(sine, np.sinh(np.minimum(below, 700.0)))
        on_edge = y >= top * (1 - 1e-12)
        return self.cold + (self.hot - self.cold) * np.where(on_edge, 1.0, 2 / np.pi * share)
