"""View factors of flat and convex surfaces of solids."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.views.known import KnownView
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import looking_facets
from blunt_ember.reference.radiating.view_factors import Interval, parallel_rectangles, perpendicular_rectangles

#: What is off by less than this share of the body is not off.
_NEAR = 1e-7


@immutable
class _Flat:
    """A rectangle with its ``normal`` (3,) to what it looks into, the directions (2, 3) of its edges, and its
    ``corners`` (4, 3) in m."""

    normal: Floats
    edges: Floats
    corners: Floats

    def reach(self, direction: Floats, origin: Floats) -> Interval:
        """Over what it reaches in a direction, m from an origin."""
        along = (self.corners - origin) @ direction
        return float(along.min()), float(along.max())


class SolidViews:
    """What surfaces of a solid see of each other, where a closed form says it: exchanged areas in m²."""

    def __init__(self, mesh: Mesh) -> None:
        self._mesh = mesh
        self._near = _NEAR * float(np.ptp(mesh.points, axis=0).max())
        self._flats: dict[str, _Flat | None] = {}

    def of_itself(self, surface: str) -> KnownView | None:
        """Return what a surface sees of itself: nothing, where it is flat or convex."""
        corners = self._mesh.points[looking_facets(self._mesh, [surface]).corners]
        normals, middle = _normals(corners), corners.mean(axis=1)
        places = self._mesh.points[self._mesh.surfaces[surface].nodes]
        ahead = max(float((places @ normal - normal @ at).max()) for normal, at in zip(normals, middle, strict=True))
        return KnownView(0.0, "convex") if ahead <= self._near else None

    def between(self, first: str, second: str) -> KnownView | None:
        """Return what two rectangles see of each other that are parallel or at a right angle."""
        one, other = self._flat(first), self._flat(second)
        if one is None or other is None or not (_parallel(one.edges[0], other) and _parallel(one.edges[1], other)):
            return None
        if not _before(one, other.corners, self._near) or not _before(other, one.corners, self._near):
            return None
        ahead = [float(((b.corners - a.corners[0]) @ a.normal).max()) for a, b in ((one, other), (other, one))]
        if min(ahead) <= self._near:
            return KnownView(0.0, "turned away from each other")
        if not self._empty(np.concatenate([one.corners, other.corners])):
            return None
        turned = float(one.normal @ other.normal)
        if turned < -0.5:
            u, v = one.edges
            mine, theirs = ((each.reach(u, one.corners[0]), each.reach(v, one.corners[0])) for each in (one, other))
            return KnownView(parallel_rectangles(mine, theirs, ahead[0]), "parallel rectangles")
        along = np.cross(one.normal, other.normal)
        # The line where both planes meet.
        origin = one.corners[0] + other.normal * float((other.corners[0] - one.corners[0]) @ other.normal)
        lying = one.reach(other.normal, origin), one.reach(along, origin)
        standing = other.reach(one.normal, origin), other.reach(along, origin)
        return KnownView(perpendicular_rectangles(lying, standing), "perpendicular rectangles")

    def _flat(self, surface: str) -> _Flat | None:
        if surface not in self._flats:
            self._flats[surface] = self._rectangle(surface)
        return self._flats[surface]

    def _rectangle(self, surface: str) -> _Flat | None:
        corners = self._mesh.points[looking_facets(self._mesh, [surface]).corners]
        normal = _normals(corners).mean(axis=0)
        normal /= np.linalg.norm(normal)
        places = self._mesh.points[self._mesh.surfaces[surface].nodes]
        if np.ptp(places @ normal) > self._near:
            return None
        first = np.linalg.svd(normal[None])[2][1]
        plan = np.column_stack([places @ first, places @ np.cross(normal, first)])
        try:
            hull = ConvexHull(plan)
        except QhullError:
            return None
        rim = plan[hull.vertices]
        area = float(np.linalg.norm(_crossed(corners), axis=1).sum()) / 2
        edges = np.roll(rim, -1, axis=0) - rim
        direction = edges[np.linalg.norm(edges, axis=1).argmax()]
        direction /= np.linalg.norm(direction)
        across = np.array([-direction[1], direction[0]])
        spans = [np.array([(rim @ each).min(), (rim @ each).max()]) for each in (direction, across)]
        if abs(np.ptp(spans[0]) * np.ptp(spans[1]) - area) > 1e-6 * area:
            return None
        flat = np.array([a * direction + b * across for a in spans[0] for b in spans[1]])
        back = np.array([first, np.cross(normal, first)])
        return _Flat(
            normal, np.array([direction @ back, across @ back]), flat @ back + normal * float(places[0] @ normal)
        )

    @cached_property
    def _skin(self) -> list[Floats]:
        """The outer facets (m, c, 3) of the body by their corners, m, one array for each number of them."""
        return [self._mesh.points[part.corners] for part in self._mesh.skin.parts]

    def _empty(self, places: Floats) -> bool:
        """Whether nothing of the body stands between places (p, 3), m; in doubt something does."""
        planes = ConvexHull(places, qhull_options="QJ").equations
        for facets in self._skin:
            height = facets @ planes[:, :3].T + planes[:, 3]
            outside = (height.min(axis=1) >= -self._near).any(axis=1)
            normals = _normals(facets)
            side = places @ normals.T - np.einsum("mk,mk->m", normals, facets[:, 0])
            beside = (side >= -self._near).all(axis=0) | (side <= self._near).all(axis=0)
            if not (outside | beside).all():
                return False
        return True


def _crossed(corners: Floats) -> Floats:
    """Twice the areas of facets (m, c, 3), as vectors (m, 3)."""
    return np.asarray(np.cross(corners[:, 2] - corners[:, 0], corners[:, -1] - corners[:, 1]))


def _normals(corners: Floats) -> Floats:
    """Unit normals (m, 3) of facets by their corners (m, c, 3), the last one repeated where there are fewer."""
    if corners.shape[1] == 3:
        crossed = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    else:
        crossed = _crossed(corners)
    return np.asarray(crossed / np.linalg.norm(crossed, axis=1)[:, None])


def _parallel(direction: Floats, other: _Flat) -> bool:
    """Whether a direction is one of the three that a rectangle has."""
    frame = np.vstack([other.normal, other.edges])
    return float(np.abs(frame @ direction).max()) > 1 - 1e-9


def _before(flat: _Flat, places: Floats, near: float) -> bool:
    return bool(((places - flat.corners[0]) @ flat.normal >= -near).all())
