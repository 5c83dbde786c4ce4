"""Grey, diffuse, isothermal surfaces that see each other: the network of a hand calculation.

J = ε σ T⁴ + (1 − ε) H with A H = X J, X the exchanged areas (A. K. Oppenheim, Trans. ASME 78 (1956) 725; M. F. Modest,
Radiative Heat Transfer, 3rd ed. (2013), ch. 5.3).
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable


@immutable
class Network:
    """Surfaces of areas (s,) in m² and ``emissivity`` (s,), and what is ``falling`` (s, s), m², on every way: of the
    black emission of the column how much comes to the row."""

    area: Floats
    emissivity: Floats
    falling: Floats

    @property
    def absorbed_from(self) -> Floats:
        """What of the black emission of the column (s, s), m², is absorbed by the row; symmetric."""
        return np.asarray(self.emissivity[:, None] * self.falling)

    def incident(self, power: Floats) -> Floats:
        """Return the heat (s,), W, that falls on surfaces of black emission ``power`` (s,), W/m²."""
        return np.asarray(self.falling @ power)

    def taken(self, places: list[int]) -> Network:
        """Return that of the surfaces at ``places``, in their order."""
        own = np.array(places)
        return Network(self.area[own], self.emissivity[own], self.falling[np.ix_(own, own)])


def even_network(area: Floats, emissivity: Floats, exchanged: Floats) -> Network:
    """Return the network of surfaces of even radiosity that see ``exchanged`` area (s, s), m², of each other."""
    system = np.diag(area) - exchanged * (1 - emissivity)
    return Network(area, emissivity, area[:, None] * np.linalg.solve(system, exchanged * emissivity))
