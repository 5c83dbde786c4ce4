"""Quantities of the document: the text as typed, and its SI value once parameters are known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from typing import Annotated, Any

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler, ValidationInfo
from pydantic_core import PydanticCustomError, core_schema

from blunt_ember.case.values.evaluation import evaluate, quantity_si
from blunt_ember.case.values.expressions import is_plain_number
from blunt_ember.case.values.references import IsFormula
from blunt_ember.case.values.units import (
    ANGLE,
    AREA,
    AREA_RESISTANCE,
    CONDUCTANCE,
    CONDUCTANCE_PER_LENGTH,
    HEAT,
    HEAT_FLOW,
    HEAT_FLOW_PER_LENGTH,
    HEAT_FLUX,
    HEAT_PER_AREA,
    HEAT_PER_LENGTH,
    LENGTH,
    NUMBER,
    RELATIVE_HUMIDITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    TEMPERATURE_RATE,
    TIME,
    Kind,
)
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

#: How far away anything may lie, m.
_FARTHEST = 1e9


@immutable
class Quantity:
    """A stated value: ``text`` as the analyst wrote it and ``si`` in the SI unit of ``kind``."""

    text: str = field(compare=False)
    si: float
    kind: Kind


@immutable
class OfKind(IsFormula):
    """Annotation that makes pydantic read a field as a :class:`Quantity` of one kind.

    The values of parameters are taken from the validation context, key ``names``.
    """

    kind: Kind
    check: Callable[[float], str | None] | None = None

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        return core_schema.with_info_plain_validator_function(self._read)

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        return {"type": ["string", "number"], "description": self.kind.name, "examples": [self.kind.example]}

    def _read(self, value: Any, info: ValidationInfo) -> Quantity:
        if isinstance(value, bool) or not isinstance(value, str | int | float):
            example = self.kind.example
            raise PydanticCustomError("quantity", "{what}", {"what": f"{self.kind.name} is a text such as '{example}'"})
        names = (info.context or {}).get("names", {})
        if self.kind == ANGLE and is_plain_number(str(value)):
            what = f"'{value}' has no unit: an angle is written like '{ANGLE.example}'"
            raise PydanticCustomError("quantity", "{what}", {"what": what})
        try:
            si = quantity_si(str(value), self.kind, names)
        except ExpressionError as error:
            said = {"what": str(error), "instead": error.instead}
            raise PydanticCustomError("quantity", "{what}", said) from error
        complaint = self.check(si) if self.check else None
        if complaint:
            raise PydanticCustomError("quantity", "{what}", {"what": f"'{value}' {complaint}"})
        return Quantity(str(value), si, self.kind)


@immutable
class Tolerance:
    """How far an answer may lie from what is expected: a share (``kind`` is a plain number) or an amount in SI."""

    text: str = field(compare=False)
    amount: float
    kind: Kind


class OfTolerance(IsFormula):
    """Annotation that makes pydantic read a field as a :class:`Tolerance`."""

    KINDS = (
        NUMBER,
        TEMPERATURE_DIFFERENCE,
        HEAT_FLOW,
        HEAT_FLOW_PER_LENGTH,
        HEAT_FLUX,
        TIME,
        HEAT,
        HEAT_PER_AREA,
        HEAT_PER_LENGTH,
        CONDUCTANCE,
        CONDUCTANCE_PER_LENGTH,
    )

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        return core_schema.with_info_plain_validator_function(self._read)

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        return {"type": "string", "description": "a share or an amount", "examples": ["0.5 %", "0.1 K"]}

    def _read(self, value: Any, info: ValidationInfo) -> Tolerance:
        names = (info.context or {}).get("names", {})
        what = f"'{value}' is not a tolerance; write a share such as '0.5 %' or an amount such as '0.1 K'"
        if not isinstance(value, str) or not value.strip():
            raise PydanticCustomError("quantity", "{what}", {"what": what})
        try:
            dimension = evaluate(value, names).dimension
            kind = next((kind for kind in self.KINDS if kind.dimension == dimension), None)
            amount = quantity_si(value, kind, names) if kind else -1.0
        except ExpressionError as error:
            raise PydanticCustomError("quantity", "{what}", {"what": f"{what} ({error})"}) from error
        if kind is None or amount < 0:
            raise PydanticCustomError("quantity", "{what}", {"what": what})
        return Tolerance(value, amount, kind)


def more_than_zero(si: float) -> str | None:
    """Complain of a value that is not more than zero."""
    return None if si > 0 else "must be more than zero"


def not_negative(si: float) -> str | None:
    """Complain of a value below zero."""
    return None if si >= 0 else "must not be negative"


def _humid(si: float) -> str | None:
    return None if 0 < si <= 1 else "must lie above 0 and up to 100 %"


def _in_reach(si: float) -> str | None:
    """Complain of a place so far away that nothing beside it could be told apart."""
    return None if abs(si) <= _FARTHEST else f"must lie within {_FARTHEST:.0e} m"


def _extent(si: float) -> str | None:
    return more_than_zero(si) or _in_reach(si)


Length = Annotated[Quantity, OfKind(LENGTH, _in_reach)]
Extent = Annotated[Quantity, OfKind(LENGTH, _extent)]
Area = Annotated[Quantity, OfKind(AREA, more_than_zero)]
Angle = Annotated[Quantity, OfKind(ANGLE)]
Time = Annotated[Quantity, OfKind(TIME, not_negative)]
Lapse = Annotated[Quantity, OfKind(TIME, more_than_zero)]
TemperatureReading = Annotated[Quantity, OfKind(TEMPERATURE)]
Difference = Annotated[Quantity, OfKind(TEMPERATURE_DIFFERENCE, more_than_zero)]
Rate = Annotated[Quantity, OfKind(TEMPERATURE_RATE, more_than_zero)]
AreaResistance = Annotated[Quantity, OfKind(AREA_RESISTANCE, more_than_zero)]
Humidity = Annotated[Quantity, OfKind(RELATIVE_HUMIDITY, _humid)]
StatedTolerance = Annotated[Tolerance, OfTolerance()]


def stated(text: str, kind: Kind) -> Quantity:
    """Return a quantity that refers to no parameter, as a default of the format."""
    return Quantity(text, quantity_si(text, kind, {}), kind)
