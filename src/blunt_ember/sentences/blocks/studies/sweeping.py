"""Sweeps and sensitivities in words."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Sensitivity, Sweep
from blunt_ember.case.editing.edits import with_value
from blunt_ember.errors import DataPath, path_text
from blunt_ember.sentences.blocks.studies.varied import another, gone, number, numbers, of_parameter, range_of, value
from blunt_ember.sentences.parts import (
    Choice,
    Entry,
    Option,
    SentencePart,
    SheetRow,
    TypedEdit,
    Word,
    removing,
    setting,
    typing,
)


def sweep(case: Case, path: DataPath, stated: Sweep) -> tuple[list[SentencePart], list[SheetRow]]:
    """Return the sentence of a sweep, and a row for each parameter."""
    if stated.rows is not None:
        at = (*path, "rows")
        file = Entry(path_text(at), stated.rows, "CSV file beside the case", typing(at), "name", at=at)
        return [Word("every answer for the rows of"), file, *_errors(path, stated)], []
    said: list[SentencePart] = [Word("every answer as parameters vary")]
    if len(stated.vary) > 1:
        at = (*path, "together")
        crossed = Option("each with each", removing(at) if stated.together else None)
        beside = Option("side by side", setting(at, True))
        word = beside.text if stated.together else crossed.text
        said.append(Choice(path_text(at), word, (crossed, beside), "plain choice"))
    rows = [_varied(case, (*path, "vary", name), stated) for name in stated.vary]
    return [*said, *_errors(path, stated)], [*rows, *another(case, (*path, "vary"), range_of)]


def _varied(case: Case, path: DataPath, stated: Sweep) -> SheetRow:
    values = stated.vary[str(path[-1])]
    start: list[SentencePart] = [Word("·", "quiet"), of_parameter(case, path, range_of)]
    end = gone(path, len(stated.vary))
    if values.values is not None:
        at = (*path, "values")
        listed = Entry(path_text(at), "; ".join(values.values), "Values, with ; between them", _listing(at), at=at)
        return (*start, Word("is"), listed, *end)
    steps = {"step": "even steps", "ratio": "even ratios"}
    ways = tuple(Option(words, setting((*path, "by"), by)) for by, words in steps.items())
    return (
        *start,
        *(Word("from"), value(case, (*path, "start"), "First value")),
        *(Word("to"), value(case, (*path, "end"), "Last value")),
        *(Word("in"), number(case, (*path, "count"), "How many values, the ends too")),
        Choice(path_text((*path, "by")), steps[values.by], ways, "plain choice"),
        *end,
    )


def _listing(path: DataPath) -> TypedEdit:
    return lambda now, typed: with_value(now, path, [each.strip() for each in typed.split(";") if each.strip()])


def _errors(path: DataPath, stated: Sweep) -> list[SentencePart]:
    at = (*path, "errors")
    said = Option("with the ± of the mesh", setting(at, True))
    left_out = Option("without ±, sooner", removing(at) if stated.errors else None)
    word = said.text if stated.errors else "without ±"
    return [Word(","), Choice(path_text(at), word, (said, left_out), "plain choice")]


def sensitivity(case: Case, path: DataPath, stated: Sensitivity) -> tuple[list[SentencePart], list[SheetRow]]:
    """Return the sentence of a sensitivity."""
    at, named = (*path, "vary"), list(stated.vary or [])
    every = Option("every parameter", removing(at) if named else None)
    others = [name for name in numbers(case) if name not in named]
    also = [Option(f"{name} too", setting(at, [*named, name])) for name in others if named]
    alone = [Option(f"{name} alone", setting(at, [name])) for name in numbers(case)]
    which = Choice(path_text(at), ", ".join(named) or every.text, (every, *also, *alone))
    ways = {"adjoint": "by the adjoint solution", "differences": "by differences"}
    by = (*path, "by")
    how = Choice(
        path_text(by),
        ways[stated.by],
        tuple(Option(words, setting(by, way)) for way, words in ways.items()),
        "plain choice",
    )
    return [Word("how much every answer follows from"), which, how], []
