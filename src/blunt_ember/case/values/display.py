"""SI values as people read them: unit of the trade, sensible digits, thin spaces between thousands."""

from __future__ import annotations

import math
from dataclasses import replace

from blunt_ember.case.values.evaluation import Value
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.case.values.units import LENGTH, TEMPERATURE, TIME, Kind

THIN_SPACE = "\u2009"


def in_shown_unit(si: float, kind: Kind) -> float:
    """Return the magnitude in the unit the kind is shown in: °C for temperatures, mm for lengths."""
    return si * kind.factor - kind.zero


def shown_difference(si: float, kind: Kind, digits: int = 3) -> str:
    """Return a difference of two values of a kind, with its unit; a temperature difference is in kelvin."""
    return f"{number(si * kind.factor, digits)} {kind.difference or kind.shown}".rstrip()


def shown(si: float, kind: Kind, digits: int = 5) -> str:
    """Return a value with its unit: ``121.37 °C``, ``1 156.5 W/m²``."""
    if kind == LENGTH and abs(si) >= 10:
        return f"{number(si, digits)} m"
    return f"{number(in_shown_unit(si, kind), digits)} {kind.shown}".rstrip()


def shown_value(value: Value, units: UnitSet, digits: int = 5) -> str:
    """Return the value of a formula in the unit of a set that fits its dimension."""
    kind = units.of_dimension(value.dimension)
    if kind.name == TEMPERATURE.name and value.readings == 0:
        return shown_difference(float(value.magnitude), kind, digits)
    return shown(float(value.magnitude), kind, digits)


def both_scales(kelvin: float, kind: Kind = TEMPERATURE) -> str:
    """Return a temperature on the relative scale of ``kind`` and the absolute one, ``980 °C = 1 253.15 K``."""
    relative = kind if kind.zero else TEMPERATURE
    return f"{number(in_shown_unit(kelvin, relative), 7)} {relative.shown} = {number(kelvin, 7)} K"


#: Units of time by the longest time they are read well in, s.
_TIMES = (
    (1e-3, "µs", 1e6),
    (1.0, "ms", 1e3),
    (180.0, "s", 1.0),
    (3 * 3600.0, "min", 1 / 60),
    (72 * 3600.0, "h", 1 / 3600),
)


def time_kind(longest: float, units: UnitSet = DEFAULT_UNITS) -> Kind:
    """Return time in the unit that suits a longest one in s; in that of the ``units`` where they name one."""
    chosen = units.of(TIME)
    if chosen != TIME:
        return chosen
    unit, factor = next(((unit, factor) for most, unit, factor in _TIMES if longest <= most), ("days", 1 / 86400))
    return replace(TIME, shown=unit, factor=factor)


def time_shown(seconds: float, digits: int = 4) -> str:
    """Return a time in the unit that suits it: ``12.5 s``, ``34 min``."""
    return shown(seconds, time_kind(seconds), digits)


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
