"""A line of the Working that follows the place, as a field to compare with."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.checks.references.fits.by_fewer import by_fewer
from blunt_ember.checks.references.fits.field import ExactField, Idealised, MovingField, Unsaid
from blunt_ember.checks.source import Provenance, Source
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.geometry.space import Space
from blunt_ember.immutable import immutable


@immutable
class OwnField(Unsaid):
    """A field of temperature that the analyst wrote down."""

    law: Law
    space: Space
    name: str
    t: float = 0.0

    @property
    def source(self) -> str:
        """The line."""
        return self.name

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m."""
        return self.law.at({**self.space.variables(points), "t": np.full(len(points), self.t)})

    def at(self, t: float) -> OwnField:
        """Return the field of a time in s."""
        return replace(self, t=t)


def working_field(name: str, law: Law, space: Space, runs: bool = False) -> OwnField:
    """Return the field of a line; raise :class:`ReferenceRefusedError` where this body lacks a coordinate of it.

    ``runs`` tells whether the clock does.
    """
    missing = sorted(law.variables - space.variables(np.ones((1, space.dimension))).keys() - {"t"})
    if "t" in law.variables and not runs:
        raise ReferenceRefusedError("it depends on t, and the clock is steady")
    if missing:
        raise ReferenceRefusedError(f"this body has no coordinate {missing[0]}")
    return OwnField(law, space, name)


def source_of(field: ExactField | MovingField) -> Source:
    """Return where a field that answers are compared with comes from."""
    if isinstance(field, OwnField):
        return Source(Provenance.WORKING, field.source)
    if by_fewer(field) is not None:
        return Source(Provenance.SECOND, field.source)
    return Source(Provenance.THEORY if isinstance(field, Idealised) else Provenance.EXACT, field.source)
