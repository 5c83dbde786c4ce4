"""SI values as people read them: unit of the trade, sensible digits, thin spaces between thousands."""

from __future__ import annotations

import math

from blunt_ember.case.evaluation import Value
from blunt_ember.case.units import LENGTH, TEMPERATURE, TEMPERATURE_DIFFERENCE, Kind, kind_of

THIN_SPACE = "\u2009"
ZERO_CELSIUS = 273.15


def in_shown_unit(si: float, kind: Kind) -> float:
    """Return the magnitude in the unit the kind is shown in: °C for temperatures, mm for lengths."""
    return si - ZERO_CELSIUS if kind == TEMPERATURE else si * kind.factor


def shown_difference(si: float, kind: Kind, digits: int = 3) -> str:
    """Return a difference of two values of a kind, with its unit; a temperature difference is in kelvin."""
    return shown(si, TEMPERATURE_DIFFERENCE if kind == TEMPERATURE else kind, digits)


def shown(si: float, kind: Kind, digits: int = 5) -> str:
    """Return a value with its unit: ``121.37 °C``, ``1 156.5 W/m²``."""
    if kind == LENGTH and abs(si) >= 10:
        return f"{number(si, digits)} m"
    return f"{number(in_shown_unit(si, kind), digits)} {kind.shown}".rstrip()


def shown_value(value: Value, digits: int = 5) -> str:
    """Return the value of a formula with a unit that fits its dimension."""
    kind = kind_of(value.dimension)
    if kind == TEMPERATURE and value.readings == 0:
        kind = TEMPERATURE_DIFFERENCE
    return shown(float(value.magnitude), kind, digits)


def both_scales(kelvin: float) -> str:
    """Return a temperature on both scales, ``980 °C = 1 253.15 K``."""
    return f"{number(kelvin - ZERO_CELSIUS, 7)} °C = {number(kelvin, 7)} K"


def number(value: float, digits: int = 5) -> str:
    """Return ``value`` to so many significant digits, without trailing zeros, thousands apart by thin spaces."""
    if not math.isfinite(value):
        return "∞" if value > 0 else "−∞" if value < 0 else "not a number"
    if value == 0:
        return "0"
    size = math.floor(math.log10(abs(value)))
    if size < -4 or size > 8:
        mantissa, exponent = f"{value:.{digits - 1}e}".split("e")
        return f"{_trimmed(mantissa)}e{int(exponent)}".replace("-", "−")
    text = _trimmed(f"{value:.{max(0, digits - 1 - size)}f}")
    whole, dot, rest = text.lstrip("-").partition(".")
    if len(whole) > 3:
        whole = f"{int(whole):,}".replace(",", THIN_SPACE)
    return ("−" if text.startswith("-") and float(text) != 0 else "") + whole + dot + rest


def _trimmed(text: str) -> str:
    return text.rstrip("0").rstrip(".") if "." in text else text
