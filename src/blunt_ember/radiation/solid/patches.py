"""Facets gathered into patches of an even radiosity, and the places that stand for them seen from afar."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.radiation.solid.polygons import Polygons


def grouped_into_patches(middle: Floats, normal: Floats, surface: Ints, most: int) -> Ints:
    """Return the patch (m,) of every facet with a ``middle`` (m, 3) in m and a unit ``normal`` (m, 3).

    There are about ``most`` of them at most, each on one ``surface`` (m,); every facet is its own where they are fewer.
    """
    count = len(surface)
    if count <= most:
        return np.arange(count)
    size = float(np.ptp(middle, axis=0).max())
    features = np.column_stack([middle, size / 2 * normal])
    patch, number = np.zeros(count, dtype=np.int64), 0
    for own in np.unique(surface):
        groups = [np.flatnonzero(surface == own)]
        wanted = min(len(groups[0]), max(1, round(most * len(groups[0]) / count)))
        while len(groups) < wanted:
            groups.sort(key=len, reverse=True)
            split = min(len(groups), wanted - len(groups))
            groups = [half for group in groups[:split] for half in _halves(features, group)] + groups[split:]
        for group in groups:
            patch[group] = number
            number += 1
    return patch


def _halves(features: Floats, group: Ints) -> tuple[Ints, Ints]:
    """Part facets across the widest direction of their places and normals."""
    own = features[group]
    order = group[own[:, int(np.ptp(own, axis=0).argmax())].argsort(kind="stable")]
    return order[: len(order) // 2], order[len(order) // 2 :]


@immutable
class Samples:
    """Places that stand for elements: ``places`` (e, k, 3) in m, ``normals`` (e, k, 3), the shorter the more those of
    what they stand for differ, ``weights`` (e, k) in m², and a place (e, k, 3) on the surface where ``rays`` end."""

    places: Floats
    normals: Floats
    weights: Floats
    rays: Floats


@immutable
class Rule:
    """Where samples lie on [-1, 1]², ``places`` (k, 2), and where their rays end, ``rays`` (k, 2)."""

    places: Floats
    rays: Floats


def samples_on(shapes: Polygons, rule: Rule) -> Samples:
    """Return samples on polygons of up to four corners at the places of a ``rule``."""
    u, v = rule.places.T
    over_u = np.stack([v - 1, 1 - v, 1 + v, -1 - v]) / 4
    over_v = np.stack([u - 1, -1 - u, 1 + u, 1 - u]) / 4
    places, rays = (np.einsum("ck,mcx->mkx", _shares(*each.T), shapes.corners) for each in (rule.places, rule.rays))
    along, across = (np.einsum("ck,mcx->mkx", each, shapes.corners) for each in (over_u, over_v))
    weights = np.linalg.norm(np.cross(along, across), axis=2)
    weights *= shapes.area[:, None] / np.maximum(weights.sum(axis=1, keepdims=True), 1e-300)
    return Samples(places, np.broadcast_to(shapes.normal[:, None], places.shape), weights, rays)


def _shares(u: Floats, v: Floats) -> Floats:
    """What each of four corners (4, k) takes part in places on [-1, 1]² with."""
    return np.stack([(1 - u) * (1 - v), (1 + u) * (1 - v), (1 + u) * (1 + v), (1 - u) * (1 + v)]) / 4


def samples_of(shapes: Polygons, patch: Ints, rule: Rule) -> Samples:
    """Return as many samples of a patch as the ``rule`` has places; ``patch`` (m,) is that of each polygon."""
    each, count, number = samples_on(shapes, rule), len(rule.places), int(patch.max()) + 1
    if len(patch) == number and (patch == np.arange(number)).all():
        return each
    order = np.argsort(patch, kind="stable")
    size = np.bincount(patch) * count
    # The samples of a patch follow each other, and are gathered into as many as one polygon has.
    within = np.arange(len(patch) * count) - np.repeat(np.cumsum(size) - size, size)
    into = np.repeat(np.arange(number) * count, size) + within * count // np.repeat(size, size)
    places, normals, weights = (
        part[order].reshape(-1, *part.shape[2:]) for part in (each.places, each.normals, each.weights)
    )

    def summed(values: Floats) -> Floats:
        return np.stack([np.bincount(into, weights * values[:, k], number * count) for k in range(3)], axis=1)

    whole = np.bincount(into, weights, minlength=number * count).astype(float)
    mean = np.maximum(whole, 1e-300)[:, None]
    first = np.searchsorted(into, np.arange(number * count))
    last = np.searchsorted(into, np.arange(number * count), side="right")
    shape = (number, count, 3)
    rays = places[(first + last) // 2].reshape(shape)
    return Samples(
        (summed(places) / mean).reshape(shape), (summed(normals) / mean).reshape(shape), whole.reshape(shape[:2]), rays
    )
