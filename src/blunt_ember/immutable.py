"""Values that are made once and never change.

They are the dataclasses of the standard library, frozen, but for what these cost to define: ``dataclasses`` writes and
compiles the source of six methods for every class, which is a third of the time that the window and every command need
to import all there is. Here they share five of the six.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import MISSING, FrozenInstanceError, dataclass, field, fields
from operator import attrgetter
from typing import Any, NoReturn, TypeVar, dataclass_transform

Class = TypeVar("Class", bound=type)


@dataclass_transform(frozen_default=True, field_specifiers=(field,))
def immutable(cls: Class) -> Class:
    """Let the instances of a class hold what its annotations name, equal where all of it is, and never change.

    Fields, their defaults, ``field``, ``fields``, ``replace``, ``asdict`` and ``__post_init__`` are those of
    ``dataclasses``; methods that the class writes itself stay. Fields follow each other as they are stated: there are
    none by keyword only.
    """
    dataclass(init=False, repr=False, eq=False)(cls)
    own = vars(cls)
    if "__init__" not in own:
        cls.__init__ = _init(cls)  # type: ignore[misc]
    for name, method in _SHARED.items():
        if name not in own:
            setattr(cls, name, method)
    compared = _together([each.name for each in fields(cls) if each.compare])
    cls.__compared__ = staticmethod(compared)  # type: ignore[attr-defined]
    return cls


def _init(cls: type) -> Callable[..., None]:
    """Write the one method that each class has of its own."""
    taken, body = ["self"], []
    names: dict[str, Any] = {"_set": object.__setattr__, "_unset": MISSING}
    for each in fields(cls):
        default, factory, value = f"_default_{each.name}", f"_factory_{each.name}", each.name
        names |= {default: each.default, factory: each.default_factory}
        if each.default_factory is not MISSING:
            value = f"{factory}() if {each.name} is _unset else {each.name}" if each.init else f"{factory}()"
            taken += [f"{each.name}=_unset"] if each.init else []
        elif each.default is not MISSING:
            value = each.name if each.init else default
            taken += [f"{each.name}={default}"] if each.init else []
        elif each.init:
            taken.append(each.name)
        else:
            continue  # what the class sets itself after the others
        body.append(f" _set(self, {each.name!r}, {value})")
    if hasattr(cls, "__post_init__"):
        body.append(" self.__post_init__()")
    exec(f"def __init__({', '.join(taken)}):\n" + "\n".join(body or [" pass"]), names)
    init: Callable[..., None] = names["__init__"]
    init.__qualname__, init.__module__ = f"{cls.__qualname__}.__init__", cls.__module__
    return init


def _together(names: list[str]) -> Callable[[Any], Any]:
    """Return what reads all fields of a name at once."""
    return attrgetter(*names) if names else _nothing


def _nothing(_: object) -> tuple[()]:
    return ()


def _equal(self: Any, other: Any) -> bool:
    if other.__class__ is not self.__class__:
        return NotImplemented
    return bool(self.__compared__(self) == other.__compared__(other))


def _hash(self: Any) -> int:
    return hash(self.__compared__(self))


def _said(self: Any) -> str:
    shown = (f"{each.name}={getattr(self, each.name)!r}" for each in fields(self) if each.repr)
    return f"{type(self).__qualname__}({', '.join(shown)})"


def _not_set(self: object, name: str, value: object) -> NoReturn:
    raise FrozenInstanceError(f"cannot assign to field {name!r}")


def _not_deleted(self: object, name: str) -> NoReturn:
    raise FrozenInstanceError(f"cannot delete field {name!r}")


_SHARED: dict[str, Callable[..., Any]] = {
    "__eq__": _equal,
    "__hash__": _hash,
    "__repr__": _said,
    "__setattr__": _not_set,
    "__delattr__": _not_deleted,
}
