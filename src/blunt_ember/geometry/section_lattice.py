"""Sections whose edges all lie on one lattice, straight or round, so that four-sided cells can be mapped on it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.curves import Curves
from blunt_ember.immutable import immutable

if TYPE_CHECKING:
    from blunt_ember.geometry.section import SectionGeometry


@immutable
class Lattice:
    """Lines at ``us`` and ``vs``; ``owner[i, j]`` is the region between them or ``VOID``.

    Without a ``centre`` u is x and v is y, in m. With one u is the radius in m and v the angle in radians, and
    ``closed`` tells that the last angle is the first again.
    """

    us: Floats
    vs: Floats
    owner: Ints
    centre: tuple[float, float] | None = None
    closed: bool = False

    def places(self, u: Floats, v: Floats) -> Floats:
        """Return the places (n, 2) in m of lattice coordinates (n,)."""
        if self.centre is None:
            return np.column_stack([u, v])
        return np.array(self.centre) + u[:, None] * np.column_stack([np.cos(v), np.sin(v)])

    def coordinates(self, places: Floats) -> Floats:
        """Return the lattice coordinates (n, 2) of places (n, 2) in m; angles may differ by whole turns."""
        if self.centre is None:
            return places
        away = places - np.array(self.centre)
        return np.column_stack([np.linalg.norm(away, axis=1), np.arctan2(away[:, 1], away[:, 0])])

    def widths(self) -> tuple[Floats, Floats]:
        """Return the spaces between the lines in m: along u, and along v at the largest radius."""
        along_v = np.diff(self.vs) * (self.us[-1] if self.centre is not None else 1.0)
        return np.diff(self.us), along_v


def lattice_of(geometry: SectionGeometry) -> Lattice | None:
    """Return the lattice a section lies on, or None when it lies on none."""
    curves = geometry.arrangement.curves
    tolerance = 1e-9 * geometry.extent
    if not curves.is_arc.any():
        return _straight(geometry, curves, tolerance)
    return _round(geometry, curves, tolerance)


def rings_of(geometry: SectionGeometry) -> Lattice | None:
    """Return the rings about one centre that a section is made of, the innermost perhaps a full disc of radius 0 on,
    or None. No cells can be mapped on those next to the centre."""
    curves = geometry.arrangement.curves
    return _round(geometry, curves, 1e-9 * geometry.extent, to_centre=True) if curves.is_arc.any() else None


def _straight(geometry: SectionGeometry, curves: Curves, tolerance: float) -> Lattice | None:
    chord = np.abs(curves.end - curves.start)
    if (chord.min(axis=1) > tolerance).any():
        return None
    points = geometry.arrangement.points
    us, vs = _merged(points[:, 0], tolerance), _merged(points[:, 1], tolerance)
    lattice = Lattice(us, vs, np.zeros((len(us) - 1, len(vs) - 1), dtype=np.int64))
    return _owned(geometry, lattice)


def _round(geometry: SectionGeometry, curves: Curves, tolerance: float, to_centre: bool = False) -> Lattice | None:
    arcs = curves.take(curves.is_arc)
    centre = arcs.centre[0]
    if (np.linalg.norm(arcs.centre - centre, axis=1) > tolerance).any():
        return None
    straight = curves.take(~curves.is_arc)
    a, b = straight.start - centre, straight.end - centre
    size = np.maximum(np.linalg.norm(b - a, axis=1), 1e-300)
    if (np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / size > tolerance).any() or ((a * b).sum(axis=1) < 0).any():
        return None
    away = geometry.arrangement.points - centre
    radius = np.linalg.norm(away, axis=1)
    us = _merged(radius, tolerance)
    solid = us[0] <= tolerance or geometry.owner_at(centre[None])[0] != VOID
    if solid and not to_centre:
        return None  # cells would shrink to nothing at the centre
    if solid and us[0] > tolerance:
        us = np.concatenate([[0.0], us])
    if len(us) < 2:
        return None
    away = away[radius > tolerance]
    angles = np.arctan2(away[:, 1], away[:, 0])
    vs = _merged(np.where(angles < -np.pi + 1e-9, np.pi, angles), 1e-9)
    gap = Lattice(us, np.array([vs[-1], vs[0] + 2 * np.pi]), np.zeros((len(us) - 1, 1), dtype=np.int64), tuple(centre))
    closed = bool((_owned(geometry, gap).owner != VOID).any())
    vs = np.append(vs, vs[0] + 2 * np.pi) if closed else vs
    if np.diff(vs).max() > np.pi / 2 + 1e-9 and not to_centre:
        return None
    lattice = Lattice(us, vs, np.zeros((len(us) - 1, len(vs) - 1), dtype=np.int64), tuple(centre), closed)
    return _owned(geometry, lattice)


def _merged(values: Floats, tolerance: float) -> Floats:
    ordered = np.unique(values)
    return ordered[np.concatenate([[True], np.diff(ordered) > tolerance])]


def _owned(geometry: SectionGeometry, lattice: Lattice) -> Lattice:
    u, v = ((lines[:-1] + lines[1:]) / 2 for lines in (lattice.us, lattice.vs))
    grid = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
    owner = geometry.owner_at(lattice.places(grid[:, 0], grid[:, 1])).reshape(len(u), len(v))
    return Lattice(lattice.us, lattice.vs, owner, lattice.centre, lattice.closed)
