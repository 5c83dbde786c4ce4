"""The sentences of a case as plain text, without what is only there to be clicked."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import value_at
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.sentences.blocks.sections import sections
from blunt_ember.sentences.parts import Choice, CurveOfLaw, Entry, SentencePart, SheetRow, Word


@immutable
class Sentence:
    """What a row says, after the ``name`` of what it says it of, where it has one."""

    name: str
    text: str
    #: Whether it belongs to the one before it.
    within: bool = False

    def __str__(self) -> str:
        return f"{self.name}: {self.text}" if self.name else self.text


@immutable
class SpokenSection:
    """What is stated under a ``title``, and its ``state`` in a few words."""

    block: str
    title: str
    state: str
    sentences: tuple[Sentence, ...]


def sentences_of(case: Case) -> list[tuple[str, list[str]]]:
    """Return the headings under which a case states something, each with its sentences."""
    found = []
    for section in sections(case, None):
        rows = [str(spoken) for row in section.rows if (spoken := _spoken(row)) is not None]
        if rows and section.block != "mesh":
            found.append((section.title, rows))
    return found


def spoken_sections(case: Case, outcome: Outcome | None) -> list[SpokenSection]:
    """Return everything a case states, with what follows from it and tables row by row."""
    found = []
    for section in sections(case, outcome):
        rows = tuple(spoken for row in section.rows if (spoken := _spoken(row, case)) is not None)
        if rows or case.data.get(section.block):
            found.append(SpokenSection(section.block, section.title, section.state, rows))
    return found


def phrase_of(row: SheetRow, part: SentencePart, text: str) -> str:
    """Return what is said of a row when ``text`` stands in place of one of its parts: its name and the words before."""
    place = row.index(part)
    texts = [_said(each, None) or "" for each in row]
    name = next((own for own in texts[:place] if own.strip()), "")
    before: list[str] = []
    for other, own in zip(row[:place], texts[:place], strict=True):
        before = [] if isinstance(other, Entry) else [*before, own.strip()]
    words = " ".join(word for word in [*before, text] if word and word != name)
    return f"{name.strip()}: {words}" if name else words


def _spoken(row: SheetRow, whole: Case | None = None) -> Sentence | None:
    """What a row says; of a ``whole`` case with what is quiet in it, and with the rows of its tables."""
    name, words = "", list[str]()
    for part in row:
        if isinstance(part, Choice) and part.role == "link":
            continue
        if isinstance(part, Entry) and part.style == "name" and not words and not name and len(row) > 1:
            name = part.text
        elif (text := _said(part, whole)) is not None:
            words.append(text)
    within = bool(words) and not words[0].strip()
    text = " ".join(word for word in words if word.strip()).replace(" ,", ",")
    if name and text.startswith("= "):
        return Sentence("", f"{name} {text}", within)
    return Sentence(name, text, within) if name or text else None


def _said(part: SentencePart, whole: Case | None) -> str | None:
    if isinstance(part, CurveOfLaw) and whole is not None:
        rows = value_at(whole.data, (*part.tabled.path, "table"), [])
        return f"{part.text} ({'; '.join(' → '.join(str(cell) for cell in row) for row in rows)})"
    if not isinstance(part, Word | Entry | Choice | CurveOfLaw):
        return None
    quiet = isinstance(part, Word) and part.role == "quiet" and whole is None
    return None if quiet else part.text
