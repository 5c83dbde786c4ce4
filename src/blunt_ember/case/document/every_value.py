"""Every value and every place that a document states, with its path."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cache
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel

from blunt_ember.case.document.walk import field_type, is_marked
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.references import IsPlace, RefersTo, Target
from blunt_ember.errors import DataPath

#: Types of most entries, which hold no others and state no value.
_PLAIN = frozenset({str, int, float, bool, type(None)})


def every_value(part: Any, path: DataPath = ()) -> Iterator[tuple[DataPath, Law | Quantity]]:
    """Yield the laws and quantities in a document or a part of it, each with its path."""
    if isinstance(part, Law | Quantity):
        yield path, part
        return
    for key, entry in _entries(part):
        if type(entry) not in _PLAIN:
            yield from every_value(entry, (*path, key))


def _entries(part: Any) -> Iterable[tuple[str | int, Any]]:
    """What a part holds, by its key or place."""
    if isinstance(part, BaseModel):
        return ((key, getattr(part, key)) for key in _holding(type(part)))
    if isinstance(part, list | tuple):
        return enumerate(part)
    return part.items() if isinstance(part, Mapping) else ()


@cache
def _holding(model: type[BaseModel]) -> tuple[str, ...]:
    """The fields of a model that may hold more than a word or a number."""
    return tuple(key for key, field in model.model_fields.items() if not _is_plain(field.annotation))


def _is_plain(annotation: Any) -> bool:
    """Whether a type is that of words and numbers alone."""
    if get_origin(annotation) is Annotated:
        return _is_plain(get_args(annotation)[0])
    if get_origin(annotation) in (Union, UnionType):
        return all(_is_plain(member) for member in get_args(annotation))
    return annotation in _PLAIN or get_origin(annotation) is Literal


def every_place(part: Any, path: DataPath = ()) -> Iterator[tuple[DataPath, Sequence[Quantity]]]:
    """Yield the places in a document or a part of it, each with its path."""
    places = _places(type(part)) if isinstance(part, BaseModel) else ()
    for key, entry in _entries(part):
        if key in places and isinstance(entry, tuple):
            yield (*path, key), entry
        elif type(entry) not in _PLAIN and not isinstance(entry, tuple):
            yield from every_place(entry, (*path, key))


@cache
def _places(model: type[BaseModel]) -> frozenset[str]:
    """The fields of a model that are places."""
    return frozenset(key for key, field in model.model_fields.items() if is_marked(field_type(field), IsPlace))


def every_part(part: Any, path: DataPath = ()) -> Iterator[tuple[DataPath, BaseModel]]:
    """Yield every entry of a document or a part of it, from the outside in, each with its path."""
    if isinstance(part, BaseModel):
        yield path, part
    for key, entry in _entries(part):
        if type(entry) not in _PLAIN:
            yield from every_part(entry, (*path, key))


def own_references(part: BaseModel) -> Iterator[tuple[DataPath, str, Target]]:
    """Yield the names in the fields of an entry itself that refer to something, with their place and what to."""
    for key, field in type(part).model_fields.items():
        entry = getattr(part, key)
        named: dict[DataPath, str] = {(key,): entry} if isinstance(entry, str) else {}
        if isinstance(entry, list):
            named = {(key, place): name for place, name in enumerate(entry) if isinstance(name, str)}
        if isinstance(entry, Mapping):
            named = {(key, name): name for name in entry}
        mark = _reference_in(field_type(field)) if named else None
        if mark is not None:
            yield from ((path, name, mark.target) for path, name in named.items())


def _reference_in(annotation: Any) -> RefersTo | None:
    """The annotation of a name in a type, of a list of names, or of the keys of an object."""
    if isinstance(annotation, RefersTo):
        return annotation
    inner = getattr(annotation, "__metadata__", ()) + get_args(annotation)
    return next((found for part in inner if (found := _reference_in(part)) is not None), None)
