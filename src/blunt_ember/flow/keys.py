"""What each step of the flow depends on: everything the case says, minus a named list of what the step ignores.

A block that is new to the document is part of every key until somebody says which steps ignore it, so forgetting it
costs time and never an answer.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from blunt_ember.case.case import Case
from blunt_ember.case.document.bodies import Group, Piece
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.materials import Material
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.regions import Level, Region
from blunt_ember.content_hash import content_hash
from blunt_ember.flow.cache import Step

#: A field of the document: its entry, of which it may be a subclass, and its name.
DocumentField = tuple[type[BaseModel], str]

#: What no number depends on: words; and formulas, whose values stand in the quantities that use them.
_WORDS: frozenset[DocumentField] = frozenset(
    {
        (CaseDocument, "format"),
        (CaseDocument, "title"),
        (CaseDocument, "units"),
        (CaseDocument, "parameters"),
        (CaseDocument, "working"),
        (CaseDocument, "studies"),
        (Material, "source"),
        (Material, "range"),
        (Question, "name"),
        (Question, "expect"),
        (Question, "tolerance"),
    }
)
#: What fills a body, and what acts on it, which its shape does not depend on.
_FILLING: frozenset[DocumentField] = frozenset(
    {
        *((entry, "material") for entry in (Region, Level, Piece, Group)),
        *((entry, "direction") for entry in (Region, Level, Group)),
        (CaseDocument, "materials"),
        (CaseDocument, "environments"),
        (CaseDocument, "surroundings"),
        (CaseDocument, "enclosures"),
        (CaseDocument, "heat_inside"),
        (CaseDocument, "isothermal"),
        (CaseDocument, "joints"),
        (CaseDocument, "clock"),
        (CaseDocument, "questions"),
    }
)
#: Names of surfaces matter where a step says so itself: parts that are cut out, and names that it looks up.
_SURFACES: frozenset[DocumentField] = frozenset({(CaseDocument, "surfaces")})
_MESH: frozenset[DocumentField] = frozenset({(CaseDocument, "mesh")})

#: Steps that follow from the split mesh alone.
_OF_MESH = (Step.SPLIT_MESH, Step.CHAMBER, Step.SHARING, Step.PREPARED)
#: By step, the fields of the document that it ignores.
IGNORED: Mapping[Step, frozenset[DocumentField]] = {
    Step.GEOMETRY: _WORDS | _FILLING | _SURFACES | _MESH,
    Step.MESH: _WORDS | _FILLING | _SURFACES,
    **dict.fromkeys(_OF_MESH, _WORDS | (_FILLING - {(CaseDocument, "joints")}) | _SURFACES),
    Step.PROBLEM: _WORDS,
    Step.SOLUTION: _WORDS | {(CaseDocument, "questions")},
    Step.HEAT: _WORDS | {(CaseDocument, "questions")},
    Step.COUPLING: _WORDS | {(CaseDocument, "questions"), (CaseDocument, "environments")},
    Step.REQUEST: _WORDS,
    Step.RUN: _WORDS,
    Step.ANSWERS: _WORDS,
    Step.SECOND_METHOD: _WORDS | _MESH | {(CaseDocument, "questions")},
}
#: Documents whose keys are remembered, and blocks of them.
_MOST, _MOST_BLOCKS = 16, 512


class _Blocks:
    """What blocks say, by what is ignored of them; cases that are alike share those that are the same."""

    def __init__(self) -> None:
        self._said: OrderedDict[tuple[int, frozenset[DocumentField]], tuple[Any, str]] = OrderedDict()

    def of(self, block: Any, ignored: frozenset[DocumentField]) -> str:
        """What a block says. It is kept too, so that nothing else is taken for it."""
        place = id(block), ignored
        if place not in self._said:
            self._said[place] = block, content_hash(said(block, ignored))
            while len(self._said) > _MOST_BLOCKS:
                self._said.popitem(last=False)
        self._said.move_to_end(place)
        return self._said[place][1]


class StepKeys:
    """Makes the keys of steps, and remembers what recent documents say.

    A block is read once for all steps that read the same of it.
    """

    def __init__(self) -> None:
        self._known: OrderedDict[int, _Read] = OrderedDict()
        self._blocks = _Blocks()

    def of(self, case: Case, step: Step, *more: Any) -> str:
        """Return the key of a step: what it does not ignore, ``more`` that it depends on, and the files it reads."""
        document = case.document
        read = self._known.get(id(document))
        if read is None:
            read = self._known[id(document)] = _Read(document, self._blocks)
            while len(self._known) > _MOST:
                self._known.popitem(last=False)
        files = tuple(_stamp(Path(case.folder) / name) for name in document.body.files)
        return content_hash(read.of(step), files, *more)


class _Read:
    """What a document says, by step."""

    def __init__(self, document: CaseDocument, blocks: _Blocks) -> None:
        self._document = document
        self._blocks = blocks
        self._steps: dict[Step, str] = {}

    def of(self, step: Step) -> str:
        """What a step does not ignore."""
        if step not in self._steps:
            document, ignored = self._document, IGNORED[step]
            within = _within(ignored)
            blocks = tuple(
                (key, self._blocks.of(getattr(document, key), within)) for key in _counting(CaseDocument, ignored)
            )
            self._steps[step] = content_hash(blocks, *_named(document, step), *_patched(document, step))
        return self._steps[step]


@cache
def _within(ignored: frozenset[DocumentField]) -> frozenset[DocumentField]:
    """What is ignored within blocks."""
    return frozenset(field for field in ignored if field[0] is not CaseDocument)


def said(part: Any, ignored: frozenset[DocumentField]) -> Any:
    """Return a part of the document as plain data, less the fields that are ignored."""
    if isinstance(part, BaseModel):
        return type(part).__name__, {key: said(getattr(part, key), ignored) for key in _counting(type(part), ignored)}
    if isinstance(part, Mapping):
        return {key: said(entry, ignored) for key, entry in part.items()}
    return tuple(said(entry, ignored) for entry in part) if isinstance(part, list | tuple) else part


def _named(document: CaseDocument, step: Step) -> tuple[Any, ...]:
    """What a step that ignores the names of surfaces yet takes of them."""
    if (CaseDocument, "surfaces") not in IGNORED[step]:
        return ()
    split = bool(document.mesh.local or document.joints)
    looked_up = {Step.MESH: bool(document.mesh.local), **dict.fromkeys(_OF_MESH, split)}
    mapped = not document.body.files and document.mesh.cells in ("auto", "quadrilaterals")
    graded = step in looked_up and mapped and document.mesh.size == "auto"
    exchanging = sorted(document.exchanging_surfaces) if graded else []
    repeating = document.periodic_pairs if step in looked_up else ()
    return (document.surface_parts, document.surfaces if looked_up.get(step) else {}, exchanging, repeating)


def _patched(document: CaseDocument, step: Step) -> tuple[bool, ...]:
    """Of tolerances, what the patches of enclosures follow in all that is made of them."""
    before = (Step.GEOMETRY, Step.MESH, *_OF_MESH)
    return (document.asks_finely,) if document.enclosures and step not in before else ()


def _stamp(path: Path) -> tuple[str, int, int]:
    """What changes when a file does: a mesh that is written anew is read anew."""
    try:
        state = path.stat()
    except (OSError, ValueError):  # a name may hold what no name can
        return str(path), 0, 0
    return str(path), state.st_mtime_ns, state.st_size


@cache
def _counting(kind: type[BaseModel], ignored: frozenset[DocumentField]) -> tuple[str, ...]:
    """The fields of an entry that are not ignored."""
    return tuple(key for key in kind.model_fields if not any((entry, key) in ignored for entry in kind.__mro__))
