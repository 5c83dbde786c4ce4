"""What surfaces of enclosures see of each other, by closed forms."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.checks.references.fits.field import Unsaid
from blunt_ember.checks.references.views.catalogue import EnclosureViews, views_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable

Names = tuple[str, ...]


@runtime_checkable
class SeenField(Protocol):
    """An exact solution that knows what surfaces see of each other."""

    def view_factor(self, first: Names, second: Names) -> float:
        """View factor from surfaces, or the opening, to others; NaN where it is not known."""


@runtime_checkable
class RadiatingField(SeenField, Protocol):
    """An exact solution that knows what surfaces radiate to each other."""

    def radiated(self, surfaces: Names, how: RadiatedHow) -> float:
        """Heat in W of surfaces; NaN where it is not known."""

    def exchanged(self, first: Names, second: Names) -> float:
        """Net heat in W radiated from surfaces, or the opening, to others; NaN where it is not known."""


@immutable
class SeenViews(Unsaid):
    """View factors alone."""

    views: tuple[EnclosureViews, ...]
    name: str = "view-factors"

    @property
    def source(self) -> str:
        """Which forms were used."""
        return "; ".join(dict.fromkeys(each.source for each in self.views))

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Not said."""
        return np.full(len(points), np.nan)

    def view_factor(self, first: Names, second: Names) -> float:
        """View factor from surfaces, or the opening, to others; NaN where it is not known."""
        for each in self.views:
            if all(name == OPENING or name in each.surfaces for name in (*first, *second)):
                return each.view_factor(first, second)
        return float("nan")


def view_factors(geometry: BodyGeometry, problem: Problem) -> SeenViews:
    """Return what is known of what surfaces see of each other.

    Raises :class:`ReferenceRefusedError` where there is no enclosure.
    """
    return SeenViews(known_views(geometry, problem))


def known_views(geometry: BodyGeometry, problem: Problem) -> tuple[EnclosureViews, ...]:
    """Return what is known of every enclosure; raise :class:`ReferenceRefusedError` where there is none."""
    if not problem.enclosures:
        raise ReferenceRefusedError("no surfaces see each other")
    return tuple(views_of(law, geometry, problem.mesh) for law in problem.enclosures)
