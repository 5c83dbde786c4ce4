"""What the sheet says of what is expected of a question."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.editing.edits import without
from blunt_ember.checks.references.exact_field import SOLUTIONS
from blunt_ember.checks.references.fits.in_time.moving import MOVING_SOLUTIONS
from blunt_ember.errors import DataPath
from blunt_ember.sentences.parts import Choice, Entry, Option, SentencePart, Word, entry, setting, typing

#: What a question is compared with where nothing is stated.
UNSTATED = "what is known exactly"


def expected(case: Case, path: DataPath, question: Question) -> list[SentencePart]:
    """Return what a sentence says of what a question expects, and offers instead."""
    place, expect = path[1], question.expect
    options = [
        Option(
            UNSTATED, lambda now: without(now, (*path, "expect")) if "expect" in now.data["questions"][path[1]] else now
        )
    ]
    solutions = (*MOVING_SOLUTIONS, *SOLUTIONS) if case.document.running_clock is not None else SOLUTIONS
    options += [Option(f"exact: {name}", setting((*path, "expect"), {"exact": name})) for name in solutions]
    lines = (*case.working, *case.fields)
    options += [Option(f"working: {name}", setting((*path, "expect"), {"working": name})) for name in lines]
    example = question.kind.example
    options.append(
        Option("a value with its source", setting((*path, "expect"), {"value": example, "source": "to state"}))
    )
    if expect is None:
        said = UNSTATED
    elif expect.value is not None:
        said = "the value"
    else:
        said = f"exact: {expect.exact}" if expect.exact else f"working: {expect.working}"
    parts: list[SentencePart] = [
        Word("expects"),
        Choice(f"expect {place}", said, tuple(options), "plain choice", expect is None),
    ]
    if expect is not None and expect.value is not None:
        parts += [
            *entry(case, (*path, "expect", "value"), f"Expected value, such as {example}"),
            Word("from"),
            Entry(
                f"questions[{place}].expect.source",
                expect.source or "",
                "Where the value comes from",
                typing((*path, "expect", "source")),
            ),
        ]
    if expect is not None:
        tolerance = Entry(
            f"questions[{place}].tolerance",
            question.tolerance.text,
            "Tolerance, such as 0.5 % or 0.1 K",
            typing((*path, "tolerance")),
        )
        parts += [Word("within"), tolerance]
    return parts
