"""A case in which parameters are changed, and what comes of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.flow.flow import Flow
from blunt_ember.immutable import immutable
from blunt_ember.studies.points import Point, StudyError
from blunt_ember.studies.result import Row
from blunt_ember.studies.running.rows import OnProgress, rows_of
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.running.workplace import OpenWorkplace
from blunt_ember.studies.telling import stated_as


@immutable
class Laboratory:
    """A case with where its results are kept, and who hears of the progress."""

    case: Case
    store: ResultsStore
    on_progress: OnProgress = lambda done, of: None
    jobs: int | None = None
    #: Where rows are solved, if not on this machine.
    elsewhere: OpenWorkplace | None = None
    #: What solves rows here; it knows what they share.
    flow: Flow = field(default_factory=lambda: Flow(curves=False), repr=False, compare=False)

    def rows(self, points: Sequence[Point], with_errors: bool = False) -> list[Row]:
        """Return the rows of points, if that is wanted with the errors of their answers."""
        how = self.jobs, self.flow, self.elsewhere, with_errors
        return rows_of(self.case, points, self.store, self.on_progress, *how)

    def row(self, point: Point) -> Row:
        """Return the row of one point."""
        return rows_of(self.case, [point], self.store, jobs=1, flow=self.flow)[0]

    def answer(self, point: Point, question: str) -> float:
        """Return the answer to a question at a point, SI; raise :class:`StudyError` where there is none."""
        return float(self.answers(point, [question])[0])

    def answers(self, point: Point, questions: Sequence[str]) -> Floats:
        """Return the answers (q,) to questions at a point, SI; raise :class:`StudyError` where one has none."""
        row = self.row(point)
        for question in questions:
            if row.trouble or not np.isfinite(row.answers.get(question, np.nan)):
                where = ", ".join(f"{name} = {stated_as(self.case, name, value)}" for name, value in point.items())
                raise StudyError(f"there is no answer to '{question}' at {where}: {row.trouble or 'it has no value'}")
        return np.array([row.answers[question] for question in questions])
