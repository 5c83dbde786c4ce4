"""What the sheet says of parameters and of the Working."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.parameters import without_unused
from blunt_ember.case.editing.renaming import renamed_formula
from blunt_ember.case.values.textbook.registry import BOOKS
from blunt_ember.sentences.blocks.studies.section import sweep_over
from blunt_ember.sentences.blocks.studies.varied import numbers
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
    removing,
    typing,
    value_note,
)

#: Names that an option lists.
_NAMED = 12


def _formula_rows(case: Case, block: str, what: str, idle: Sequence[str]) -> list[SheetRow]:
    rows: list[SheetRow] = []
    varied = numbers(case) if block == "parameters" and case.document.questions else []
    for name, formula in case.data.get(block, {}).items():
        note = value_note(case, str(formula))
        rows.append(
            (
                Entry(f"{block} name {name}", name, f"Name of the {what}", _renaming_formula(block, name), "name"),
                Word("="),
                Entry(
                    f"{block}.{name}",
                    str(formula),
                    "A quantity with its unit, or a formula",
                    typing((block, name)),
                    "formula" if block == "working" else "value",
                    more=(Option("every answer over it: a study", sweep_over(name)),) if name in varied else (),
                ),
                *((Word(note, "value" if block == "working" else "quiet"),) if note else ()),
                *((Word("· nothing uses it", "quiet"),) if name in idle else ()),
                Remove(f"remove {block} {name}", f"Remove {name}", removing((block, name)), at=(block, name)),
            )
        )
    return rows


def _adding_formula(block: str, stem: str, formula: str) -> Edit:
    def change(now: Case) -> Case:
        taken = {**now.data.get("parameters", {}), **now.data.get("working", {})}
        name = next(f"{stem}_{place}" for place in range(1, len(taken) + 2) if f"{stem}_{place}" not in taken)
        return with_value(now, (block, name), formula)

    return change


def formulas(case: Case, block: str, idle: Sequence[str]) -> SheetSection:
    """Return the section of the parameters, or of the working; nothing uses those that are ``idle``."""
    what, stem, wish = _BLOCKS[block]
    rows = _formula_rows(case, block, what, idle)
    new = Option(wish, _adding_formula(block, stem, "1"))
    options = (new, *_of_textbook()) if block == "working" else (new,)
    rows.append((Choice(f"add {what}", f"add a {what} …", options, "link"),))
    state = "hand calculation" if block == "working" else f"{len(rows) - 1} named"
    if idle:
        named = ", ".join(idle[:_NAMED]) + (f" and {len(idle) - _NAMED} more" if len(idle) > _NAMED else "")
        clear = Option(f"remove {named}", lambda now: without_unused(now, block))
        rows.append((Choice(f"clear {block}", f"clear what nothing uses ({len(idle)}) …", (clear,), "link"),))
    return SheetSection(block.capitalize(), state, tuple(rows))


@cache
def _of_textbook() -> tuple[Option, ...]:
    """What adds a line with a formula of a textbook, its arguments to be stated; the same for every case."""
    return tuple(
        Option(words, options=tuple(Option(each.words, _adding_formula("working", "S", each.called)) for each in book))
        for words, book in BOOKS.items()
    )


#: For each block of formulas: what a line of it is called, the stem of new names, and what adding one offers.
_BLOCKS = {
    "parameters": ("parameter", "p", "with a value to state"),
    "working": ("line", "line", "a formula over the parameters"),
}


def _renaming_formula(block: str, old: str) -> TypedEdit:
    return lambda now, typed: renamed_formula(now, block, old, typed.strip())
