"""View factors between rings about an axis: exact round it with what blocks the view cut out, sampled along.

The kernel cos θ₁ cos θ₂/(π d²) of two places of a half plane is rational in the cosine of the angle between them; its
integral round the axis is known (W. Gröbner & N. Hofreiter, Integraltafel I (1965), no. 331.41): between the angles at
which a place comes out of the horizon of the other, or out of the shadow of an edge, which are roots of linear and
quadratic equations in that cosine. Along the rings it is summed at Gauss points, denser towards ends that are near.

Facets run in the half plane (r, z) with the space they look into on their left.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.quadrature import gauss_rule
from blunt_ember.radiation.section.into import Into, every_one

#: Numbers held at once.
_AT_ONCE = 2_000_000
#: How finely two rings are sampled by how far they are apart, as a share of the longer one: panels along each, and
#: points in a panel where nothing stands in the way and where something may, whose edge a place comes near as the root
#: of its distance. Those that are nearer than the last are told by their closure.
_RULES = ((2.5, 1, 3, 4), (0.6, 1, 6, 8), (0.25, 1, 12, 12), (0.1, 5, 4, 4), (0.0, 16, 4, 4))
#: Ends of rings that are nearer than this share of their length are one.
_ONE = 1e-9
#: Panels of rings that touch, each so many times shorter than the one before, and points in each.
_PANELS, _SHRINK, _IN_PANEL = 5, 0.15, 4
#: A view that touches something within this share of its length at its ends begins or ends there.
_CONTACT = 1e-7
#: A view that keeps its distance from a cone to this share runs along it, and touches it nowhere.
_STRAIGHT = 1e-9
#: Stands for cosines that no angle has.
_BEYOND = 2.0
#: Below this ratio of b to a the integral round the axis is sampled: it is even there, and its closed form inexact.
_EVEN = 1e-3
_ROUND = np.polynomial.legendre.leggauss(12)


def exchange_areas(start: Floats, end: Floats, blockers: Floats, into: Into | None = None) -> Floats:
    """Return the exchanged areas (p, q), m², of rings whose sections run from ``start`` to ``end``, both (m, 2) in m:
    of each with all, or summed ``into`` rows and columns.

    ``blockers`` (k, 2, 2) in m are edges of what stands in the way, with the space on their left.
    """
    into = into or every_one(len(start))
    standing = blockers[_standing(blockers, np.concatenate([start, end]))]
    found = into.nothing()
    for first, second, at, weights in _pairs(start, end, bool(len(standing)), into.looking):
        seen = np.zeros(len(first))
        points = len(weights)
        run = max(1, _AT_ONCE // (points * (8 + 4 * len(standing))))
        for begin in range(0, len(first), run):
            own = slice(begin, begin + run)
            seen[own] = _exchanged(start, end, first[own], second[own], at, standing) @ weights
        into.add(found, first, second, seen)
    return found


def _standing(blockers: Floats, places: Floats) -> Flags:
    """Which edges can stand in a view: of those that look at a place all that look outwards or have places behind them.

    What lies on the inner side of a cone that looks inwards is convex, and so is each side of a plane across the axis;
    the back of an edge is only come to through another one.
    """
    along = blockers[:, 1] - blockers[:, 0]
    along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    none = 1e-9 * float(np.ptp(places, axis=0).max())
    to = places[None] - blockers[:, None, 0]
    ahead = along[:, None, 0] * to[..., 1] - along[:, None, 1] * to[..., 0]
    return (ahead.max(axis=1) > none) & ((along[:, 1] < -1e-9) | (ahead.min(axis=1) < -none))


def _pairs(start: Floats, end: Floats, hindered: bool, looking: int) -> Iterator[tuple[Ints, Ints, Floats, Floats]]:
    """Yield pairs of rings, each once and with itself, one of them among those ``looking``, which come first, with
    shares (q, 2) along both and the weights (q,) of these."""
    first, second = np.triu_indices(looking, 0, len(start))
    length = np.linalg.norm(end - start, axis=1)
    gap = np.full(len(first), np.inf)
    for one in (start, end, (start + end) / 2):
        for other in (start, end, (start + end) / 2):
            gap = np.minimum(gap, np.linalg.norm(one[first] - other[second], axis=1))
    near = gap / np.maximum(length[first], length[second])
    touching = (near < _ONE) | (first == second)
    before = np.inf
    for least, panels, free, past in _RULES:
        own = (near >= least) & (near < before) & ~touching
        before = least
        at, weight = _composite(np.linspace(0, 1, panels + 1), past if hindered else free)
        yield first[own], second[own], *_crossed((at, weight), (at, weight))
    for at_start, own in _by_ends(start, end, first, second, touching):
        yield first[own], second[own], *_graded(at_start)


def _composite(ends: Floats, points: int) -> tuple[Floats, Floats]:
    """Gauss points (q,) in panels between ``ends`` from 0 to 1, and their weights (q,)."""
    at, weight = gauss_rule(points)
    wide = np.diff(ends)[:, None]
    return (ends[:-1, None] + wide * (at + 1) / 2).ravel(), (wide * weight / 2).ravel()


def _crossed(one: tuple[Floats, Floats], other: tuple[Floats, Floats]) -> tuple[Floats, Floats]:
    """Every point of a rule with every one of another: shares (q, 2) and weights (q,)."""
    grid = np.stack(np.meshgrid(one[0], other[0], indexing="ij"), axis=-1).reshape(-1, 2)
    return grid, np.outer(one[1], other[1]).ravel()


def _by_ends(
    start: Floats, end: Floats, first: Ints, second: Ints, touching: Flags
) -> Iterator[tuple[tuple[bool, bool] | None, Flags]]:
    """Sort pairs that touch by the ends at which they do; None for a ring with itself."""
    same = touching & (first == second)
    yield None, same
    left = touching & ~same
    for one, one_start in ((start, True), (end, False)):
        for other, other_start in ((start, True), (end, False)):
            size = np.linalg.norm(end[first] - start[first], axis=1)
            own = left & (np.linalg.norm(one[first] - other[second], axis=1) < _ONE * size)
            yield (one_start, other_start), own
            left &= ~own
    yield (True, True), left  # a middle of one is an end of the other


def _graded(at_start: tuple[bool, bool] | None) -> tuple[Floats, Floats]:
    """Shares (q, 2) along two rings and weights (q,), dense where they touch, or everywhere along the diagonal."""
    share, weights = _composite(np.concatenate([[0.0], _SHRINK ** np.arange(_PANELS - 1, -1, -1.0)]), _IN_PANEL)
    if at_start is None:  # the place on the first, and how far away on the second, to both sides
        middle, middles = gauss_rule(6)
        middle, middles = (middle + 1) / 2, middles / 2
        above = np.column_stack(
            [np.repeat(middle, len(share)), (middle[:, None] + (1 - middle[:, None]) * share).ravel()]
        )
        below = np.column_stack([np.repeat(middle, len(share)), (middle[:, None] * (1 - share)).ravel()])
        upper = (middles[:, None] * (1 - middle[:, None]) * weights).ravel()
        lower = (middles[:, None] * middle[:, None] * weights).ravel()
        return np.concatenate([above, below]), np.concatenate([upper, lower])
    one, other = (share if start else 1 - share for start in at_start)
    return _crossed((one, weights), (other, weights))


def _exchanged(start: Floats, end: Floats, first: Ints, second: Ints, at: Floats, standing: Floats) -> Floats:
    """What places (p, q) of pairs of rings exchange, times the areas these stand for, m²."""
    along_i, along_j = (end - start)[first], (end - start)[second]
    place_i = start[first][:, None] + at[:, 0, None] * along_i[:, None]
    place_j = start[second][:, None] + at[:, 1, None] * along_j[:, None]
    length_i, length_j = np.linalg.norm(along_i, axis=1)[:, None], np.linalg.norm(along_j, axis=1)[:, None]
    normal_i = np.stack([-along_i[:, 1], along_i[:, 0]], axis=1)[:, None] / length_i[..., None]
    normal_j = np.stack([-along_j[:, 1], along_j[:, 0]], axis=1)[:, None] / length_j[..., None]
    r_i, r_j, rise = place_i[..., 0], place_j[..., 0], place_j[..., 1] - place_i[..., 1]
    # a − b, which would lose its digits where places are near.
    near, b = (r_j - r_i) ** 2 + rise**2, 2 * r_i * r_j
    ahead_i = -normal_i[..., 0] * r_i + normal_i[..., 1] * rise, normal_i[..., 0] * r_j
    ahead_j = -normal_j[..., 0] * r_j - normal_j[..., 1] * rise, normal_j[..., 0] * r_i
    with np.errstate(all="ignore"):
        hidden = [_horizon(*ahead_i), _horizon(*ahead_j)]
        hidden += [_shadow(edge, r_i, place_i[..., 1], r_j, rise) for edge in standing]
        low, high = _gaps(np.stack([each[0] for each in hidden], -1), np.stack([each[1] for each in hidden], -1))
        pair, place, gap = np.nonzero(high > low)
        own = pair, place
        seen = _round_axis(
            near[own],
            b[own],
            (ahead_i[0][own], ahead_i[1][own]),
            (ahead_j[0][own], ahead_j[1][own]),
            np.arccos(np.stack([high[pair, place, gap], low[pair, place, gap]], axis=-1)),
        )
    kernel = np.bincount(pair * near.shape[1] + place, seen, minlength=near.size).reshape(near.shape)
    return np.maximum(kernel, 0.0) * (2 / np.pi) * 2 * np.pi * r_i * r_j * length_i * length_j


def _gaps(low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """What is left between −1 and 1 (…, n + 1) by intervals from ``low`` to ``high`` (…, n)."""
    order = np.argsort(low, axis=-1)
    low, high = np.take_along_axis(low, order, axis=-1), np.take_along_axis(high, order, axis=-1)
    end = np.ones((*low.shape[:-1], 1))
    begins = np.concatenate([-end, np.maximum.accumulate(high, axis=-1)], axis=-1)
    ends = np.concatenate([low, end], axis=-1)
    return np.clip(begins, -1.0, 1.0), np.clip(ends, -1.0, 1.0)


def _horizon(constant: Floats, slope: Floats) -> tuple[Floats, Floats]:
    """The cosines c between which a place lies behind another: constant + slope c ≤ 0."""
    at = -constant / slope
    nothing = (slope == 0) & (constant > 0)
    low = np.where(slope < 0, at, -_BEYOND)
    high = np.where(slope > 0, at, _BEYOND)
    return np.where(nothing, _BEYOND, low), np.where(nothing, _BEYOND, high)


def _shadow(edge: Floats, r_i: Floats, z_i: Floats, r_j: Floats, rise: Floats) -> tuple[Floats, Floats]:
    """The cosines between which an edge hides one place from the other.

    At every share of a view there is one cosine at which it meets the cone of the edge, so the edge hides all between
    the least and the largest of these: at its ends, or where a view touches it in between.
    """
    (r1, h1), (r2, h2) = edge
    if h1 == h2:
        share = (h1 - z_i) / rise
        met = [_meeting(share, r_i, r_j, radius) for radius in (r1, r2)]
        low, high = np.minimum(*met), np.maximum(*met)
        away = ~_on_the_way(share)
        return np.where(away, _BEYOND, low), np.where(away, _BEYOND, high)
    begin, stop, constant, slope = _edge(edge, z_i, rise)
    begin, stop = np.maximum(begin, _CONTACT), np.minimum(stop, 1 - _CONTACT)
    met = [_meeting(share, r_i, r_j, constant + slope * share) for share in (begin, stop)]
    low, high = np.minimum(*met), np.maximum(*met)
    both = r_i**2 + r_j**2
    total, rest = 2 * r_i**2 + 2 * constant * slope, r_i**2 - constant**2
    half = total - 2 * rest
    root = np.sqrt(half**2 - total**2 + 4 * (both - slope**2) * rest)
    for double in (half + root, half - root):  # 2 r r' c where a view and the cone have but one place in common
        bend = both - double - slope**2
        share = (total - double) / (2 * bend)
        touches = (share > begin) & (share < stop) & (np.abs(bend) > _STRAIGHT * both)
        cosine = double / (2 * r_i * r_j)
        low, high = np.where(touches, np.fmin(low, cosine), low), np.where(touches, np.fmax(high, cosine), high)
    away = ~(stop > begin)
    return np.where(away, _BEYOND, low), np.where(away, _BEYOND, high)


def _meeting(share: Floats, r_i: Floats, r_j: Floats, radius: Floats | float) -> Floats:
    """The cosine at which a view is ``radius`` away from the axis at a ``share`` of its length."""
    across = 2 * share * (1 - share) * r_i * r_j
    cosine = (radius**2 - (1 - share) ** 2 * r_i**2 - share**2 * r_j**2) / across
    return np.clip(cosine, -_BEYOND, _BEYOND)


def _on_the_way(share: Floats) -> Flags:
    return (share > _CONTACT) & (share < 1 - _CONTACT)


_Linear = tuple[Floats, Floats]


def _round_axis(near: Floats, b: Floats, ahead_i: _Linear, ahead_j: _Linear, angles: Floats) -> Floats:
    """∫ (αᵢ + βᵢ cos φ)(αⱼ + βⱼ cos φ)/(a − b cos φ)² dφ (p,) between two ``angles`` (p, 2), a = b + ``near``."""
    a = near + b
    even = b < _EVEN * a
    over = np.where(even, 1.0, b)
    p_i, q_i = ahead_i[0] + ahead_i[1] * a / over, ahead_i[1] / over
    p_j, q_j = ahead_j[0] + ahead_j[1] * a / over, ahead_j[1] / over
    near_, a_, b_ = np.maximum(near, 1e-300)[..., None], a[..., None], b[..., None]
    square = near_ * (a_ + b_)
    sine = np.sin(angles / 2)
    # The angle of the half tangent stays exact up to a half turn.
    single = 2 / np.sqrt(square) * np.arctan2(np.sqrt((a_ + b_) / near_) * sine, np.cos(angles / 2))
    double = (b_ * np.sin(angles) / (near_ + 2 * b_ * sine**2) + a_ * single) / square
    grown = (p_i * p_j)[..., None] * double - (p_i * q_j + p_j * q_i)[..., None] * single
    found = np.diff(grown + (q_i * q_j)[..., None] * angles, axis=-1)[:, 0]
    if even.any():
        low, wide = angles[even, 0, None], np.diff(angles[even], axis=-1)
        cosine = np.cos(low + wide * (_ROUND[0] + 1) / 2)
        top = (ahead_i[0][even, None] + ahead_i[1][even, None] * cosine) * (
            ahead_j[0][even, None] + ahead_j[1][even, None] * cosine
        )
        found[even] = (top / (a[even, None] - b[even, None] * cosine) ** 2 * wide / 2) @ _ROUND[1]
    return found


def _edge(edge: Floats, z_i: Floats, rise: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Where along a view (share 0 to 1) an edge begins and ends, and its radius there: R₀ + R₁ share."""
    (r1, h1), (r2, h2) = edge
    level = np.abs(rise) < 1e-300
    over = np.where(level, 1.0, rise)
    begin, stop = (h1 - z_i) / over, (h2 - z_i) / over
    within = (z_i - h1) * (z_i - h2) <= 0
    begin = np.where(level, np.where(within, 0.0, 2.0), begin)
    stop = np.where(level, np.where(within, 1.0, 2.0), stop)
    slope = (r2 - r1) / (h2 - h1) if h1 != h2 else 0.0
    return np.minimum(begin, stop), np.maximum(begin, stop), r1 + slope * (z_i - h1), slope * rise
