"""What a black surface emits: E = σ T⁴ (Stefan & Boltzmann).

It is taken as σ T |T|³, which is σ T⁴ for every real temperature and stays monotone below zero, where Newton's method
may pass through.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN


def emissive_power(temperature: Floats) -> Floats:
    """Return E in W/m² of temperatures (…) in K."""
    return STEFAN_BOLTZMANN * temperature * np.abs(temperature) ** 3


def emissive_slope(temperature: Floats) -> Floats:
    """Return dE/dT in W/(m² K) of temperatures (…) in K, at least that of one kelvin.

    Next to absolute zero nothing else would hold a temperature; one kelvin's worth does no harm elsewhere.
    """
    return 4 * STEFAN_BOLTZMANN * np.maximum(np.abs(temperature), 1.0) ** 3
