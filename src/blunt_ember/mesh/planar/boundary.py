"""Nodes along the edges of an arrangement, spaced by the size field."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.arrangement import Arrangement
from blunt_ember.geometry.curves import Curves
from blunt_ember.immutable import immutable
from blunt_ember.mesh.planar.size_field import SizeField
from blunt_ember.tree_of_places import tree_of

#: Places at which the size field is read along an edge, for each cell expected there.
_FINE = 4
#: Where a step holds more than so many cells it is halved, at most so often.
_COARSE, _HALVINGS = 0.5, 40
#: Middles that are nearer than this share of the largest cell lie upon each other.
SAME_PLACE = 1e-6


@immutable
class Boundary:
    """Boundary nodes and the segments between them.

    ``points`` (b, 2) in m begin with the corners of the arrangement. Segment ``s`` joins ``nodes[s]`` (2,) along
    ``edge[s]`` from ``share[s, 0]`` to ``share[s, 1]`` of it.
    """

    points: Floats
    nodes: Ints
    edge: Ints
    share: Floats


def edge_divisions(plan: Arrangement, sizes: SizeField, by_hand: Mapping[int, int]) -> list[Floats]:
    """Return the shares (n + 1,) of each edge at which it is divided, so that each segment is as long as the size field
    asks, both ways along an edge alike.

    ``by_hand`` are the segments of edges that are divided by hand, evenly.
    """
    curves = plan.curves
    shares = {each: np.linspace(0, 1, count + 1) for each, count in by_hand.items()}
    others = np.setdiff1d(np.arange(len(curves)), list(by_hand))
    fine = np.clip(curves.length[others] / sizes.largest * _FINE, 32, 20_000).astype(np.int64)
    for each, (ends, density) in zip(others.tolist(), _densities(curves.take(others), sizes, fine), strict=True):
        total = np.concatenate([[0.0], np.cumsum(density)])
        least = 2 if curves.is_arc[each] and abs(curves.sweep[each]) > 0.3 else 1
        count = max(least, int(np.ceil(total[-1] - 1e-6)))
        shares[each] = np.interp(np.linspace(0, total[-1], count + 1), total, ends)
    _divide_alike(curves, sizes, by_hand, shares)
    return [shares[each] for each in range(len(curves))]


def _divide_alike(curves: Curves, sizes: SizeField, by_hand: Mapping[int, int], shares: dict[int, Floats]) -> None:
    """Divide edges that lie upon others where the body repeats as these are: sizes alone, which are told by the nearest
    of several places, may differ in what is as near as another."""
    middles = curves.at(np.full(len(curves), 0.5))
    for moved in sizes.repeats[::2]:
        far, nearest = tree_of(middles).query(moved(middles))
        for each in np.flatnonzero(np.asarray(far) < SAME_PLACE * sizes.largest).tolist():
            other = int(np.asarray(nearest)[each])
            start = moved(curves.start[[each]])[0]
            same = np.linalg.norm(start - curves.start[other]) < np.linalg.norm(start - curves.end[other])
            first, second = (other, each) if other in by_hand else (each, other)
            if second not in by_hand:
                shares[second] = shares[first] if same else 1 - shares[first][::-1]


def divided_boundary(plan: Arrangement, shares: Sequence[Floats]) -> Boundary:
    """Return the boundary whose edges are divided at ``shares``."""
    counts = np.array([len(share) - 1 for share in shares], dtype=np.int64)
    edge = np.repeat(np.arange(len(counts)), counts)
    span = np.concatenate([np.zeros((0, 2)), *(np.column_stack([share[:-1], share[1:]]) for share in shares)])
    return _numbered(plan, edge, span)


def _densities(curves: Curves, sizes: SizeField, counts: Ints) -> list[tuple[Floats, Floats]]:
    """Return of each curve shares (n + 1,) and how many segments are wanted between them (n,).

    It is looked at in ``counts`` even steps, and closer where the size asked for is less than a step.
    """
    of = np.repeat(np.arange(len(curves)), counts)
    step = 1 / counts[of]
    low = (np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts)) * step
    found = []
    for left in reversed(range(_HALVINGS)):
        middle = low + step / 2
        density = curves.length[of] * step / sizes.at(curves.take(of).at(middle))
        coarse = (density > _COARSE) & (left > 0)
        found.append((of[~coarse], low[~coarse], density[~coarse]))
        of, step = np.tile(of[coarse], 2), np.tile(step[coarse] / 2, 2)
        low = np.concatenate([low[coarse], middle[coarse]])
        if not len(low):
            break
    of, low, density = (np.concatenate(each) for each in zip(*found, strict=True))
    order = np.lexsort((low, of))
    ends = np.cumsum(np.bincount(of, minlength=len(curves)))[:-1]
    each_low, each_wanted = np.split(low[order], ends), np.split(density[order], ends)
    return [(np.append(shares, 1.0), wanted) for shares, wanted in zip(each_low, each_wanted, strict=True)]


def halved_boundary(plan: Arrangement, boundary: Boundary, chosen: Ints) -> Boundary:
    """Return the boundary with some of its segments cut in two, on the true curve."""
    middle = boundary.share[chosen].mean(axis=1)
    places = plan.curves.take(boundary.edge[chosen]).at(middle)
    added = len(boundary.points) + np.arange(len(chosen))
    rest = np.setdiff1d(np.arange(len(boundary.nodes)), chosen)
    first = np.column_stack([boundary.nodes[chosen, 0], added])
    second = np.column_stack([added, boundary.nodes[chosen, 1]])
    low = np.column_stack([boundary.share[chosen, 0], middle])
    high = np.column_stack([middle, boundary.share[chosen, 1]])
    return Boundary(
        np.concatenate([boundary.points, places]),
        np.concatenate([boundary.nodes[rest], first, second]),
        np.concatenate([boundary.edge[rest], boundary.edge[chosen], boundary.edge[chosen]]),
        np.concatenate([boundary.share[rest], low, high]),
    )


def _numbered(plan: Arrangement, edge: Ints, span: Floats) -> Boundary:
    corners = len(plan.points)
    inner = span[:, 1] < 1
    number = corners + np.cumsum(inner) - 1
    last = np.where(inner, number, plan.end[edge])
    first = np.where(span[:, 0] > 0, np.roll(number, 1), plan.start[edge])
    places = plan.curves.take(edge[inner]).at(span[inner, 1])
    return Boundary(np.concatenate([plan.points, places]), np.column_stack([first, last]), edge, span)
