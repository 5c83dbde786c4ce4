"""A chamber: surfaces that see each other, how much, and what of each looks out through an opening."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.closure import closed_exchange
from blunt_ember.radiation.facets import looking_facets
from blunt_ember.radiation.images import images_at
from blunt_ember.radiation.section.views import section_views
from blunt_ember.radiation.solid.views import solid_views
from blunt_ember.radiation.views import Views

#: Share of what a chamber sees that is none.
_NONE = 1e-9
#: Facets of a plane section at most, and of a turned one.
MOST_FACETS, MOST_RINGS = 20_000, 8_000


class ChamberError(BluntEmberError):
    """Surfaces that make no chamber; the message says why."""


class BlindError(ChamberError):
    """Surfaces that see nothing of each other."""


@immutable
class Chamber:
    """What the patches of ``surfaces`` see of each other: facets, or several of them where they are many.

    ``surface`` (p,) is the place of the surface of each patch and ``area`` (p,) in m² its size. ``exchange`` (p, p) in
    m² are areas times view factors: symmetric, and with the ``opening`` (p,) in m², what looks out of the chamber, they
    sum to the area of each patch. ``patch`` (m,) is that of every facet of the surfaces, block by block. ``left`` is
    how much of a patch at most did not close before it was corrected, as a share, and ``corrected`` the largest
    correction of a patch as a share.
    """

    surfaces: tuple[str, ...]
    surface: Ints
    area: Floats
    exchange: Floats
    opening: Floats
    patch: Ints
    left: float
    corrected: float

    @property
    def open_area(self) -> float:
        """What all patches together see of the opening, m²: its size, where it is flat; 0 for a closed chamber."""
        return float(self.opening.sum())

    def between(self) -> Floats:
        """Return the exchanged areas (s, s) in m² of whole surfaces."""
        own = self._owning()
        return np.asarray(own @ self.exchange @ own.T)

    def areas(self) -> Floats:
        """Return the areas (s,) in m² of the surfaces."""
        return np.asarray(self._owning() @ self.area)

    def openings(self) -> Floats:
        """Return what each surface (s,) sees of the opening, m²."""
        return np.asarray(self._owning() @ self.opening)

    def unevenness(self) -> float:
        """Return by how much the patches of a surface differ at most in the share of their views a surface takes."""
        shares = (self._owning() @ self.exchange) / self.area
        own = [shares[:, self.surface == place] for place in range(len(self.surfaces))]
        return float(max(np.ptp(each, axis=1).max() for each in own))

    def evened(self) -> Chamber:
        """Return the chamber with every surface taken as one patch."""
        surface, patch = np.arange(len(self.surfaces)), self.surface[self.patch]
        exchange, opening = self.between(), self.openings()
        return replace(self, surface=surface, area=self.areas(), exchange=exchange, opening=opening, patch=patch)

    def _owning(self) -> Floats:
        return (np.arange(len(self.surfaces))[:, None] == self.surface).astype(float)


def chamber_of(
    mesh: Mesh,
    surfaces: Sequence[str],
    area: Floats,
    closed: bool = False,
    mirrors: Sequence[str] = (),
    repeats: Sequence[str] = (),
    fine: bool = False,
) -> Chamber:
    """Return what ``surfaces`` of a mesh see of each other; ``area`` (m,) in m² is that of their facets.

    What is missing is shared out where it is said ``closed``. They see each other again in the planes of surfaces that
    are ``mirrors``, and in all copies of the body where it ``repeats`` between two surfaces. Where facets are many they
    are gathered into patches, twice as many where these are to be ``fine``.

    Raises :class:`BlindError` where they see nothing, :class:`ChamberError` where their facets are too many,
    :class:`MirrorError` for surfaces that are no mirrors and :class:`RepeatError` for two between which nothing
    repeats.
    """
    images = images_at(mesh, mirrors, repeats)
    most = MOST_RINGS if mesh.space.axisymmetric else MOST_FACETS
    if mesh.dimension == 2 and len(area) ** 2 * images.count > most**2:
        what = f"its surfaces have {len(area):,} facets"
        what += f" and {images.count - 1} images of each" if images.count > 1 else ""
        raise ChamberError(
            f"{what}, whose views would take more than minutes; {most / images.count**0.5:,.0f} can be looked at: "
            "state a larger size of cells on them"
        )
    facets = looking_facets(mesh, surfaces)
    views = (section_views if mesh.dimension == 2 else solid_views)(mesh, facets, images, 2 if fine else 1)
    if not views.exchange.any():
        raise BlindError("its surfaces do not see each other")
    surface = np.zeros(len(views.size), dtype=np.int64)
    surface[views.patch] = facets.surface
    return _closed(tuple(surfaces), surface, np.bincount(views.patch, weights=area).astype(float), views, closed)


def _opening(area: Floats, lacking: Floats, least: float, ends_meet: bool) -> Floats:
    """What each patch (p,) sees of an opening, m², from what it lacks as a share.

    Where ends meet there is none below the ``least`` share of all. What is off by chance in single patches evens out
    over all of them, unless it is more than the opening itself.
    """
    seen = area * np.clip(lacking, 0.0, 1.0)
    whole, most = float(lacking @ area), float(area.sum())
    if (ends_meet and whole <= least * most) or seen.sum() <= _NONE * most:
        return np.zeros(len(area))
    return np.asarray(seen * (whole / seen.sum())) if whole > 0 else seen


def _closed(surfaces: tuple[str, ...], surface: Ints, area: Floats, views: Views, closed: bool) -> Chamber:
    """Close what is left beside the opening."""
    exchange, lacking = views.exchange, 1 - views.exchange.sum(axis=1) / views.size
    opening = np.zeros(len(area))
    if not closed:
        opening = _opening(area, lacking, views.least, views.ends_meet)
    left = float(np.abs(lacking - opening / area).max())
    blind = ~exchange.any(axis=1)
    if closed and blind.any():
        raise BlindError("a part of its surfaces sees nothing of the others, so it is not closed")
    whole, corrected = closed_exchange(exchange, np.where(blind, 0.0, area - opening))
    opening = np.where(blind, area, opening)
    return Chamber(surfaces, surface, area, whole, opening, views.patch, left, corrected)
