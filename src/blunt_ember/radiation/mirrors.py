"""Planes of symmetry, in which a part of a chamber sees all of it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Heights below this share of the body are none, and directions that differ by less are one.
_FLAT, _SAME = 1e-9, 1e-6


class MirrorError(BluntEmberError):
    """Surfaces that give no mirror; the message says why."""


@immutable
class Mirror:
    """The plane through a ``place`` (d,) in m with a unit ``normal`` (d,), which points out of what is mirrored."""

    place: Floats
    normal: Floats

    def height(self, points: Floats) -> Floats:
        """Return how far points (n, d) in m lie in front of it, 0 for those on it."""
        height = np.asarray((points - self.place) @ self.normal)
        return np.where(np.abs(height) <= _FLAT * max(float(np.ptp(points, axis=0).max()), 1e-300), 0.0, height)

    def image(self, points: Floats) -> Floats:
        """Return the mirror images of points (n, d) in m; those on it stay as they are."""
        return points - 2 * self.height(points)[:, None] * self.normal


def mirrors_at(mesh: Mesh, surfaces: Sequence[str]) -> tuple[Mirror, ...]:
    """Return the planes that outer surfaces of a mesh lie in, each once.

    Raises :class:`MirrorError` for a surface that is not flat, one with parts of the body on both sides, and planes
    that are not at right angles.
    """
    found: list[Mirror] = []
    for name in surfaces:
        mirror = _plane_of(mesh, name)
        if not any(_one_plane(mesh, mirror, each) for each in found):
            found.append(mirror)
    for one, other in combinations(found, 2):
        if abs(float(one.normal @ other.normal)) > _SAME:
            raise MirrorError("mirrors are at right angles to each other, so that images meet; leave one of them out")
    return tuple(found)


def _plane_of(mesh: Mesh, name: str) -> Mirror:
    nodes = mesh.surfaces[name].nodes
    place = mesh.points[nodes].mean(axis=0)
    _, _, directions = np.linalg.svd(mesh.points[nodes] - place, full_matrices=False)
    normal = directions[-1]
    size = float(np.ptp(mesh.points, axis=0).max())
    if np.abs((mesh.points[nodes] - place) @ normal).max() > _FLAT * size:
        raise MirrorError(f"'{name}' is not flat, so nothing can be mirrored in it; name a flat surface")
    if mesh.space.axisymmetric and abs(normal[0]) > _SAME:
        raise MirrorError(f"'{name}' is not at right angles to the axis; name a surface that is")
    heights = (mesh.points - place) @ normal
    if heights.max() > _FLAT * size and heights.min() < -_FLAT * size:
        raise MirrorError(f"the body lies on both sides of '{name}'; name a surface that bounds it")
    axis = int(np.abs(normal).argmax())
    if abs(abs(normal[axis]) - 1) < _SAME**2:  # so that images have the very digits
        normal = np.eye(len(normal))[axis] * np.sign(normal[axis])
        place = np.where(np.arange(len(normal)) == axis, mesh.points[nodes[0], axis], place)
    return Mirror(place, normal if heights.max() <= _FLAT * size else -normal)


def _one_plane(mesh: Mesh, one: Mirror, other: Mirror) -> bool:
    size = float(np.ptp(mesh.points, axis=0).max())
    apart = abs(float((one.place - other.place) @ other.normal))
    return bool(abs(float(one.normal @ other.normal)) > 1 - _SAME and apart <= _FLAT * size)
