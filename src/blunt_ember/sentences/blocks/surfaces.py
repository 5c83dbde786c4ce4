"""What the sheet says of surfaces: the analyst's own names, and parts cut out."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import free_name, with_value
from blunt_ember.case.editing.removal import without_surface_name
from blunt_ember.case.editing.renaming import renamed_surface
from blunt_ember.errors import DataPath
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.body.shapes import shape_words
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Entry,
    Option,
    Remove,
    SheetRow,
    SheetSection,
    TypedEdit,
    Word,
    length_text,
    place_entries,
    setting,
)


def surfaces_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the analyst's own names of surfaces, and of parts cut out of them."""
    found = list(outcome.geometry.surfaces) if outcome and outcome.geometry else []
    rows: list[SheetRow] = []
    for name in case.document.surfaces:
        path: DataPath = ("surfaces", name)
        if name in case.document.surface_parts:
            rows.append(_part_row(case, path, found))
            continue
        members = case.document.members_of(name)
        more = tuple(
            Option(f"and {other}", setting(path, [*members, other])) for other in found if other not in members
        )
        instead = tuple(Option(f"{other} instead", setting(path, other)) for other in found if other not in members)
        fewer = tuple(
            Option(f"without {member}", setting(path, [m for m in members if m != member])) for member in members
        )
        rows.append(
            (
                Entry(f"surface name {name}", name, "Your name for these surfaces", _renaming(name), "name"),
                Word("is"),
                Choice(
                    f"members {name}",
                    ", ".join(members),
                    more + instead + (fewer if len(members) > 1 else ()),
                    points=members,
                ),
                Remove(
                    f"remove surface name {name}", f"Forget the name {name}", _forgetting(name), at=("surfaces", name)
                ),
            )
        )
    if found:
        offers = tuple(Option(surface, _naming(surface)) for surface in found)
        rows.append((Choice("add surface name", "give a surface your own name …", offers, "link"),))
        parts = tuple(Option(surface, _cutting(surface, outcome)) for surface in found if "|" not in surface)
        if parts and case.document.body.partable:
            rows.append((Choice("add surface part", "name a part of a surface …", parts, "link"),))
    named = f" · {len(case.document.surfaces)} named" if case.document.surfaces else ""
    return SheetSection("Surfaces", f"{len(found)} found{named}" if outcome else "", tuple(rows))


def _naming(surface: str) -> Edit:
    return lambda now: with_value(now, ("surfaces", free_name("surface", now.document.surfaces)), surface)


def _forgetting(name: str) -> Edit:
    return lambda now: without_surface_name(now, name)


def _part_row(case: Case, path: DataPath, found: list[str]) -> SheetRow:
    name = str(path[1])
    part = case.document.surface_parts[name]
    whole = tuple(Option(other, setting((*path, "on"), other)) for other in found if other != name and "|" not in other)
    start: SheetRow = (
        Entry(f"surface name {name}", name, "Your name for this part", _renaming(name), "name"),
        Word("is the part of"),
        Choice(f"part of {name}", part.on, whole, points=(part.on,)),
    )
    if part.within is not None:
        at = place_entries(case, (*path, "within", "at"), 2) if part.within.at is not None else []
        where = (Word("within a"), *shape_words(case, (*path, "within"), part.within), Word("at"), *at)
    else:
        where = (Word("from"), *place_entries(case, (*path, "start")), Word("to"), *place_entries(case, (*path, "end")))
    return (
        *start,
        *where,
        Remove(f"remove surface name {name}", f"Leave {part.on} whole", _forgetting(name), at=("surfaces", name)),
    )


def _renaming(old: str) -> TypedEdit:
    return lambda now, typed: renamed_surface(now, old, typed.strip())


def _cutting(surface: str, outcome: Outcome | None) -> Edit:
    """Cut the middle third out of a surface, or a spot out of the middle of an end, to be moved from there."""
    geometry = outcome.geometry if outcome is not None else None
    part: dict[str, Any] = {"on": surface}
    spot = geometry.middle_spot(surface) if geometry is not None else None
    run = geometry.middle_third(surface) if geometry is not None else None
    if spot is not None:
        centre, radius = spot
        part["within"] = {
            "shape": "disc",
            "radius": length_text(radius),
            "at": [length_text(c) for c in centre.tolist()],
        }
    elif run is not None:
        part["start"], part["end"] = ([length_text(c) for c in place.tolist()] for place in run)
    return lambda now: with_value(now, ("surfaces", free_name("spot", now.document.surfaces)), part)
