"""A formula over other answers: an efficiency, a resistance, a ratio."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np
from pydantic import Field, PrivateAttr

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import Question, QuestionInTime, Reader
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.evaluation import CONSTANTS, Value, evaluate_node
from blunt_ember.case.values.expressions import parse
from blunt_ember.case.values.formula_tree import Node, unknown_in
from blunt_ember.case.values.references import Formula
from blunt_ember.case.values.units import NUMBER, TEMPERATURE, TEMPERATURE_DIFFERENCE, Kind, kind_of
from blunt_ember.errors import ExpressionError, Fault
from blunt_ember.immutable import immutable


def formula_name(name: str) -> str:
    """Return the name that a question goes by in a formula: ``outer_face`` for 'outer face'."""
    return re.sub(r"\W", "_", name)


@immutable
class _Bound:
    """A formula with the values of the ``names`` in it and the kinds of the ``answers`` it is over, by their names in
    it; and the kind it gives."""

    node: Node
    names: Mapping[str, Value]
    answers: Mapping[str, Question]
    kind: Kind


class DerivedQuestion(QuestionInTime):
    """What follows from the answers to other questions."""

    asks: ClassVar[str] = "derived"
    derived: Formula = Field(
        description="formula over answers by the names of their questions (spaces as _), parameters and the Working"
    )
    _bound: _Bound | None = PrivateAttr(None)

    @property
    def kind(self) -> Kind:
        """What the formula gives."""
        return NUMBER if self._bound is None else self._bound.kind

    @property
    def over(self) -> tuple[str, ...]:
        """The questions it follows from, by their names."""
        return () if self._bound is None else tuple(question.name for question in self._bound.answers.values())

    def bind(self, names: Mapping[str, Value], others: Mapping[str, Question]) -> None:
        """Take the values of ``names`` and the ``others`` by their names in formulas.

        Raises :class:`ExpressionError` where the formula says nothing.
        """
        node = parse(self.derived)
        unknown = sorted(unknown_in(node, {**names, **others}) - CONSTANTS.keys())
        if unknown:
            known = nearest(unknown[0], [*others, *names])
            what = f"there is no question, parameter or line of the working '{unknown[0]}'{known}"
            raise ExpressionError(f"{what}; a question 'outer face' is written outer_face")
        mentioned = unknown_in(node, {})
        both = sorted(name for name in mentioned if name in others and name in names)
        if both:
            raise ExpressionError(f"'{both[0]}' is a question and a name of the case as well; rename one of them")
        used = {name: others[name] for name in others if name in mentioned}
        self._bound = _Bound(node, names, used, NUMBER)
        value = self._value({name: np.array([1.0, 2.0]) for name in used})
        self._bound = _Bound(node, names, used, _kind_of(value))

    def read(self, reader: Reader) -> Floats:
        """The formula, of what the others answer."""
        assert self._bound is not None
        answers = {name: reader.answer(question.name) for name, question in self._bound.answers.items()}
        with np.errstate(all="ignore"):
            return np.atleast_1d(np.asarray(self._value(answers).magnitude, dtype=float))

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Derived: Q/(h*A*(T_b - T_air))."""
        return f"Derived: {self.derived}" + self.at_words(runs)

    def _value(self, answers: Mapping[str, Floats]) -> Value:
        assert self._bound is not None
        read = {
            name: Value(values, kind.dimension, 1.0 if kind.dimension == TEMPERATURE.dimension else None)
            for name, values in answers.items()
            if (kind := self._bound.answers[name].kind)
        }
        for name, question in self._bound.answers.items():
            if question.kind == TEMPERATURE_DIFFERENCE:
                read[name] = Value(answers[name], question.kind.dimension, 0.0)
        return evaluate_node(self._bound.node, {**self._bound.names, **read})


def _kind_of(value: Value) -> Kind:
    if value.dimension != TEMPERATURE.dimension:
        return kind_of(value.dimension)
    if value.readings is not None and abs(value.readings - 1) < 1e-9:
        return TEMPERATURE
    if value.readings:
        raise ExpressionError("it adds readings of a temperature; write a mean or a difference")
    return TEMPERATURE_DIFFERENCE


def _said_of(
    question: DerivedQuestion, following: Sequence[Question], names: Mapping[str, Value], before: Mapping[str, Question]
) -> str:
    """What is wrong with a formula over itself, or over what stands after it; empty where that is not it."""
    try:
        unknown = unknown_in(parse(question.derived), {**names, **before})
    except ExpressionError:
        return ""
    if formula_name(question.name) in unknown:
        return "it is over its own answer; name other questions"
    later = [each.name for each in following if formula_name(each.name) in unknown]
    return f"'{later[0]}' stands after it; a formula is over questions before it" if later else ""


def bind_derived(questions: Sequence[Question], names: Mapping[str, Value]) -> list[Fault]:
    """Bind every formula over answers to the ``names`` of a case and the questions it is over; return what is wrong.

    A formula may be over those of questions that stand before it, so that none goes in a circle.
    """
    faults: list[Fault] = []
    before: dict[str, Question] = {}
    for place, question in enumerate(questions):
        if isinstance(question, DerivedQuestion):
            path = ("questions", place, question.asks)
            try:
                question.bind(names, before)
            except ExpressionError as error:
                faults.append(Fault(path, _said_of(question, questions[place:], names, before) or str(error)))
                continue
        before[formula_name(question.name)] = question
    return faults
