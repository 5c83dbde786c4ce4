"""What the sheet says of the surroundings, and the card of a single surface."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.surroundings import Surrounding
from blunt_ember.case.values.laws import PLACE
from blunt_ember.case.values.tables import law_at
from blunt_ember.case.values.units import EMISSIVITY, FILM_COEFFICIENT, HEAT_FLOW, HEAT_FLUX, TEMPERATURE, Kind
from blunt_ember.desk.sheet.sentences import (
    Choice,
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
    removing,
    setting,
)
from blunt_ember.errors import DataPath, path_text
from blunt_ember.flow.outcome import Outcome

_OVER_PLACES = " ".join(PLACE)
_FILM = {"h": "10 W/(m² K)", "temperature": "20 °C"}
_RADIATION = {"emissivity": "0.9", "temperature": "20 °C"}
_KINDS_OF_SURROUNDING: dict[str, dict[str, Any]] = {
    "held at a temperature": {"temperature": "20 °C"},
    "meets a fluid": {"film": _FILM},
    "meets a fluid and radiates": {"film": _FILM, "radiation": _RADIATION},
    "radiates to its surroundings": {"radiation": _RADIATION},
    "takes in a heat flux": {"flux": "100 W/m²"},
    "takes in heat spread over it": {"heat": "10 W"},
    "insulated, said out loud": {"insulated": True},
}
#: What can be added to a statement that others act beside.
_ALSO: dict[str, tuple[str, Any]] = {
    "film": ("and meets a fluid", _FILM),
    "radiation": ("and radiates", _RADIATION),
    "flux": ("and takes in a heat flux", "100 W/m²"),
    "heat": ("and takes in heat spread over it", "10 W"),
}


def surrounding_options(
    surface: str, others: tuple[str, ...] = (), into: DataPath = ("surroundings",)
) -> tuple[Option, ...]:
    """Return what can be said of a surface; ``others`` are those it may be made periodic with, ``into`` the list of
    statements that takes it."""
    said = tuple(Option(words, adding(into, {"on": surface, **what})) for words, what in _KINDS_OF_SURROUNDING.items())
    pairs = tuple(
        Option(other, adding(into, {"on": [surface, other], "periodic": True})) for other in others if other != surface
    )
    return (*said, Option("periodic with", options=pairs)) if pairs else said


def surroundings_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the surroundings; ``outcome`` gives the names of surfaces."""
    rows: list[SheetRow] = []
    unstated = outcome.unstated if outcome else ()
    for place, _ in enumerate(case.document.surroundings):
        rows.append(surrounding_row(case, place, unstated))
    if outcome and outcome.geometry:
        own = [name for name in case.document.surfaces if set(case.document.members_of(name)) <= set(unstated)]
        offers = tuple(Option(name, options=surrounding_options(name, unstated)) for name in (*own, *unstated))
        if offers:
            rows.append((Choice("add surrounding", "say what surrounds a surface …", offers, "link"),))
        if unstated:
            rows.append((Word(f"○  {_listed(unstated)}: insulated, as nothing is stated", "note", unstated),))
    stated = sum(len(surrounding.surfaces) for surrounding in case.document.surroundings)
    return SheetSection("Surroundings", f"{stated} stated · {len(unstated)} insulated" if outcome else "", tuple(rows))


def surrounding_row(case: Case, place: int, unstated: tuple[str, ...]) -> SheetRow:
    """Return the sentence of one statement."""
    return surrounding_sentence(case, ("surroundings", place), case.document.surroundings[place], unstated)


def surrounding_sentence(case: Case, path: DataPath, surrounding: Surrounding, others: tuple[str, ...]) -> SheetRow:
    """Return the sentence of the statement at a path; ``others`` are surfaces it may be on too."""
    return (
        Choice(
            f"surface {_tag(path)}",
            ", ".join(surrounding.surfaces),
            _other_surfaces(path, surrounding.surfaces, others),
            points=_every_member(case, surrounding.surfaces),
        ),
        *_stated_words(case, path, surrounding),
        *_for_a_while(case, path, surrounding),
        Remove(f"remove surrounding {_tag(path)}", "Remove this statement", removing(path), at=path),
    )


def _tag(path: DataPath) -> str:
    """What names a statement: its place, or the whole path of one that belongs to a stage of the clock."""
    return str(path[1]) if path[0] == "surroundings" else path_text(path)


def _for_a_while(case: Case, path: DataPath, surrounding: Surrounding) -> list[SentencePart]:
    """When a statement begins and ends to hold."""
    parts: list[SentencePart] = []
    for key, word in (("after", "from"), ("before", "until")):
        if getattr(surrounding, key) is not None:
            parts += [Word(f", {word}"), *entry(case, (*path, key), "Time on the clock, such as 10 min")]
    return parts


def _windows(case: Case, path: DataPath, surrounding: Surrounding) -> list[Option]:
    """From when and until when a statement may hold, where the clock runs."""
    if case.document.running_clock is None:
        return []
    options = []
    for key, word, first in (("after", "from", "10 min"), ("before", "until", "30 min")):
        if getattr(surrounding, key) is None:
            options.append(Option(f"{word} a time only", setting((*path, key), first)))
        else:
            options.append(Option(f"not only {word} a time", removing((*path, key))))
    return options


def _over_time(case: Case, path: DataPath, words: str, kind: Kind) -> list[Option]:
    """A value as a table over time, where the clock runs."""
    law = law_at(case, path)
    if case.document.running_clock is None:
        return []
    if law is None or law.table is None:
        return [as_table(case, path, words, kind, "t")]
    ways = {"linear": "straight", "step": "by steps", "smooth": "smoothly"}
    return [
        Option(f"{words} goes {how} from row to row", setting((*path, "between"), way))
        for way, how in ways.items()
        if law.table.over == "t" and law.table.between != way
    ]


def surface_rows(case: Case, outcome: Outcome, surface: str) -> list[SheetRow]:
    """Return what a card says of one surface: its statements, and what can be said of it."""
    document = case.document
    rows: list[SheetRow] = []
    for place, surrounding in enumerate(document.surroundings):
        if surface in {member for name in surrounding.surfaces for member in document.members_of(name)}:
            rows.append(surrounding_row(case, place, outcome.unstated))
    if not rows:
        rows = [
            (Choice(f"say {option.text}", option.text, option.options or (option,), "link", direct=not option.options),)
            for option in surrounding_options(surface, outcome.unstated)
        ]
    return rows


def _every_member(case: Case, names: tuple[str, ...]) -> tuple[str, ...]:
    """The names and what they stand for, so that pointing works both ways."""
    members = (member for name in names for member in case.document.members_of(name))
    return tuple(dict.fromkeys([*names, *members]))


def _listed(names: tuple[str, ...]) -> str:
    shown = ", ".join(names[:6]) + (" …" if len(names) > 6 else "")
    return shown if len(names) == 1 else f"{shown} ({len(names)} surfaces)"


def _other_surfaces(path: DataPath, on: tuple[str, ...], unstated: tuple[str, ...]) -> tuple[Option, ...]:
    instead = tuple(Option(f"on {name} instead", setting((*path, "on"), name)) for name in unstated)
    also = tuple(Option(f"also on {name}", setting((*path, "on"), [*on, name])) for name in unstated)
    fewer = tuple(
        Option(f"no longer on {name}", setting((*path, "on"), [other for other in on if other != name])) for name in on
    )
    return instead + also + (fewer if len(on) > 1 else ())


def _stated_words(case: Case, path: DataPath, surrounding: Surrounding) -> list[SentencePart]:
    verb = "is" if len(surrounding.surfaces) == 1 else "are"
    if surrounding.temperature is not None:
        hint = "Temperature, such as 980 °C, or a formula such as 20 °C + 5 K*sin(pi*x/60 mm)"
        held = law_entry(case, (*path, "temperature"), hint, TEMPERATURE, _OVER_PLACES)
        options = (
            as_table(case, (*path, "temperature"), "temperature", TEMPERATURE, "x"),
            *_over_time(case, (*path, "temperature"), "temperature", TEMPERATURE),
            *_windows(case, path, surrounding),
        )
        return [Word(f"{verb} held at"), *held, Choice(f"more {_tag(path)}", "…", options, "link")]
    if surrounding.insulated:
        return [Word(f"{verb} insulated")]
    if surrounding.periodic:
        return [Word("are one and the same: periodic")]
    parts: list[SentencePart] = []
    for key in ("film", "radiation", "flux", "heat"):
        if getattr(surrounding, key) is not None:
            parts += [*([Word("and")] if parts else []), *_acting(case, (*path, key), key, surrounding)]
    more = [
        Option(words, setting((*path, key), first))
        for key, (words, first) in _ALSO.items()
        if getattr(surrounding, key) is None
    ]
    more += [*_other_forms(case, path, surrounding), *_windows(case, path, surrounding), *_fewer(path, surrounding)]
    return [*parts, Choice(f"more {_tag(path)}", "and …", tuple(more), "link")]


def _acting(case: Case, path: DataPath, key: str, surrounding: Surrounding) -> list[SentencePart]:
    if key == "film":
        return [
            Word("meets a fluid at"),
            *law_entry(
                case, (*path, "temperature"), "Temperature of the fluid, such as 25 °C", TEMPERATURE, _OVER_PLACES
            ),
            Word(", h"),
            *law_entry(
                case,
                (*path, "h"),
                "Film coefficient, such as 12 W/(m² K), or a formula in place and T",
                FILM_COEFFICIENT,
            ),
        ]
    if key == "radiation":
        radiation = surrounding.radiation
        assert radiation is not None
        around = law_entry(
            case, (*path, "temperature"), "Temperature of the surroundings, such as 20 °C", TEMPERATURE, _OVER_PLACES
        )
        if radiation.emissivity is None:
            return [Word("radiates to"), *around, Word(", ε of its material", "quiet")]
        own = law_entry(case, (*path, "emissivity"), "Emissivity, between 0 and 1", EMISSIVITY)
        return [Word("radiates to"), *around, Word(", ε"), *own]
    if key == "flux":
        hint = "Heat flux into the body, such as 500 W/m², or a formula in place and T; − takes heat out"
        return [Word("takes in"), *law_entry(case, path, hint, HEAT_FLUX)]
    together = " in all together" if len(surrounding.surfaces) > 1 else " in all"
    return [
        Word("takes in"),
        *law_entry(case, path, "Heat into the body, such as 40 W", HEAT_FLOW, "t"),
        Word(together),
    ]


def _other_forms(case: Case, path: DataPath, surrounding: Surrounding) -> list[Option]:
    """Values that may become tables or values again."""
    options = []
    if surrounding.film is not None:
        options.append(as_table(case, (*path, "film", "h"), "h", FILM_COEFFICIENT))
        options += _over_time(case, (*path, "film", "h"), "h", FILM_COEFFICIENT)
        options += _over_time(case, (*path, "film", "temperature"), "fluid", TEMPERATURE)
    if surrounding.flux is not None:
        options.append(as_table(case, (*path, "flux"), "flux", HEAT_FLUX, "x"))
        options += _over_time(case, (*path, "flux"), "flux", HEAT_FLUX)
    if surrounding.heat is not None:
        options += _over_time(case, (*path, "heat"), "heat", HEAT_FLOW)
    if surrounding.radiation is not None:
        emissivity = (*path, "radiation", "emissivity")
        if surrounding.radiation.emissivity is None:
            options.append(Option("ε stated here", setting(emissivity, "0.9")))
        else:
            options += [as_table(case, emissivity, "ε", EMISSIVITY), Option("ε of its material", removing(emissivity))]
    return options


def _fewer(path: DataPath, surrounding: Surrounding) -> list[Option]:
    words = {
        "film": "without the fluid",
        "radiation": "without radiation",
        "flux": "without the heat flux",
        "heat": "without the heat spread over it",
    }
    said = [key for key in words if getattr(surrounding, key) is not None]
    return [Option(words[key], removing((*path, key))) for key in said] if len(said) > 1 else []
