"""Whether something stands between two places: rays through triangles."""

from __future__ import annotations

from importlib.util import find_spec
from typing import Protocol

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable

#: Both ends of a ray stay this share of its length clear of what they lie on.
_CLEAR = 1e-4
#: Rays sent at once, and pairs of ray and box held at once.
_RAYS, _PAIRS = 1_000_000, 4_000_000
#: Triangles in the last boxes.
_LEAF = 4


class Sight(Protocol):
    """Tells what is hidden."""

    def blocked(self, start: Floats, end: Floats) -> Flags:
        """Whether something stands between places (r, 3) and (r, 3) in m."""


@immutable
class NothingBetween:
    """There is nothing that could hide anything."""

    def blocked(self, start: Floats, end: Floats) -> Flags:
        """Nothing is."""
        return np.zeros(len(start), dtype=bool)


def sight_past(triangles: Floats) -> Sight:
    """Return what is seen past ``triangles`` (k, 3, 3) in m: by a kernel for rays where there is one for this machine,
    by NumPy otherwise."""
    if not len(triangles):
        return NothingBetween()
    return TracedSight(triangles) if find_spec("embreex") else BoxedSight(triangles)


class TracedSight:
    """Rays by Embree, in single precision about the middle of the triangles."""

    def __init__(self, triangles: Floats) -> None:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        self._middle = (triangles.max(axis=(0, 1)) + triangles.min(axis=(0, 1))) / 2
        self._size = float(np.ptp(triangles, axis=(0, 1)).max())
        self._scene = EmbreeScene()
        self._mesh = TriangleMesh(self._scene, self._scaled(triangles))

    def blocked(self, start: Floats, end: Floats) -> Flags:
        """Whether something stands between places (r, 3) and (r, 3) in m."""
        found = np.zeros(len(start), dtype=bool)
        for begin in range(0, len(start), _RAYS):
            own = slice(begin, begin + _RAYS)
            way = end[own] - start[own]
            first, along = self._scaled(start[own] + _CLEAR * way), (way / self._size).astype(np.float32)
            far = np.full(len(first), 1 - 2 * _CLEAR, dtype=np.float32)
            found[own] = self._scene.run(first, along, dists=far, query="OCCLUDED") >= 0
        return found

    def _scaled(self, places: Floats) -> np.ndarray[tuple[int, ...], np.dtype[np.float32]]:
        return np.ascontiguousarray((places - self._middle) / self._size, dtype=np.float32)


class BoxedSight:
    """Rays through boxes within boxes: all rays go down together, a level at a time, and leave where they miss."""

    def __init__(self, triangles: Floats) -> None:
        order, self._levels = _boxes(triangles)
        self._triangles = triangles[order]

    def blocked(self, start: Floats, end: Floats) -> Flags:
        """Whether something stands between places (r, 3) and (r, 3) in m."""
        found = np.zeros(len(start), dtype=bool)
        step = max(1, _PAIRS // len(self._triangles) * 8)
        for begin in range(0, len(start), step):
            own = slice(begin, begin + step)
            way = end[own] - start[own]
            found[own] = self._hit(start[own] + _CLEAR * way, (1 - 2 * _CLEAR) * way)
        return found

    def _hit(self, start: Floats, way: Floats) -> Flags:
        with np.errstate(all="ignore"):
            inverse = 1 / np.where(way == 0, 1e-300, way)
        ray, box = np.arange(len(start)), np.zeros(len(start), dtype=np.int64)
        for level, (low, high) in enumerate(self._levels):
            if level:
                ray, box = np.repeat(ray, 2), np.stack([2 * box, 2 * box + 1], axis=1).ravel()
            one = (low[box] - start[ray]) * inverse[ray]
            two = (high[box] - start[ray]) * inverse[ray]
            enters = np.minimum(one, two).max(axis=1)
            leaves = np.maximum(one, two).min(axis=1)
            met = (enters <= leaves) & (leaves >= 0) & (enters <= 1)
            ray, box = ray[met], box[met]
        hit = np.zeros(len(start), dtype=bool)
        count = len(self._triangles) >> (len(self._levels) - 1)
        for place in range(count):
            left = ~hit[ray]
            own, at = ray[left], box[left] * count + place
            hit[own[_meets(start[own], way[own], self._triangles[at])]] = True
        return hit


def _boxes(triangles: Floats) -> tuple[Ints, list[tuple[Floats, Floats]]]:
    """Order triangles so that neighbours lie together, some of them again to fill the last boxes, and return the low
    and high corners of boxes (2ⁿ, 3) about them, by level."""
    depth = max(0, int(np.ceil(np.log2(len(triangles) / _LEAF))))
    order = np.resize(np.arange(len(triangles)), _LEAF << depth)
    middle = triangles.mean(axis=1)
    groups = order[None]
    for _ in range(depth):
        places = middle[groups]
        widest = np.ptp(places, axis=1).argmax(axis=1)
        along = np.take_along_axis(places, widest[:, None, None], axis=2)[..., 0]
        groups = np.take_along_axis(groups, along.argsort(axis=1), axis=1).reshape(2 * len(groups), -1)
    order = groups.ravel()
    low, high = triangles[order].min(axis=1), triangles[order].max(axis=1)
    levels = []
    for level in range(depth + 1):
        size = len(order) >> level
        levels.append((low.reshape(-1, size, 3).min(axis=1), high.reshape(-1, size, 3).max(axis=1)))
    return order, levels


def _meets(start: Floats, way: Floats, triangles: Floats) -> Flags:
    """Whether rays (r, 3) meet triangles (r, 3, 3) on their way (T. Möller & B. Trumbore, Fast, minimum storage
    ray–triangle intersection, J. Graphics Tools 2 (1997) 21)."""
    first, second = triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    across = np.cross(way, second)
    volume = np.einsum("rk,rk->r", first, across)
    reach = start - triangles[:, 0]
    turned = np.cross(reach, first)
    with np.errstate(all="ignore"):
        u = np.einsum("rk,rk->r", reach, across) / volume
        v = np.einsum("rk,rk->r", way, turned) / volume
        t = np.einsum("rk,rk->r", second, turned) / volume
    return np.asarray((u >= 0) & (v >= 0) & (u + v <= 1) & (t >= 0) & (t <= 1))
