"""The section of the studies: each as a sentence with its parameters under it, and what may be added."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Aim, AnyStudy, Fitting, Sensitivity, Sweep, Uncertainty
from blunt_ember.case.editing.edits import free_name, with_value
from blunt_ember.case.editing.renaming import renamed_study
from blunt_ember.errors import DataPath
from blunt_ember.sentences.blocks.studies.seeking import aim, fit
from blunt_ember.sentences.blocks.studies.spreading import uncertainty
from blunt_ember.sentences.blocks.studies.sweeping import sensitivity, sweep
from blunt_ember.sentences.blocks.studies.varied import ends_of, numbers, range_of, spread_of
from blunt_ember.sentences.parts import (
    Choice,
    DoStudy,
    Edit,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    TypedEdit,
    Word,
    removing,
)

#: Returns the sentence of a study, and the rows under it.
_Said = Callable[[Case, DataPath, Any], tuple[list[SentencePart], list[SheetRow]]]
_SENTENCES: Mapping[type[AnyStudy], _Said] = MappingProxyType(
    {Sweep: sweep, Sensitivity: sensitivity, Uncertainty: uncertainty, Aim: aim, Fitting: fit}
)


def studies_section(case: Case) -> SheetSection:
    """Return the section of the studies."""
    rows: list[SheetRow] = []
    for name, stated in case.document.studies.items():
        path: DataPath = ("studies", name)
        said, under = _SENTENCES[type(stated)](case, path, stated)
        naming = Entry(f"study {name}", name, "Name of the study", _renaming(name), "name", at=path)
        doing = Choice(f"do study {name}", "do it", (Option("do it", asks=DoStudy(name)),), "link", direct=True)
        gone = Remove(f"remove study {name}", f"Remove {name}", removing(path), at=path)
        rows += [(naming, Word(":"), *said, doing, gone), *under]
    new = _new_studies(case)
    if new:
        rows.append((Choice("add study", "change one thing, again: add a study …", new, "link"),))
    else:
        rows.append((Word("a study changes parameters: type 'name = value' into a field to make one", "quiet"),))
    count = len(case.document.studies)
    return SheetSection("Studies", f"{count} stated" if count else "none", tuple(rows))


def _renaming(old: str) -> TypedEdit:
    return lambda now, typed: renamed_study(now, old, typed.strip())


def sweep_over(parameter: str) -> Edit:
    """Return the edit that adds a study of every answer over a parameter."""
    return _adding(f"over {parameter}", _swept, parameter)


def _new_studies(case: Case) -> tuple[Option, ...]:
    names = numbers(case)
    if not names or not case.document.questions:
        return ()

    def each(words: str, stem: str, stated: Callable[[Case, str], dict[str, Any]]) -> Option:
        return Option(words, options=tuple(Option(name, _adding(stem, stated, name)) for name in names))

    return (
        Option("every answer over a parameter", options=tuple(Option(name, sweep_over(name)) for name in names)),
        Option("what matters: how much answers follow from parameters", _adding("what matters", _every, "")),
        each("how uncertain answers are", "how sure", _uncertain),
        each("the parameter at which an answer is as wished", "wished", _wished),
        each("a parameter from what was measured", "from measurements", _measured),
    )


def _adding(stem: str, stated: Callable[[Case, str], dict[str, Any]], parameter: str) -> Edit:
    return lambda now: with_value(now, ("studies", free_name(stem, now.document.studies)), stated(now, parameter))


def _swept(case: Case, name: str) -> dict[str, Any]:
    return {"kind": "sweep", "vary": {name: range_of(case, name)}, "errors": True}


def _every(case: Case, name: str) -> dict[str, Any]:
    return {"kind": "sensitivity"}


def _uncertain(case: Case, name: str) -> dict[str, Any]:
    return {"kind": "uncertainty", "spread": {name: spread_of(case, name)}, "count": 256}


def _wished(case: Case, name: str) -> dict[str, Any]:
    start, end = ends_of(case, name)
    question, value = _first_answer(case)
    return {"kind": "target", "vary": name, "start": start, "end": end, "question": question, "value": value}


def _measured(case: Case, name: str) -> dict[str, Any]:
    question, value = _first_answer(case)
    return {"kind": "fit", "vary": {name: ends_of(case, name)}, "measured": {question: value}}


def _first_answer(case: Case) -> tuple[str, str]:
    """The first question, and a value of its kind."""
    question = case.document.questions[0]
    return question.name, case.units.of(question.kind).example
