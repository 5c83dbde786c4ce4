"""What can go wrong, said to the analyst: where, what, and how to mend it."""

from __future__ import annotations

import re
from collections.abc import Sequence

from blunt_ember.immutable import immutable

#: Where something stands in the data of a case: keys and places of lists.
DataPath = tuple[str | int, ...]


def path_text(path: Sequence[str | int]) -> str:
    """Return ``body.regions.brick.size[0]``; a key with other signs is quoted."""
    text = ""
    for part in path:
        if isinstance(part, int):
            text += f"[{part}]"
        elif re.fullmatch(r"\w+", part):
            text += f".{part}" if text else part
        else:
            text += f'["{part}"]'
    return text


class BluntEmberError(Exception):
    """Base of every error this package raises on purpose; its text is meant for the analyst."""


class ExpressionError(BluntEmberError):
    """A quantity or formula cannot be read, or has the wrong unit; ``instead`` are texts that would be right."""

    def __init__(self, message: str, instead: tuple[str, ...] = ()) -> None:
        super().__init__(message)
        self.instead = instead


@immutable
class Fault:
    """One thing wrong with a case: ``at`` which place of the document, and what to do; ``instead`` are texts that would
    be right there, ``meant`` a name there that is none and the one that was meant."""

    at: DataPath
    message: str
    instead: tuple[str, ...] = ()
    meant: tuple[str, str] | None = None

    @property
    def path(self) -> str:
        """The place as text, such as ``body.regions.brick.size[0]``."""
        return path_text(self.at)

    def __str__(self) -> str:
        return f"{self.path}: {self.message}" if self.path else self.message


@immutable
class Note:
    """Something about a case that is no fault but should be known: ``at`` which place of the document, and what."""

    at: DataPath
    message: str

    @property
    def path(self) -> str:
        """The place as text."""
        return path_text(self.at)

    def __str__(self) -> str:
        return f"{self.path}: {self.message}"


class CaseError(BluntEmberError):
    """The case as stated is wrong; carries every fault found, not only the first."""

    def __init__(self, faults: tuple[Fault, ...]) -> None:
        super().__init__(faults)
        self.faults = faults

    def __str__(self) -> str:
        return "\n".join(str(fault) for fault in self.faults)


class OpenCaseError(CaseError):
    """Nothing is wrong, but something needed for a solution has not been stated yet."""


class SolverError(BluntEmberError):
    """The equations could not be solved."""


class StoppedError(BluntEmberError):
    """What was running was asked to stop."""


class ReferenceRefusedError(BluntEmberError):
    """An exact solution does not hold for this case; the text says why."""
