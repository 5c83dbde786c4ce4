"""What the sheet says of the surroundings, and the card of a single surface."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.acting import Acting
from blunt_ember.case.document.surroundings import ACTING, Surrounding
from blunt_ember.case.editing.edits import value_at, with_value
from blunt_ember.case.editing.enclosing import can_be_enclosed, enclosed_instead
from blunt_ember.case.values.laws import PLACE
from blunt_ember.case.values.tables import law_at
from blunt_ember.case.values.units import TEMPERATURE, Kind
from blunt_ember.errors import DataPath, path_text
from blunt_ember.fem.problem.enclosures import faced_from
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.enclosures import enclosure_rows, seeing_options, sight_option
from blunt_ember.sentences.blocks.environments import film_forms, film_words
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
    removing,
    setting,
)

_OVER_PLACES = " ".join(PLACE)
#: What is offered to be said of a surface, and what it states at first.
_KINDS_OF_SURROUNDING: dict[str, dict[str, Any]] = {
    "held at a temperature": {"temperature": "20 °C"},
    **{acting.offer: {key: acting.first} for key, acting in ACTING.items()},
    "meets a fluid and radiates": {key: ACTING[key].first for key in ("film", "radiation")},
    "insulated, said out loud": {"insulated": True},
}

_ALL_LEFT = "all that are left"


def surrounding_options(
    surface: str | list[str], others: tuple[str, ...] = (), into: DataPath = ("surroundings",)
) -> tuple[Option, ...]:
    """Return what can be said of a surface, or of several at once; ``others`` are those it may be made periodic with,
    ``into`` the list of statements that takes it."""
    said = tuple(Option(words, adding(into, {"on": surface, **what})) for words, what in _KINDS_OF_SURROUNDING.items())
    pairs = tuple(
        Option(other, adding(into, {"on": [surface, other], "periodic": True})) for other in others if other != surface
    )
    return (*said, Option("periodic with", options=pairs)) if pairs else said


def surroundings_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the surroundings; ``outcome`` gives the names of surfaces."""
    rows: list[SheetRow] = []
    unstated = _unstated(case, outcome) if outcome else ()
    for place, _ in enumerate(case.document.surroundings):
        rows.append(surrounding_row(case, place, unstated))
    if outcome and outcome.geometry:
        own = [name for name in case.document.surfaces if set(case.document.members_of(name)) <= set(unstated)]
        offers = tuple(Option(name, options=surrounding_options(name, unstated)) for name in (*own, *unstated))
        if len(unstated) > 1:
            offers = (*offers, Option(_ALL_LEFT, options=surrounding_options(list(unstated))))
        if offers:
            rows.append((Choice("add surrounding", "say what surrounds a surface …", offers, "link"),))
        if unstated:
            rows.append((Word(f"○  {_listed(unstated)}: insulated, as nothing is stated", "note", unstated),))
        rows += _facing(case, outcome)
    stated = sum(len(surrounding.surfaces) for surrounding in case.document.surroundings)
    return SheetSection("Surroundings", f"{stated} stated · {len(unstated)} insulated" if outcome else "", tuple(rows))


def _facing(case: Case, outcome: Outcome) -> list[SheetRow]:
    """What is offered where surfaces that radiate to surroundings see each other."""
    facing = outcome.problem.facing if outcome.problem is not None else ()
    surfaces = tuple(dict.fromkeys(name for pair in facing for name in pair))
    if not can_be_enclosed(case, surfaces):
        return []
    words = "put what sees each other into an enclosure"
    edit = Option(words, lambda now: enclosed_instead(now, surfaces))
    return [(Choice("enclose", words, (edit,), "link", points=surfaces, direct=True),)]


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
            at=(*path, "on"),
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
    document, unstated = case.document, _unstated(case, outcome)
    rows: list[SheetRow] = []
    for place, surrounding in enumerate(document.surroundings):
        if surface in {member for name in surrounding.surfaces for member in document.members_of(name)}:
            rows.append(surrounding_row(case, place, unstated))
    seen = enclosure_rows(case, surface)
    faced = faced_from(outcome.mesh, surface) if outcome.mesh is not None and not seen else ()
    offer = sight_option(case, surface, faced)
    if rows and offer is not None:
        rows.append((Choice("say faces", f"and {offer.text}", (offer,), "link", direct=True),))
    if not rows:
        offers = [*([offer] if offer is not None else []), *surrounding_options(surface, unstated)]
        others = tuple(name for name in unstated if name != surface)
        if not seen and (others or document.enclosures):
            offers.append(Option("sees other surfaces", options=seeing_options(case, surface, others)))
        rows = [
            (Choice(f"say {option.text}", option.text, option.within or (option,), "link", direct=not option.within),)
            for option in offers
        ]
    return [*seen, *rows]


def _unstated(case: Case, outcome: Outcome) -> tuple[str, ...]:
    """Outer surfaces of which the case says nothing as it stands: the outcome may be that of an older one."""
    said = case.document.stated_surfaces
    return tuple(name for name in outcome.unstated if name not in said)


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
        law = _law_words(path, "temperature", f"{verb} held at")
        return [law, *held, Choice(f"more {_tag(path)}", "…", options, "link")]
    if surrounding.insulated:
        return [_law_words(path, "insulated", f"{verb} insulated")]
    if surrounding.periodic:
        return [Word("are one and the same: periodic")]
    parts: list[SentencePart] = []
    several = len(surrounding.surfaces) > 1
    for key, acting in _stated(surrounding).items():
        first, *rest = _acting(case, (*path, key), acting, several)
        beside = set(_stated(surrounding)) - {key}
        plain = several and isinstance(first, Word) and first.text in [each.word for each in acting.values]
        said = _of_several(first.text) if plain and isinstance(first, Word) else getattr(first, "text", "")
        words = [_law_words(path, key, said, beside)] if isinstance(first, Word) else [first]
        parts += [*([Word("and")] if parts else []), *words, *rest]
    more = [
        Option(f"and {acting.offer}", setting((*path, key), acting.first))
        for key, acting in ACTING.items()
        if getattr(surrounding, key) is None
    ]
    for key, acting in _stated(surrounding).items():
        more += _other_forms(case, (*path, key), acting)
    more += [*_windows(case, path, surrounding), *_fewer(path, surrounding)]
    return [*parts, Choice(f"more {_tag(path)}", "and …", tuple(more), "link")]


def _of_several(words: str) -> str:
    """What is said of one surface, of several: they meet, take in, radiate."""
    verb, _, rest = words.partition(" ")
    return f"{verb.removesuffix('s')} {rest}"


def _law_words(path: DataPath, law: str, words: str, beside: Collection[str] = ()) -> Choice:
    """The words of a law, which open what may be said in its place; other laws act ``beside`` it."""
    others = [
        Option(said, _in_place_of(path, law, what))
        for said, what in _KINDS_OF_SURROUNDING.items()
        if set(what) != {law} and not set(what) & set(beside)
    ]
    return Choice(f"law {_tag(path)} {law}", words, tuple(others), "plain choice", at=(*path, law))


def _in_place_of(path: DataPath, law: str, what: dict[str, Any]) -> Edit:
    """The edit that says something else in place of a law.

    A temperature that was stated is kept, and so is what acts there besides, where it may stand beside the new.
    """

    def edit(now: Case) -> Case:
        said = dict(value_at(now.data, path))
        before = {law: said.pop(law)}
        temperature = before.get("temperature", value_at(before, (law, "temperature"), None))
        if {"temperature", "insulated"} & set(what):
            said = {key: value for key, value in said.items() if key not in ACTING}
        new = dict(what)
        if temperature is not None:
            new = {key: _at(key, first, temperature) for key, first in what.items()}
        return with_value(now, path, said | new)

    return edit


def _at(key: str, first: Any, temperature: Any) -> Any:
    """What a law states at first, with a temperature that is known where it has one."""
    if key == "temperature":
        return temperature
    return {**first, "temperature": temperature} if isinstance(first, dict) and "temperature" in first else first


def _stated(surrounding: Surrounding) -> dict[str, Acting]:
    """What of a statement acts on its surfaces."""
    return {key: acting for key, acting in ACTING.items() if getattr(surrounding, key) is not None}


def _acting(case: Case, path: DataPath, acting: Acting, several: bool) -> list[SentencePart]:
    parts: list[SentencePart] = []
    if path[-1] == "film" and (said := film_words(case, path, several)) is not None:
        return said
    for value in acting.values:
        place = (*path, *value.path)
        if value.otherwise and value_at(case.data, place) is None:
            parts.append(Word(f"{value.word} {value.otherwise}", "quiet"))
        else:
            parts += [Word(value.word), *law_entry(case, place, value.hint, value.kind, value.over)]
    closing = acting.together if several else acting.closing
    return [*parts, Word(closing)] if closing else parts


def _other_forms(case: Case, path: DataPath, acting: Acting) -> list[Option]:
    """Values that may become tables, values again, or be left to something else."""
    options: list[Option] = film_forms(case, path) if path[-1] == "film" else []
    for value in acting.values:
        if value.path and not value.otherwise and value.path[-1] not in value_at(case.data, path):
            continue
        place = (*path, *value.path)
        if value.otherwise and value_at(case.data, place) is None:
            options.append(Option(f"{value.name} stated here", setting(place, value.first)))
            continue
        if value.table:
            options.append(as_table(case, place, value.name, value.kind, value.table))
        options += _over_time(case, place, value.name, value.kind)
        if value.otherwise:
            options.append(Option(f"{value.name} {value.otherwise}", removing(place)))
    return options


def _fewer(path: DataPath, surrounding: Surrounding) -> list[Option]:
    said = _stated(surrounding)
    return [Option(acting.without, removing((*path, key))) for key, acting in said.items()] if len(said) > 1 else []
