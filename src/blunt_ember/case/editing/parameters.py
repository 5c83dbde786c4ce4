"""Values that become parameters, that leave them again, and names of formulas nothing uses."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.walk import leaves
from blunt_ember.case.editing.edits import parameter_at, value_at, with_value
from blunt_ember.case.values.expressions import parse
from blunt_ember.case.values.formula_tree import names_in
from blunt_ember.case.values.references import IsFormula, RefersTo, Target
from blunt_ember.errors import CaseError, DataPath, ExpressionError, Fault

BLOCKS = ("parameters", "working")
_NAMED = re.compile(r"\s*([^\W\d]\w*)\s*=(?!=)\s*(.+)", re.DOTALL)


def named_value(typed: str) -> tuple[str, str] | None:
    """Return the name and the value of ``name = value``, None of anything else."""
    found = _NAMED.fullmatch(typed)
    return (found[1], found[2].strip()) if found else None


def as_parameter(case: Case, path: DataPath, name: str, value: str | None = None) -> Case:
    """Return the case in which the value at ``path`` follows a parameter, which is made of it where there is none.

    A ``value`` that is given becomes that of the parameter. Raises :class:`CaseError` for a name that is none, and for
    that of another parameter with another value, which would change wherever it is used.
    """
    known = case.data.get("parameters", {})
    if value is not None and str(known.get(name, value)) != value and parameter_at(case, path) != name:
        what = f"there is a parameter {name} = {known[name]} already, which other values may follow"
        raise CaseError((Fault(path, f"{what}; type '{name}' alone to follow it too, or another name", (name,)),))
    stated = value if value is not None else known.get(name, str(value_at(case.data, path)))
    return with_value(with_value(case, ("parameters", name), stated), path, name)


def parameter_name(case: Case, path: DataPath) -> str:
    """Return a free name for what stands at ``path``, after what that is and what it is stated of."""
    words = [str(part) for part in path if isinstance(part, str)]
    stem = re.sub(r"\W+", "_", "_".join([words[-1], *words[2:-1][:1]]) if len(words) > 2 else words[-1]).strip("_")
    taken = {**case.data.get("parameters", {}), **case.data.get("working", {})}
    return next(name for name in (stem, *(f"{stem}_{n}" for n in range(2, len(taken) + 3))) if name not in taken)


def with_own_value(case: Case, path: DataPath) -> Case:
    """Return the case in which what follows a parameter at ``path`` has the value of that for its own."""
    name = str(value_at(case.data, path)).strip()
    return with_value(case, path, case.data["parameters"][name])


def unused(case: Case) -> dict[str, tuple[str, ...]]:
    """Return the parameters and the lines of the Working that no value, formula, question or study refers to."""
    used = set(_names_used(case.data))
    return {block: tuple(name for name in case.data.get(block, {}) if name not in used) for block in BLOCKS}


def unfollowed(case: Case) -> set[str]:
    """Return the parameters that nothing the case states follows, but for studies; not by other parameters either."""
    blocks = {block: case.data.get(block, {}) for block in BLOCKS}
    rest = {key: entry for key, entry in case.data.items() if key not in (*BLOCKS, "studies")}
    followed: set[str] = set()
    fresh = set(_names_used(rest))
    while fresh:
        followed |= fresh
        stated = [blocks[block][name] for block in BLOCKS for name in fresh if name in blocks[block]]
        fresh = set(_names_in(stated)) - followed
    return set(blocks["parameters"]) - followed


def without_unused(case: Case, block: str) -> Case:
    """Return the case without those of one block that nothing uses, nor what only they used there."""
    while gone := unused(case)[block]:
        kept = {name: text for name, text in case.data[block].items() if name not in gone}
        case = with_value(case, (block,), kept)
    return case


def _names_used(data: Any) -> Iterator[str]:
    for leaf in leaves(CaseDocument, data):
        mark = leaf.marked(RefersTo)
        if mark is not None and mark.target in (Target.PARAMETER, Target.WORKING):
            yield str(leaf.data)
        elif leaf.marked(IsFormula) is not None and not leaf.is_key:
            yield from _names_in(leaf.data)


def _names_in(stated: Any) -> Iterator[str]:
    """The names in a formula, or in those of the rows of a table."""
    if isinstance(stated, str):
        try:
            yield from (name.text for name in names_in(parse(stated)))
        except ExpressionError:
            return
    elif isinstance(stated, Mapping):
        yield from _names_in(list(stated.values()))
    elif isinstance(stated, list):
        for entry in stated:
            yield from _names_in(entry)
