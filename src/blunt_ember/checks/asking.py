"""Questions as sentences."""

from __future__ import annotations

from blunt_ember.case.document import Question
from blunt_ember.case.places import Line


def asked_sentence(question: Question, heat_basis: str) -> str:
    """Return the question in words, with its basis: ``Heat flow into the body through brick.left, per m²``.

    ``heat_basis`` tells what a heat flow of this body is for.
    """
    target = question.target
    if question.asks == "heat_flow":
        basis = "per m²" if question.basis == "area" else heat_basis
        name = str(target)
        if "|" in name:
            a, b = name.split("|")
            a, b = (a, b) if question.direction == "in" else (b, a)
            return f"Heat flow from {a} to {b}, {basis}"
        way = "into the body" if question.direction == "in" else "out of the body"
        return f"Heat flow {way} through {name}, {basis}"
    if question.asks == "temperature":
        assert question.temperature is not None
        return f"Temperature at ({', '.join(place.text for place in question.temperature)})"
    measure = question.asks.capitalize()
    if isinstance(target, Line):
        start, end = (", ".join(place.text for place in point) for point in (target.start, target.end))
        return f"{measure} temperature from ({start}) to ({end})"
    return f"{measure} temperature of {target}"
