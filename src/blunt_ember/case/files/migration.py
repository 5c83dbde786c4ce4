"""Older case formats brought up to the current one, a step a version."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from blunt_ember.errors import CaseError, Fault

CURRENT = 1
#: ``STEPS[n]`` turns the data of version n into version n + 1; version 1 is the first there is.
STEPS: Mapping[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}


def migrated(
    data: dict[str, Any],
    steps: Mapping[int, Callable[[dict[str, Any]], dict[str, Any]]] = STEPS,
    current: int = CURRENT,
) -> dict[str, Any]:
    """Return ``data`` in the current format; raise :class:`CaseError` when its version cannot be read."""
    stated = data.get("format")
    if stated is None:
        raise CaseError((Fault(("format",), f'it is missing; a case begins with "format": "blunt-ember/{current}"'),))
    match = re.fullmatch(r"blunt-ember/([1-9]\d{0,3})", stated) if isinstance(stated, str) else None
    if match is None:
        raise CaseError(
            (Fault(("format",), f"'{stated}' is not a case format; this program reads 'blunt-ember/{current}'"),)
        )
    version = int(match[1])
    if version > current:
        what = f"'{stated}' is newer than this program, which reads up to 'blunt-ember/{current}'"
        raise CaseError((Fault(("format",), what),))
    while version < current:
        data = {**steps[version](data), "format": f"blunt-ember/{version + 1}"}
        version += 1
    return data
