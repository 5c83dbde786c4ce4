"""What a study came to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.immutable import immutable
from blunt_ember.studies.points import Point


@immutable
class Row:
    """The answers of one point by their questions, SI, and what is expected of them; or the ``trouble`` why there are
    none, which may be ``passing``: of where it was solved, not of the point."""

    answers: dict[str, float]
    trouble: str = ""
    expected: dict[str, float] = field(default_factory=dict)
    #: What answers may be off of what is expected, SI.
    allowed: dict[str, float] = field(default_factory=dict)
    #: What answers may be off by on this mesh, SI, where that was asked.
    errors: dict[str, float] | None = None
    passing: bool = False


@immutable
class StudyResult:
    """The ``points`` of a study and their ``rows``, and by question what follows from them, SI, by what it is called;
    and where parameters were sought, their values with the ``deviations`` that data leave them."""

    points: tuple[Point, ...]
    rows: tuple[Row, ...]
    findings: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    found: Point = field(default_factory=dict)
    deviations: Point = field(default_factory=dict)
    said: str = ""

    def answers(self, question: str) -> Floats:
        """Return the answers (p,) to a question, SI; NaN where there is none."""
        return np.array([row.answers.get(question, np.nan) for row in self.rows])

    def expected(self, question: str) -> Floats:
        """Return what is expected (p,) of a question, SI; NaN where nothing is."""
        return np.array([row.expected.get(question, np.nan) for row in self.rows])

    def allowed(self, question: str) -> Floats:
        """Return what the answers (p,) to a question may be off of what is expected, SI; NaN where nothing is."""
        return np.array([row.allowed.get(question, np.nan) for row in self.rows])

    def errors(self, question: str) -> Floats:
        """Return what the answers (p,) to a question may be off by, SI; NaN where that is not known."""
        return np.array([(row.errors or {}).get(question, np.nan) for row in self.rows])


@immutable
class StudyDone:
    """The study ``name`` of a case, which states it, with what it came to."""

    case: Case
    name: str
    result: StudyResult
