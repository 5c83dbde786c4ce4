"""Moist air: its saturation pressure and dew point (ISO 13788:2012, annex E)."""

from __future__ import annotations

import numpy as np

#: Pressure at 0 °C, Pa, and 0 °C in K.
_AT_ZERO, _ZERO = 610.5, 273.15
#: The two constants of its growth, over water and over ice.
_OVER_WATER, _OVER_ICE = (17.269, 237.3), (21.875, 265.5)


def saturation_pressure(temperature: float) -> float:
    """Return the vapour pressure in Pa at which air of a ``temperature`` in K holds no more: over ice below 0 °C."""
    celsius = temperature - _ZERO
    growth, offset = _OVER_WATER if celsius >= 0 else _OVER_ICE
    return float(_AT_ZERO * np.exp(growth * celsius / (offset + celsius)))


def dew_point(temperature: float, humidity: float) -> float:
    """Return the temperature in K at which air of a ``temperature`` in K and a relative ``humidity`` above 0 begins to
    condense; the pressure that saturates it there is that of its vapour."""
    growth = float(np.log(humidity * saturation_pressure(temperature) / _AT_ZERO))
    slope, offset = _OVER_WATER if growth >= 0 else _OVER_ICE
    return _ZERO + offset * growth / (slope - growth)
