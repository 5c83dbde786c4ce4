"""What patches of solids exchange: in closed form near each other, by samples from afar, past what rays find between.

What is seen of a pair is the share of samples that rays reach, each weighed by what it would exchange; pairs that are
seen in part take more of them.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.radiation.solid.patches import Rule, Samples, samples_of, samples_on
from blunt_ember.radiation.solid.polygons import Polygons, exchange_of, faces
from blunt_ember.radiation.solid.sight import NothingBetween, Sight, sight_past

#: Elements further apart than this many times the sum of their radii are seen by samples.
_FAR = 4.0
#: Pairs and samples of pairs worked on at once, and rays that may be sent past what is seen in part.
_AT_ONCE, _SAMPLES, _MOST_RAYS = 60_000, 200_000, 20_000_000
#: Heights below this share of all are none.
_FLAT = 1e-7


def _lattice(count: int, step: int) -> Floats:
    """``count`` places on [-1, 1]², of which no two are in line with its sides, so that they find any edge there."""
    number = np.arange(count)
    return (2 * np.column_stack([number, step * number % count]) + 1) / count - 1


_CORNERS = np.array([[-1.0, -1.0], [-1.0, 1.0], [1.0, -1.0], [1.0, 1.0]])
#: Two places of Gauss's rule each way, with rays that end near the corners, so that they find what is seen in part; and
#: those that find the edge of a shadow.
_COARSE, _FINE = Rule(_CORNERS / np.sqrt(3), 0.9 * _CORNERS), Rule(_lattice(16, 7), _lattice(16, 7))


@immutable
class _Elements:
    """Patches or polygons with their samples."""

    middle: Floats
    radius: Floats
    coarse: Samples
    fine: Samples

    def far(self, first: Ints, second: Ints) -> Flags:
        """Whether pairs (n,) are far apart."""
        distance = np.linalg.norm(self.middle[first] - self.middle[second], axis=1)
        return np.asarray(distance > _FAR * (self.radius[first] + self.radius[second]))


@immutable
class _Exchanging:
    """Pairs of elements ``first`` (n,) and ``second`` (n,) with what they would exchange where nothing stands between
    them, ``plain`` (n,) in m²."""

    first: Ints
    second: Ints
    plain: Floats


def exchange_in_space(shapes: Polygons, patch: Ints, skin: Floats, count: int) -> Floats:
    """Return areas times view factors (p, p) in m² of patches; ``patch`` (m,) is that of each polygon.

    The first ``count`` patches are p; the same number once or several times more are their images in order, and what is
    seen of an image counts as seen of the patch. ``skin`` (k, 3, 3) in m are the triangles of all surfaces of the body.
    """
    sight = sight_past(_hiding(skin, shapes))
    patches = _patches(shapes, patch)
    alone = _Elements(shapes.middle, shapes.radius, samples_on(shapes, _COARSE), samples_on(shapes, _FINE))
    order, size = np.argsort(patch, kind="stable"), np.bincount(patch)
    distant, close = [], []
    for image in range(0, len(patches.radius), count):
        for first, second in _pairs(count, image):
            far = patches.far(first, second)
            distant.append(_sampled(patches, first[far], second[far]))
            close.append(_members_of(order, size, first[~far], second[~far]))
    one, other = (np.concatenate(each) for each in zip(*close, strict=True))
    by_patch, by_polygon = _joined(distant), _of_polygons(shapes, alone, one, other)
    result = np.zeros((count, count))
    for elements, own, pairs in ((patches, np.arange(len(size)), by_patch), (alone, patch, by_polygon)):
        seen = pairs.plain * _share_seen(elements, pairs, sight)
        first, second = own[pairs.first], own[pairs.second]
        # Polygons of one patch are met once in each pair of them, but see each other both ways.
        np.add.at(result, (first, second % count), np.where(first == second, 2 * seen, seen))
    return np.triu(result) + np.triu(result, 1).T


def _patches(shapes: Polygons, patch: Ints) -> _Elements:
    area = np.bincount(patch, shapes.area)
    middle = np.stack([np.bincount(patch, shapes.area * shapes.middle[:, k]) for k in range(3)], axis=1) / area[:, None]
    reach = np.linalg.norm(shapes.corners - middle[patch][:, None], axis=2).max(axis=1)
    radius = np.zeros(len(area))
    np.maximum.at(radius, patch, reach)
    return _Elements(middle, radius, samples_of(shapes, patch, _COARSE), samples_of(shapes, patch, _FINE))


def _pairs(count: int, image: int) -> Iterator[tuple[Ints, Ints]]:
    """Pairs of patches with the images from ``image`` on of those that are no earlier, some rows at once."""
    begin = 0
    while begin < count:
        end = min(count, begin + max(1, _AT_ONCE // (count - begin)))
        first, second = np.triu_indices(end - begin, 0, count - begin)
        yield first + begin, second + begin + image
        begin = end


def _members_of(order: Ints, size: Ints, first: Ints, second: Ints) -> tuple[Ints, Ints]:
    """The pairs of polygons of pairs of patches, those of one patch with itself once.

    ``order`` (m,) are the polygons patch by patch, ``size`` (p,) is how many each has.
    """
    begin = np.cumsum(size) - size
    count = size[first] * size[second]
    pair = np.repeat(np.arange(len(first)), count)
    place = np.arange(len(pair)) - np.repeat(np.cumsum(count) - count, count)
    wide = size[second][pair]
    left, right = place // wide, place % wide
    kept = (first != second)[pair] | (left < right)
    return order[(begin[first][pair] + left)[kept]], order[(begin[second][pair] + right)[kept]]


def _of_polygons(shapes: Polygons, alone: _Elements, one: Ints, other: Ints) -> _Exchanging:
    """Pairs of polygons that exchange something where nothing stands between them."""
    found = []
    for begin in range(0, len(one), _AT_ONCE):
        own = slice(begin, begin + _AT_ONCE)
        place = begin + np.flatnonzero(faces(shapes.some(one[own]), shapes.some(other[own])))
        far = alone.far(one[place], other[place])
        near = place[~far]
        plain = exchange_of(shapes.some(one[near]), shapes.some(other[near]))
        found.append(_sampled(alone, one[place[far]], other[place[far]]))
        found.append(_Exchanging(one[near], other[near], plain))
    return _joined(found)


def _sampled(elements: _Elements, first: Ints, second: Ints) -> _Exchanging:
    """Those of pairs of elements far apart that exchange something, by samples."""
    plain = np.zeros(len(first))
    step = _SAMPLES // elements.coarse.weights.shape[1] ** 2
    for begin in range(0, len(first), step):
        own = slice(begin, begin + step)
        plain[own] = _kernel(elements.coarse, first[own], elements.coarse, second[own]).sum(axis=(1, 2))
    kept = np.flatnonzero(plain)
    return _Exchanging(first[kept], second[kept], plain[kept])


def _joined(parts: Sequence[_Exchanging]) -> _Exchanging:
    keys = ("first", "second", "plain")
    empty = _Exchanging(np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64), np.zeros(0))
    return _Exchanging(*(np.concatenate([getattr(each, key) for each in (empty, *parts)]) for key in keys))


def _share_seen(elements: _Elements, pairs: _Exchanging, sight: Sight) -> Floats:
    """How much (n,) of what pairs of elements would exchange is not hidden: the more rays the more is at stake."""
    if isinstance(sight, NothingBetween):
        return np.ones(len(pairs.first))
    coarse, fine = elements.coarse, elements.fine
    several = coarse.weights.shape[1]
    thin = len(pairs.first) * several**2 > _MOST_RAYS
    share = _reached(coarse, pairs.first, coarse, pairs.second, sight, thin)
    mixed = np.flatnonzero((share > 0) & (share < 1) | np.isnan(share))
    mixed = mixed[np.argsort(-pairs.plain[mixed], kind="stable")]
    for two in (fine, coarse):
        rays = fine.weights.shape[1] * two.weights.shape[1]
        own, mixed = np.split(mixed, [_MOST_RAYS // 2 // rays])
        share[own] = _reached(fine, pairs.first[own], two, pairs.second[own], sight, False)
    return np.nan_to_num(share, nan=1.0)


def _reached(one: Samples, first: Ints, two: Samples, second: Ints, sight: Sight, thin: bool) -> Floats:
    """Which share (n,) of the exchange of pairs rays reach; NaN where samples see nothing of each other.

    A ``thin`` bundle has one ray from every sample, to another one each.
    """
    share = np.full(len(first), np.nan)
    step = max(1, _SAMPLES // (one.weights.shape[1] * two.weights.shape[1]))
    for begin in range(0, len(first), step):
        own = slice(begin, begin + step)
        kernel = _kernel(one, first[own], two, second[own])
        if thin:
            kernel = kernel * np.eye(kernel.shape[1])[::-1]
        pair, left, right = np.nonzero(kernel)
        hidden = sight.blocked(one.rays[first[own][pair], left], two.rays[second[own][pair], right])
        weight = kernel[pair, left, right]
        reached = np.bincount(pair, weight * ~hidden, len(kernel))
        with np.errstate(all="ignore"):
            share[own] = reached / np.bincount(pair, weight, len(kernel))
    return share


def _kernel(one: Samples, first: Ints, two: Samples, second: Ints) -> Floats:
    """cos θ cos θ / π r² (n, k, l) between samples of pairs of elements, times the areas they stand for, m²."""
    own, other = one.places[first], two.places[second]
    leaving_by, arriving_by = one.normals[first], two.normals[second]
    shape = (len(first), own.shape[1], other.shape[1])
    square, leaving, arriving = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    for axis in range(3):
        way = other[:, None, :, axis] - own[:, :, None, axis]
        square += way * way
        leaving += way * leaving_by[:, :, None, axis]
        arriving -= way * arriving_by[:, None, :, axis]
    leaving *= one.weights[first][:, :, None]
    arriving *= two.weights[second][:, None]
    np.maximum(leaving, 0, out=leaving)
    np.maximum(arriving, 0, out=arriving)
    return leaving * arriving / (np.pi * np.maximum(square * square, 1e-300))


def _hiding(skin: Floats, shapes: Polygons) -> Floats:
    """The triangles (k, 3, 3) of the skin that can stand between polygons: those with polygons on both sides."""
    from scipy.spatial import ConvexHull, QhullError  # which only an enclosure in space needs

    corners = np.unique(shapes.corners.reshape(-1, 3), axis=0)
    try:
        corners = corners[ConvexHull(corners).vertices]
    except QhullError:  # all in one plane: none of them sees another one
        return skin[:0]
    size = float(np.ptp(corners, axis=0).max())
    normal = np.cross(skin[:, 1] - skin[:, 0], skin[:, 2] - skin[:, 0])
    length = np.linalg.norm(normal, axis=1)
    normal = normal / np.maximum(length, 1e-300)[:, None]
    least, most = np.full(len(skin), np.inf), np.full(len(skin), -np.inf)
    level = np.einsum("kx,kx->k", normal, skin[:, 0])
    for begin in range(0, len(corners), 500):
        height = normal @ corners[begin : begin + 500].T - level[:, None]
        least, most = np.minimum(least, height.min(axis=1)), np.maximum(most, height.max(axis=1))
    return np.asarray(skin[(least < -_FLAT * size) & (most > _FLAT * size) & (length > 0)])
