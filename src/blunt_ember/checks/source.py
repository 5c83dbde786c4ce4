"""Where a value that an answer is compared with comes from."""

from __future__ import annotations

from enum import Enum

from blunt_ember.immutable import immutable


class Provenance(Enum):
    """Who says what is expected."""

    EXACT = "exact"
    #: A closed form of an idealised body: a right answer may be off it by what the ideal leaves out.
    THEORY = "theory"
    #: Another method than meshes, of its own accuracy: never exact.
    SECOND = "second method"
    WORKING = "working"
    STATED = "stated"


@immutable
class Source:
    """An exact solution or a theory and its source, a line of the Working, or what the analyst stated as the source."""

    provenance: Provenance
    text: str

    def __str__(self) -> str:
        return self.text if self.provenance is Provenance.STATED else f"{self.provenance.value}: {self.text}"

    @property
    def short(self) -> str:
        """What there is room for on a card."""
        if self.provenance in (Provenance.EXACT, Provenance.THEORY, Provenance.SECOND):
            return self.provenance.value
        return f"= {self.text}" if self.provenance is Provenance.WORKING else self.text
