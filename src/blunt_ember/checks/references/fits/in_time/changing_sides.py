"""Temperatures that swing as a sine, or go on by straight pieces, recognised in what states them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.case.values.evaluation import Value, evaluate_node
from blunt_ember.case.values.formula_tree import Call, Negative, Node, Operation
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.units import TIME
from blunt_ember.errors import ExpressionError, ReferenceRefusedError
from blunt_ember.reference.in_layers.changing import Course, Swing, Unsteady

#: Instants at which a formula is held against the sine found in it, and how near it must come.
_INSTANTS = 41
_NEAR = 1e-10


def change_of(law: Law, end: float) -> tuple[float, Unsteady]:
    """Return a temperature in K and how a law goes about it up to an ``end`` in s: by straight pieces, or as one sine.

    Raises :class:`ReferenceRefusedError` for any other.
    """
    if law.variables - {"t"}:
        raise ReferenceRefusedError(f"'{law.text}' follows more than time")
    if law.table is None and law.degree_in_time <= 1:
        times = np.array([0.0, end])
    elif law.table is not None and law.table.between != "smooth":
        inside = [t for t in law.table.xs if 0 < t < end]
        twice = 2 if law.table.between == "step" else 1
        times = np.array([0.0, *np.repeat(inside, twice), end])
    else:
        return swing_of(law)
    values = law.at({"t": times})
    if law.table is not None and law.table.between == "step":
        values[1:-1:2] = values[0:-2:2]
        values[-1] = values[-2]  # what begins at the end is no more of the run
    return float(values[0]), Course(tuple(times.tolist()), tuple((values - values[0]).tolist()))


def swing_of(law: Law) -> tuple[float, Swing]:
    """Return the mean in K and the swing of a law that is one sine or cosine in time.

    Raises :class:`ReferenceRefusedError` for any other.
    """
    refusal = ReferenceRefusedError(f"'{law.text}' follows time otherwise than as one sine")
    if law.formula is None:
        raise refusal
    for call in _sines(law.formula):
        found = _as_sine(law, call)
        if found is not None:
            return found
    raise refusal


def _sines(node: Node) -> Iterator[Call]:
    match node:
        case Call(function, arguments):
            if function in ("sin", "cos"):
                yield node
            for argument in arguments:
                yield from _sines(argument)
        case Operation(_, left, right):
            yield from _sines(left)
            yield from _sines(right)
        case Negative(operand):
            yield from _sines(operand)


def _as_sine(law: Law, call: Call) -> tuple[float, Swing] | None:
    argument = call.arguments[0]

    def at(node: Node, t: np.ndarray) -> np.ndarray:
        value = evaluate_node(node, dict(law.names) | {"t": Value(t, TIME.dimension)})
        return np.broadcast_to(np.asarray(value.magnitude, dtype=float), t.shape)

    try:
        first, second = at(argument, np.array([0.0, 1.0]))
        rate = second - first
        phase = first + (np.pi / 2 if call.function == "cos" else 0.0)
        if not rate:
            return None
        t = np.linspace(0, 4 * np.pi / abs(rate), _INSTANTS) * 1.0371
        straight = np.abs(at(argument, t) - (first + rate * t)).max()
        values = law.at({"t": t})
    except ExpressionError:
        return None
    shape = np.stack([np.ones(len(t)), np.sin(rate * t + phase)], axis=1)
    (mean, amplitude), *_ = np.linalg.lstsq(shape, values, rcond=None)
    off = np.abs(shape @ np.array([mean, amplitude]) - values).max()
    if straight > _NEAR * max(1.0, abs(rate) * t[-1]) or off > _NEAR * np.abs(values).max():
        return None
    if rate < 0:
        return float(mean), Swing(-float(amplitude), -float(rate), -float(phase))
    return float(mean), Swing(float(amplitude), float(rate), float(phase))
