"""Unit texts and the kinds of quantity a case knows.

Conversion factors come from pint; this module adds how the trade writes units (``W/m²K``) and what each kind of
quantity is called when it is wrong.
"""

from __future__ import annotations

import difflib
import re
from functools import lru_cache
from typing import Any

from blunt_ember.case.values.dimension import DIMENSIONLESS, Dimension
from blunt_ember.case.values.unit_names import Unit, base_units_text, unit_of_name
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

_SUPERSCRIPTS = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁻", "0123456789-")
_SPELLINGS = {
    "°C": "degC",
    "℃": "degC",
    "°F": "degF",
    # Nobody states charges or capacitances here.
    "C": "degC",
    "F": "degF",
    "℉": "degF",
    "%": "percent",
    # Nor a gas constant, and an angle of a mil.
    "R": "degR",
    "mil": "thou",
    "mils": "thou",
    "lbm": "lb",
    "Kelvin": "kelvin",
    "BTU": "Btu_it",
    "Btu": "Btu_it",
    "°": "degree",
}
_COMMON = [
    "m",
    "mm",
    "cm",
    "km",
    "in",
    "ft",
    "K",
    "degC",
    "degF",
    "W",
    "kW",
    "mW",
    "J",
    "kJ",
    "s",
    "min",
    "hour",
    "kg",
    "g",
    "Pa",
    "N",
    "BTU",
    "cal",
    "degree",
    "percent",
    "µm",
    "um",
    "liter",
]


def single_unit(name: str) -> Unit | None:
    """Return the named unit (``mm``, ``°C``, ``BTU``), or None when there is no such unit."""
    return unit_of_name(_SPELLINGS.get(name, name))


def split_power(name: str) -> tuple[str, int] | None:
    """Split ``m2`` into ``("m", 2)`` when the first part is a unit and the whole is not."""
    match = re.fullmatch(r"(\D+)(\d)", name)
    if match and single_unit(match[1]) is not None:
        return match[1], int(match[2])
    return None


def is_unit(name: str) -> bool:
    """Tell whether ``name`` can be read as a unit, with or without a trailing power."""
    return single_unit(name) is not None or split_power(name) is not None


def superscript_value(text: str) -> int:
    """Return the integer that a run of superscript signs such as ``⁻²`` stands for."""
    return int(text.translate(_SUPERSCRIPTS))


def nearest_unit(name: str) -> str | None:
    """Return the everyday unit spelled most like ``name``, if one is close."""
    close = difflib.get_close_matches(name, _COMMON, n=1, cutoff=0.5)
    return close[0] if close else None


@immutable
class Kind:
    """A kind of quantity: its name with article, the SI unit it is held in, and an example of how to write it."""

    name: str
    unit: str
    example: str
    #: Unit shown by default, and the factor from SI to it.
    shown: str
    factor: float = 1.0
    #: What is taken from the SI value times the factor: the zero of a relative scale.
    zero: float = 0.0
    #: Unit of a difference where it is another than that of a value.
    difference: str = ""
    #: What it is of, where its unit is made up for it.
    of: Dimension | None = None

    @property
    def dimension(self) -> Dimension:
        """The dimension every value of this kind must have."""
        return _kind_dimension(self.unit) if self.of is None else self.of


@lru_cache(maxsize=64)
def _kind_dimension(unit: str) -> Dimension:
    """That of a product of powers over others, such as ``W/(m**2*K)``."""
    found = DIMENSIONLESS
    for place, part in enumerate(re.sub("[()]", "", unit).replace("**", "^").split("/")):
        for factor in part.split("*") if part else ():
            name, _, power = factor.partition("^")
            of_one = unit_of_name(name)
            assert of_one is not None, name
            found = found * of_one.dimension ** (int(power or 1) * (-1 if place else 1))
    return found


LENGTH = Kind("a length", "m", "12 mm", "mm", 1000.0)
TEMPERATURE = Kind("a temperature", "K", "25 °C", "°C", 1.0, 273.15, "K")
TEMPERATURE_DIFFERENCE = Kind("a temperature difference", "K", "0.5 K", "K")
CONDUCTIVITY = Kind("a conductivity", "W/(m*K)", "0.35 W/(m K)", "W/(m K)")
FILM_COEFFICIENT = Kind("a film coefficient", "W/(m**2*K)", "12 W/(m² K)", "W/(m² K)")
HEAT_FLUX = Kind("a heat flux", "W/m**2", "500 W/m²", "W/m²")
HEAT_FLOW = Kind("a heat flow", "W", "40 W", "W")
HEAT_FLOW_PER_LENGTH = Kind("a heat flow per length", "W/m", "9.5 W/m", "W/m")
AREA_RESISTANCE = Kind("a resistance times area", "m**2*K/W", "0.4 m² K/W", "m² K/W")
CONDUCTANCE = Kind("a thermal conductance", "W/K", "5 W/K", "W/K")
CONDUCTANCE_PER_LENGTH = Kind("a conductance per length", "W/(m*K)", "0.5 W/(m K)", "W/(m K)")
RESISTANCE = Kind("a thermal resistance", "K/W", "0.2 K/W", "K/W")
POWER_DENSITY = Kind("a heat per volume", "W/m**3", "50 kW/m³", "W/m³")
DENSITY = Kind("a density", "kg/m**3", "2400 kg/m³", "kg/m³")
HEAT_CAPACITY = Kind("a specific heat", "J/(kg*K)", "900 J/(kg K)", "J/(kg K)")
EMISSIVITY = Kind("an emissivity", "", "0.85", "")
RELATIVE_HUMIDITY = Kind("a relative humidity", "", "50 %", "%", 100.0)
VOLUME = Kind("a volume", "m**3", "0.2 m³", "m³")
AREA = Kind("an area", "m**2", "0.2 m²", "m²")
TIME = Kind("a time", "s", "60 s", "s")
TEMPERATURE_RATE = Kind("a rate of temperature change", "K/s", "2 K/min", "K/min", 60.0)
HEAT = Kind("an amount of heat", "J", "12 kJ", "kJ", 1e-3)
HEAT_PER_AREA = Kind("an amount of heat per area", "J/m**2", "12 kJ/m²", "kJ/m²", 1e-3)
HEAT_PER_LENGTH = Kind("an amount of heat per length", "J/m", "12 kJ/m", "kJ/m", 1e-3)
ANGLE = Kind("an angle", "radian", "30°", "°", 57.29577951308232)
NUMBER = Kind("a plain number", "", "0.5", "")

KINDS = (
    LENGTH,
    TEMPERATURE,
    CONDUCTIVITY,
    FILM_COEFFICIENT,
    HEAT_FLUX,
    HEAT_FLOW,
    HEAT_FLOW_PER_LENGTH,
    AREA_RESISTANCE,
    CONDUCTANCE,
    RESISTANCE,
    AREA,
    VOLUME,
    POWER_DENSITY,
    DENSITY,
    HEAT_CAPACITY,
    TIME,
    TEMPERATURE_RATE,
    HEAT,
    HEAT_PER_AREA,
    HEAT_PER_LENGTH,
    NUMBER,
)


def describe_dimension(dimension: Dimension) -> str:
    """Say a dimension in words where it is one of ours (``a length``), else in its base units."""
    for kind in KINDS:
        if kind.dimension == dimension:
            return kind.name
    return f"in {base_units_text(dimension)}"


def kind_of(dimension: Dimension) -> Kind:
    """Return the kind of quantity that has a dimension; one made up of base units when it is none of ours."""
    for kind in KINDS:
        if kind.dimension == dimension:
            return kind
    unit = base_units_text(dimension)
    return Kind(describe_dimension(dimension), unit, "", unit, of=dimension)


class UnknownUnitError(ExpressionError):
    """There is no unit of a ``name``; ``near`` is the everyday one that is spelled most like it, if one is close."""

    def __init__(self, name: str, near: str | None, instead: tuple[str, ...] = ()) -> None:
        hint = f"did you mean '{near}'?" if near else "a product is written with * between"
        super().__init__(f"'{name}' is not a unit; {hint}", instead)
        self.name, self.near = name, near

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (self.name, self.near, self.instead)


def unit_error(name: str) -> UnknownUnitError:
    """Return the error for an unknown unit, with the nearest everyday one."""
    near = nearest_unit(name)
    if near is None or near.lower() != name.lower():
        near = next((unit for unit in (*_COMMON, "kg", "kJ", "kPa", "MW") if unit.lower() == name.lower()), near)
    return UnknownUnitError(name, near)
