"""What the sheet says of the heat inside and of the joints."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.values.units import HEAT_FLOW, POWER_DENSITY
from blunt_ember.errors import DataPath
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    Word,
    adding,
    as_table,
    entry,
    law_entry,
    place_entries,
    removing,
    setting,
)


def inside_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the heat inside."""
    regions = _regions(case, outcome)
    rows: list[SheetRow] = []
    for place, source in enumerate(case.document.heat_inside):
        path: DataPath = ("heat_inside", place)
        rows.append(
            (
                *_where(case, path, source.regions, regions),
                *_how_much(case, path),
                *_while(case, path),
                Remove(f"remove heat {place}", "Remove this heat", removing(path), at=path),
            )
        )
    rows.append((Choice("add heat inside", "heat that arises inside …", _new_heat(case, regions), "link"),))
    count = len(case.document.heat_inside)
    return SheetSection("Heat inside", f"{count} stated" if count else "none", tuple(rows))


def _while(case: Case, path: DataPath) -> list[SentencePart]:
    """From when and until when heat arises, where the clock runs."""
    if case.document.running_clock is None:
        return []
    source, parts, options = case.document.heat_inside[int(path[1])], list[SentencePart](), []
    for key, word, first in (("after", "from", "10 min"), ("before", "until", "30 min")):
        if getattr(source, key) is None:
            options.append(Option(f"{word} a time only", setting((*path, key), first)))
        else:
            parts += [Word(f", {word}"), *entry(case, (*path, key), "Time on the clock, such as 10 min")]
            options.append(Option(f"not only {word} a time", removing((*path, key))))
    return [*parts, Choice(f"while heat {path[1]}", "for …", tuple(options), "link")]


def _regions(case: Case, outcome: Outcome | None) -> tuple[str, ...]:
    if outcome is not None and outcome.mesh is not None:
        return tuple(name for name in outcome.mesh.regions if not _void(case, name))
    return tuple(name for name, filling in case.document.body.fillings.items() if not filling.void)


def _void(case: Case, name: str) -> bool:
    filling = case.document.body.fillings.get(name)
    return filling is not None and filling.void


def _where(case: Case, path: DataPath, inside: tuple[str, ...], regions: tuple[str, ...]) -> list[SentencePart]:
    source = case.document.heat_inside[int(path[1])]
    if source.at is not None:
        return [Word("at"), *place_entries(case, (*path, "at")), Word("arises")]
    if source.along is not None:
        start, end = (place_entries(case, (*path, "along", which)) for which in ("start", "end"))
        return [Word("from"), *start, Word("to"), *end, Word("arises")]
    others = tuple(name for name in regions if name not in inside)
    instead = tuple(Option(f"in {name} instead", setting((*path, "region"), name)) for name in others)
    also = tuple(Option(f"also in {name}", setting((*path, "region"), [*inside, name])) for name in others)
    fewer = tuple(
        Option(f"no longer in {name}", setting((*path, "region"), [n for n in inside if n != name])) for name in inside
    )
    options = instead + also + (fewer if len(inside) > 1 else ())
    return [Word("in"), Choice(f"heat region {path[1]}", ", ".join(inside), options), Word("arises")]


def _how_much(case: Case, path: DataPath) -> list[SentencePart]:
    source = case.document.heat_inside[int(path[1])]
    if source.total is not None:
        of_all = [Word("in all")] if source.at is None else []
        said = [*law_entry(case, (*path, "total"), "Heat, such as 40 W, or a formula in t", HEAT_FLOW, "t"), *of_all]
        if source.region is None:
            return said
        per_volume = Option("per volume", _restated(path, {"per_volume": POWER_DENSITY.example}))
        return [*said, Choice(f"more heat {path[1]}", "…", (per_volume,), "link")]
    hint = "Heat per volume, such as 50 kW/m³, or a formula in place and T"
    options = (
        Option("in all", _restated(path, {"total": "40 W"})),
        as_table(case, (*path, "per_volume"), "heat", POWER_DENSITY),
    )
    return [
        *law_entry(case, (*path, "per_volume"), hint, POWER_DENSITY),
        Choice(f"more heat {path[1]}", "…", options, "link"),
    ]


def _restated(path: DataPath, amount: dict[str, str]) -> Edit:
    def change(now: Case) -> Case:
        source = dict(now.data["heat_inside"][path[1]])
        kept = {key: value for key, value in source.items() if key not in ("per_volume", "total")}
        return setting(path, {**kept, **amount})(now)

    return change


def _new_heat(case: Case, regions: tuple[str, ...]) -> tuple[Option, ...]:
    places = len(case.document.body.coordinates)
    origin, further = ["0 mm"] * places, ["10 mm"] + ["0 mm"] * (places - 1)
    return (
        *(
            Option(f"in {name}", adding(("heat_inside",), {"region": name, "per_volume": "50 kW/m³"}))
            for name in regions
        ),
        Option("at a point", adding(("heat_inside",), {"at": origin, "total": "5 W"})),
        Option("along a line", adding(("heat_inside",), {"along": {"start": origin, "end": further}, "total": "5 W"})),
    )
