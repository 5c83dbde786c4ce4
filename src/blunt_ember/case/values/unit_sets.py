"""The units in which values are shown; what was typed is kept as it was."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from types import MappingProxyType
from typing import Any

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler, ValidationInfo
from pydantic_core import PydanticCustomError, core_schema

from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.case.values.units import (
    KINDS,
    NUMBER,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    Kind,
    describe_dimension,
    kind_of,
    single_unit,
)
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

DEFAULT = "SI with mm"
#: Unit by quantity, where it differs from the default set.
_SETS: Mapping[str, Mapping[str, str]] = MappingProxyType(
    {
        DEFAULT: {},
        "SI": {"length": "m"},
        "US customary": {
            "length": "in",
            "temperature": "°F",
            "conductivity": "BTU/(h ft °F)",
            "film coefficient": "BTU/(h ft² °F)",
            "heat flux": "BTU/(h ft²)",
            "heat flow": "BTU/h",
            "heat flow per length": "BTU/(h ft)",
            "resistance times area": "h ft² °F/BTU",
            "thermal resistance": "h °F/BTU",
            "area": "ft²",
            "volume": "ft³",
            "heat per volume": "BTU/(h ft³)",
            "density": "lb/ft³",
            "specific heat": "BTU/(lb °F)",
            "amount of heat": "BTU",
            "amount of heat per area": "BTU/ft²",
        },
    }
)
SET_NAMES = tuple(_SETS)
#: Units a quantity is often shown in, for menus.
USUAL_UNITS: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        "length": ("mm", "cm", "m", "in", "ft"),
        "temperature": ("°C", "K", "°F"),
        "heat flow": ("W", "kW", "BTU/h"),
        "heat flux": ("W/m²", "kW/m²", "W/cm²", "BTU/(h ft²)"),
        "film coefficient": ("W/(m² K)", "BTU/(h ft² °F)"),
        "conductivity": ("W/(m K)", "BTU/(h ft °F)"),
        "amount of heat": ("kJ", "MJ", "kW hour", "BTU"),
        "time": ("s", "min", "hour"),
    }
)
_BY_NAME = {kind.name.split(" ", 1)[1]: kind for kind in (*KINDS, TEMPERATURE_DIFFERENCE) if kind != NUMBER}


@immutable
class UnitSet:
    """A set of units by its name, with units of single quantities in ``own`` that differ from it."""

    name: str = DEFAULT
    own: tuple[tuple[str, str], ...] = ()

    def of(self, kind: Kind) -> Kind:
        """Return a kind of quantity with the unit it is shown in."""
        quantity = kind.name.split(" ", 1)[-1]
        unit = dict(self.own).get(quantity) or _SETS[self.name].get(quantity)
        if quantity == "temperature difference":
            shown = self.of(TEMPERATURE)
            return replace(kind, shown=shown.difference, factor=shown.factor)
        return kind if unit is None else _shown_in(kind, unit)

    def of_dimension(self, dimension: Any) -> Kind:
        """Return the kind of quantity that has a dimension, with the unit it is shown in."""
        return self.of(kind_of(dimension))


#: The units values are shown in where nothing is chosen.
DEFAULT_UNITS = UnitSet()


@lru_cache(maxsize=256)
def _shown_in(kind: Kind, unit: str) -> Kind:
    if kind.name == TEMPERATURE.name:
        known = single_unit(unit)
        if known is None or known.dimension != TEMPERATURE.dimension:
            raise ExpressionError(f"'{unit}' is not a unit of temperature; write °C, K or °F")
        difference = f"Δ{unit}" if known.relative and unit != "°C" else "K"
        return replace(kind, shown=unit, factor=1 / known.factor, zero=known.offset, difference=difference)
    value = evaluate(f"1 {unit}", {})
    if value.dimension != kind.dimension:
        is_a = describe_dimension(value.dimension)
        raise ExpressionError(f"'{unit}' is not a unit of {kind.name} (it is {is_a}); write for example '{kind.shown}'")
    return replace(kind, shown=unit, factor=1 / float(value.magnitude))


class OfUnits:
    """Annotation that makes pydantic read a field as a :class:`UnitSet`."""

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        return core_schema.with_info_plain_validator_function(self._read)

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        own = {
            "type": "object",
            "properties": {"set": {"enum": list(SET_NAMES)}},
            "additionalProperties": {"type": "string"},
        }
        return {"anyOf": [{"enum": list(SET_NAMES)}, own]}

    def _read(self, value: Any, info: ValidationInfo) -> UnitSet:
        try:
            return _read_units(value)
        except ExpressionError as error:
            raise PydanticCustomError("quantity", "{what}", {"what": str(error)}) from error


def _read_units(value: Any) -> UnitSet:
    known = ", ".join(f"'{name}'" for name in SET_NAMES)
    if isinstance(value, str):
        if value not in SET_NAMES:
            raise ExpressionError(f"there is no set of units '{value}'; there is {known}")
        return UnitSet(value)
    if not isinstance(value, dict):
        raise ExpressionError(f'say one of {known}, or an object such as {{"set": "SI", "length": "cm"}}')
    name = value.get("set", DEFAULT)
    if name not in SET_NAMES:
        raise ExpressionError(f"there is no set of units '{name}'; there is {known}")
    own = []
    for quantity, unit in value.items():
        if quantity == "set":
            continue
        if quantity not in _BY_NAME:
            raise ExpressionError(f"'{quantity}' is no quantity with a unit; there is {', '.join(_BY_NAME)}")
        _shown_in(_BY_NAME[quantity], str(unit))
        own.append((quantity, str(unit)))
    return UnitSet(name, tuple(own))
