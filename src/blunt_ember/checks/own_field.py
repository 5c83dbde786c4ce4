"""A line of the Working that follows the place, as a field to compare with."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.case.laws import Law
from blunt_ember.checks.fits.field import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.geometry.space import Space


@dataclass(frozen=True)
class OwnField:
    """A field of temperature that the analyst wrote down."""

    law: Law
    space: Space
    name: str

    @property
    def source(self) -> str:
        """The line."""
        return f"working: {self.name}"

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m."""
        return self.law.at(self.space.variables(points))

    def heat(self, surface: str) -> float:
        """Not said by a field."""
        return float("nan")


def own_field(name: str, law: Law, space: Space) -> OwnField:
    """Return the field of a line; raise :class:`ReferenceRefusedError` where this body lacks a coordinate of it."""
    missing = sorted(law.variables - space.variables(np.ones((1, space.dimension))).keys())
    if missing:
        raise ReferenceRefusedError(f"this body has no coordinate {missing[0]}")
    return OwnField(law, space, name)
