"""The parameter at which an answer has a value."""

from __future__ import annotations

from scipy.optimize import brentq

from blunt_ember.case.document.studies import Aim
from blunt_ember.case.values.display import shown
from blunt_ember.studies.laboratory import Laboratory, answer_value
from blunt_ember.studies.points import Point, StudyError, parameter_value
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.telling import kinds_of_questions

#: How near a target is met, as a share of the range it is looked for in.
_MET = 1e-10
#: How far off the value that is aimed at an answer is left where it jumps, as a share of what it covers.
_JUMP = 1e-4


def target(lab: Laboratory, stated: Aim) -> StudyResult:
    """Return the bracketed root of an answer over a parameter; raise :class:`StudyError` where the ends of the range
    have it on one side, with the answers at both."""
    aim = answer_value(lab.case, stated.question, stated.value)
    ends = [parameter_value(lab.case, stated.vary, text) for text in (stated.start, stated.end)]
    looked: list[Point] = []

    def missed(value: float) -> float:
        looked.append({stated.vary: value})
        lab.on_progress(len(looked), 0)
        return lab.answer(looked[-1], stated.question) - aim

    first, last = (missed(end) for end in ends)
    if first * last > 0:
        kind = kinds_of_questions(lab.case)[stated.question]
        told = " and ".join(
            f"{shown(off + aim, kind)} at '{text}'"
            for off, text in zip((first, last), (stated.start, stated.end), strict=True)
        )
        raise StudyError(f"'{stated.question}' is {told}, both on one side of '{stated.value}'; widen the range")
    value = float(brentq(missed, ends[0], ends[1], xtol=_MET * abs(ends[1] - ends[0]), rtol=1e-12))
    left = missed(value)
    jumps = abs(left) > _JUMP * max(abs(first), abs(last))
    said = f"'{stated.question}' jumps there from one side of '{stated.value}' to the other" if jumps else ""
    points = sorted({tuple(point.items()) for point in looked})
    listed = tuple(dict(point) for point in points)
    return StudyResult(listed, tuple(lab.rows(listed)), found={stated.vary: value}, said=said)
