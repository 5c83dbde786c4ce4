"""Edits of a case: each returns a new one and leaves the old as it was."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.errors import DataPath


def value_at(data: Any, path: DataPath, default: Any = None) -> Any:
    """Return the entry at ``path`` in JSON data, or ``default`` where there is none."""
    for part in path:
        if isinstance(data, Mapping) and part in data:
            data = data[str(part)]
        elif isinstance(data, list) and isinstance(part, int) and part < len(data):
            data = data[part]
        else:
            return default
    return data


def with_value(case: Case, path: DataPath, value: Any) -> Case:
    """Return the case with the entry at ``path`` set; missing objects on the way are made."""
    return case.restated(with_data_at(case.data, path, lambda _: value))


def without(case: Case, path: DataPath) -> Case:
    """Return the case with the entry at ``path`` removed."""
    owner, last = path[:-1], path[-1]

    def removed(here: Any) -> Any:
        if isinstance(here, list):
            return [entry for place, entry in enumerate(here) if place != last]
        return {key: entry for key, entry in here.items() if key != last}

    return case.restated(with_data_at(case.data, owner, removed))


def appended(case: Case, path: DataPath, entry: Any) -> Case:
    """Return the case with ``entry`` at the end of the list at ``path``."""
    return case.restated(with_data_at(case.data, path, lambda here: [*(here or []), entry]))


def with_typed_value(case: Case, path: DataPath, text: str) -> Case:
    """Return the case after ``text`` was typed into the field at ``path``.

    Where the field holds just the name of a parameter, a value typed over it goes to that parameter, so that
    everything stated with it follows; another parameter's name replaces the name.
    """
    parameter = parameter_at(case, path)
    if parameter is None or text.strip() in case.data.get("parameters", {}):
        return with_value(case, path, text)
    return with_value(case, ("parameters", parameter), text)


def parameter_at(case: Case, path: DataPath) -> str | None:
    """Return the parameter whose bare name stands at ``path``, or None."""
    text = value_at(case.data, path)
    if path and path[0] != "parameters" and isinstance(text, str) and text.strip() in case.data.get("parameters", {}):
        return text.strip()
    return None


def free_name(stem: str, taken: Sequence[str] | Mapping[str, Any]) -> str:
    """Return ``stem`` or ``stem 2``, ``stem 3``, … whichever is not taken yet."""
    names = [stem, *(f"{stem} {number}" for number in range(2, len(taken) + 3))]
    return next(name for name in names if name not in taken)


def with_data_at(data: Any, path: DataPath, change: Callable[[Any], Any]) -> Any:
    """Return JSON data with the entry at ``path`` changed; missing objects on the way are made."""
    if not path:
        return change(data)
    first, rest = path[0], path[1:]
    if isinstance(first, int):
        entries = list(data)
        entries[first] = with_data_at(entries[first], rest, change)
        return entries
    here = dict(data or {})
    here[first] = with_data_at(here.get(first), rest, change)
    return here
