"""The rows of a CSV file beside a case: a heading of names with units, and cells that are numbers or have their own."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from blunt_ember.case.case import Case
from blunt_ember.immutable import immutable
from blunt_ember.ordinary_file import require_ordinary
from blunt_ember.studies.points import StudyError

#: Bytes that such a file has at most.
_MOST_BYTES = 64 * 2**20
_HEADING = re.compile(r"\s*(?P<name>.*?)\s*(?:[\[(](?P<unit>[^\])]*(?:\([^)]*\))?[^\])]*)[\])])?\s*")
_NUMBER = re.compile(r"[-+−]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?")


@immutable
class Heading:
    """What a column is, and the unit of its numbers, empty where each has its own."""

    name: str
    unit: str

    def text(self, cell: str) -> str:
        """Return a cell with the unit that it has."""
        stated = cell.strip()
        return f"{stated} {self.unit}" if self.unit and _NUMBER.fullmatch(stated) else stated


def stated_rows(case: Case, name: str, wanted: str) -> tuple[list[Heading], list[list[str]]]:
    """Return the headings and the rows of a file, which lies in the folder of the case or below it; ``wanted`` says
    what its heading is to have.

    Raises :class:`StudyError` for what cannot be read.
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
        raise StudyError(f"'{name}' wants a heading with {wanted}, and rows below it")
    for number, row in enumerate(rows[1:], start=2):
        if len(row) != len(rows[0]):
            raise StudyError(f"'{name}', row {number}: it has {len(row)} cells, and the heading {len(rows[0])}")
    headings = []
    for stated in rows[0]:
        found = _HEADING.fullmatch(stated)
        headings.append(Heading(found["name"], (found["unit"] or "").strip()) if found else Heading(stated.strip(), ""))
    return headings, rows[1:]
