"""Nodes along the edges of an arrangement, spaced by the size field."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from blunt_ember.geometry.arrangement import Arrangement
from blunt_ember.geometry.curves import Floats, Ints
from blunt_ember.mesh.size_field import SizeField

#: Places at which the size field is read along an edge, for each cell expected there.
_FINE = 4


@dataclass(frozen=True)
class Boundary:
    """Boundary nodes and the segments between them.

    ``points`` (b, 2) in m begin with the corners of the arrangement. Segment ``s`` joins ``nodes[s]`` (2,) along
    ``edge[s]`` from ``share[s, 0]`` to ``share[s, 1]`` of it.
    """

    points: Floats
    nodes: Ints
    edge: Ints
    share: Floats


def sampled(plan: Arrangement, sizes: SizeField, by_hand: Mapping[int, int]) -> Boundary:
    """Place nodes so that each segment is as long as the size field asks, both ways along an edge alike.

    ``by_hand`` are the segments of edges that are divided by hand, evenly.
    """
    curves = plan.curves
    shares = []
    for each in range(len(curves)):
        if each in by_hand:
            shares.append(np.linspace(0, 1, by_hand[each] + 1))
            continue
        expected = curves.length[each] / sizes.largest
        fine = int(np.clip(expected * _FINE, 32, 20_000))
        own = curves.take(np.full(fine, each))
        middle = (np.arange(fine) + 0.5) / fine
        density = curves.length[each] / fine / sizes.at(own.at(middle))
        total = np.concatenate([[0.0], np.cumsum(density)])
        least = 2 if curves.is_arc[each] and abs(curves.sweep[each]) > 0.3 else 1
        count = max(least, int(np.ceil(total[-1] - 1e-6)))
        shares.append(np.interp(np.linspace(0, total[-1], count + 1), total, np.linspace(0, 1, fine + 1)))
    counts = np.array([len(share) - 1 for share in shares])
    edge = np.repeat(np.arange(len(curves)), counts)
    span = np.concatenate([np.column_stack([share[:-1], share[1:]]) for share in shares])
    return _numbered(plan, edge, span)


def halved(plan: Arrangement, boundary: Boundary, chosen: Ints) -> Boundary:
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
