"""What has been read of a line so far, and what of it is not understood."""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping
from dataclasses import dataclass, field
from typing import Any, TypeVar

from blunt_ember.case.case import Case
from blunt_ember.immutable import immutable
from blunt_ember.noted.noted_body import NotedLayer
from blunt_ember.noted.phrases import KEYS, NotedValue, NotedWord, Token

#: Words for all sides of which nothing else is said.
REST = frozenset(("others", "other", "rest", "remaining", "elsewhere"))
#: Words that say nothing by themselves.
IDLE = frozenset(
    [
        "of",
        "at",
        "with",
        "and",
        "the",
        "a",
        "an",
        "in",
        "on",
        "by",
        "is",
        "are",
        "it",
        "its",
        "film",
        "held",
        "kept",
        "near",
        "between",
        "made",
        *("exposed", "maintained", "surrounded", "suddenly", "uniformly", "uniform", "initial", "into", "onto"),
        *("which", "that", "whose", "has", "having", "cooled", "heated", "cooling", "heating"),
        *REST,
    ]
)


AnyKey = TypeVar("AnyKey")


@immutable
class NotUnderstood:
    """What of a line is not understood, from ``start`` to ``end``, and what would be right there."""

    start: int
    end: int
    message: str


@immutable
class NotedProblem:
    """A case made of a line, None where there is not enough for a body; what was not understood of the line, and what
    is missing in it."""

    case: Case | None
    not_understood: tuple[NotUnderstood, ...] = ()
    missing: tuple[str, ...] = ()


@dataclass
class NotedStatement:
    """What is stated on ``sides``: the word for each and where that stands, and on all the ``rest``; whether it names a
    ``fluid``, and what acts there."""

    sides: list[NotedWord]
    rest: bool
    fluid: bool
    outward: bool
    start: int
    end: int
    says: dict[str, Any] = field(default_factory=dict)
    #: The word for its film coefficient, which may tell on which side that is.
    film: str = ""


@immutable
class NotedAsked:
    """What is asked for, as the document calls it, of ``sides`` by their words, or of the whole body; heat that is
    ``lost`` counts out of it."""

    kind: str
    sides: list[NotedWord]
    lost: bool


@immutable
class NotedEnd:
    """A temperature at which a run ends: that of a ``place`` by its word, or of the whole body."""

    passes: str
    place: NotedWord | None


@dataclass
class ReadLine:
    """What has been read so far."""

    shelf: Mapping[str, dict[str, Any]]
    head: str = ""
    sizes: dict[str, tuple[NotedValue, ...]] = field(default_factory=dict)
    layers: list[NotedLayer] = field(default_factory=list)
    materials: dict[str, dict[str, Any]] = field(default_factory=dict)
    statements: list[NotedStatement] = field(default_factory=list)
    clock: dict[str, str] = field(default_factory=dict)
    within: dict[str, str] = field(default_factory=dict)
    until: NotedEnd | None = None
    asked: list[NotedAsked] = field(default_factory=list)
    faults: list[NotUnderstood] = field(default_factory=list)

    @property
    def told(self) -> tuple[NotUnderstood, ...]:
        """What is not understood, as it stands in the line."""
        return tuple(sorted(self.faults, key=lambda each: each.start))

    def fault(self, at: Token, message: str) -> None:
        """Note what is not understood at a word or value."""
        self.faults.append(NotUnderstood(at.start, at.end, message))

    def once(self, said: MutableMapping[AnyKey, str], key: AnyKey, value: NotedValue) -> None:
        """Take a value of a phrase; a second one of the same kind is told."""
        if key in said:
            self.fault(value, f"'{value.text}' comes after '{said[key]}', which is of the same kind; part them by ';'")
        else:
            said[key] = value.text

    def size(self, key: str, *values: NotedValue) -> None:
        """Take sizes of the whole body; a second time under the same key is told."""
        if key in self.sizes:
            before = " ".join(value.text for value in self.sizes[key])
            self.fault(values[-1], f"'{values[-1].text}' comes after '{before}', which is the same size; remove one")
        else:
            self.sizes[key] = values


def lacking(token: NotedValue, unit: str, what: str) -> str:
    """Say why a value cannot stand in a phrase of ``what``: it has no ``unit``, or is of another kind."""
    if token.kind is None and " " in token.text and token.key in KEYS:
        return f"is no {KEYS[token.key][0].name.split(' ', 1)[1]}, such as {KEYS[token.key][0].example}"
    if token.kind is None and token.key == "r":
        return f"has no unit here: '{token.text} m² K/W' resists, '{token.text} mm' is a radius"
    return (
        f"has no unit here, such as {unit}"
        if token.kind is None
        else f"is {token.kind.name}, which {what} does not have"
    )
