"""Flat facets in space: cut to what lies in front of a plane, and what two of them exchange where nothing blocks.

By Stokes' theorem the area times view factor of two polygons is ∮∮ ln r dx·dy / 2π along their edges (E. M. Sparrow,
A new and simpler formulation for radiative angle factors, J. Heat Transfer 85 (1963) 81). The inner integral is taken
in closed form, and both are where the edges lie in one line.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.quadrature import gauss_rule

#: Pairs of edges worked on at once, times the places of the rule.
_AT_ONCE = 400_000
#: Lengths below this share of a facet are none.
_NONE = 1e-9
#: Polygons nearer to each other than this many times the sum of their radii take the fine rule.
_NEAR = 1.6


@immutable
class Polygons:
    """Flat convex polygons: ``corners`` (m, c, 3) in m, counter-clockwise seen from what they look into, the last one
    repeated where there are fewer; unit ``normal`` (m, 3), ``middle`` (m, 3), ``radius`` (m,) in m and ``area`` (m,) in
    m²."""

    corners: Floats
    normal: Floats
    middle: Floats
    radius: Floats
    area: Floats

    def __len__(self) -> int:
        return len(self.area)

    def some(self, chosen: Ints) -> Polygons:
        """Return some of them."""
        parts = (self.corners, self.normal, self.middle, self.radius, self.area)
        return Polygons(*(each[chosen] for each in parts))


def polygons(corners: Floats) -> Polygons:
    """Return polygons with ``corners`` (m, c, 3) in m."""
    after = np.roll(corners, -1, axis=1)
    vector = np.cross(corners - corners[:, :1], after - corners[:, :1]).sum(axis=1) / 2
    area = np.linalg.norm(vector, axis=1)
    middle = corners.mean(axis=1)
    radius = np.linalg.norm(corners - middle[:, None], axis=2).max(axis=1)
    return Polygons(corners, vector / np.maximum(area, 1e-300)[:, None], middle, radius, area)


def in_front(corners: Floats, through: Floats, normal: Floats, slack: Floats) -> Floats:
    """Return what of polygons (m, c, 3) lies in front of the planes ``through`` places (m, 3) with a ``normal`` (m, 3),
    as polygons (m, c + 1, 3); corners nearer than ``slack`` (m,) in m lie on them."""
    height = np.einsum("mck,mk->mc", corners - through[:, None], normal)
    height = np.where(np.abs(height) <= slack[:, None], 0.0, height)
    if (height >= 0).all():
        return np.concatenate([corners, corners[:, -1:]], axis=1)
    following, later = np.roll(corners, -1, axis=1), np.roll(height, -1, axis=1)
    crossing = height * later < 0
    with np.errstate(all="ignore"):
        share = np.where(crossing, height / (height - later), 0.0)
    cut = corners + share[..., None] * (following - corners)
    count = corners.shape[1]
    # Every edge gives its first corner, where that is in front, and the place where it goes through the plane.
    places = np.stack([corners, cut], axis=2).reshape(len(corners), 2 * count, 3)
    kept = np.stack([height >= 0, crossing], axis=2).reshape(len(corners), 2 * count)
    order = np.argsort(~kept, axis=1, kind="stable")[:, : count + 1]
    found = np.take_along_axis(places, order[..., None], axis=1)
    number = kept.sum(axis=1)
    last = np.minimum(np.arange(count + 1), np.maximum(number - 1, 0)[:, None])
    return np.take_along_axis(found, last[..., None], axis=1)


def crosses(seen: Polygons, at: Polygons) -> Flags:
    """Whether planes of polygons (m,) go through others (m,), so that they see a part of these only."""
    height = np.einsum("mck,mk->mc", seen.corners - at.middle[:, None], at.normal)
    slack = _NONE * (seen.radius + at.radius)
    return np.asarray((height.max(axis=1) > slack) & (height.min(axis=1) < -slack))


def faces(first: Polygons, second: Polygons) -> Flags:
    """Whether polygons (m,) have a part in front of each other, where nothing blocks."""
    slack = _NONE * (first.radius + second.radius)

    def reaches(seen: Polygons, at: Polygons) -> Flags:
        height = np.einsum("mck,mk->mc", seen.corners - at.middle[:, None], at.normal)
        return np.asarray(height.max(axis=1) > slack)

    return reaches(first, second) & reaches(second, first)


def exchange_of(first: Polygons, second: Polygons) -> Floats:
    """Return area times view factor (m,) in m² of pairs of polygons that nothing stands between.

    What of one lies in front of the other sees all of what of the other lies in front of it, so both are cut first.
    """
    slack = _NONE * (first.radius + second.radius)
    own = in_front(first.corners, second.middle, second.normal, slack)
    other = in_front(second.corners, first.middle, first.normal, slack)
    distance = np.linalg.norm(first.middle - second.middle, axis=1)
    near = distance < _NEAR * (first.radius + second.radius)
    result = np.zeros(len(first))
    scale = first.radius + second.radius
    for chosen, rule in ((np.flatnonzero(~near), _plain_rule(6)), (np.flatnonzero(near), _ending_rule(20))):
        step = max(1, _AT_ONCE // (own.shape[1] * other.shape[1] * len(rule[0])))
        for begin in range(0, len(chosen), step):
            part = chosen[begin : begin + step]
            unit = scale[part]
            origin = (first.middle[part] + second.middle[part])[:, None] / 2
            one, two = ((each[part] - origin) / unit[:, None, None] for each in (own, other))
            result[part] = _round_contours(one, two, *rule) * unit**2
    return np.maximum(result, 0.0)


def _plain_rule(count: int) -> tuple[Floats, Floats]:
    """Gauss's rule on [0, 1]."""
    place, weight = gauss_rule(count)
    return (1 + place) / 2, weight / 2


def _ending_rule(count: int) -> tuple[Floats, Floats]:
    """Gauss's rule on [0, 1], drawn to both ends, where what is integrated may behave as x ln x."""
    place, weight = _plain_rule(count)
    drawn = place**3 * (10 - 15 * place + 6 * place**2)
    return drawn, weight * 30 * place**2 * (1 - place) ** 2


def _round_contours(first: Floats, second: Floats, place: Floats, weight: Floats) -> Floats:
    """∮∮ ln r dx·dy / 2π round polygons (m, c, 3) and (m, d, 3)."""
    along, over = np.roll(first, -1, axis=1) - first, np.roll(second, -1, axis=1) - second
    length = np.linalg.norm(over, axis=2)
    turned = np.einsum("mck,mdk->mcd", along, over)
    unit = over / np.maximum(length, 1e-300)[..., None]
    # Places on the edges of the first (m, c, 1, q, 3), from the beginnings of those of the second.
    at = first[:, :, None] + place[:, None] * along[:, :, None]
    reach = at[:, :, None] - second[:, None, :, None]
    ahead = np.einsum("mcdqk,mdk->mcdq", reach, unit)
    aside = np.maximum(np.einsum("mcdqk,mcdqk->mcdq", reach, reach) - ahead**2, 0.0)
    inner = _log_along(ahead, aside) - _log_along(ahead - length[:, None, :, None], aside)
    with np.errstate(all="ignore"):
        means = (inner @ weight) / length[:, None, :]
    line = _in_line(first, along, second, unit, length)
    means[line] = _mean_log(first, along, second, unit, length, line)
    return np.asarray(np.where(turned != 0, turned * means, 0.0).sum(axis=(1, 2)) / (2 * np.pi))


def _log_along(ahead: Floats, aside: Floats) -> Floats:
    """∫ ln r dt from 0 to ``ahead`` at a distance whose square is ``aside``."""
    off = np.sqrt(aside)
    square = aside + ahead**2
    with np.errstate(all="ignore"):
        log = np.where(square > 0, ahead / 2 * np.log(square), 0.0)
    return np.asarray(log - ahead + off * np.arctan2(ahead, off))


def _in_line(first: Floats, along: Floats, second: Floats, unit: Floats, length: Floats) -> Flags:
    """Which edges (m, c, d) lie in one line, and so are integrated in closed form."""
    distance = np.zeros((*first.shape[:2], second.shape[1]))
    for end in (first, first + along):
        reach = end[:, :, None] - second[:, None]
        cross = np.cross(reach, unit[:, None])
        distance = np.maximum(distance, np.einsum("mcdk,mcdk->mcd", cross, cross))
    own = np.linalg.norm(along, axis=2)[:, :, None]
    return np.asarray((distance < 1e-20) & (own > 0) & (length[:, None] > 0))


def _mean_log(first: Floats, along: Floats, second: Floats, unit: Floats, length: Floats, line: Flags) -> Floats:
    """Mean of ln r over two edges that lie in one line."""
    pair, edge, other = np.nonzero(line)
    begin = np.einsum("pk,pk->p", first[pair, edge] - second[pair, other], unit[pair, other])
    end = begin + np.einsum("pk,pk->p", along[pair, edge], unit[pair, other])
    far = length[pair, other]

    def twice(gap: Floats) -> Floats:
        """The second integral of ln |t|."""
        with np.errstate(all="ignore"):
            return np.where(gap == 0, 0.0, gap**2 / 2 * np.log(np.abs(gap)) - 0.75 * gap**2)

    whole = twice(end) - twice(begin) - twice(end - far) + twice(begin - far)
    return np.asarray(whole / ((end - begin) * far))
