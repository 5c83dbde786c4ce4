"""A chamber: surfaces that see each other, how much, and what of each looks out through an opening."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.space import Plane, Turned
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.closure import closed_exchange
from blunt_ember.radiation.facets import (
    coarsened,
    looked_from,
    looking_facets,
    round_ones_apart,
    skin_about,
    straight_skin,
)
from blunt_ember.radiation.rings import exchange_areas
from blunt_ember.radiation.strings import exchange_lengths

#: Share of what a chamber sees in all that is no opening: round-off, and what sampling misses.
_OPEN_IN_PLANE, _OPEN_TURNED = 1e-5, 1e-3
#: Share of what a chamber sees that is none.
_NONE = 1e-9
#: Facets of a chamber at most, and how many numbers are held at once for every pair of them.
MOST_FACETS, _COPIES = 8_000, 6
#: An edge this near the axis, as a share of the largest radius, lies on it and hides nothing.
_ON_AXIS = 1e-9


class ChamberError(BluntEmberError):
    """Surfaces that make no chamber; the message says why."""


class BlindError(ChamberError):
    """Surfaces that see nothing of each other."""


@dataclass(frozen=True)
class Chamber:
    """What the facets of ``surfaces`` see of each other.

    ``surface`` (m,) is the place of the surface of each facet and ``area`` (m,) in m² its size. ``exchange`` (m, m) in
    m² are areas times view factors: symmetric, and with the ``opening`` (m,) in m², what looks out of the chamber, they
    sum to the area of each facet. ``left`` is how much of a facet at most did not close before it was corrected, as a
    share, and ``corrected`` the largest correction of a facet as a share.
    """

    surfaces: tuple[str, ...]
    surface: Ints
    area: Floats
    exchange: Floats
    opening: Floats
    left: float
    corrected: float

    @property
    def open_area(self) -> float:
        """What all facets together see of the opening, m²: its size, where it is flat; 0 for a closed chamber."""
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
        """Return by how much the facets of a surface differ at most in the share of their views a surface takes."""
        shares = (self._owning() @ self.exchange) / self.area
        own = [shares[:, self.surface == place] for place in range(len(self.surfaces))]
        return float(max(np.ptp(each, axis=1).max() for each in own))

    def evened(self) -> Chamber:
        """Return the chamber with every surface taken as one: each facet of it sees what the whole of it sees."""
        share = self.area / self.areas()[self.surface]
        exchange = np.outer(share, share) * self.between()[np.ix_(self.surface, self.surface)]
        return replace(self, exchange=exchange, opening=share * self.openings()[self.surface])

    def _owning(self) -> Floats:
        return (np.arange(len(self.surfaces))[:, None] == self.surface).astype(float)


def chamber_of(mesh: Mesh, surfaces: Sequence[str], area: Floats, closed: bool = False) -> Chamber:
    """Return what ``surfaces`` of a section see of each other; ``area`` (m,) in m² is that of their facets.

    What is missing is shared out where it is said ``closed``.

    Raises :class:`BlindError` where they see nothing, and :class:`ChamberError` where their facets are too many.
    """
    if len(area) > MOST_FACETS:
        what = f"its surfaces have {len(area):,} facets, of which all pairs would take "
        what += f"{_COPIES * 8e-9 * len(area) ** 2:.1f} GB; {MOST_FACETS:,} can be held"
        raise ChamberError(f"{what}: state a larger size of cells on them")
    facets = looking_facets(mesh, surfaces)
    start, end = mesh.points[facets.corners[:, 0]], mesh.points[facets.corners[:, 1]]
    straight = np.linalg.norm(end - start, axis=1)
    skin = skin_about(mesh.points, straight_skin(mesh), looked_from(mesh, facets))
    if isinstance(mesh.space, Plane):
        exchange = exchange_lengths(start, end, *round_ones_apart(mesh.points, skin)) * mesh.space.depth
        lacking, least = 1 - exchange.sum(axis=1) / (straight * mesh.space.depth), _OPEN_IN_PLANE
    else:
        skin = coarsened(mesh.points, skin, np.concatenate([start, end]))
        off_axis = mesh.points[skin][..., 0].max(axis=1) > _ON_AXIS * mesh.points[:, 0].max()
        exchange = exchange_areas(start, end, mesh.points[skin[off_axis]][:, ::-1])
        lacking = 1 - exchange.sum(axis=1) / (np.pi * (start[:, 0] + end[:, 0]) * straight)
        least = _OPEN_TURNED
    if not exchange.any():
        raise BlindError("its surfaces do not see each other")
    opening = np.zeros(len(area))
    if not closed:
        opening = _opening(area, lacking, least, _ends_meet(start, end, mesh))
    return _chamber(tuple(surfaces), facets.surface, area, exchange, lacking, opening, closed)


def _ends_meet(start: Floats, end: Floats, mesh: Mesh) -> bool:
    """Whether facets follow each other all round, or to the axis: what does not is open, however small the opening."""
    reach = float(np.ptp(mesh.points, axis=0).max())
    if isinstance(mesh.space, Turned):
        start, end = (each[each[:, 0] > _ON_AXIS * reach] for each in (start, end))
    first, last = (each[np.lexsort(each.T)] for each in (start, end))  # nodes have the same digits on both sides
    return np.array_equal(first, last)


def _opening(area: Floats, lacking: Floats, least: float, ends_meet: bool) -> Floats:
    """What each facet (m,) sees of an opening, m², from what it lacks as a share.

    Where ends meet there is none below the ``least`` share of all. What is off by chance in single facets evens out
    over all of them, unless it is more than the opening itself.
    """
    seen = area * np.clip(lacking, 0.0, 1.0)
    whole, most = float(lacking @ area), float(area.sum())
    if (ends_meet and whole <= least * most) or seen.sum() <= _NONE * most:
        return np.zeros(len(area))
    return np.asarray(seen * (whole / seen.sum())) if whole > 0 else seen


def _chamber(
    surfaces: tuple[str, ...],
    surface: Ints,
    area: Floats,
    exchange: Floats,
    lacking: Floats,
    opening: Floats,
    closed: bool,
) -> Chamber:
    """Close what is left beside the ``opening`` (m,) in m², of what facets lack (m,) as a share."""
    left = float(np.abs(lacking - opening / area).max())
    blind = ~exchange.any(axis=1)
    if closed and blind.any():
        raise BlindError("a part of its surfaces sees nothing of the others, so it is not closed")
    whole, corrected = closed_exchange(exchange, np.where(blind, 0.0, area - opening))
    opening = np.where(blind, area, opening)
    return Chamber(surfaces, surface, area, whole, opening, left, corrected)
