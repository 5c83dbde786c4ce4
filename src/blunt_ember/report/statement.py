"""What a case states, as rows of words and values, for reading on paper."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from blunt_ember.case.case import Case

#: Blocks of a case in working order, and what they are called.
_BLOCKS = {
    "parameters": "Parameters",
    "body": "Body",
    "surfaces": "Names of surfaces",
    "materials": "Materials",
    "surroundings": "Surroundings",
    "heat_inside": "Heat inside",
    "joints": "Joints",
    "clock": "Clock",
    "mesh": "Mesh",
    "working": "Working",
    "questions": "Questions",
}
#: Blocks whose entries have names of the analyst's own.
_OF_NAMES = ("parameters", "surfaces", "materials", "working")
Row = tuple[str, str]


def statement(case: Case) -> list[tuple[str, list[Row]]]:
    """Return for every block of a case its heading and its rows: what is stated, and its value as it was written."""
    found = []
    for block, heading in _BLOCKS.items():
        stated = case.data.get(block)
        if stated:
            found.append((heading, list(_rows(stated, block in _OF_NAMES))))
    return found


def _rows(stated: Any, named: bool = False) -> Iterator[Row]:
    if isinstance(stated, Mapping):
        if "regions" in stated or "pieces" in stated:  # a body: its parts are rows of their own
            inner = {key: value for key, value in stated.items() if key not in ("regions", "pieces")}
            yield from _rows(inner)
            yield from _rows(stated.get("regions") or stated.get("pieces"), True)
            return
        for key, value in stated.items():
            yield str(key) if named else str(key).replace("_", " "), _said(value)
    elif isinstance(stated, list):
        for number, entry in enumerate(stated, start=1):
            if not isinstance(entry, Mapping):
                yield str(number), _said(entry)
                continue
            head = next((key for key in ("name", "on", "region", "at") if key in entry), None)
            rest = {key: value for key, value in entry.items() if key != head}
            yield _said(entry[head]) if head is not None else str(number), _said(rest)
    else:
        yield "", _said(stated)


def _said(value: Any) -> str:
    """A value in words: entries after each other, rows of tables as pairs."""
    if isinstance(value, Mapping):
        if "table" in value:
            rows = ", ".join(" → ".join(str(cell) for cell in row) for row in value["table"])
            rest = _said({key: entry for key, entry in value.items() if key != "table"})
            return f"table {rows}" + (f" ({rest})" if rest else "")
        return ", ".join(f"{str(key).replace('_', ' ')} {_said(entry)}" for key, entry in value.items())
    if isinstance(value, list):
        return ", ".join(_said(entry) for entry in value)
    if value is None:
        return "not stated"
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)
