"""What facets see of each other past what stands in between: exactly, or at many places where there is much."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.radiation.section.lines import Ends, cross, cut_line, distance

#: Numbers held at once for pairs that see a part of each other.
AT_ONCE = 3_000_000
#: Blockers of one pair up to which the looking facet is cut at every line of sight; with more of them it is sampled.
_MOST_EXACT = 8
_GAUSS = np.polynomial.legendre.leggauss(8)
_PANELS = 4
#: Places at which a facet is sampled.
PLACES = _PANELS * len(_GAUSS[0])
#: Marks what is looked at among the blockers, of which there are never so many.
_SOUGHT = 10_000


def partly_seen(ends: Ends, blockers: Floats) -> Floats:
    """Exchanged lengths (p,) of pairs between which ``blockers`` (p, b, 2, 2) stand."""
    count, most = blockers.shape[:2]
    vertices = 2 + 2 * most
    pieces = vertices * (vertices - 1) // 2 + 1 if most <= _MOST_EXACT else PLACES
    run = max(1, AT_ONCE // (pieces * vertices))
    look = _strung if most <= _MOST_EXACT else _sampled
    parts = []
    for begin in range(0, count, run):
        own = slice(begin, begin + run)
        a1, a2, b1, b2 = (place[own] for place in ends)
        k1, k2 = between(a1, a2, b1, b2, blockers[own])
        corners = np.concatenate([b1[:, None], b2[:, None], k1, k2], axis=1)
        parts.append(look(a1, a2, corners, most))
    return np.maximum(np.concatenate(parts), 0.0)


def between(a1: Floats, a2: Floats, b1: Floats, b2: Floats, blockers: Floats) -> tuple[Floats, Floats]:
    """The ends (p, b, 2) of what of the blockers lies in front of both facets."""
    k1, k2 = blockers[:, :, 0], blockers[:, :, 1]
    for first, last in ((a1, a2), (b1, b2)):
        along, base = (last - first)[:, None], first[:, None]
        k1, k2 = cut_line(k1, k2, cross(along, k1 - base), cross(along, k2 - base))
    return k1, k2


def _strung(a1: Floats, a2: Floats, corners: Floats, most: int) -> Floats:
    """What is seen from a1 to a2, cut where two of the ``corners`` (p, v, 2) come to lie in one line of sight."""
    along = a2 - a1
    one, two = np.triu_indices(corners.shape[1], 1)
    line = corners[:, two] - corners[:, one]
    with np.errstate(all="ignore"):
        cut = -cross(line, a1[:, None] - corners[:, one]) / cross(line, along[:, None])
    cut = np.clip(np.where(np.isfinite(cut), cut, 0.0), 0.0, 1.0)
    whole = np.zeros((len(a1), 1))
    cuts = np.sort(np.concatenate([whole, cut, whole + 1.0], axis=1), axis=1)
    places = a1[:, None] + cuts[..., None] * along[:, None]
    middles = (places[:, 1:] + places[:, :-1]) / 2
    slope = slopes(middles, along, corners)
    away = distance(places[:, :, None], corners[:, None])
    return visible(slope, away[:, :-1] - away[:, 1:], most).sum(axis=1) / 2


def _sampled(a1: Floats, a2: Floats, corners: Floats, most: int) -> Floats:
    """What is seen from a1 to a2, at many places on it."""
    places, weights = samples(a1, a2)
    slope = slopes(places, a2 - a1, corners)
    return visible(slope, slope, most) @ weights * np.linalg.norm(a2 - a1, axis=1) / 2


def samples(a1: Floats, a2: Floats) -> tuple[Floats, Floats]:
    """Places (p, s, 2) from a1 to a2, and the share (s,) each stands for."""
    at = ((np.arange(_PANELS)[:, None] + (_GAUSS[0] + 1) / 2) / _PANELS).ravel()
    weights = np.tile(_GAUSS[1] / (2 * _PANELS), _PANELS)
    return a1[:, None] + at[:, None] * (a2 - a1)[:, None], weights


def slopes(places: Floats, along: Floats, corners: Floats) -> Floats:
    """Sines (p, s, v) of the angles at which corners (p, v, 2) are seen from places (p, s, 2), off the normal."""
    to = corners[:, None] - places[:, :, None]
    unit = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    ahead = (to * unit[:, None, None]).sum(axis=-1)
    return ahead / np.maximum(np.linalg.norm(to, axis=-1), 1e-300)


def visible(slope: Floats, amount: Floats, most: int) -> Floats:
    """The sum (p, s) of what ``amount`` (p, s, v) grows by between corners next to each other that bound a view.

    The first two corners are the ends of what is looked at, the rest the ends of blockers.
    """
    order = np.argsort(slope, axis=-1)
    grown = np.diff(np.take_along_axis(amount, order, axis=-1), axis=-1)
    # What lies before a corner is counted on: of the blockers that begin and do not end there, and what is looked at.
    before = np.empty(slope.shape, dtype=np.int16)
    looked_at = slope[..., 0] < slope[..., 1]
    before[..., 0] = np.where(looked_at, -_SOUGHT, _SOUGHT)
    before[..., 1] = -before[..., 0]
    first = np.where(slope[..., 2 : 2 + most] < slope[..., 2 + most :], 1, -1)
    before[..., 2 : 2 + most] = first
    before[..., 2 + most :] = -first
    state = np.cumsum(np.take_along_axis(before, order, axis=-1), axis=-1, dtype=np.int16)[..., :-1]
    return np.where(state == -_SOUGHT, grown, 0.0).sum(axis=-1)
