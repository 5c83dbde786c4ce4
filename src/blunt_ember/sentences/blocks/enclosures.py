"""What the sheet says of surfaces that see each other, and what a card offers of it."""

from __future__ import annotations

from collections.abc import Sequence

from blunt_ember.case.case import Case
from blunt_ember.case.document.enclosures import Enclosure, Face
from blunt_ember.case.editing.edits import free_name, value_at, with_value
from blunt_ember.case.editing.renaming import renamed_enclosure
from blunt_ember.case.editing.shielding import with_shield
from blunt_ember.case.values.units import EMISSIVITY, TEMPERATURE
from blunt_ember.errors import DataPath, OpenCaseError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.across_a_gap import line_across
from blunt_ember.geometry.placing import box_of
from blunt_ember.geometry.section import outlines_of
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    TypedEdit,
    Word,
    adding,
    as_table,
    law_entry,
    removing,
    setting,
)

_EMISSIVITY = "Emissivity, between 0 and 1, or a formula in T and place"
_BEHIND = "Temperature of what is seen through the opening, such as 20 °C"


def enclosures_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the enclosures: a row for each, and one for each of its faces."""
    rows: list[SheetRow] = []
    free = _free_surfaces(case, outcome)
    for name, enclosure in case.document.enclosures.items():
        rows += _enclosure(case, name, enclosure, free, outcome)
    offers = _new_enclosures(case, free)
    if offers:
        rows.append((Choice("add enclosure", "surfaces that see each other …", offers, "link"),))
    count = len(case.document.enclosures)
    return SheetSection("Enclosures", f"{count} stated" if count else "none", tuple(rows))


def enclosure_rows(case: Case, surface: str) -> list[SheetRow]:
    """Return what a card says of the enclosure that a surface looks into; none where it is in no enclosure."""
    document = case.document
    for name, enclosure in document.enclosures.items():
        for number, face in enumerate(enclosure.faces):
            members = {member for stated in face.surfaces for member in document.members_of(stated)}
            if surface in members:
                path: DataPath = ("enclosures", name, "faces", number)
                return [(Word(f"looks into '{name}',"), *_emissivity(case, path, face))]
    return []


def seeing_options(case: Case, surface: str, others: tuple[str, ...]) -> tuple[Option, ...]:
    """Return the enclosures that a surface may look into: one that is stated, or a new one with one of ``others``."""
    known = [Option(f"the surfaces of '{name}'", _joining(name, surface)) for name in case.document.enclosures]
    fresh = [Option(other, _founding(case, [surface, other])) for other in others if other != surface]
    return (*known, *fresh)


def sight_option(case: Case, surface: str, faced: tuple[str, ...]) -> Option | None:
    """Return the offer that a surface sees those it ``faced`` when it was looked from it, in their enclosure where they
    have one; None where it faces none."""
    if not faced:
        return None
    more = f" and {len(faced) - 1} more" if len(faced) > 1 else ""
    for name, enclosure in case.document.enclosures.items():
        members = {each for face in enclosure.faces for on in face.surfaces for each in case.document.members_of(on)}
        if members.intersection(faced):
            return Option(f"radiates to {faced[0]}{more}, in '{name}'", _joining(name, surface))
    return Option(f"radiates to {faced[0]}{more}, which it faces", _founding(case, [surface, *faced]))


def _is_open(outcome: Outcome | None, name: str) -> bool:
    """Whether an opening was found that nothing is said of."""
    trouble = outcome.trouble if outcome is not None else None
    faults = trouble.faults if isinstance(trouble, OpenCaseError) else ()
    return any(fault.at == ("enclosures", name, "opening") for fault in faults)


def _free_surfaces(case: Case, outcome: Outcome | None) -> tuple[str, ...]:
    """Outer surfaces that are in no enclosure by name."""
    if outcome is None or outcome.geometry is None:
        return ()
    document = case.document
    taken = {
        member
        for enclosure in document.enclosures.values()
        for face in enclosure.faces
        for stated in face.surfaces
        for member in document.members_of(stated)
    }
    return tuple(name for name, each in outcome.geometry.surfaces.items() if each.outer and name not in taken)


def _enclosure(
    case: Case, name: str, enclosure: Enclosure, free: tuple[str, ...], outcome: Outcome | None
) -> list[SheetRow]:
    path: DataPath = ("enclosures", name)
    rename = Entry(f"enclosure {name}", name, "Name of the enclosure", _renaming(name), "name")
    remove = Remove(f"remove enclosure {name}", f"Remove the enclosure {name}", removing(path), at=path)
    opening = _opening(case, path, enclosure, _is_open(outcome, name))
    images = (_mirrors(path, enclosure, free), _repeats(case, path, enclosure, free))
    said = (*opening, _evenness(path, enclosure), *images)
    rows: list[SheetRow] = [(rename, *said, remove)]
    for number, face in enumerate(enclosure.faces):
        rows.append(_face(case, (*path, "faces", number), face, free, len(enclosure.faces) > 1))
    voids = [region for region, filling in case.document.body.fillings.items() if filling.void]
    more = [Option(f"all sides of {void}", adding((*path, "faces"), {"void": void})) for void in voids]
    more += [Option(surface, adding((*path, "faces"), {"on": surface})) for surface in free]
    words = "and what else it sees …" if enclosure.faces else "which surfaces see each other?"
    add = Choice(f"add face {name}", words, tuple(more), "link", not enclosure.faces, at=(*path, "faces"))
    rows.append((add, *_shield(case, name, enclosure, outcome)))
    return rows


def _shield(case: Case, name: str, enclosure: Enclosure, outcome: Outcome | None) -> list[SentencePart]:
    """The offer of a shield, where there is room for one."""
    section = outlines_of(outcome.geometry) if outcome is not None and outcome.geometry is not None else None
    regions = case.document.body.regions
    if section is None or not enclosure.faces:
        return []
    boxes: list[Sequence[float]] = []
    span = None
    for face in enclosure.faces:
        if face.void in regions:
            boxes.append(box_of([*section.shapes[list(regions).index(str(face.void))]]))
            span = case.data["body"]["regions"][face.void].get("z")
        for member in (each for stated in face.surfaces for each in case.document.members_of(stated)):
            if member in section.surfaces:
                places = section.surfaces[member].segments.reshape(-1, 2)
                boxes.append([*places.min(axis=0), *places.max(axis=0)])
    if not boxes or (span is None and case.data["body"]["kind"] == "stacked"):
        return []
    ends = line_across(section, boxes)
    if ends is None:
        return []
    shielded = Option("a shield of one temperature", lambda now: with_shield(now, name, *ends, span))
    return [Choice(f"shield {name}", "put a shield in it …", (shielded,), "link", at=("enclosures", name))]


def _opening(case: Case, path: DataPath, enclosure: Enclosure, is_open: bool) -> list[SentencePart]:
    """Whether it is closed, or what is behind its opening."""
    shut = Option("it is closed: what is missing is shared out", setting((*path, "closed"), True))
    if enclosure.opening is not None:
        tabled = [as_table(case, (*path, "opening"), "temperature", TEMPERATURE, "t")]
        options = (Option("nothing is behind it", removing((*path, "opening"))),)
        running = case.document.running_clock is not None
        return [
            Word("is open; behind it"),
            *law_entry(case, (*path, "opening"), _BEHIND, TEMPERATURE, "t"),
            Choice(f"more {path[1]}", "…", (*(tabled if running else ()), *options), "link"),
        ]
    if enclosure.closed:
        options = (Option("look for an opening", removing((*path, "closed"))),)
        return [Word("is said to be closed"), Choice(f"more {path[1]}", "…", options, "link")]
    behind = Option("something is behind an opening", setting((*path, "opening"), "20 °C"))
    said = "what is behind its opening?" if is_open else "no opening found"
    return [Choice(f"opening {path[1]}", said, (behind, shut), "plain choice", is_open, at=(*path, "opening"))]


def _evenness(path: DataPath, enclosure: Enclosure) -> Choice:
    """Whether radiosity is resolved along each surface, or taken as even over it."""
    ways = {"resolved along surfaces": removing((*path, "even")), "each surface as one": setting((*path, "even"), True)}
    options = tuple(Option(words, edit) for words, edit in ways.items())
    return Choice(f"even {path[1]}", list(ways)[bool(enclosure.even)], options, "plain choice", at=(*path, "even"))


def _mirrors(path: DataPath, enclosure: Enclosure, free: tuple[str, ...]) -> Choice:
    """In which surfaces, where the body is cut, it sees its mirror image."""
    place, stated = (*path, "mirrors"), enclosure.mirror_surfaces
    fewer = [
        Option(f"no longer in {gone}", _mirroring(place, [other for other in stated if other != gone]))
        for gone in stated
    ]
    more = [Option(f"{'also ' if stated else ''}in {name}", _mirroring(place, [*stated, name])) for name in free]
    options = (*fewer, *(each for each, name in zip(more, free, strict=True) if name not in stated))
    words = f"mirrored in {', '.join(stated)}" if stated else "not mirrored"
    return Choice(f"mirrors {path[1]}", words, options, "plain choice", points=stated, at=place)


def _repeats(case: Case, path: DataPath, enclosure: Enclosure, free: tuple[str, ...]) -> Choice:
    """Between which two ends of the body it repeats: those that are said to be periodic first."""
    place, stated = (*path, "repeats"), enclosure.repeats
    pairs = [
        tuple(member for name in entry.surfaces for member in case.document.members_of(name))
        for entry in case.document.surroundings
        if entry.periodic
    ]
    offered = [Option(f"between {' and '.join(pair)}", setting(place, [*pair])) for pair in pairs if len(pair) == 2]
    offered += [
        Option(f"between {one} and", options=tuple(Option(o, setting(place, [one, o])) for o in free if o != one))
        for one in free
        if len(free) > 1
    ]
    once = [Option("it does not repeat", removing(place))] if stated else []
    words = f"repeats between {' and '.join(stated)}" if stated else "stands once"
    return Choice(f"repeats {path[1]}", words, (*once, *offered), "plain choice", points=stated or (), at=place)


def _mirroring(place: DataPath, surfaces: list[str]) -> Edit:
    return setting(place, surfaces) if surfaces else removing(place)


def _face(case: Case, path: DataPath, face: Face, free: tuple[str, ...], removable: bool) -> SheetRow:
    name = f"{path[1]} {path[3]}"
    if face.void is not None:
        where: SentencePart = Word(f"all sides of {face.void}")
    else:
        on = face.surfaces
        instead = tuple(Option(f"{other} instead", setting((*path, "on"), other)) for other in free)
        also = tuple(Option(f"also {other}", setting((*path, "on"), [*on, other])) for other in free)
        fewer = tuple(
            Option(f"no longer {gone}", setting((*path, "on"), [other for other in on if other != gone])) for gone in on
        )
        members = tuple(member for stated in on for member in case.document.members_of(stated))
        options = instead + also + (fewer if len(on) > 1 else ())
        where = Choice(f"face {name}", ", ".join(on), options, points=(*on, *members), at=(*path, "on"))
    gone = (Remove(f"remove face {name}", "Take it out of the enclosure", removing(path), at=path),)
    return (where, *_emissivity(case, path, face), *(gone if removable else ()))


def _emissivity(case: Case, path: DataPath, face: Face) -> list[SentencePart]:
    place, name = (*path, "emissivity"), f"more face {path[1]} {path[3]}"
    if value_at(case.data, place) is None:
        stated = Option("ε stated here", setting(place, "0.9"))
        return [Word("ε of its material", "quiet"), Choice(name, "…", (stated,), "link")]
    options = (as_table(case, place, "ε", EMISSIVITY, "T"), Option("ε of its material", removing(place)))
    return [Word("ε"), *law_entry(case, place, _EMISSIVITY, EMISSIVITY), Choice(name, "…", options, "link")]


def _new_enclosures(case: Case, free: tuple[str, ...]) -> tuple[Option, ...]:
    taken = {face.void for enclosure in case.document.enclosures.values() for face in enclosure.faces}
    voids = [name for name, filling in case.document.body.fillings.items() if filling.void and name not in taken]
    about = [
        Option(f"all sides of {void}", _set(free_name(void, case.document.enclosures), [{"void": void}]))
        for void in voids
    ]
    pairs = [
        Option(f"{surface} and", options=tuple(Option(o, _founding(case, [surface, o])) for o in free if o != surface))
        for surface in free
        if len(free) > 1
    ]
    return (*about, *pairs)


def _founding(case: Case, surfaces: list[str]) -> Edit:
    return _set(free_name("enclosure", case.document.enclosures), [{"on": surface} for surface in surfaces])


def _set(name: str, faces: list[dict[str, str]]) -> Edit:
    return lambda now: with_value(now, ("enclosures", name), {"faces": faces})


def _joining(name: str, surface: str) -> Edit:
    return adding(("enclosures", name, "faces"), {"on": surface})


def _renaming(old: str) -> TypedEdit:
    return lambda now, typed: renamed_enclosure(now, old, typed.strip())
