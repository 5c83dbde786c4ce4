"""A canonical case whose parameters may be set anew."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable


class FamilyError(BluntEmberError):
    """There is no such family, or it has no such parameter."""


@immutable
class Family:
    """A canonical case: ``data`` is its document, whose parameters may be set anew."""

    name: str
    summary: str
    data: Mapping[str, Any]

    @property
    def parameters(self) -> Mapping[str, str]:
        """Parameters with their demo values."""
        return self.data["parameters"]

    @property
    def beside(self) -> tuple[str, ...]:
        """What its answers are set beside: names of exact solutions, or the analyst's own working."""
        stated = [question.get("expect", {}) for question in self.data["questions"]]
        exact = dict.fromkeys(expect["exact"] for expect in stated if "exact" in expect)
        return tuple(exact) or (("its working",) if any("working" in expect for expect in stated) else ())

    @property
    def said(self) -> str:
        """All words that tell of it, in small letters, to be searched."""
        runs = isinstance(self.data.get("clock"), Mapping)
        kind = self.data["body"]["kind"]
        also = ["transient in time" if runs else "steady", kind]
        also += ["3-d solid"] if kind in ("stacked", "turned solid") else ["2-d"] if "section" in kind else ["1-d"]
        laws = ("film", "radiation", "flux", "temperature")
        also += [law for law in laws if any(law in entry for entry in self.data.get("surroundings", []))]
        also += ["radiation enclosure chamber"] if self.data.get("enclosures") else []
        return " ".join((self.name, str(self.data["title"]), self.summary, *self.beside, *also)).lower()

    def case(self, settings: Mapping[str, str] = MappingProxyType({})) -> Case:
        """Return a case with some parameters set; raises :class:`FamilyError` for one it does not have."""
        for name in settings:
            if name not in self.parameters:
                raise FamilyError(f"{self.name} has no parameter '{name}'{nearest(name, self.parameters)}")
        return case_from_data({**self.data, "parameters": {**self.parameters, **settings}})


def exactly(name: str, asks: Mapping[str, Any], exact: str, tolerance: str) -> dict[str, Any]:
    """Return a question that is compared with an exact solution."""
    return {"name": name, **asks, "expect": {"exact": exact}, "tolerance": tolerance}
