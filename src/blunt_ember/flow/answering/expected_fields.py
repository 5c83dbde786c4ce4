"""Which field the answers of a case are compared with: an exact solution, or a line of the Working."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.question import Expectation, Question
from blunt_ember.checks.references.exact_field import exact_field, recognised
from blunt_ember.checks.references.fits.field import ExactField, Idealised, MovingField
from blunt_ember.checks.references.fits.in_time.moving import MOVING_SOLUTIONS, moving_field, recognised_in_time
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.checks.references.working_field import source_of, working_field
from blunt_ember.checks.source import Provenance
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry

ReferenceField = ExactField | MovingField


def field_named(expect: Expectation, case: Case) -> str | None:
    """Return the exact solution, or the line of the Working that follows the place, that an answer is compared with."""
    return expect.working if expect.working in case.fields else expect.exact


class ExpectedFields:
    """The fields a case is compared with, each fitted or refused once; ``timing`` says how a run begins."""

    def __init__(
        self, case: Case, geometry: BodyGeometry, problem: Problem, timing: Callable[[], Timing] | None
    ) -> None:
        self._case = case
        self._geometry = geometry
        self._problem = problem
        self._timing = timing
        self._fitted: dict[str, ReferenceField] = {}
        self._refused: dict[str, str] = {}
        self._second: ExactField | None = None

    def recognised(self) -> ReferenceField | None:
        """Return the first exact solution that holds for the case, else the first field of its Working it names."""
        if self._timing is None:
            found: ReferenceField | None = recognised(self._geometry, self._problem)
        else:
            found = recognised_in_time(self._geometry, self._problem, self._timing())
        return self.know(found or self._of_working())

    def answer_by(self, second: ExactField | None) -> None:
        """From now on, answer what nothing is known of exactly by a field that another method than meshes found."""
        self._second = second

    def of_itself(self, question: Question, exact: ReferenceField | None) -> Iterator[ReferenceField]:
        """Yield what may answer a question of which nothing is expected: the ``exact`` solution that was recognised,
        and what is known of surfaces that see each other."""
        if exact is not None and source_of(exact).provenance is Provenance.EXACT:
            yield exact
        elif self._second is not None:
            yield self._second
        if not question.enclosed:
            return
        for name in ("grey-network", "view-factors"):
            try:
                found = self.named(name)
            except ReferenceRefusedError:
                continue
            if not isinstance(found, Idealised):
                yield found

    def know(self, field: ReferenceField | None) -> ReferenceField | None:
        """Remember a field that was fitted already, and return it."""
        if field is not None:
            self._fitted.setdefault(field.name, field)
        return field

    def named(self, name: str) -> ReferenceField:
        """Return the field of a name; raise :class:`ReferenceRefusedError` where it does not hold."""
        if name in self._refused:
            raise ReferenceRefusedError(self._refused[name])
        if name not in self._fitted:
            try:
                self._fitted[name] = self._fit(name)
            except ReferenceRefusedError as why:
                self._refused[name] = str(why)
                raise
        return self._fitted[name]

    def _fit(self, name: str) -> ReferenceField:
        if name in self._case.fields:
            return working_field(name, self._case.fields[name], self._geometry.space, self._timing is not None)
        if self._timing is not None and name in MOVING_SOLUTIONS:
            return moving_field(name, self._geometry, self._problem, self._timing())
        return exact_field(name, self._geometry, self._problem)

    def _of_working(self) -> ReferenceField | None:
        for question in self._case.document.questions:
            name = question.expect.working if question.expect is not None else None
            # A line that leaves a coordinate out may hold on a face alone.
            places = set("xyz"[: self._geometry.space.dimension])
            if name is not None and name in self._case.fields and places <= self._case.fields[name].variables:
                try:
                    return self.named(name)
                except ReferenceRefusedError:
                    continue
        return None
