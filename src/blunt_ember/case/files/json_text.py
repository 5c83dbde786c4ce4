"""JSON that keeps what a person wrote: numbers with their digits, short lists on one line."""

from __future__ import annotations

import json
from typing import Any

from blunt_ember.errors import CaseError, Fault

MAX_WIDTH = 110
MAX_CHARACTERS = 20_000_000


class WrittenNumber(float):
    """A JSON number that remembers its digits, so that 0.850 is saved as 0.850."""

    text: str

    def __new__(cls, text: str) -> WrittenNumber:
        """Make the number that ``text`` stands for."""
        number = super().__new__(cls, text)
        number.text = text
        return number

    def __str__(self) -> str:
        return self.text

    __repr__ = __str__

    def __reduce__(self) -> tuple[type[WrittenNumber], tuple[str]]:
        return WrittenNumber, (self.text,)


def loads(text: str) -> Any:
    """Parse JSON; raise :class:`CaseError` with line and column of what is wrong."""
    if len(text) > MAX_CHARACTERS:
        raise CaseError((Fault((), f"the file is larger than {MAX_CHARACTERS:,} characters; is it a case file?"),))
    try:
        data = json.loads(
            text,
            parse_float=WrittenNumber,
            parse_int=_whole_number,
            parse_constant=_refuse_constant,
            object_pairs_hook=_object_once,
        )
        json.dumps(data, ensure_ascii=False).encode("utf-8")
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise CaseError((Fault((), f"{where}: this is not JSON: {error.msg[0].lower()}{error.msg[1:]}"),)) from error
    except RecursionError as error:
        raise CaseError((Fault((), "the file is nested too deep to be a case"),)) from error
    except UnicodeEncodeError as error:
        raise CaseError((Fault((), "the file holds half of a character pair (\\ud800 … \\udfff)"),)) from error
    return data


def dumps(data: Any) -> str:
    """Return the JSON text of ``data``: two-space indents, what fits on a line stays on it."""
    return _written(data, "", 0) + "\n"


def _written(data: Any, indent: str, lead: int) -> str:
    keyed = _keyed(data)
    if keyed is None:
        return _leaf(data)
    opening, entries, closing = keyed
    if indent:  # the outermost object always stands one entry a line
        line = _flat(data)
        if len(indent) + lead + len(line) <= MAX_WIDTH:
            return line
    deeper = indent + "  "
    lines = [f"{deeper}{key}{_written(value, deeper, len(key))}" for key, value in entries]
    return opening + "\n" + ",\n".join(lines) + "\n" + indent + closing


def _flat(data: Any) -> str:
    keyed = _keyed(data)
    if keyed is None:
        return _leaf(data)
    opening, entries, closing = keyed
    return opening + ", ".join(key + _flat(value) for key, value in entries) + closing


def _keyed(data: Any) -> tuple[str, list[tuple[str, Any]], str] | None:
    """Split an object or list that holds something into brackets and entries behind their keys."""
    if isinstance(data, dict) and data:
        return "{", [(f"{_leaf(key)}: ", value) for key, value in data.items()], "}"
    if isinstance(data, list | tuple) and data:
        return "[", [("", value) for value in data], "]"
    return None


def _leaf(data: Any) -> str:
    return data.text if isinstance(data, WrittenNumber) else json.dumps(data, ensure_ascii=False)


def _whole_number(text: str) -> int:
    if len(text) > 18:
        raise CaseError((Fault((), f"the number {text[:20]}… has too many digits"),))
    return int(text)


def _refuse_constant(text: str) -> None:
    raise CaseError((Fault((), f"{text} is not a number that JSON or a case knows"),))


def _object_once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        seen: set[str] = set()
        twice = next(key for key, _ in pairs if key in seen or seen.add(key))  # type: ignore[func-returns-value]
        raise CaseError((Fault((), f"the key '{twice}' stands twice in one object; keep one"),))
    return found
