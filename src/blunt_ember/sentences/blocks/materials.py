"""What the sheet says of the materials."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.materials import Directional, Material
from blunt_ember.case.editing.edits import free_name, value_at, with_value
from blunt_ember.case.editing.removal import without_material
from blunt_ember.case.editing.renaming import renamed_material
from blunt_ember.case.values.laws import PLACE
from blunt_ember.case.values.units import CONDUCTIVITY, DENSITY, EMISSIVITY, HEAT_CAPACITY, Kind
from blunt_ember.errors import CaseError, DataPath
from blunt_ember.library.shelves import shelves
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Entry,
    KeepMaterial,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    TypedEdit,
    Word,
    as_table,
    entry,
    law_entry,
    removing,
    setting,
    typing,
)

_WAYS = {"along": "k along", "across": "across", "through": "through"}
#: Properties beside k: key, word, kind, what is stated at first, and what a table may go over.
_PROPERTIES: dict[str, tuple[str, Kind, str, str]] = {
    "emissivity": ("ε", EMISSIVITY, "0.9", " ".join((*PLACE, "T"))),
    "density": ("ρ", DENSITY, "2000 kg/m³", "T"),
    "c": ("c", HEAT_CAPACITY, "900 J/(kg K)", "T"),
}


def materials_section(case: Case) -> SheetSection:
    """Return the section of the materials."""
    rows: list[SheetRow] = []
    used = {filling.material for filling in case.document.body.fillings.values()}
    for name, material in case.document.materials.items():
        path: DataPath = ("materials", name)
        rows.append(
            (
                Entry(f"material {name}", name, "Name of the material", _renaming(name), "name"),
                *_conductivity(case, path, material),
                *(
                    part
                    for key in _PROPERTIES
                    if getattr(material, key) is not None or _needed(case, key, name in used)
                    for part in _property(case, path, key)
                ),
                *((Word("not used", "quiet"),) if name not in used else ()),
                _more(case, path, material),
                *_source(material),
                Remove(f"remove material {name}", f"Remove the material {name}", _removing(name), at=path),
            )
        )

    def add(now: Case) -> Case:
        return with_value(now, ("materials", free_name("material", now.document.materials)), {})

    options = (Option("with a conductivity to state", add), *library_options(_copying))
    rows.append((Choice("add material", "add a material …", options, "link"),))
    state = "steady: only k is needed" if case.document.running_clock is None else "the clock runs: k, ρ and c"
    return SheetSection("Materials", state, tuple(rows))


def _removing(name: str) -> Edit:
    return lambda now: without_material(now, name)


def _needed(case: Case, key: str, used: bool) -> bool:
    """Whether a property must be stated, as the clock runs."""
    return case.document.running_clock is not None and used and key in ("density", "c")


def _renaming(old: str) -> TypedEdit:
    return lambda now, typed: renamed_material(now, old, typed.strip())


def _conductivity(case: Case, path: DataPath, material: Material) -> list[SentencePart]:
    hint = "Conductivity, such as 0.35 W/(m K), or a formula in T such as k_0*(1 + b*(T - 20 °C)); paste a table"
    if isinstance(material.k, Directional):
        parts: list[SentencePart] = []
        for key, word in _WAYS.items():
            if getattr(material.k, key) is not None:
                parts += [Word(word), *law_entry(case, (*path, "k", key), hint, CONDUCTIVITY)]
        return parts
    fillings, even = case.document.body.fillings, case.document.even_regions
    own = [region for region, filling in fillings.items() if filling.material == path[-1]]
    if material.k is None and own and even.issuperset(own):
        return [Word("k"), *law_entry(case, (*path, "k"), hint, CONDUCTIVITY), Word("not needed", "quiet")]
    open_item = (Word("○ open", "state"),) if material.k is None else ()
    return [Word("k"), *law_entry(case, (*path, "k"), hint, CONDUCTIVITY), *open_item]


def _property(case: Case, path: DataPath, key: str) -> list[SentencePart]:
    word, kind, first, over = _PROPERTIES[key]
    open_item = (Word("○ open", "state"),) if value_at(case.data, (*path, key)) is None else ()
    return [Word(f", {word}"), *law_entry(case, (*path, key), f"{kind.name}, such as {first}", kind, over), *open_item]


def _source(material: Material) -> tuple[SentencePart, ...]:
    if material.source is None:
        return ()
    between = f", {material.range[0].text} to {material.range[1].text}" if material.range is not None else ""
    return (Word(f"{material.source}{between}", "quiet"),)


def _more(case: Case, path: DataPath, material: Material) -> Choice:
    """What else can be said of a material."""
    options: list[Option] = []
    if isinstance(material.k, Directional):
        along = value_at(case.data, (*path, "k", "along"))
        options.append(Option("k the same in every direction", setting((*path, "k"), along)))
        if material.k.through is None:
            options.append(Option("k through the plane too", setting((*path, "k", "through"), along)))
    elif material.k is not None:
        k = value_at(case.data, (*path, "k"))
        options.append(as_table(case, (*path, "k"), "k", CONDUCTIVITY))
        options.append(Option("k by directions", setting((*path, "k"), {"along": k, "across": k})))
    for key, (_, kind, first, over) in _PROPERTIES.items():
        words = kind.name.split(" ", 1)[1]
        if getattr(material, key) is None:
            options.append(Option(f"its {words}", setting((*path, key), first)))
        else:
            if "T" in over.split():
                options.append(as_table(case, (*path, key), words, kind))
            options.append(Option(f"without its {words}", removing((*path, key))))
    if material.source is None:
        options.append(Option("where its values come from", setting((*path, "source"), "my measurement")))
    options.append(Option("keep it in my library", asks=KeepMaterial(str(path[1]))))
    return Choice(f"more of material {path[1]}", "and …", tuple(options), "link")


def library_options(taking: Callable[[str, dict[str, Any]], Edit]) -> tuple[Option, ...]:
    """The materials of the library by shelf, each with what ``taking`` it by its name and properties does."""
    try:
        known = shelves()
    except CaseError as error:
        return (Option(f"the library cannot be read: {error.faults[0]}"),)
    return tuple(
        Option(
            f"from the library: {shelf}",
            options=tuple(Option(name, taking(name, entry)) for name, entry in materials.items()),
        )
        for shelf, materials in known.items()
    )


def _copying(name: str, entry: dict[str, Any]) -> Edit:
    return lambda now: with_value(now, ("materials", free_name(name, now.document.materials)), entry)


def direction_words(case: Case, path: DataPath, material: str | None) -> list[SentencePart]:
    """Return the direction of a region whose material conducts by directions."""
    stated = case.document.materials.get(material) if material is not None else None
    if stated is None or not isinstance(stated.k, Directional):
        return []
    direction: Any = value_at(case.data, (*path, "direction"))
    key = f"direction of {'.'.join(str(name) for name in path[2::2])}"
    if isinstance(direction, dict):
        middle = [
            Word("away from"),
            *entry(case, (*path, "direction", "radial_from", 0), "x, such as 0 mm"),
            Word(","),
            *entry(case, (*path, "direction", "radial_from", 1), "y, such as 0 mm"),
        ]
        other = Option("at an angle", setting((*path, "direction"), "0 deg"))
        return [Word(", along"), *middle, Choice(key, "…", (other,), "link")]
    known = direction is not None
    hint = "Direction of 'along' from the x axis, such as 30 deg"
    at = (
        entry(case, (*path, "direction"), hint)
        if known
        else [Entry(".".join(str(p) for p in (*path, "direction")), "0 deg", hint, typing((*path, "direction")))]
    )
    other = Option("radial", setting((*path, "direction"), {"radial_from": ["0 mm", "0 mm"]}))
    return [Word(", along at"), *at, Choice(key, "…", (other,), "link")]
