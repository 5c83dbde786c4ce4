"""Stated values that may follow place, time and temperature: a constant, a formula in ``x y z r theta t T``, table."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field, fields
from functools import cached_property
from types import MappingProxyType
from typing import Any, Literal, get_args

import numpy as np
from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler, ValidationInfo
from pydantic_core import PydanticCustomError, core_schema

from blunt_ember.arrays import Floats
from blunt_ember.case.values.evaluation import (
    Value,
    computed,
    evaluate,
    evaluate_node,
    folded,
    quantity_si,
    require_kind,
    undefined,
)
from blunt_ember.case.values.expressions import parse
from blunt_ember.case.values.formula_tree import Literal as Number
from blunt_ember.case.values.formula_tree import Node, Operation, calls_in, degree_in, names_in, unknown_in
from blunt_ember.case.values.references import IsFormula
from blunt_ember.case.values.units import LENGTH, NUMBER, TEMPERATURE, TIME, Kind, kind_of
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

#: What the variables of a law are.
PLACE = ("x", "y", "z", "r", "theta")
VARIABLE_KINDS: Mapping[str, Kind] = MappingProxyType(
    {"x": LENGTH, "y": LENGTH, "z": LENGTH, "r": LENGTH, "theta": NUMBER, "t": TIME, "T": TEMPERATURE}
)
#: Step for slopes in T, as a share of T: the error of a central difference is then far below that of a Newton step.
_SLOPE_STEP = 1e-4
MOST_ROWS = 10_000
#: Rows closer than this, as a share of the value, are one.
_NEAR = 1e-12


#: How a table goes from one row to the next: straight, not at all until the next, or by a smooth curve that does not
#: overshoot (Fritsch and Butland, SIAM J. Sci. Stat. Comput. 5, 1984).
Between = Literal["linear", "step", "smooth"]


@immutable
class Table:
    """Values ``ys`` at rising ``xs`` of the variable ``over``, all in SI; held beyond the ends."""

    over: str
    xs: tuple[float, ...]
    ys: tuple[float, ...]
    between: Between = "linear"

    def at(self, x: Floats) -> Floats:
        """Return its values; a step begins at its row."""
        xs, ys = self._rows
        if self.between == "step":
            return ys[np.clip(np.searchsorted(xs, x, side="right") - 1, 0, None)]
        if self.between == "smooth":
            return self._smooth(np.clip(x, xs[0], xs[-1]))
        return np.interp(x, xs, ys)

    @cached_property
    def _rows(self) -> tuple[Floats, Floats]:
        return np.array(self.xs), np.array(self.ys)

    @cached_property
    def _smooth(self) -> Any:
        # Here, as it takes a while and few tables are smooth.
        from scipy.interpolate import PchipInterpolator

        return PchipInterpolator(*self._rows)

    def slope(self, x: Floats) -> Floats:
        """Return its derivative; at a kink that behind it."""
        xs, ys = self._rows
        inside = (x >= xs[0]) & (x < xs[-1])
        if self.between == "smooth":
            return np.where(inside, self._smooth(np.clip(x, xs[0], xs[-1]), 1), 0.0)
        slopes = np.diff(ys) / np.diff(xs)
        row = np.clip(np.searchsorted(xs, x, side="right") - 1, 0, len(slopes) - 1)
        return np.where(inside, slopes[row], 0.0)

    @property
    def kinks(self) -> tuple[float, ...]:
        """Where it jumps or bends, or goes on as another polynomial."""
        return self.xs


@immutable
class Law:
    """A value of ``kind``: a ``table``, or the ``formula`` as parsed, with the values of the ``names`` in it.

    ``text`` is what the analyst wrote, for a table in a few words.
    """

    kind: Kind
    text: str = field(compare=False)
    formula: Node | None = None
    names: tuple[tuple[str, Value], ...] = ()
    table: Table | None = None
    #: Value of a law that depends on nothing.
    constant: float | None = None

    @cached_property
    def variables(self) -> frozenset[str]:
        """The variables it depends on."""
        if self.table is not None:
            return frozenset([self.table.over])
        if self.formula is None or self.constant is not None:
            return frozenset()
        return frozenset(name.text for name in names_in(self.formula)) & VARIABLE_KINDS.keys()

    @property
    def follows_time(self) -> bool:
        """Whether it depends on the time."""
        return "t" in self.variables

    @cached_property
    def degree_in_time(self) -> float:
        """Its degree as a polynomial of the time from one of its breaks to the next; infinite where it is none."""
        if not self.follows_time:
            return 0.0
        if self.table is not None:
            return {"linear": 1.0, "step": 0.0, "smooth": 3.0}[self.table.between]
        assert self.formula is not None
        return degree_in(self.formula, "t")

    @property
    def breaks(self) -> tuple[float, ...]:
        """Times, s, at which it jumps, bends, or goes on as another polynomial, as far as they are written out."""
        return self.table.kinks if self.table is not None and self.table.over == "t" else ()

    @property
    def has_kinks(self) -> bool:
        """Whether it may bend or jump in what it depends on."""
        if self.table is not None:
            return self.table.between != "smooth"
        return self.formula is not None and bool(calls_in(self.formula) & {"abs", "min", "max"})

    def over_amount(self, amount: float, kind: Kind) -> Law:
        """Return the law of the value spread over an ``amount`` of area or volume, SI, which is of another ``kind``."""
        if self.constant is not None:
            return Law(kind, self.text, constant=self.constant / amount)
        if self.table is not None:
            ys = tuple(y / amount for y in self.table.ys)
            return Law(kind, self.text, table=Table(self.table.over, self.table.xs, ys, self.table.between))
        assert self.formula is not None
        return Law(kind, self.text, Operation("/", self.formula, Number(amount, ())), self.names)

    @property
    def follows_temperature(self) -> bool:
        """Whether it depends on the temperature that is sought."""
        return "T" in self.variables

    def at(self, where: Mapping[str, Floats]) -> Floats:
        """Return its values, SI, for arrays of the variables, SI, all of one shape.

        Raises :class:`ExpressionError` for a variable that is not available here; values may be infinite or NaN.
        """
        if self.constant is not None:
            return np.full(np.shape(next(iter(where.values()))), self.constant)
        if self.table is not None:
            if self.table.over not in where:
                raise ExpressionError(f"'{self.table.over}', which the table goes over, is no coordinate of this body")
            return self.table.at(where[self.table.over])
        assert self.formula is not None
        missing = self.variables - where.keys()
        if missing:
            raise ExpressionError(undefined(sorted(missing)[0]))
        with np.errstate(all="ignore"):
            value = self._computed(where)
        return np.broadcast_to(np.asarray(value, dtype=float), np.shape(next(iter(where.values()))))

    @cached_property
    def _computed(self) -> Callable[[Mapping[str, Floats]], Any]:
        """The formula with all that is constant in it worked out; its dimensions were checked when it was read."""
        assert self.formula is not None
        return computed(folded(self.formula, dict(self.names)))

    def __getstate__(self) -> dict[str, Any]:
        """What it was made of; how it is computed is found again."""
        return {field.name: getattr(self, field.name) for field in fields(self)}

    def slope(self, where: Mapping[str, Floats]) -> Floats:
        """Return its derivative with the temperature, SI, as :meth:`at` takes its variables."""
        if not self.follows_temperature:
            return np.zeros(np.shape(where["T"]))
        if self.table is not None:
            return self.table.slope(where["T"])
        step = _SLOPE_STEP * np.maximum(np.abs(where["T"]), 1.0)
        above, below = (self.at({**where, "T": where["T"] + way * step}) for way in (1.0, -1.0))
        return (above - below) / (2 * step)


def constant_law(si: float, kind: Kind) -> Law:
    """Return the law of a value that depends on nothing."""
    return Law(kind, f"{si!r} {kind.unit}".strip(), constant=float(si))


def law_of(stated: Any, kind: Kind, names: Mapping[str, Value], variables: frozenset[str]) -> Law:
    """Read a law from a text, a number, or an object with a ``table``; raise :class:`ExpressionError` with the reason.

    ``names`` are the values of parameters, ``variables`` those it may depend on.
    """
    if isinstance(stated, Mapping):
        return _table_law(stated, kind, names, variables)
    text = str(stated)
    formula = parse(text)
    used = unknown_in(formula, names)
    dependent = used & VARIABLE_KINDS.keys()
    if not dependent:
        return Law(kind, text, constant=quantity_si(text, kind, names))
    if dependent - variables:
        one = sorted(dependent - variables)[0]
        may = ", ".join(sorted(variables)) or "nothing"
        raise ExpressionError(f"'{text}' depends on {one}; here a value may depend on {may}")
    trial = {
        name: _variable(name, np.array([0.7, 1.3]) if name != "T" else np.array([290.0, 310.0]))
        for name in used
        if name in variables
    }
    known = {name.text: names[name.text] for name in names_in(formula) if name.text in names}
    value = evaluate_node(formula, {**known, **trial})
    require_kind(text, Value(np.abs(value.magnitude), value.dimension, value.readings), kind)
    return Law(kind, text, formula, tuple(known.items()))


def field_law(node: Node, text: str, names: Mapping[str, Value]) -> Law:
    """Return the law that a formula over places stands for; raise :class:`ExpressionError` where it is none."""
    known = {name.text: names[name.text] for name in names_in(node) if name.text in names}
    trial = {name: _variable(name, np.array([0.7, 1.3])) for name in (*PLACE, "t")}
    return Law(kind_of(evaluate_node(node, trial | known).dimension), text, node, tuple(known.items()))


def _table_law(stated: Mapping[str, Any], kind: Kind, names: Mapping[str, Value], variables: frozenset[str]) -> Law:
    for key in stated:
        if key not in ("table", "over", "between"):
            raise ExpressionError(
                f"'{key}' is not known in a table; it has 'table', 'over' where that is no temperature, and 'between'"
            )
    between = stated.get("between", "linear")
    if between not in get_args(Between):
        raise ExpressionError(f"'between' is one of {', '.join(repr(way) for way in get_args(Between))}")
    rows = stated.get("table")
    example = f'[["20 °C", "{kind.example}"], ["400 °C", "{kind.example}"]]'
    if not isinstance(rows, list) or len(rows) < 2 or not all(isinstance(row, list) and len(row) == 2 for row in rows):
        raise ExpressionError(f"a table is a list of at least two pairs, such as {example}")
    if len(rows) > MOST_ROWS:
        raise ExpressionError(f"the table has {len(rows)} rows; {MOST_ROWS} at most")
    over = stated.get("over")
    if over is None:
        first = evaluate(str(rows[-1][0]), names).dimension
        over = next((name for name in ("T", "t") if first == VARIABLE_KINDS[name].dimension), None)
    if not isinstance(over, str) or over not in variables:
        raise ExpressionError(
            f"say what the table goes over: 'over' one of {', '.join(repr(name) for name in sorted(variables))}"
            + ("" if over is None else f", not {over!r}")
        )
    xs, ys = [], []
    for number, (x, y) in enumerate(rows, start=1):
        try:
            xs.append(quantity_si(str(x), VARIABLE_KINDS[over], names))
            ys.append(quantity_si(str(y), kind, names))
        except ExpressionError as error:
            raise ExpressionError(f"row {number} of the table: {error}") from error
        if number > 1 and xs[-1] <= xs[-2] + _NEAR * abs(xs[-1]):
            raise ExpressionError(f"row {number} of the table: '{x}' must be more than '{rows[number - 2][0]}' before")
    if between == "step" and over == "T":
        raise ExpressionError("a value cannot jump at a temperature; 'between' is 'linear' or 'smooth'")
    text = f"table of {len(rows)} over {over}" + ("" if between == "linear" else f", {between}")
    return Law(kind, text, table=Table(over, tuple(xs), tuple(ys), between))


def _variable(name: str, values: Floats) -> Value:
    kind = VARIABLE_KINDS[name]
    return Value(values, kind.dimension, 1.0 if kind == TEMPERATURE else None)


def stated_values(law: Law) -> tuple[float, ...]:
    """Return the values, SI, that are written out: of a constant or a table; none of a formula."""
    if law.constant is not None:
        return (law.constant,)
    return law.table.ys if law.table is not None else ()


@immutable
class OfLaw(IsFormula):
    """Annotation that makes pydantic read a field as a :class:`Law` of one kind that may follow some variables."""

    kind: Kind
    variables: frozenset[str]
    check: Callable[[float], str | None] | None = None

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        return core_schema.with_info_plain_validator_function(self._read)

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        may = ", ".join(name for name in VARIABLE_KINDS if name in self.variables)
        said = f"{self.kind.name}: a constant, or a formula in {may}"
        table = {
            "type": "object",
            "required": ["table"],
            "additionalProperties": False,
            "properties": {
                "table": {"type": "array", "minItems": 2, "items": {"type": "array", "minItems": 2, "maxItems": 2}},
                "over": {"enum": sorted(self.variables)},
                "between": {"enum": list(get_args(Between))},
            },
        }
        plain = {"type": ["string", "number"], "description": said, "examples": [self.kind.example or "0.9"]}
        return {"anyOf": [plain, table]}

    def _read(self, value: Any, info: ValidationInfo) -> Law:
        names = (info.context or {}).get("names", {})
        try:
            if isinstance(value, bool) or not isinstance(value, str | int | float | dict):
                raise ExpressionError(f"{self.kind.name} is a text such as '{self.kind.example}', or a table")
            law = law_of(value, self.kind, names, self.variables)
        except ExpressionError as error:
            said = {"what": str(error), "instead": error.instead}
            raise PydanticCustomError("quantity", "{what}", said) from error
        for si in stated_values(law) if self.check else ():
            complaint = self.check(si) if self.check else None
            if complaint:
                shown = f"'{value}'" if not isinstance(value, dict) else "a value of the table"
                raise PydanticCustomError("quantity", "{what}", {"what": f"{shown} {complaint}"})
        return law
