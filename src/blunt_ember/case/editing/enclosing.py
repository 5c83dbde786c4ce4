"""Surfaces that were said to radiate to surroundings, put into an enclosure with those they see instead."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.surroundings import ACTING
from blunt_ember.case.editing.edits import free_name


def enclosed_instead(case: Case, surfaces: Collection[str]) -> Case:
    """Return the case in which ``surfaces`` see each other, and what they radiated to lies behind the opening.

    Each keeps its emissivity and whatever else acts on it; other surfaces of a statement keep the whole of it, and so
    does what holds for a while. Where they radiated to different temperatures, the first one stands behind the opening.

    Raises :class:`CaseError` where that temperature follows the place, which no opening does.
    """
    document = case.document
    kept: list[dict[str, Any]] = []
    faces: list[dict[str, Any]] = []
    behind: list[Any] = []
    for stated in case.data.get("surroundings", []):
        members, own = _members(document, stated), _radiating(document, stated, surfaces)
        if not own:
            kept.append(stated)
            continue
        others = [name for name in members if name not in own]
        if others:
            kept.append({**stated, "on": _on(others)})
        beside = {key: entry for key, entry in stated.items() if key not in ("on", "radiation")}
        if set(beside) & set(ACTING):
            kept.append({"on": _on(own), **beside})
        emissivity = {key: entry for key, entry in stated["radiation"].items() if key == "emissivity"}
        faces.append({"on": _on(own), **emissivity})
        behind.append(stated["radiation"]["temperature"])
    name = free_name("enclosure", document.enclosures)
    enclosures = {**case.data.get("enclosures", {}), name: {"faces": faces, "opening": behind[0]}}
    return case.restated({**case.data, "surroundings": kept, "enclosures": enclosures})


def can_be_enclosed(case: Case, surfaces: Collection[str]) -> bool:
    """Tell whether any of ``surfaces`` radiates to surroundings for good, so that it could see others instead."""
    return any(_radiating(case.document, stated, surfaces) for stated in case.data.get("surroundings", []))


def _radiating(document: CaseDocument, stated: Mapping[str, Any], surfaces: Collection[str]) -> list[str]:
    """Those of ``surfaces`` that a statement lets radiate for good."""
    if "radiation" not in stated or {"after", "before"} & set(stated):
        return []
    return [name for name in _members(document, stated) if name in surfaces]


def _members(document: CaseDocument, stated: Mapping[str, Any]) -> list[str]:
    on = stated["on"]
    names = [on] if isinstance(on, str) else on
    return [member for name in names for member in document.members_of(name)]


def _on(names: list[str]) -> str | list[str]:
    return names[0] if len(names) == 1 else names
