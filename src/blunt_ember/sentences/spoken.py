"""The sentences of the sheet as plain text, without what is only there to be clicked."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.sentences.blocks.sections import sections
from blunt_ember.sentences.parts import Choice, CurveOfLaw, Entry, SheetRow, Word


def sentences_of(case: Case) -> list[tuple[str, list[str]]]:
    """Return the headings under which a case states something, each with its sentences."""
    found = []
    for section in sections(case, None):
        rows = [spoken for row in section.rows if (spoken := _spoken(row))]
        if rows and section.block != "mesh":
            found.append((section.title, rows))
    return found


def _spoken(row: SheetRow) -> str:
    words: list[str] = []
    for part in row:
        if isinstance(part, Choice) and part.role == "link":
            continue
        if isinstance(part, Word | Entry | Choice | CurveOfLaw) and getattr(part, "role", "") != "quiet":
            name = isinstance(part, Entry) and part.style == "name" and not words and len(row) > 1
            words.append(f"{part.text}:" if name else part.text)
    return " ".join(words).replace(" ,", ",")
