"""What the sheet says of regions and surfaces of one temperature."""

from __future__ import annotations

from collections.abc import Sequence

from blunt_ember.case.case import Case
from blunt_ember.errors import DataPath
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.parts import Choice, Option, Remove, SheetRow, SheetSection, Word, adding, removing, setting


def isothermal_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of what has one temperature throughout."""
    document = case.document
    regions = [name for name, filling in document.body.fillings.items() if not filling.void]
    geometry = outcome.geometry if outcome is not None else None
    surfaces = [*document.surfaces, *(geometry.surfaces if geometry is not None else ())]
    rows: list[SheetRow] = []
    for place, entry in enumerate(document.isothermal):
        path: DataPath = ("isothermal", place)
        key, named = ("region", entry.regions) if entry.regions else ("on", entry.surfaces)
        others = [name for name in (regions if entry.regions else surfaces) if name not in named]
        members = tuple(member for name in entry.surfaces for member in document.members_of(name))
        options = _changes((*path, key), named, others)
        where = Choice(f"isothermal {place}", ", ".join(named), options, points=(*named, *members), at=(*path, key))
        words = Word("have one temperature" if len(named) > 1 else "has one temperature throughout")
        gone = Remove(f"remove isothermal {place}", "Let its temperatures differ again", removing(path), at=path)
        rows.append((where, words, gone))
    fresh = [Option(name, adding(("isothermal",), {"region": name})) for name in regions]
    on_surfaces = tuple(Option(name, adding(("isothermal",), {"on": name})) for name in surfaces)
    offers = (*fresh, *((Option("a surface", options=on_surfaces),) if on_surfaces else ()))
    if offers:
        rows.append((Choice("add isothermal", "what has one temperature throughout …", offers, "link"),))
    count = len(document.isothermal)
    return SheetSection("Isothermal", f"{count} stated" if count else "none", tuple(rows))


def _changes(path: DataPath, named: Sequence[str], others: Sequence[str]) -> tuple[Option, ...]:
    """Another one instead, one more, or one less."""
    instead = [Option(f"{name} instead", setting(path, name)) for name in others]
    also = [Option(f"also {name}", setting(path, [*named, name])) for name in others]
    fewer = [Option(f"no longer {gone}", setting(path, [name for name in named if name != gone])) for gone in named]
    return (*instead, *also, *(fewer if len(named) > 1 else ()))
