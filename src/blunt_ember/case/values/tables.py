"""Tables of values as they are typed, or pasted from a spreadsheet."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.values.expressions import is_plain_number
from blunt_ember.case.values.laws import VARIABLE_KINDS, Law
from blunt_ember.case.values.units import Kind
from blunt_ember.immutable import immutable

_HEADING_UNIT = re.compile(r"[\[(]\s*([^\])]+?(?:\([^)]*\))?)\s*[\])]?\s*$")


@immutable
class Cells:
    """Two columns of texts; ``units`` are those of plain numbers in each column, empty where none is known."""

    rows: tuple[tuple[str, str], ...]
    units: tuple[str, str] = ("", "")


def is_table(text: str) -> bool:
    """Tell whether a text that is pasted holds two columns or more in two rows or more."""
    lines = [line for line in text.splitlines() if line.strip()]
    return len(lines) > 1 and all(len(_split(line)) >= 2 for line in lines)


def pasted_cells(text: str) -> Cells:
    """Return the first two columns of a text from a spreadsheet; a heading such as ``T [°C]`` gives their units."""
    rows = [_split(line)[:2] for line in text.splitlines() if line.strip()]
    units = ("", "")
    if rows and not any(_starts_with_digit(cell) for cell in rows[0]):
        found = [_HEADING_UNIT.search(cell) for cell in rows[0]]
        units = (found[0][1] if found[0] else "", found[1][1] if found[1] else "")
        rows = rows[1:]
    return Cells(tuple((_point(row[0]), _point(row[1])) for row in rows), units)


def _split(line: str) -> list[str]:
    for sign in ("\t", ";"):
        if sign in line:
            return [cell.strip() for cell in line.split(sign)]
    return [cell.strip() for cell in re.split(r"\s{2,}|\s*,\s+", line.strip())]


def _starts_with_digit(cell: str) -> bool:
    return bool(re.match(r"[-+−.]?\s*\d", cell))


def _point(cell: str) -> str:
    """A number with a decimal comma, as spreadsheets of many countries write it, with a point."""
    return cell.replace(",", ".") if re.fullmatch(r"[-+−]?\d+,\d+([eE][-+]?\d+)?", cell) else cell


def table_cells(stated: Mapping[str, Any]) -> Cells:
    """Return the cells of a table as it stands in a case."""
    return Cells(tuple((str(x), str(y)) for x, y in stated["table"]))


def stated_table(cells: Cells, over: str) -> dict[str, Any]:
    """Return what a case states of cells: plain numbers with the unit of their column behind."""

    def with_unit(cell: str, unit: str) -> str:
        return f"{cell.strip()} {unit}".strip() if unit and (is_plain_number(cell) or cell.strip() == "0") else cell

    table = [[with_unit(cell, unit) for cell, unit in zip(row, cells.units, strict=True)] for row in cells.rows]
    return {"table": table} if over == "T" else {"table": table, "over": over}


def usual_units(over: str, kind: Kind) -> tuple[str, str]:
    """Return the units in which the two columns are usually given."""
    return VARIABLE_KINDS[over].shown, kind.shown


def law_at(case: Case, path: Sequence[str | int]) -> Law | None:
    """Return the law that stands at a path of the document, if one does."""
    here: Any = case.document
    for part in path:
        if isinstance(part, int):
            here = here[part] if isinstance(here, list) and part < len(here) else None
        else:
            here = here.get(part) if isinstance(here, Mapping) else getattr(here, part, None)
        if here is None:
            return None
    return here if isinstance(here, Law) else None
