"""A hash of values by content, so that a step of the flow is done again only when what it depends on has changed."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any, Protocol

import numpy as np
from pydantic import BaseModel


class _Digest(Protocol):
    def update(self, data: bytes, /) -> None: ...


def content_hash(*values: Any) -> str:
    """Return a digest of immutable values: numbers, texts, arrays, tuples, mappings, dataclasses, document entries.

    Fields a dataclass leaves out of comparison (the text of a quantity, say) do not count.
    """
    digest = hashlib.sha256()
    for value in values:
        _add(digest, value)
    return digest.hexdigest()


#: Types of most values, which are nothing else.
_PLAIN = frozenset({str, int, float, bool, type(None)})


def _add(digest: _Digest, value: Any) -> None:
    kind = type(value)
    digest.update(kind.__name__.encode())
    if kind in _PLAIN:
        digest.update(repr(value).encode() + b";")
    elif isinstance(value, BaseModel):
        for key in type(value).model_fields:
            digest.update(key.encode())
            _add(digest, getattr(value, key))
    elif is_dataclass(value) and not isinstance(value, type):
        for field in fields(value):
            if field.compare:
                _add(digest, getattr(value, field.name))
    elif isinstance(value, Mapping):
        for key, entry in value.items():
            _add(digest, key)
            _add(digest, entry)
        digest.update(b"end")
    elif isinstance(value, list | tuple):
        for entry in value:
            _add(digest, entry)
        digest.update(b"end")
    elif isinstance(value, np.ndarray):
        digest.update(str((value.dtype, value.shape)).encode())
        digest.update(np.ascontiguousarray(value).tobytes())
    else:
        digest.update(repr(value).encode() + b";")
