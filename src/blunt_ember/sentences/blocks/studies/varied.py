"""What sentences of studies are made of: the parameters that are varied, and the values they take."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import value_at, with_data_at, with_value
from blunt_ember.case.values.display import shown
from blunt_ember.errors import DataPath, path_text
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    TypedEdit,
    removing,
    setting,
    typing,
)

#: From which to which share of its value a parameter is varied when nothing else is typed; of a temperature ± kelvin.
_FROM, _TO, _KELVIN = 0.5, 2.0, 50.0
#: What is stated of a parameter that is new to a study.
Fresh = Callable[[Case, str], Any]


def value(case: Case, path: DataPath, hint: str, *more: Option) -> Entry:
    """Return the entry of a value, with what else can be done with it."""
    return Entry(path_text(path), str(value_at(case.data, path)), hint, typing(path), at=path, more=more)


def number(case: Case, path: DataPath, hint: str, usual: float = 0.0) -> Entry:
    """Return the entry of a plain number, which is the ``usual`` one where nothing is said."""
    return Entry(path_text(path), f"{value_at(case.data, path, usual):g}", hint, number_typing(path), "name", at=path)


def number_typing(path: DataPath) -> TypedEdit:
    """Return the edit that puts a typed number at ``path``; what is none is refused as the document refuses it."""

    def typed(now: Case, text: str) -> Case:
        plain = text.strip().replace(",", ".").replace("−", "-")
        try:
            return with_value(now, path, int(plain) if plain.isdecimal() else float(plain))
        except ValueError:
            return with_value(now, path, text.strip())

    return typed


def of_parameter(case: Case, path: DataPath, fresh: Fresh) -> Choice:
    """Return the choice of the parameter that the key at ``path`` is; for another one what is said is ``fresh``."""
    there = value_at(case.data, path[:-1])
    others = tuple(Option(name, _swapped(path, name, fresh)) for name in numbers(case) if name not in there)
    return Choice(f"parameter at {path_text(path)}", str(path[-1]), others, "parameter", at=path)


def named_parameter(case: Case, path: DataPath) -> Choice:
    """Return the choice of the parameter whose name stands at ``path``."""
    now = str(value_at(case.data, path))
    others = tuple(Option(name, setting(path, name)) for name in numbers(case) if name != now)
    return Choice(f"parameter at {path_text(path)}", now, others, "parameter", at=path)


def _swapped(path: DataPath, name: str, fresh: Fresh) -> Edit:
    def change(now: Case) -> Case:
        def swapped(here: dict[str, Any]) -> dict[str, Any]:
            return dict((name, fresh(now, name)) if key == path[-1] else (key, entry) for key, entry in here.items())

        return now.restated(with_data_at(now.data, path[:-1], swapped))

    return change


def gone(path: DataPath, count: int) -> tuple[SentencePart, ...]:
    """Return what takes one of ``count`` out; the last one goes with its study."""
    hint = f"Leave out {path[-1]}"
    return (Remove(f"remove {path_text(path)}", hint, removing(path), at=path),) if count > 1 else ()


def another(case: Case, path: DataPath, fresh: Fresh) -> list[SheetRow]:
    """Return the row that adds a parameter to those at ``path``, if there are others."""

    def adding(name: str) -> Edit:
        return lambda now: with_value(now, (*path, name), fresh(now, name))

    there = value_at(case.data, path)
    options = tuple(Option(name, adding(name)) for name in numbers(case) if name not in there)
    return [(Choice(f"add to {path_text(path)}", "and another parameter …", options, "link"),)] if options else []


def numbers(case: Case) -> list[str]:
    """Return the parameters that are single numbers."""
    return [name for name, value in case.parameters.items() if np.ndim(value.magnitude) == 0]


def is_temperature(case: Case, name: str) -> bool:
    """Tell whether a parameter is read on a scale."""
    return bool(case.units.of_dimension(case.parameters[name].dimension).zero)


def share_of(case: Case, name: str, share: float, kelvin: float) -> str:
    """Return a share of the value of a parameter as it is written; of a temperature so many ``kelvin`` more."""
    stated = case.parameters[name]
    si = float(stated.magnitude)
    changed = si + kelvin if is_temperature(case, name) else si * share
    return shown(changed, case.units.of_dimension(stated.dimension), 4)


def ends_of(case: Case, name: str) -> list[str]:
    """Return a range about the value that a parameter has, its lower end first."""
    ends = [share_of(case, name, _FROM, -_KELVIN), share_of(case, name, _TO, _KELVIN)]
    return ends if float(case.parameters[name].magnitude) >= 0 else ends[::-1]


def range_of(case: Case, name: str) -> dict[str, Any]:
    """Return values over a range about the one that a parameter has."""
    start, end = ends_of(case, name)
    return {"start": start, "end": end, "count": 7}


def spread_of(case: Case, name: str) -> dict[str, Any]:
    """Return a distribution about the value that a parameter has."""
    return {"normal": "2 K" if is_temperature(case, name) else "10 %"}
