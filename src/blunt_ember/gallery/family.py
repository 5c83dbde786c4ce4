"""A canonical case whose parameters may be set anew."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.errors import BluntEmberError


class FamilyError(BluntEmberError):
    """There is no such family, or it has no such parameter."""


@dataclass(frozen=True)
class Family:
    """A canonical case: ``data`` is its document, whose parameters may be set anew."""

    name: str
    summary: str
    data: Mapping[str, Any]

    @property
    def parameters(self) -> Mapping[str, str]:
        """Parameters with their demo values."""
        return self.data["parameters"]

    def case(self, settings: Mapping[str, str] = MappingProxyType({})) -> Case:
        """Return a case with some parameters set; raises :class:`FamilyError` for one it does not have."""
        for name in settings:
            if name not in self.parameters:
                raise FamilyError(f"{self.name} has no parameter '{name}'{nearest(name, self.parameters)}")
        return case_from_data({**self.data, "parameters": {**self.parameters, **settings}})
