"""One walk over the data of a case beside the types of the document: what every entry in it is.

The data stay as the analyst wrote them; the types only say what stands where. Data that do not fit a type are passed
over, since a case that is being mended has such data.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import cache
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel, Discriminator, Tag
from pydantic.fields import FieldInfo

from blunt_ember.errors import DataPath
from blunt_ember.immutable import immutable


@immutable
class Leaf:
    """An entry that holds no others by its type: where it stands, the data, and the annotations of its type.

    ``is_key`` marks the key of an object, ``path`` then leads to its entry.
    """

    path: DataPath
    data: Any
    marks: tuple[Any, ...]
    is_key: bool = False

    def marked(self, kind: type) -> Any:
        """Return its annotation of one kind, None where it has none."""
        return next((mark for mark in self.marks if isinstance(mark, kind)), None)


def leaves(annotation: Any, data: Any, path: DataPath = ()) -> Iterator[Leaf]:
    """Yield every leaf of the data of an entry of one type, with keys that carry annotations."""
    found: list[Leaf] = []

    def seen(leaf: Leaf) -> Any:
        found.append(leaf)
        return leaf.data

    with_leaves(annotation, data, seen, path)
    yield from found


def leaves_marked(model: type[BaseModel], data: Mapping[str, Any], marks: frozenset[Any]) -> Iterator[Leaf]:
    """Yield every leaf of the data of a model that carries one of some annotations."""
    types = _types_of(model)
    for key, entry in data.items():
        if key in types and _may_carry(model, key, marks):
            yield from (leaf for leaf in leaves(types[key], entry, (key,)) if not marks.isdisjoint(leaf.marks))


@cache
def _may_carry(model: type[BaseModel], key: str, marks: frozenset[Any]) -> bool:
    """Whether anything in a field of a model may carry one of some annotations."""
    known = set[type[BaseModel]]()

    def within(annotation: Any) -> bool:
        if isinstance(annotation, type) and issubclass(annotation, BaseModel):
            if annotation in known:
                return False
            known.add(annotation)
            return any(within(each) for each in _types_of(annotation).values())
        own = getattr(annotation, "__metadata__", ())
        return any(mark in own for mark in marks) or any(within(part) for part in get_args(annotation))

    return within(_types_of(model)[key])


def with_leaves(annotation: Any, data: Any, change: Callable[[Leaf], Any], path: DataPath = ()) -> Any:
    """Return the data with every leaf changed."""
    return _changed(annotation, (), data, change, path)


def _changed(annotation: Any, marks: tuple[Any, ...], data: Any, change: Callable[[Leaf], Any], path: DataPath) -> Any:
    member, marks = member_for(annotation, data, marks)
    if isinstance(member, type) and issubclass(member, BaseModel) and isinstance(data, Mapping):
        return _of_model(member, data, change, path)
    origin = get_origin(member)
    if origin is dict and isinstance(data, Mapping):
        return _of_object(member, data, change, path)
    if origin in (list, tuple) and isinstance(data, list):
        inner = get_args(member)
        many = origin is list or inner[-1] is Ellipsis
        kept = (
            _changed(inner[0] if many else inner[min(place, len(inner) - 1)], (), entry, change, (*path, place))
            for place, entry in enumerate(data)
        )
        made = list(kept)
        return change(Leaf(path, made, marks)) if marks else made
    return change(Leaf(path, data, marks))


def _of_model(model: type[BaseModel], data: Mapping[str, Any], change: Callable[[Leaf], Any], path: DataPath) -> Any:
    made = {}
    types = _types_of(model)
    for key, entry in data.items():
        field = types.get(key)
        made[key] = entry if field is None else _changed(field, (), entry, change, (*path, key))
    return made


def _of_object(annotation: Any, data: Mapping[str, Any], change: Callable[[Leaf], Any], path: DataPath) -> Any:
    key_type, entry_type = get_args(annotation)
    made = {}
    for key, entry in data.items():
        _, marks = member_for(key_type, key)
        name = change(Leaf((*path, key), key, marks, is_key=True)) if marks else key
        made[name] = _changed(entry_type, (), entry, change, (*path, key))
    return made


def models_on(annotation: Any, data: Any, path: DataPath) -> list[tuple[DataPath, type[BaseModel]]]:
    """Return the models on the way along a path into the data of an entry, from the outside in, each with its path.

    The way ends where a key is not known; a model that stands at the end of the path is the last.
    """
    found: list[tuple[DataPath, type[BaseModel]]] = []
    for width in range(len(path) + 1):
        member, _ = member_for(annotation, data)
        is_model = isinstance(member, type) and issubclass(member, BaseModel)
        if is_model:
            found.append((path[:width], member))
        if width == len(path):
            break
        part = path[width]
        if is_model:
            if part not in member.model_fields:
                break
            annotation = _types_of(member)[str(part)]
        elif get_origin(member) is dict:
            annotation = get_args(member)[1]
        elif get_origin(member) in (list, tuple):
            inner = get_args(member)
            many = get_origin(member) is list or inner[-1] is Ellipsis
            annotation = inner[0] if many else inner[min(int(part), len(inner) - 1)]
        else:
            break
        data = _entry(data, part)
    return found


def _entry(data: Any, part: str | int) -> Any:
    if isinstance(data, Mapping):
        return data.get(part)
    return data[part] if isinstance(data, list) and isinstance(part, int) and part < len(data) else None


def field_type(field: FieldInfo) -> Any:
    """Return the type of a field with its annotations, which pydantic takes apart."""
    by = field.discriminator
    chosen = [] if by is None else [by if isinstance(by, Discriminator) else Discriminator(by)]
    annotations = (*field.metadata, *chosen)
    return Annotated[field.annotation, *annotations] if annotations else field.annotation


@cache
def _types_of(model: type[BaseModel]) -> dict[str, Any]:
    """The types of the fields of a model, by their names."""
    return {key: field_type(field) for key, field in model.model_fields.items()}


def is_marked(annotation: Any, kind: type) -> bool:
    """Tell whether a type, or a member of the union it is, carries an annotation of some kind."""
    if _is_annotated(annotation) and any(isinstance(mark, kind) for mark in get_args(annotation)[1:]):
        return True
    inner = get_args(annotation)[:1] if _is_annotated(annotation) else get_args(annotation)
    is_union = _is_annotated(annotation) or get_origin(annotation) in (Union, UnionType)
    return is_union and any(is_marked(member, kind) for member in inner)


def member_for(annotation: Any, data: Any, marks: tuple[Any, ...] = ()) -> tuple[Any, tuple[Any, ...]]:
    """Return the plain type that an entry is meant to be, with its annotations.

    Of a union it is the member that the data choose: by tag, by discriminator, by being one of the literals, else by
    their own type.
    """
    taken = _apart(annotation)
    if taken.marks:
        marks = (*marks, *taken.marks)
    if len(taken.members) > 1:
        return member_for(_meant(taken.members, data, marks), data)
    if taken.is_union:
        return member_for(taken.members[0], data, marks)
    return taken.members[0], tuple(mark for mark in marks if not isinstance(mark, FieldInfo | Discriminator | Tag))


@immutable
class _Apart:
    """A type less its annotations, and these: the ``members`` of what is a union, itself otherwise."""

    members: list[Any]
    is_union: bool
    marks: tuple[Any, ...]


#: Types that were taken apart, by their identity; each is kept, so that no other has it.
_TAKEN: dict[int, tuple[Any, _Apart]] = {}


def _apart(annotation: Any) -> _Apart:
    known = _TAKEN.get(id(annotation))
    if known is None:
        inner, marks = annotation, ()
        while get_origin(inner) is Annotated:
            inner, *own = get_args(inner)
            marks = (*marks, *own)
        is_union = get_origin(inner) in (Union, UnionType)
        members = [member for member in get_args(inner) if member is not type(None)] if is_union else [inner]
        known = _TAKEN[id(annotation)] = annotation, _Apart(members, is_union, marks)
    return known[1]


def _meant(members: list[Any], data: Any, marks: tuple[Any, ...]) -> Any:
    by: Any = next((mark for mark in marks if isinstance(mark, Discriminator | FieldInfo)), None)
    while isinstance(by, Discriminator | FieldInfo):
        by = by.discriminator
    if callable(by):
        tag = by(data)
        return next((member for member in members if tag in _tags(member)), members[0])
    if isinstance(by, str):
        said = data.get(by) if isinstance(data, Mapping) else None
        return next((member for member in members if said in _literals_of(member, by)), members[0])
    for member in members:  # "auto" is the word where the word may stand, not a formula
        if get_origin(member) is Literal and data in get_args(member):
            return member
    return next((member for member in members if _fits(member, data)), members[0])


def _tags(annotation: Any) -> list[str]:
    return [mark.tag for mark in get_args(annotation)[1:] if isinstance(mark, Tag)] if _is_annotated(annotation) else []


def _is_annotated(annotation: Any) -> bool:
    return get_origin(annotation) is Annotated


def _literals_of(member: Any, key: str) -> tuple[Any, ...]:
    if not (isinstance(member, type) and issubclass(member, BaseModel)) or key not in member.model_fields:
        return ()
    return get_args(member.model_fields[key].annotation)


def _fits(member: Any, data: Any) -> bool:
    plain, _ = member_for(member, data)
    origin = get_origin(plain)
    if isinstance(data, Mapping):
        return origin is dict or (isinstance(plain, type) and issubclass(plain, BaseModel))
    if isinstance(data, list):
        return origin in (list, tuple)
    if origin is Literal or origin is not None:
        return False
    return not (isinstance(plain, type) and issubclass(plain, BaseModel))


@cache
def union_labels(model: type[BaseModel]) -> frozenset[str]:
    """Return the words pydantic puts into a path for the members of the unions that an entry may hold."""
    found, known = {"[key]"}, set[Any]()

    def gather(annotation: Any) -> None:
        inner = annotation
        if _is_annotated(annotation):
            found.update(_tags(annotation))
            inner = get_args(annotation)[0]
        if isinstance(inner, type) and get_origin(inner) is None:
            if issubclass(inner, BaseModel) and inner not in known:
                known.add(inner)
                for field in inner.model_fields.values():
                    gather(field.annotation)
            return
        if get_origin(inner) in (Union, UnionType):
            found.update(_label(member) for member in get_args(inner))
            found.update(
                str(tag) for member in get_args(inner) for key in ("shape", "kind") for tag in _literals_of(member, key)
            )
        for part in get_args(inner):
            gather(part)

    gather(model)
    return frozenset(found)


def _label(annotation: Any) -> str:
    if _is_annotated(annotation):
        return _label(get_args(annotation)[0])
    if get_origin(annotation) in (list, tuple, dict):
        inner = ",".join(_label(part) for part in get_args(annotation))
        return f"{get_origin(annotation).__name__}[{inner}]"
    return getattr(annotation, "__name__", str(annotation))
