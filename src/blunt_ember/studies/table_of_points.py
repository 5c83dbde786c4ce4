"""Points of a sweep from the rows of a CSV file: a column for each parameter, its unit in the heading or in cells."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import MOST_POINTS
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.studies.points import Point, StudyError, parameter_value, require_followed
from blunt_ember.studies.stated_rows import Heading, stated_rows


def points_in(case: Case, name: str) -> list[Point]:
    """Return the points that the rows of a file state, which lies in the folder of the case or below it.

    Raises :class:`StudyError` for what cannot be read, naming row and column.
    """
    headings, rows = stated_rows(case, name, "the names of parameters")
    if len(rows) > MOST_POINTS:
        raise StudyError(f"'{name}' has {len(rows):,} rows; {MOST_POINTS:,} at most")
    for heading in headings:
        if heading.name not in case.parameters:
            like = nearest(heading.name, case.parameters)
            raise StudyError(f"'{heading.name}' in the heading of '{name}' is no parameter{like}")
    require_followed(case, [heading.name for heading in headings])
    if len({heading.name for heading in headings}) < len(headings):
        raise StudyError(f"a parameter stands twice in the heading of '{name}'")
    return [_point(case, name, number, headings, row) for number, row in enumerate(rows, start=2)]


def _point(case: Case, file: str, number: int, headings: list[Heading], row: list[str]) -> Point:
    point: dict[str, float] = {}
    for heading, cell in zip(headings, row, strict=True):
        try:
            point[heading.name] = parameter_value(case, heading.name, heading.text(cell))
        except StudyError as error:
            raise StudyError(f"'{file}', row {number}: {error}") from error
    return point
