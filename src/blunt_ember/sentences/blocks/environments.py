"""What the sheet says of environments, and of films that refer to them."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import free_name, value_at, with_value
from blunt_ember.case.editing.renaming import renamed_environment
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.errors import DataPath
from blunt_ember.flow.outcome import Outcome
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
    entry,
    law_entry,
    removing,
    setting,
)

_HINT = "Temperature of the air or fluid, such as 20 °C"


def environments_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the environments that films refer to."""
    rows: list[SheetRow] = []
    for name in case.document.environments:
        path: DataPath = ("environments", name)
        naming = Entry(f"environment {name}", name, "Name of the environment", _renaming(name), "name")
        temperature = law_entry(case, path, _HINT, TEMPERATURE, "t")
        gone = Remove(f"remove environment {name}", f"Remove {name}", removing(path), at=path)
        rows.append((naming, Word("is at"), *temperature, gone))
    new = Option("a room, the outside, a fluid", _adding)
    rows.append((Choice("add environment", "an environment that films refer to …", (new,), "link", direct=True),))
    count = len(case.document.environments)
    return SheetSection("Environments", f"{count} named" if count else "none", tuple(rows))


def _renaming(name: str) -> TypedEdit:
    return lambda now, typed: renamed_environment(now, name, typed.strip())


def _adding(now: Case) -> Case:
    name = free_name("room", list(now.document.environments))
    return with_value(now, ("environments", name), "20 °C")


def film_words(case: Case, path: DataPath, several: bool) -> list[SentencePart] | None:
    """Return the sentence of a film at a ``path`` that names an environment or a surface resistance; None for one that
    states both its temperature and h."""
    data = value_at(case.data, path)
    if not isinstance(data, dict) or not {"environment", "resistance"} & set(data):
        return None
    parts: list[SentencePart] = []
    tag = f"{path[1]}" if path[0] == "surroundings" else ".".join(str(part) for part in path[:-1])
    if "environment" in data:
        others = tuple(Option(name, setting((*path, "environment"), name)) for name in case.document.environments)
        verb = "face" if several else "faces"
        parts += [Word(verb), Choice(f"environment of {tag}", str(data["environment"]), others)]
    else:
        verb = "meet a fluid at" if several else "meets a fluid at"
        parts += [Word(verb), *law_entry(case, (*path, "temperature"), "Temperature of the fluid", TEMPERATURE, "x")]
    if "resistance" in data:
        return [*parts, Word(", R"), *entry(case, (*path, "resistance"), "Surface resistance, such as 0.13 m² K/W")]
    return [*parts, Word(", h"), *entry(case, (*path, "h"), "Film coefficient, such as 12 W/(m² K)")]


def film_forms(case: Case, path: DataPath) -> list[Option]:
    """Return the other ways in which a film at a ``path`` may be stated."""
    data = value_at(case.data, path)
    options = []
    for name in case.document.environments:
        if data.get("environment") != name:
            options.append(Option(f"faces {name}", _in_place(path, "temperature", "environment", name)))
    if "environment" in data:
        law = case.document.environments[data["environment"]]
        options.append(Option("a fluid of its own", _in_place(path, "environment", "temperature", law.text)))
    if "h" in data:
        options.append(Option("h as a surface resistance", _in_place(path, "h", "resistance", "0.13 m² K/W")))
    else:
        options.append(Option("the resistance as h", _in_place(path, "resistance", "h", "7.7 W/(m² K)")))
    return options


def _in_place(path: DataPath, old: str, new: str, value: str) -> Edit:
    def change(now: Case) -> Case:
        said = value_at(now.data, path)
        made = {new if key == old else key: value if key in (old, new) else stated for key, stated in said.items()}
        return with_value(now, path, made)

    return change
