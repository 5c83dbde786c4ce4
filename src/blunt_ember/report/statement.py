"""What a case states, as rows of words and values, for reading on paper."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, get_origin

from blunt_ember.case.case import Case
from blunt_ember.case.document.case_document import CaseDocument

#: Blocks that state nothing of the case itself, and what a block is called where its key does not say it.
_ASIDE, _CALLED = {"format", "title", "units"}, {"surfaces": "Names of surfaces"}
Row = tuple[str, str]


def statement(case: Case) -> list[tuple[str, list[Row]]]:
    """Return for every block of a case its heading and its rows: what is stated, and its value as it was written."""
    found = []
    for block, field in CaseDocument.model_fields.items():
        stated = case.data.get(block)
        if stated and block not in _ASIDE:
            heading = _CALLED.get(block, block.replace("_", " ").capitalize())
            of_names = get_origin(field.annotation) is dict
            found.append((heading, list(_rows(stated, of_names))))
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
