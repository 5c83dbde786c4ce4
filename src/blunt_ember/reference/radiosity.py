"""Grey, diffuse surfaces of even radiosity that see each other: the network of a hand calculation.

J = ε σ T⁴ + (1 − ε) H with A H = X J, X the exchanged areas (A. K. Oppenheim, Trans. ASME 78 (1956) 725; M. F. Modest,
Radiative Heat Transfer, 3rd ed. (2013), ch. 5.3).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats


@dataclass(frozen=True)
class Radiosities:
    """Surfaces of areas (s,) in m² and ``emissivity`` (s,), and how much ``exchanged`` area (s, s), m², they see.

    ``absorbed_from`` (s, s), m², is what of the black emission of the column is absorbed by the row in the end.
    """

    area: Floats
    emissivity: Floats
    exchanged: Floats

    @property
    def absorbed_from(self) -> Floats:
        """ε A (A − X ρ)⁻¹ X ε, symmetric."""
        system = np.diag(self.area) - self.exchanged * (1 - self.emissivity)
        falling = np.linalg.solve(system, self.exchanged * self.emissivity)
        return np.asarray((self.emissivity * self.area)[:, None] * falling)

    def incident(self, power: Floats) -> Floats:
        """Return the heat (s,), W, that falls on surfaces of black emission ``power`` (s,), W/m²."""
        system = np.diag(self.area) - self.exchanged * (1 - self.emissivity)
        return self.area * np.linalg.solve(system, self.exchanged @ (self.emissivity * power))
