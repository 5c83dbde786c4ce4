"""Questions as sentences."""

from __future__ import annotations

from blunt_ember.case.document.case_document import Question
from blunt_ember.case.document.clock import WHOLE_BODY, Condition
from blunt_ember.case.document.places import Line


def question_sentence(question: Question, heat_basis: str, runs: bool = False) -> str:
    """Return the question in words, with its basis: ``Heat flow into the body through brick.left, per m²``.

    ``heat_basis`` tells what a heat flow of this body is for, ``runs`` whether the clock does.
    """
    if question.when is not None:
        return f"When {condition_words(question.when)}"
    at = f", at {question.time.text}" if question.time is not None else ", at the end" if runs else ""
    if question.asks in ("heat_flow", "heat_passed"):
        flow = "Heat flow" if question.asks == "heat_flow" else "Heat passed"
        if runs and question.asks == "heat_passed":
            at = f", by {question.time.text}" if question.time is not None else ", in all"
        return _through(question, flow, "per m²" if question.basis == "area" else heat_basis) + at
    if question.asks == "heat_stored":
        return f"Heat stored in {_named(str(question.target))} since the start, {heat_basis}{at}"
    return _reading(question) + at


def _through(question: Question, flow: str, basis: str) -> str:
    name = str(question.target)
    if "|" in name:
        a, b = name.split("|")
        a, b = (a, b) if question.direction == "in" else (b, a)
        return f"{flow} from {a} to {b}, {basis}"
    way = "into the body" if question.direction == "in" else "out of the body"
    return f"{flow} {way} through {name}, {basis}"


def _reading(asking: Question | Condition) -> str:
    target = asking.target
    if asking.asks == "temperature":
        assert isinstance(target, tuple)
        return f"Temperature at ({', '.join(place.text for place in target)})"
    measure = asking.asks.capitalize()
    if isinstance(target, Line):
        return f"{measure} temperature {target.words}"
    return f"{measure} temperature of {_named(str(target))}"


def _named(target: str) -> str:
    return "the body" if target == WHOLE_BODY else target


def condition_words(condition: Condition) -> str:
    """Return a condition in words, to stand behind ``when``."""
    if condition.passes is not None:
        reading = _reading(condition)
        going = f", going {condition.going}" if condition.going is not None else ""
        return f"the {reading[0].lower()}{reading[1:]} passes {condition.passes.text}{going}"
    if condition.near is not None:
        within = condition.within.text if condition.within is not None else "1 K"
        return f"everything is within {within} of {condition.near.text}"
    if condition.settled is not None:
        return f"everything is within {condition.settled.text} of the steady answer"
    assert condition.slower is not None
    return f"nothing changes faster than {condition.slower.text}"
