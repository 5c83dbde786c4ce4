"""Expressions to SI numbers, with their dimension carried along and checked at every sign."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import reduce
from operator import itemgetter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from blunt_ember.case.values import special_functions
from blunt_ember.case.values.dimension import DIMENSIONLESS, Dimension
from blunt_ember.case.values.expressions import parse, units_named
from blunt_ember.case.values.formula_tree import (
    Call,
    Literal,
    NameNode,
    Negative,
    Node,
    Operation,
    names_in,
    unknown_in,
)
from blunt_ember.case.values.textbook.entry import Entry, RangeError
from blunt_ember.case.values.textbook.registry import TEXTBOOK
from blunt_ember.case.values.units import (
    LENGTH,
    POWER_DENSITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    Kind,
    describe_dimension,
    single_unit,
    unit_error,
)
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

Magnitude = float | NDArray[np.float64]

#: Stefan–Boltzmann constant, W/(m² K⁴), exact since the 2019 SI (CODATA 2018).
STEFAN_BOLTZMANN = 5.670374419e-8


@immutable
class Value:
    """A magnitude in SI (scalar or array) with its dimension.

    ``readings`` counts the °C or °F readings summed into it: 1 for ``25 °C``, 0 for ``980 °C - 25 °C``, and 2 for
    ``25 °C + 5 °C``, which adds the offset of the scale twice and is refused as a temperature. None: not tracked.
    """

    magnitude: Magnitude
    dimension: Dimension
    readings: float | None = None


Names = Mapping[str, Value]

#: Functions of one plain number.
_PLAIN: dict[str, Callable[[Any], Any]] = {
    "exp": np.exp,
    "ln": np.log,
    "log10": np.log10,
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "asin": np.arcsin,
    "acos": np.arccos,
    "atan": np.arctan,
    "sinh": np.sinh,
    "cosh": np.cosh,
    "tanh": np.tanh,
    "asinh": np.arcsinh,
    "acosh": np.arccosh,
    "atanh": np.arctanh,
    "erf": special_functions.erf,
    "erfc": special_functions.erfc,
    "bessel_j0": special_functions.j0,
    "bessel_j1": special_functions.j1,
    "bessel_i0": special_functions.i0,
    "bessel_i1": special_functions.i1,
    "bessel_k0": special_functions.k0,
    "bessel_k1": special_functions.k1,
}
FUNCTIONS = (*_PLAIN, "sqrt", "abs", "min", "max", *TEXTBOOK)
#: Names with a fixed meaning, and what they mean; no parameter may take one.
CONSTANTS = {"pi": "the number π", "sigma": "the Stefan–Boltzmann constant"}
VARIABLES = {
    "x": "a coordinate",
    "y": "a coordinate",
    "z": "a coordinate",
    "r": "the radius",
    "theta": "the angle",
    "t": "the time",
    "T": "the temperature",
}


def reserved_meaning(name: str) -> str | None:
    """Say what ``name`` is kept for, or None when the analyst may use it."""
    if name in FUNCTIONS:
        return "a function"
    return CONSTANTS.get(name) or VARIABLES.get(name)


def undefined(name: str) -> str:
    """Return what is said of a name that has no value."""
    return f"'{name}' is not defined; define it among the parameters"


def used_wrong(name: str) -> str:
    """Return what is said of a formula that uses another which is wrong itself."""
    return f"'{name}', which it uses, is wrong"


def evaluate(text: str, names: Names) -> Value:
    """Return the value of an expression; raise :class:`ExpressionError` naming what is wrong in it."""
    return evaluate_node(parse(text), names)


def quantity_si(text: str, kind: Kind, names: Names) -> float:
    """Return the SI magnitude of ``text``, which must be a finite single value of the given kind.

    A relative reading such as ``0.5 °C`` stated for a temperature *difference* is taken without its offset.
    """
    node = parse(text)
    if kind == TEMPERATURE_DIFFERENCE:
        node = _without_offset(node)
    value = evaluate_node(node, names)
    require_kind(text, value, kind)
    magnitude = value.magnitude
    if not np.isfinite(magnitude).all():
        raise ExpressionError(f"'{text}' is not a finite number")
    return float(magnitude)


def require_kind(text: str, value: Value, kind: Kind) -> None:
    """Raise :class:`ExpressionError` unless ``value`` has the dimension of ``kind``."""
    if value.dimension != kind.dimension:
        if value.dimension == DIMENSIONLESS and kind.unit:
            plain = isinstance(parse(text), Literal)
            instead = (f"{text.strip()} {kind.shown}",) if plain else ()
            raise ExpressionError(f"'{text}' has no unit: {kind.name} is written like '{kind.example}'", instead)
        is_a = describe_dimension(value.dimension)
        raise ExpressionError(f"'{text}' is not {kind.name} (it is {is_a}); write for example '{kind.example}'")
    if kind == TEMPERATURE:
        if value.readings is not None and value.readings not in (0.0, 1.0) and abs(value.readings - 1) > 1e-9:
            raise ExpressionError(f"'{text}' adds readings of a relative scale; write a difference in kelvin (5 K)")
        if np.any(np.asarray(value.magnitude) < 0):
            raise ExpressionError(f"'{text}' is below absolute zero")


def _without_offset(node: Node) -> Node:
    if isinstance(node, Negative):
        return Negative(_without_offset(node.operand))
    if isinstance(node, Literal) and len(node.units) == 1 and node.units[0][1] == 1:
        unit = single_unit(node.units[0][0])
        if unit is not None and unit.relative:
            return Literal(node.value * unit.factor, (("K", 1),))
    return node


def resolve(formulas: Mapping[str, str], names: Names) -> tuple[dict[str, Value], dict[str, ExpressionError]]:
    """Evaluate named formulas that may refer to each other in any order.

    Returns the values, and for each formula that has none the reason. ``names`` are visible to all of them.
    """
    values: dict[str, Value] = {}
    visible = dict(names)
    faults: dict[str, ExpressionError] = {}
    pending: list[str] = []

    def visit(name: str) -> None:
        if name in values or name in faults:
            return
        if name in pending:
            loop = " → ".join([*pending[pending.index(name) :], name])
            raise ExpressionError(f"'{name}' is defined by itself ({loop})")
        if len(pending) > 200:
            raise ExpressionError("too many formulas refer to each other in a chain")
        pending.append(name)
        try:
            for other in (reference.text for reference in names_in(parse(formulas[name]))):
                if other in formulas:
                    visit(other)
                    if other in faults:
                        raise ExpressionError(used_wrong(other))
            value = evaluate(formulas[name], visible)
            if not np.isfinite(value.magnitude).all():
                raise ExpressionError(f"'{formulas[name]}' is not a finite number")
            values[name] = visible[name] = value
        except ExpressionError as error:
            faults[name] = error
        finally:
            pending.pop()

    for name in formulas:
        visit(name)
    return values, faults


def evaluate_node(node: Node, names: Names) -> Value:
    """Return the value of an expression that is parsed already."""
    with np.errstate(all="ignore"):
        try:
            return _value(node, names)
        except (OverflowError, ZeroDivisionError, ValueError) as error:
            raise ExpressionError(f"the formula has no finite value ({error})") from error


def _value(node: Node, names: Names) -> Value:
    match node:
        case Literal():
            return _literal(node)
        case NameNode(text, degree=True) if text not in names:
            return _of_units(1.0, units_named(text))
        case NameNode():
            return _named(node.text, names)
        case Negative(operand):
            value = _value(operand, names)
            return Value(-value.magnitude, value.dimension, None if value.readings is None else -value.readings)
        case Operation(sign, left, right):
            return _operation(sign, _value(left, names), _value(right, names))
        case Call(function, arguments):
            return _call(function, [_value(argument, names) for argument in arguments])


def folded(node: Node, names: Names) -> Node:
    """Return an expression in which everything without variables is one plain number, its SI magnitude.

    It is for :func:`computed`, once the dimensions have been checked by :func:`evaluate_node`.
    """
    if not unknown_in(node, names) - CONSTANTS.keys():
        return Literal(float(evaluate_node(node, names).magnitude), ())
    match node:
        case Negative(operand):
            return Negative(folded(operand, names))
        case Operation(sign, left, right):
            return Operation(sign, folded(left, names), folded(right, names))
        case Call(function, arguments):
            return Call(function, tuple(folded(argument, names) for argument in arguments))
        case _:
            return node


def computed(node: Node) -> Callable[[Mapping[str, NDArray[np.float64]]], Magnitude]:
    """Return what computes the SI magnitude of a folded expression from arrays of its variables, SI; it checks no
    dimension. The expression is looked through once, however often it is computed."""
    match node:
        case Literal(value):
            return lambda variables: value
        case NameNode(text):
            return itemgetter(text)
        case Negative(operand):
            inner = computed(operand)
            return lambda variables: -inner(variables)
        case Operation(sign, left, right):
            operation, first, second = _OPERATIONS[sign], computed(left), computed(right)
            return lambda variables: operation(first(variables), second(variables))
        case Call(function, arguments):
            return _called(function, [computed(argument) for argument in arguments])


def _called(
    function: str, given: list[Callable[[Mapping[str, NDArray[np.float64]]], Magnitude]]
) -> Callable[[Mapping[str, NDArray[np.float64]]], Magnitude]:
    if function in ("min", "max"):
        least_or_most = np.minimum if function == "min" else np.maximum
        return lambda variables: reduce(least_or_most, (each(variables) for each in given))
    if function in TEXTBOOK:
        entry = TEXTBOOK[function]
        return lambda variables: _given(entry, [each(variables) for each in given])
    plain, (argument,) = _BY_NAME[function], given
    return lambda variables: plain(argument(variables))


_OPERATIONS: dict[str, Callable[[Any, Any], Any]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "^": np.power,
}
_BY_NAME: dict[str, Callable[[Any], Any]] = {**_PLAIN, "sqrt": np.sqrt, "abs": np.abs}


def _literal(node: Literal) -> Value:
    if not node.units:
        return Value(node.value, DIMENSIONLESS)
    if len(node.units) == 1 and node.units[0][1] == 1:
        unit = single_unit(node.units[0][0])
        if unit is not None and unit.relative:
            return Value((node.value + unit.offset) * unit.factor, unit.dimension, 1.0)
    value = _of_units(node.value, node.units)
    if value.dimension == TEMPERATURE.dimension and any(_is_scale(name) for name, _ in node.units):
        told = " ".join(name for name, _ in node.units)
        raise ExpressionError(f"'{told}' is no unit of a temperature; write it like '{TEMPERATURE.example}'")
    return value


def _of_units(magnitude: float, units: Sequence[tuple[str, int]]) -> Value:
    """A magnitude in units, each with its power; a degree is one of difference."""
    dimension = DIMENSIONLESS
    for name, power in units:
        unit = single_unit(name)
        if unit is None:
            raise unit_error(name)
        magnitude *= unit.factor**power
        dimension = dimension * unit.dimension**power
    return Value(magnitude, dimension)


def _is_scale(name: str) -> bool:
    unit = single_unit(name)
    return unit is not None and unit.relative


def _named(text: str, names: Names) -> Value:
    if text in names:
        return names[text]
    if text == "pi":
        return Value(math.pi, DIMENSIONLESS)
    if text == "sigma":
        return Value(STEFAN_BOLTZMANN, (POWER_DENSITY.dimension * LENGTH.dimension) / TEMPERATURE.dimension**4)
    if text in VARIABLES:
        raise ExpressionError(f"'{text}' ({VARIABLES[text]}) has no value here")
    raise ExpressionError(undefined(text))


def _operation(sign: str, left: Value, right: Value) -> Value:
    if sign in "+-":
        if left.dimension != right.dimension:
            first, second = describe_dimension(left.dimension), describe_dimension(right.dimension)
            raise ExpressionError(f"{first} and {second} cannot stand on two sides of '{sign}'")
        direction = 1.0 if sign == "+" else -1.0
        readings = None
        if left.readings is not None or right.readings is not None:
            readings = (left.readings or 0.0) + direction * (right.readings or 0.0)
        return Value(left.magnitude + direction * right.magnitude, left.dimension, readings)
    if sign == "*":
        return Value(left.magnitude * right.magnitude, left.dimension * right.dimension, _scaled(left, right))
    if sign == "/":
        if np.ndim(right.magnitude) == 0 and right.magnitude == 0:
            raise ExpressionError("it divides by zero")
        readings = None
        if left.readings is not None and right.dimension == DIMENSIONLESS and np.ndim(right.magnitude) == 0:
            readings = left.readings / float(right.magnitude)
        return Value(left.magnitude / right.magnitude, left.dimension / right.dimension, readings)
    return _power(left, right)


def _scaled(left: Value, right: Value) -> float | None:
    for reading, factor in ((left, right), (right, left)):
        if reading.readings is not None and factor.dimension == DIMENSIONLESS and np.ndim(factor.magnitude) == 0:
            return reading.readings * float(factor.magnitude)
    return None


def _power(base: Value, exponent: Value) -> Value:
    if exponent.dimension != DIMENSIONLESS:
        raise ExpressionError(f"an exponent is a plain number, not {describe_dimension(exponent.dimension)}")
    if base.dimension == DIMENSIONLESS:
        return Value(np.power(np.float64(base.magnitude), exponent.magnitude), DIMENSIONLESS)
    if np.ndim(exponent.magnitude):
        raise ExpressionError("a quantity with a unit can only be raised to a constant power")
    power = float(exponent.magnitude)
    whole = int(power) if power == int(power) else power
    readings = base.readings if power == 1 else None
    return Value(np.power(np.float64(base.magnitude), power), base.dimension**whole, readings)


def _call(function: str, arguments: list[Value]) -> Value:
    if function not in FUNCTIONS:
        plain = [name for name in FUNCTIONS if name not in TEXTBOOK]
        more = "and the formulas that 'blunt-ember textbook' lists"
        raise ExpressionError(f"'{function}' is not a function; there are {', '.join(plain)}, {more}")
    if function in TEXTBOOK:
        return _of_textbook(TEXTBOOK[function], arguments)
    first = arguments[0]
    if function in ("min", "max"):
        if any(argument.dimension != first.dimension for argument in arguments):
            raise ExpressionError(f"the arguments of {function} must be of one dimension")
        choose = np.minimum if function == "min" else np.maximum
        magnitude: Any = first.magnitude
        for argument in arguments[1:]:
            magnitude = choose(magnitude, argument.magnitude)
        tracked = [argument.readings for argument in arguments if argument.readings is not None]
        return Value(magnitude, first.dimension, max(tracked, default=None))
    if len(arguments) != 1:
        raise ExpressionError(f"{function} takes one argument, not {len(arguments)}")
    if function == "abs":
        return Value(np.abs(np.float64(first.magnitude)), first.dimension, first.readings)
    if function == "sqrt":
        return _power(first, Value(0.5, DIMENSIONLESS))
    if first.dimension != DIMENSIONLESS:
        raise ExpressionError(f"{function} takes a plain number, not {describe_dimension(first.dimension)}")
    return Value(_PLAIN[function](first.magnitude), DIMENSIONLESS)


def _of_textbook(entry: Entry, arguments: list[Value]) -> Value:
    for name, argument in zip(entry.arguments, arguments, strict=False):
        kind = entry.kind_of(name)
        if argument.dimension != kind.dimension or (np.ndim(argument.magnitude) and not entry.field):
            is_a = describe_dimension(argument.dimension)
            raise ExpressionError(f"{name} of {entry.name} is {kind.name}, such as '{kind.example}', not {is_a}")
    value = _given(entry, [argument.magnitude for argument in arguments])
    return Value(value, entry.gives.dimension, 0.0 if entry.gives == TEMPERATURE_DIFFERENCE else None)


def _given(entry: Entry, magnitudes: list[Magnitude]) -> Magnitude:
    """What an entry gives, SI; raises :class:`ExpressionError` where it does not hold."""
    try:
        value = entry(*magnitudes)
    except RangeError as error:
        raise ExpressionError(str(error)) from error
    return np.asarray(value, dtype=float) if np.ndim(value) else float(value)
