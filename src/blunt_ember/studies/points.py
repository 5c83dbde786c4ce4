"""Values of parameters as texts and in SI, and the case with them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from itertools import product
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import MOST_POINTS, Sweep, Values
from blunt_ember.case.editing.parameters import unfollowed
from blunt_ember.case.values.dimension import DIMENSIONLESS, Dimension
from blunt_ember.case.values.evaluation import Value, evaluate
from blunt_ember.case.values.units import TEMPERATURE, kind_of
from blunt_ember.errors import BluntEmberError, ExpressionError

#: Values of parameters, SI, by their names.
Point = Mapping[str, float]


class StudyError(BluntEmberError):
    """A study that cannot be done; the message says where, what, and how to mend it."""


def parameter_value(case: Case, parameter: str, text: str) -> float:
    """Return a value of a parameter in SI; raise :class:`StudyError` where it is no such quantity."""
    try:
        value = evaluate(text, case.parameters)
    except ExpressionError as error:
        raise StudyError(f"'{text}' for {parameter}: {error}") from error
    wanted = case.parameters[parameter].dimension
    if value.dimension != wanted:
        example = si_text(wanted, float(case.parameters[parameter].magnitude))
        raise StudyError(f"'{text}' is no value of {parameter}; write it like '{example}'")
    if not np.isfinite(value.magnitude).all():
        raise StudyError(f"'{text}' for {parameter} is not finite")
    return float(value.magnitude)


def require_followed(case: Case, names: Iterable[str]) -> None:
    """Raise :class:`StudyError` where nothing of a case follows a parameter, so that no answer would change."""
    idle = unfollowed(case)
    for name in names:
        if name in idle:
            raise StudyError(
                f"nothing in the case follows the parameter {name}, so that no answer would change with it"
            )


def si_text(dimension: Dimension, si: float) -> str:
    """Return a quantity in SI as the text that a case states it by."""
    if dimension == DIMENSIONLESS:
        return repr(si)
    if dimension == TEMPERATURE.dimension:
        return f"{si!r} K"
    kind = kind_of(dimension)
    return f"{si!r} {kind.unit.replace('**', '^').replace('*', ' ')}"


def data_with(case: Case, point: Point) -> dict[str, Any]:
    """Return what a case states, with other values of its parameters and without its studies; whether a case can have
    them is seen when it is read."""
    stated = {name: si_text(case.parameters[name].dimension, si) for name, si in point.items()}
    data = {key: entry for key, entry in case.data.items() if key != "studies"}
    return {**data, "parameters": {**case.data["parameters"], **stated}}


def current(case: Case, parameter: str) -> float:
    """Return the value of a parameter as it stands in the case, SI."""
    value: Value = case.parameters[parameter]
    return float(value.magnitude)


def swept(case: Case, sweep: Sweep) -> list[Point]:
    """Return the points of a sweep, the last parameter changing first."""
    columns = {name: values_of(case, name, stated) for name, stated in sweep.vary.items()}
    if sweep.together:
        lengths = {len(column) for column in columns.values()}
        if len(lengths) > 1:
            counts = ", ".join(f"{name} {len(column)}" for name, column in columns.items())
            raise StudyError(f"values side by side must be equally many; there are {counts}")
        rows = list(zip(*(column.tolist() for column in columns.values()), strict=True))
    else:
        count = int(np.prod([len(column) for column in columns.values()]))
        if count > MOST_POINTS:
            raise StudyError(f"these are {count:,} cases; {MOST_POINTS:,} at most")
        rows = list(product(*(column.tolist() for column in columns.values())))
    return [dict(zip(columns, row, strict=True)) for row in rows]


def values_of(case: Case, parameter: str, stated: Values) -> Floats:
    """Return the values (v,) in SI that a parameter takes."""
    if stated.values is not None:
        return np.array([parameter_value(case, parameter, text) for text in stated.values])
    assert stated.start is not None and stated.end is not None and stated.count is not None
    start, end = parameter_value(case, parameter, stated.start), parameter_value(case, parameter, stated.end)
    if start == end:
        raise StudyError(f"{parameter} goes from '{stated.start}' to '{stated.end}', which is no range")
    if stated.by == "ratio":
        if start <= 0 or end <= 0:
            raise StudyError(f"{parameter} by ratio wants values above zero; say 'by': 'step'")
        return np.geomspace(start, end, stated.count)
    return np.linspace(start, end, stated.count)
