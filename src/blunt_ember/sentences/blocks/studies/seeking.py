"""Targets and fits in words."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Aim, Fitting
from blunt_ember.case.editing.edits import value_at, without
from blunt_ember.errors import DataPath, path_text
from blunt_ember.sentences.blocks.studies.varied import another, ends_of, gone, named_parameter, of_parameter, value
from blunt_ember.sentences.parts import (
    Choice,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    Word,
    removing,
    setting,
    typing,
)

_WANTED = {"equal": "is", "at most": "is at most", "at least": "is at least"}
_LOG = "CSV file beside the case: t, and what was measured"


def aim(case: Case, path: DataPath, stated: Aim) -> tuple[list[SentencePart], list[SheetRow]]:
    """Return the sentence of a target."""
    said: list[SentencePart] = [Word("the")]
    if stated.want != "equal":
        at = (*path, "seek")
        sides = tuple(Option(side, setting(at, side)) for side in ("smallest", "largest"))
        said.append(Choice(path_text(at), stated.seek, sides, "plain choice"))
    asked, wanted = (*path, "question"), (*path, "want")
    questions = tuple(Option(each.name, setting(asked, each.name)) for each in case.document.questions)
    wants = tuple(Option(words, setting(wanted, want)) for want, words in _WANTED.items())
    return [
        *said,
        named_parameter(case, (*path, "vary")),
        *(Word("between"), value(case, (*path, "start"), "One end of where it is looked for")),
        *(Word("and"), value(case, (*path, "end"), "The other end")),
        *(Word("at which"), Choice(path_text(asked), stated.question, questions, at=asked)),
        Choice(path_text(wanted), _WANTED[stated.want], wants, "plain choice"),
        value(case, (*path, "value"), "What the answer shall be"),
    ], []


def fit(case: Case, path: DataPath, stated: Fitting) -> tuple[list[SentencePart], list[SheetRow]]:
    """Return the sentence of a fit, and a row for each parameter and each thing that was measured."""
    rows: list[SheetRow] = []
    for name in stated.vary:
        at = (*path, "vary", name)
        ends = (value(case, (*at, 0), "Lowest value"), Word("and"), value(case, (*at, 1), "Highest value"))
        which = of_parameter(case, at, ends_of)
        rows.append((Word("·", "quiet"), which, Word("between"), *ends, *gone(at, len(stated.vary))))
    rows += another(case, (*path, "vary"), ends_of)
    several = len(stated.measured) + len(stated.logs) > 1
    for name in stated.measured:
        at = (*path, "measured", name)
        was = (Word(f"{name} was"), value(case, at, "What was measured"), *_known(case, path, name, stated))
        rows.append((Word("·", "quiet"), *was, *(_gone(at) if several else ())))
    for name, file in stated.logs.items():
        at = (*path, "logs", name)
        log = Entry(path_text(at), file, _LOG, typing(at), "name", at=at)
        known = () if name in stated.measured else _known(case, path, name, stated)
        said = (Word(f"{name} was, in the file"), log, *known)
        rows.append((Word("·", "quiet"), *said, *(_gone(at) if several else ())))
    rows += _more(case, path, stated)
    return [Word(words) for words in ("the parameters at which", "answers come nearest to", "what was measured")], rows


def _known(case: Case, path: DataPath, name: str, stated: Fitting) -> tuple[SentencePart, ...]:
    """How well what was measured is known."""
    at = (*path, "within", name)
    if name in stated.within:
        nothing = Option("say nothing of how well it is known", removing(at))
        return Word("±"), value(case, at, "Its standard deviation", nothing)
    usual = Option("its standard deviation", setting(at, "1 K" if _is_temperature(case, name) else "2 %"))
    return (Choice(f"add {path_text(at)}", "± …", (usual,), "link", direct=True),)


def _gone(path: DataPath) -> tuple[SentencePart, ...]:
    """What leaves out something that was measured, and how well it was known where nothing else is left of it."""
    study, block, name = path[:2], str(path[2]), str(path[3])

    def change(now: Case) -> Case:
        other = "logs" if block == "measured" else "measured"
        left = without(now, path)
        still = name in value_at(now.data, (*study, other), {})
        known = value_at(left.data, (*study, "within", name))
        return left if still or known is None else without(left, (*study, "within", name))

    return (Remove(f"remove {path_text(path)}", f"Leave out what {name} was", change, at=path),)


def _more(case: Case, path: DataPath, stated: Fitting) -> list[SheetRow]:
    """What else may have been measured."""
    options = [
        Option(f"{each.name} was …", setting((*path, "measured", each.name), case.units.of(each.kind).example))
        for each in case.document.questions
        if each.name not in stated.measured
    ]
    if case.document.running_clock is not None:
        logged = [each.name for each in case.document.questions if each.name not in stated.logs]
        options += [Option(f"a log of {name}", setting((*path, "logs", name), "log.csv")) for name in logged]
    key = f"add to {path_text((*path, 'measured'))}"
    return [(Choice(key, "what else was measured …", tuple(options), "link"),)] if options else []


def _is_temperature(case: Case, question: str) -> bool:
    return any(each.name == question and bool(case.units.of(each.kind).zero) for each in case.document.questions)
