"""What stands in the sheet, heading by heading, in the order an analyst works."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.editing import (
    free_name,
    renamed_material,
    with_value,
)
from blunt_ember.desk.sheet_body import body_section
from blunt_ember.desk.sheet_mesh import mesh_section
from blunt_ember.desk.sheet_parts import (
    Choice,
    Entry,
    Option,
    Part,
    Remove,
    Row,
    Section,
    TypedEdit,
    Word,
    adding,
    entry,
    removing,
    setting,
)
from blunt_ember.desk.sheet_questions import formulas, questions
from blunt_ember.desk.sheet_surfaces import surfaces_section
from blunt_ember.flow import Outcome


def sections(case: Case, outcome: Outcome | None) -> list[Section]:
    """Return the whole sheet; ``outcome`` gives the names of surfaces, when the geometry is known."""
    return [
        body_section(case), _materials(case), surfaces_section(case, outcome), _surroundings(case, outcome),
        Section("Heat inside", "none", ()),
        _joints(outcome), Section("Clock", "steady", ()), mesh_section(case, outcome), questions(case, outcome),
        formulas(case, "parameters"), formulas(case, "working"),
    ]  # fmt: skip


def _renaming(rename: Callable[[Case, str, str], Case], old: str) -> TypedEdit:
    return lambda now, typed: rename(now, old, typed.strip())


def _materials(case: Case) -> Section:
    rows: list[Row] = []
    used = {filling.material for filling in case.document.body.fillings.values()}
    for name, material in case.document.materials.items():
        path = ("materials", name)
        rows.append((
            Entry(f"material {name}", name, "Name of the material", _renaming(renamed_material, name), "name"),
            Word("k"),
            *entry(case, (*path, "k"), "Conductivity, such as 0.35 W/(m K)"),
            *((Word("○ open", "state"),) if material.k is None else ()),
            *((Word("not used", "quiet"),) if name not in used else ()),
            Remove(f"remove material {name}", f"Remove the material {name}", removing(path)),
        ))  # fmt: skip

    def add(now: Case) -> Case:
        return with_value(now, ("materials", free_name("material", now.document.materials)), {})

    rows.append((Choice("add material", "add a material …", (Option("with a conductivity to state", add),), "link"),))
    return Section("Materials", "steady: only k is needed", tuple(rows))


_KINDS_OF_SURROUNDING: dict[str, dict[str, Any]] = {
    "held at a temperature": {"temperature": "20 °C"},
    "meets a fluid": {"film": {"h": "10 W/(m² K)", "temperature": "20 °C"}},
    "takes in a heat flux": {"flux": "100 W/m²"},
    "insulated, said out loud": {"insulated": True},
}


def surrounding_options(surface: str) -> tuple[Option, ...]:
    """Return what can be said of a surface on which nothing is stated yet."""
    return tuple(
        Option(words, adding(("surroundings",), {"on": surface, **said}))
        for words, said in _KINDS_OF_SURROUNDING.items()
    )


def _surroundings(case: Case, outcome: Outcome | None) -> Section:
    rows: list[Row] = []
    unstated = outcome.unstated if outcome else ()
    for place, surrounding in enumerate(case.document.surroundings):
        path = ("surroundings", place)
        rows.append((
            Choice(f"surface {place}", ", ".join(surrounding.surfaces),
                   _other_surfaces(path, surrounding.surfaces, unstated),
                   points=_every_member(case, surrounding.surfaces)),
            *_stated_words(case, path),
            Remove(f"remove surrounding {place}", "Remove this statement", removing(path)),
        ))  # fmt: skip
    if outcome and outcome.geometry:
        own = [name for name in case.document.surfaces if set(case.document.members_of(name)) <= set(unstated)]
        offers = tuple(Option(name, options=surrounding_options(name)) for name in (*own, *unstated))
        if offers:
            rows.append((Choice("add surrounding", "say what surrounds a surface …", offers, "link"),))
        if unstated:
            rows.append((Word(f"○  {_listed(unstated)}: insulated, as nothing is stated", "note", unstated),))
    stated = sum(len(surrounding.surfaces) for surrounding in case.document.surroundings)
    return Section("Surroundings", f"{stated} stated · {len(unstated)} insulated" if outcome else "", tuple(rows))


def _every_member(case: Case, names: tuple[str, ...]) -> tuple[str, ...]:
    """The names and what they stand for, so that pointing works both ways."""
    members = (member for name in names for member in case.document.members_of(name))
    return tuple(dict.fromkeys([*names, *members]))


def _listed(names: tuple[str, ...]) -> str:
    shown = ", ".join(names[:6]) + (" …" if len(names) > 6 else "")
    return shown if len(names) == 1 else f"{shown} ({len(names)} surfaces)"


def _other_surfaces(path: tuple[str | int, ...], on: tuple[str, ...], unstated: tuple[str, ...]) -> tuple[Option, ...]:
    instead = tuple(Option(f"on {name} instead", setting((*path, "on"), name)) for name in unstated)
    also = tuple(Option(f"also on {name}", setting((*path, "on"), [*on, name])) for name in unstated)
    fewer = tuple(
        Option(f"no longer on {name}", setting((*path, "on"), [other for other in on if other != name])) for name in on
    )
    return instead + also + (fewer if len(on) > 1 else ())


def _stated_words(case: Case, path: tuple[str | int, ...]) -> list[Part]:
    surrounding = case.document.surroundings[int(path[1])]
    verb = "is" if len(surrounding.surfaces) == 1 else "are"
    parts: list[Part] = []
    if surrounding.temperature:
        return [Word(f"{verb} held at"), *entry(case, (*path, "temperature"), "Temperature, such as 980 °C or 1253 K")]
    if surrounding.insulated:
        return [Word(f"{verb} insulated")]
    if surrounding.film:
        parts += [
            Word("meets a fluid at"),
            *entry(case, (*path, "film", "temperature"), "Temperature of the fluid, such as 25 °C"),
            Word(", h"), *entry(case, (*path, "film", "h"), "Film coefficient, such as 12 W/(m² K)"),
        ]  # fmt: skip
    if surrounding.flux:
        words = "and takes in" if surrounding.film else "takes in"
        parts += [
            Word(words),
            *entry(case, (*path, "flux"), "Heat flux into the body, such as 500 W/m²; − takes heat out"),
        ]
    more = []
    if not surrounding.film:
        more.append(Option("and meets a fluid", setting((*path, "film"), {"h": "10 W/(m² K)", "temperature": "20 °C"})))
    if not surrounding.flux:
        more.append(Option("and takes in a heat flux", setting((*path, "flux"), "100 W/m²")))
    if more:
        parts.append(Choice(f"more {path[1]}", "and …", tuple(more), "link"))
    return parts


def _joints(outcome: Outcome | None) -> Section:
    if outcome is None or outcome.geometry is None:
        return Section("Joints", "", ())
    joints = [surface for surface in outcome.geometry.surfaces.values() if not surface.outer]
    return Section("Joints", f"{len(joints)} perfect" if joints else "none", ())
