"""A hash of values by content, so that a step of the flow is done again only when what it depends on has changed."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any

import numpy as np
from pydantic import BaseModel


def content_hash(*values: Any) -> str:
    """Return a digest of immutable values: numbers, texts, arrays, tuples, mappings, dataclasses, document entries.

    Fields a dataclass leaves out of comparison (the text of a quantity, say) do not count.
    """
    said: list[bytes] = []
    for value in values:
        _add(said, value)
    return hashlib.sha256(b"".join(said)).hexdigest()


#: Types of most values, which are nothing else.
_PLAIN = frozenset({str, int, float, bool, type(None)})


def _add(said: list[bytes], value: Any) -> None:
    kind = type(value)
    if kind in _PLAIN:
        said.append(f"{value!r};".encode())  # which tells the type too
        return
    said.append(kind.__name__.encode())
    if isinstance(value, list | tuple):
        for entry in value:
            _add(said, entry)
        said.append(b"end")
    elif isinstance(value, np.ndarray):
        said += (str((value.dtype, value.shape)).encode(), np.ascontiguousarray(value).tobytes())
    elif isinstance(value, BaseModel):
        for key in kind.model_fields:
            said.append(key.encode())
            _add(said, getattr(value, key))
    elif is_dataclass(value) and not isinstance(value, type):
        for name in _compared(type(value)):
            _add(said, getattr(value, name))
    elif isinstance(value, Mapping):
        for key, entry in value.items():
            _add(said, key)
            _add(said, entry)
        said.append(b"end")
    else:
        said.append(f"{value!r};".encode())


@cache
def _compared(kind: type[Any]) -> tuple[str, ...]:
    """The fields of a dataclass that count."""
    return tuple(field.name for field in fields(kind) if field.compare)
