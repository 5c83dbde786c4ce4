"""What a formula of a textbook is: its arguments, its range, its source."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field as made_by
from math import inf
from typing import Any

from blunt_ember.case.values.units import LENGTH, Kind
from blunt_ember.immutable import immutable


class RangeError(Exception):
    """Arguments for which an entry does not hold; the message says what must be."""


@immutable
class Entry:
    """A formula of a textbook: the function it is called by, what it is of, its arguments, and how exact it is.

    ``must`` says for which arguments it holds, and ``holds`` tells whether some do. ``kinds`` are those of arguments
    that are no lengths, ``gives`` that of what it gives; all are in SI. One that is a ``field`` takes arguments that
    follow place and time, and such as are zero or below.
    """

    name: str
    words: str
    arguments: tuple[str, ...]
    formula: Callable[..., Any]
    must: str
    holds: Callable[..., bool]
    exactness: str
    source: str
    #: Arguments such as one may begin with, lengths in mm, the others in SI.
    example: tuple[float, ...]
    kinds: Mapping[str, Kind] = made_by(default_factory=dict)
    gives: Kind = LENGTH
    field: bool = False

    def __call__(self, *given: Any) -> Any:
        """Return what it gives; raise :class:`RangeError` where it does not hold."""
        if len(given) != len(self.arguments):
            wanted = ", ".join(self.arguments)
            raise RangeError(f"{self.name} takes {len(self.arguments)} arguments, {wanted}; not {len(given)}")
        if not self.field and not all(0 < value < inf for value in given):
            raise RangeError(f"{self.name} takes arguments above zero")
        if not self.holds(*given):
            raise RangeError(f"{self.name} holds for {self.must}")
        return self.formula(*given)

    def kind_of(self, argument: str) -> Kind:
        """Return the kind of an argument."""
        return self.kinds.get(argument, LENGTH)

    @property
    def called(self) -> str:
        """How a formula calls it, with arguments to begin with."""
        given = (
            f"{value:g} {self.kinds[name].shown if name in self.kinds else 'mm'}".strip()
            for name, value in zip(self.arguments, self.example, strict=True)
        )
        return f"{self.name}({', '.join(given)})"
