"""Cases to begin from nothing: one for each kind of body, with one region and all else open."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.immutable import immutable


@immutable
class Blank:
    """A body with nothing stated: what it is called, and what it is for in a line."""

    title: str
    summary: str
    body: Mapping[str, Any]

    def case(self) -> Case:
        """The case, all but its body open."""
        return case_from_data({"format": FORMAT, "title": self.title, "body": self.body})


def _rectangle(**more: Any) -> dict[str, Any]:
    return {"part": {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": ["100 mm", "60 mm"], **more}}


#: By the kind of the body.
BLANKS: Mapping[str, Blank] = MappingProxyType(
    {
        "rod": Blank(
            "Blank rod",
            "heat flows along it: pins, spines, wires",
            {"kind": "rod", "pieces": {"part": {"length": "100 mm", "diameter": "10 mm"}}},
        ),
        "section": Blank(
            "Blank plane section",
            "walls, fins, plates: alike all along its depth",
            {"kind": "section", "depth": "1 m", "regions": _rectangle()},
        ),
        "turned section": Blank(
            "Blank turned section",
            "pipes, balls, discs: alike all round an axis",
            {"kind": "turned section", "regions": _rectangle(size=["40 mm", "100 mm"])},
        ),
        "stacked": Blank(
            "Blank stacked body",
            "outlines in plan, each between heights",
            {"kind": "stacked", "regions": _rectangle(z=["0 mm", "40 mm"])},
        ),
        "turned solid": Blank(
            "Blank turned solid",
            "a section turned by an angle, not alike all round",
            {"kind": "turned solid", "angle": "90°", "regions": _rectangle(at=["20 mm", "0 mm"])},
        ),
    }
)
