"""Pydantic's findings turned into faults with a readable path, our words and the nearest right key."""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from typing import Any

from pydantic import BaseModel, ValidationError

from blunt_ember.case.document.walk import models_on, union_labels
from blunt_ember.errors import DataPath, Fault

#: What keys of ours are called elsewhere.
_TRADE_WORDS = {
    "rho": "density",
    "ρ": "density",
    "lambda": "k",
    "λ": "k",
    "conductivity": "k",
    "cp": "c",
    "c_p": "c",
    "specific_heat": "c",
    "epsilon": "emissivity",
    "ε": "emissivity",
    "alpha": "h",
    "α": "h",
}

#: What sides of ours are called elsewhere: 'ring.inner' is nearer to 'ring.rim' by its letters than to 'ring.bore'.
_TRADE_SIDES = {
    **dict.fromkeys(("inner", "inside", "interior", "hole", "id"), "bore"),
    **dict.fromkeys(("outer", "outside", "exterior", "circumference", "od"), "rim"),
}


def nearest(name: str, known: Iterable[str]) -> str:
    """Return ``; did you mean 'brick'?`` when a known name is close, else what there is."""
    known = list(known)
    close = _closest(name, known)
    if close is not None:
        return f"; did you mean '{close}'?"
    if known:
        return f"; there is {', '.join(repr(k) for k in known[:8])}" + (" …" if len(known) > 8 else "")
    return "; none is stated yet"


def unknown_name(at: DataPath, what: str, name: str, known: Iterable[str]) -> Fault:
    """Return the fault of a ``name`` that is none of the ``known``, with the one that was meant where one is near."""
    known = list(known)
    close = _closest(name, known)
    return Fault(at, f"{what}{nearest(name, known)}", meant=None if close is None else (name, close))


def _closest(name: str, known: list[str]) -> str | None:
    region, dot, side = name.rpartition(".")
    sides, called = {each.rpartition(".")[2] for each in known}, _TRADE_SIDES.get(side.lower())
    if called in sides and side not in sides:
        name = f"{region}{dot}{called}"
    close = difflib.get_close_matches(name, known, n=1, cutoff=0.5)
    return close[0] if close else None


def structure_faults(error: ValidationError, data: Any, model: type[BaseModel]) -> list[Fault]:
    """Return one fault for each finding that still says something about the data as written."""
    faults, labels = [], union_labels(model)
    for finding in error.errors(include_url=False):
        member = str(finding["loc"][-1]) if finding["loc"] else ""
        if member.startswith("literal[") or (member in ("str", "list[str]") and isinstance(finding["input"], dict)):
            continue  # of a union only the member that was meant is worth a complaint
        path = _real_path(finding["loc"], data, labels)
        if finding["type"].startswith("union_tag"):
            path = (*path, finding["ctx"]["discriminator"].strip("'"))
        faults.append(Fault(path, _said(finding, path, model, data), tuple(finding.get("ctx", {}).get("instead", ()))))
    return faults


def _said(finding: Any, path: tuple[str | int, ...], model: type[BaseModel], data: Any) -> str:
    kind, context = finding["type"], finding.get("ctx", {})
    if kind in ("quantity", "statement"):
        return str(context["what"])
    if kind == "extra_forbidden":
        owner = _model_at(model, path[:-1], data)
        known = owner.model_fields if owner else ()
        meant = _TRADE_WORDS.get(str(path[-1]).lower())
        said = f"; did you mean '{meant}'?" if meant in known else nearest(str(path[-1]), known)
        return f"'{path[-1]}' is not known here{said}"
    if kind == "missing":
        return "it is missing; this entry is needed"
    if kind == "union_tag_not_found":
        return "it is missing; this entry is needed"
    if kind == "union_tag_invalid":
        return f"'{context['tag']}' is not possible here; write {context['expected_tags']}"
    if kind == "literal_error":
        return f"{_shown(finding['input'])} is not possible here; write {context['expected']}"
    if kind == "too_long":
        return f"it has {len(finding['input'])} entries, and {context['max_length']} are possible"
    if kind == "too_short":
        return f"it has {len(finding['input']) or 'no'} entries, and {context['min_length']} are needed"
    if kind.endswith("_type"):
        return f"{_shown(finding['input'])} cannot stand here; {_wanted(kind, finding)}"
    return f"{_shown(finding['input'])}: {finding['msg'][0].lower()}{finding['msg'][1:]}"


def _wanted(kind: str, finding: Any) -> str:
    words = {
        "tuple_type": 'a list is needed, such as ["10 mm", "20 mm"]',
        "list_type": "a list [ … ] is needed",
        "dict_type": "an object { … } is needed",
        "model_type": "an object { … } is needed",
        "model_attributes_type": "an object { … } is needed",
        "string_type": "a text in quotes is needed",
        "float_type": "a number, or a text in quotes, is needed",
        "int_type": "a whole number is needed",
    }
    return words.get(kind, str(finding["msg"]).lower())


def _shown(value: Any) -> str:
    text = repr(value) if isinstance(value, str | int | float) or value is None else type(value).__name__
    text = {"None": "null", "True": "true", "False": "false", "dict": "an object", "list": "a list"}.get(text, text)
    return text if len(text) <= 60 else text[:57] + "…"


def _real_path(location: tuple[str | int, ...], data: Any, labels: frozenset[str]) -> tuple[str | int, ...]:
    """Drop what pydantic adds for the members of a union: only keys that lead through the data stay."""
    path: list[str | int] = []
    here: Any = data
    for place, part in enumerate(location):
        last = place == len(location) - 1
        known = isinstance(here, dict) and part in here
        if known or (isinstance(here, list) and isinstance(part, int) and part < len(here)):
            here = here[part]
        elif part in labels or str(part).startswith("function-") or not (last and isinstance(here, dict | list)):
            continue
        path.append(part)
    return tuple(path)


def _model_at(model: type[BaseModel], path: DataPath, data: Any) -> type[BaseModel] | None:
    """Return the entry that stands at a path; of several possible ones the one that the data choose."""
    found = models_on(model, data, path)
    return found[-1][1] if found and found[-1][0] == path else None
