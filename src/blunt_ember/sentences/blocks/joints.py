"""What the sheet says of the joints."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.values.units import FILM_COEFFICIENT
from blunt_ember.errors import DataPath
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.parts import (
    Choice,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    Word,
    adding,
    entry,
    law_entry,
    removing,
    setting,
)


def joints_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the joints: only those that are not perfect need a statement."""
    if outcome is None or outcome.geometry is None:
        return SheetSection("Joints", "", ())
    inner = [surface.name for surface in outcome.geometry.surfaces.values() if not surface.outer]
    stated = {
        member for joint in case.document.joints for name in joint.surfaces for member in case.document.members_of(name)
    }
    perfect = tuple(name for name in inner if name not in stated)
    rows: list[SheetRow] = []
    for place, joint in enumerate(case.document.joints):
        path: DataPath = ("joints", place)
        instead = tuple(Option(f"on {name} instead", setting((*path, "on"), name)) for name in perfect)
        also = tuple(Option(f"also on {name}", setting((*path, "on"), [*joint.surfaces, name])) for name in perfect)
        members = tuple(member for name in joint.surfaces for member in case.document.members_of(name))
        rows.append(
            (
                Choice(f"joint {place}", ", ".join(joint.surfaces), instead + also, points=(*joint.surfaces, *members)),
                *_joint_words(case, path),
                Remove(f"remove joint {place}", "Make it perfect again", removing(path), at=path),
            )
        )
    if perfect:
        rows.append(
            (
                Choice(
                    "add joint",
                    "a joint that is not perfect …",
                    tuple(Option(name, options=_joint_options(name)) for name in perfect),
                    "link",
                ),
            )
        )
    said = f"{len(stated)} stated · {len(perfect)} perfect" if stated else f"{len(perfect)} perfect"
    return SheetSection("Joints", said if inner else "none", tuple(rows))


_JOINTS: dict[str, dict[str, Any]] = {
    "contact resistance": {"resistance": "2e-4 m² K/W"},
    "gap conductance": {"conductance": "500 W/(m² K)"},
    "open gap, no heat passes": {"open": True},
}


def _joint_options(name: str) -> tuple[Option, ...]:
    return tuple(Option(words, adding(("joints",), {"on": name, **said})) for words, said in _JOINTS.items())


def _joint_words(case: Case, path: DataPath) -> list[SentencePart]:
    joint = case.document.joints[int(path[1])]
    on = case.data["joints"][path[1]]["on"]
    others = tuple(
        Option(words, setting(path, {"on": on, **said}))
        for words, said in _JOINTS.items()
        if getattr(joint, next(iter(said))) is None
    )
    more = Choice(f"more joint {path[1]}", "…", others, "link")
    if joint.open:
        return [Word("is an open gap"), more]
    if joint.resistance is not None:
        hint = "Contact resistance times area, such as 2e-4 m² K/W"
        return [Word("has a contact resistance of"), *entry(case, (*path, "resistance"), hint), more]
    hint = "Heat flux per kelvin between the two sides, such as 500 W/(m² K), or a formula in place"
    return [Word("passes"), *law_entry(case, (*path, "conductance"), hint, FILM_COEFFICIENT, "x y z r theta"), more]
