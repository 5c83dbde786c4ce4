"""Every value and every place that a document states, with its path."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from pydantic import BaseModel

from blunt_ember.case.document.walk import field_type, is_marked
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.references import IsPlace
from blunt_ember.errors import DataPath


def every_value(part: Any, path: DataPath = ()) -> Iterator[tuple[DataPath, Law | Quantity]]:
    """Yield the laws and quantities in a document or a part of it, each with its path."""
    if isinstance(part, Law | Quantity):
        yield path, part
    elif isinstance(part, BaseModel):
        for key in type(part).model_fields:
            yield from every_value(getattr(part, key), (*path, key))
    elif isinstance(part, Mapping):
        for key, entry in part.items():
            yield from every_value(entry, (*path, key))
    elif isinstance(part, list | tuple):
        for place, entry in enumerate(part):
            yield from every_value(entry, (*path, place))


def every_place(part: Any, path: DataPath = ()) -> Iterator[tuple[DataPath, Sequence[Quantity]]]:
    """Yield the places in a document or a part of it, each with its path."""
    if isinstance(part, BaseModel):
        for key, field in type(part).model_fields.items():
            entry = getattr(part, key)
            if isinstance(entry, tuple) and is_marked(field_type(field), IsPlace):
                yield (*path, key), entry
            else:
                yield from every_place(entry, (*path, key))
    elif isinstance(part, Mapping):
        for key, entry in part.items():
            yield from every_place(entry, (*path, key))
    elif isinstance(part, list):
        for place, entry in enumerate(part):
            yield from every_place(entry, (*path, place))
