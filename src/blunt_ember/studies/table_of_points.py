"""Points of a sweep from the rows of a CSV file: a column for each parameter, its unit in the heading or in cells."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import MOST_POINTS
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.ordinary_file import require_ordinary
from blunt_ember.studies.points import Point, StudyError, parameter_value

#: Bytes that such a file has at most.
_MOST_BYTES = 64 * 2**20
_HEADING = re.compile(r"\s*(?P<name>.*?)\s*(?:[\[(](?P<unit>[^\])]*(?:\([^)]*\))?[^\])]*)[\])])?\s*")
_NUMBER = re.compile(r"[-+−]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?")


def points_in(case: Case, name: str) -> list[Point]:
    """Return the points that the rows of a file state, which lies in the folder of the case or below it.

    Raises :class:`StudyError` for what cannot be read, naming row and column.
    """
    folder = Path(case.folder).resolve()
    try:
        path = (folder / name).resolve()
    except (OSError, ValueError) as error:
        raise StudyError(f"'{name[:60]}' is no name of a file: {error}") from error
    if not path.is_relative_to(folder):
        raise StudyError(f"'{name}' lies outside the folder of the case; put it beside the case, or below")
    require_ordinary(path, _MOST_BYTES)
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, ValueError) as error:
        raise StudyError(f"'{name}' cannot be read: {getattr(error, 'strerror', None) or error}") from error
    first = text.split("\n", 1)[0]
    apart = next((each for each in (";", "\t") if each in first), ",")
    try:
        rows = [row for row in csv.reader(text.splitlines(), delimiter=apart) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise StudyError(f"'{name}' is no table of rows: {error}") from error
    if len(rows) < 2:
        raise StudyError(f"'{name}' wants a heading with the names of parameters, and rows below it")
    if len(rows) - 1 > MOST_POINTS:
        raise StudyError(f"'{name}' has {len(rows) - 1:,} rows; {MOST_POINTS:,} at most")
    columns = [_column(case, name, heading) for heading in rows[0]]
    if len(dict(columns)) < len(columns):
        raise StudyError(f"a parameter stands twice in the heading of '{name}'")
    return [_point(case, name, number, columns, row) for number, row in enumerate(rows[1:], start=2)]


def _column(case: Case, file: str, heading: str) -> tuple[str, str]:
    """The parameter of a column, and the unit of its numbers, empty where each has its own."""
    found = _HEADING.fullmatch(heading)
    parameter = found["name"] if found else heading.strip()
    if parameter not in case.parameters:
        like = nearest(parameter, case.parameters)
        raise StudyError(f"'{parameter}' in the heading of '{file}' is no parameter{like}")
    return parameter, (found["unit"] or "").strip() if found else ""


def _point(case: Case, file: str, number: int, columns: list[tuple[str, str]], row: list[str]) -> Point:
    if len(row) != len(columns):
        raise StudyError(f"'{file}', row {number}: it has {len(row)} cells, and the heading {len(columns)}")
    point: dict[str, float] = {}
    for (parameter, unit), cell in zip(columns, row, strict=True):
        text = cell.strip()
        if unit and _NUMBER.fullmatch(text):
            text = f"{text} {unit}"
        try:
            point[parameter] = parameter_value(case, parameter, text)
        except StudyError as error:
            raise StudyError(f"'{file}', row {number}: {error}") from error
    return point
