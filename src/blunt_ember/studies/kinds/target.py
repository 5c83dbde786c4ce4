"""The parameter at which an answer has a value, or the first at which it is at most or at least that."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq

from blunt_ember.case.document.studies import Aim
from blunt_ember.case.values.display import shown
from blunt_ember.studies.laboratory import Laboratory
from blunt_ember.studies.points import Point, StudyError, parameter_value
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.stated_values import answer_value
from blunt_ember.studies.telling import kind_of_parameter, kinds_of_questions

#: How near a target is met, as a share of the range it is looked for in.
_MET = 1e-10
#: How far off the value that is aimed at an answer is left where it jumps, as a share of what it covers.
_JUMP = 1e-4
#: Values of the parameter that are looked at, evenly over the range, for the first at which the answer will do.
_LOOKED_AT = 13


def target(lab: Laboratory, stated: Aim) -> StudyResult:
    """Return the bracketed root of an answer over a parameter, or the smallest or largest value at which the answer is
    at most or at least what is aimed at.

    Raises :class:`StudyError` where the range has none, with the answers at its ends.
    """
    search = _Search(lab, stated)
    return search.equal() if stated.want == "equal" else search.first()


class _Search:
    """Looks at an answer over the range of a parameter, and remembers where."""

    def __init__(self, lab: Laboratory, stated: Aim) -> None:
        self._lab, self._stated = lab, stated
        self._aim = answer_value(lab.case, stated.question, stated.value)
        ends = [parameter_value(lab.case, stated.vary, text) for text in (stated.start, stated.end)]
        if ends[0] == ends[1]:
            raise StudyError(f"{stated.vary} goes from '{stated.start}' to '{stated.end}', which is no range")
        self._ends = (ends[0], ends[1])
        self._looked: list[Point] = []

    def _missed(self, value: float) -> float:
        """By how much the answer is above what is aimed at."""
        self._looked.append({self._stated.vary: value})
        self._lab.on_progress(len(self._looked), 0)
        return self._lab.answer(self._looked[-1], self._stated.question) - self._aim

    def equal(self) -> StudyResult:
        """The root between the ends."""
        stated = self._stated
        first, last = (self._missed(end) for end in self._ends)
        if first * last > 0:
            told = self._told((first, last))
            raise StudyError(f"'{stated.question}' is {told}, both on one side of '{stated.value}'; widen the range")
        return self._root(self._ends, (first, last))

    def first(self) -> StudyResult:
        """The smallest or largest value at which the answer will do; between values that are looked at it is taken to
        rise or to fall."""
        stated = self._stated
        values = np.linspace(self._ends[0], self._ends[1], _LOOKED_AT)
        values = np.sort(values)[:: 1 if stated.seek == "smallest" else -1]
        sign = 1.0 if stated.want == "at most" else -1.0
        before: float | None = None
        missed: list[float] = []
        for value in values.tolist():
            missed.append(self._missed(value))
            if sign * missed[-1] <= 0:
                if before is None:
                    return self._result(value, f"it is the {stated.seek} value of the range, and the answer will do")
                return self._root((before, value), (missed[-2], missed[-1]))
            before = value
        ends = (missed[0], missed[-1]) if values[0] == self._ends[0] else (missed[-1], missed[0])
        told = f"'{stated.question}' is {self._told(ends)}, nowhere {stated.want} '{stated.value}'"
        raise StudyError(f"{told}; widen the range")

    def _root(self, ends: tuple[float, float], missed: tuple[float, float]) -> StudyResult:
        stated, close = self._stated, _MET * abs(self._ends[1] - self._ends[0])
        value = float(brentq(self._missed, ends[0], ends[1], xtol=close, rtol=1e-12))
        left = self._missed(value)
        kinds = kind_of_parameter(self._lab.case, stated.vary), kinds_of_questions(self._lab.case)[stated.question]
        around = (
            f"{shown(end, kinds[0])}, where it is {shown(off + self._aim, kinds[1])}"
            for end, off in zip(ends, missed, strict=True)
        )
        said = [f"bracketed by {' and '.join(around)}"]
        if abs(left) > _JUMP * max(map(abs, missed)):
            said.append(f"'{stated.question}' jumps there from one side of '{stated.value}' to the other")
        return self._result(value, "; ".join(said))

    def _result(self, value: float, said: str) -> StudyResult:
        seen = sorted({point[self._stated.vary] for point in self._looked})
        listed = tuple({self._stated.vary: each} for each in seen)
        return StudyResult(listed, tuple(self._lab.rows(listed)), found={self._stated.vary: value}, said=said)

    def _told(self, missed: tuple[float, float]) -> str:
        kind = kinds_of_questions(self._lab.case)[self._stated.question]
        return " and ".join(
            f"{shown(off + self._aim, kind)} at '{text}'"
            for off, text in zip(missed, (self._stated.start, self._stated.end), strict=True)
        )
