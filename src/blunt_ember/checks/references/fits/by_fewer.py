"""How far to trust a field that is fitted: what it would be of fewer functions."""

from __future__ import annotations

from dataclasses import replace
from typing import Protocol, runtime_checkable

from blunt_ember.checks.references.fits.field import ExactField
from blunt_ember.checks.references.fits.solids import SolidField


@runtime_checkable
class FittedField(Protocol):
    """A field that is fitted, and errs by no more than ``error``, K."""

    error: float

    def by_fewer(self) -> ExactField:
        """Return what is found with fewer functions."""


def by_fewer(field: object) -> tuple[ExactField, float] | None:
    """Return what is found with fewer functions, and by how much a field errs, K: both tell how far to trust an answer
    of its. None where a field is not fitted."""
    if isinstance(field, SolidField):
        flat = by_fewer(field.flat)
        return None if flat is None else (replace(field, flat=flat[0]), flat[1])
    return (field.by_fewer(), field.error) if isinstance(field, FittedField) else None
