"""Layers of long cells between the two long sides of a strip, which are divided alike: from side to side at the same
shares of their lengths, not as wide as the strip is thin."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.arrangement import Arrangement
from blunt_ember.mesh.planar.boundary import Boundary
from blunt_ember.mesh.planar.strips import Piece, Strip, places_on, side_of, thickness_along

#: How far an arc may rise above its chord, eight times as a share of the height of a layer.
_RISE = 1.0


def divided_alike(plan: Arrangement, shares: Sequence[Floats], strips: Sequence[Strip], layers: int) -> list[Floats]:
    """Return the ``shares`` at which edges are divided, with the long sides of strips alike and the short ones in
    ``layers``."""
    found = list(shares)
    # A short side of one may lie along another, where it stays as it is.
    short = {edge for strip in strips for edge in strip.short}
    for edge in short:
        found[edge] = np.linspace(0, 1, layers + 1)
    for strip in strips:
        sides = [side_of(plan, strip, which) for which in (0, 1)]
        taken = [np.unique(np.concatenate([each.along(found) for each in side])) for side in sides]
        base = _bending(plan, strip, max(taken, key=len), layers)
        for side in sides:
            for each in side:
                if each.edge not in short:
                    found[each.edge] = each.shares_of(base)
    return found


def _bending(plan: Arrangement, strip: Strip, base: Floats, layers: int) -> Floats:
    """Divide the sides of a bent strip so often that no arc rises far above its chord beside the height of a layer."""
    edges = np.concatenate(strip.long)
    arcs = edges[plan.curves.is_arc[edges]]
    if not len(arcs):
        return base
    height = float(thickness_along(plan, strip).min()) / layers
    most = float(np.sqrt(_RISE * height * plan.curves.take(arcs).radius.min()))
    length = max(float(plan.curves.length[side].sum()) for side in strip.long)
    parts = np.maximum(np.ceil(np.diff(base) * length / most), 1).astype(int)
    ends = [low + (high - low) * np.arange(n) / n for low, high, n in zip(base, base[1:], parts, strict=False)]
    return np.concatenate([*ends, base[-1:]])


def filled(
    plan: Arrangement, boundary: Boundary, points: Floats, strips: Sequence[Strip], layers: int
) -> tuple[Floats, Ints, Ints]:
    """Return more points (n, 2) in m, and cells (m, 3) with their regions (m,) that fill the strips; ``points`` begin
    with those of the ``boundary``, as the numbers of the new ones go on from them.

    Raises :class:`StripError` where a short side is divided otherwise than in ``layers``.
    """
    more, cells, regions = [np.zeros((0, 2))], [np.zeros((0, 3), np.int64)], [np.zeros(0, np.int64)]
    count = len(points)
    for strip in strips:
        lines, added = _lines(plan, boundary, strip, layers, count)
        for near, far in pairwise(lines):
            made = _zipped(near, far)
            cells.append(made)
            regions.append(np.full(len(made), strip.region))
        more.append(added)
        count += len(added)
    every = np.concatenate([points, *more])
    return np.concatenate(more), _counter_clockwise(every, np.concatenate(cells)), np.concatenate(regions)


class StripError(BluntEmberError):
    """A strip was divided otherwise than it was asked for."""


def _lines(
    plan: Arrangement, boundary: Boundary, strip: Strip, layers: int, count: int
) -> tuple[list[tuple[Ints, Floats]], Floats]:
    """The lines of nodes from one long side to the other with their shares, and the points that are new."""
    sides = [side_of(plan, strip, which) for which in (0, 1)]
    outer = [_side_nodes(boundary, side) for side in sides]
    if not strip.short:  # it ends where it begins
        outer = [(np.append(nodes, nodes[0]), np.append(along, 1.0)) for nodes, along in outer]
    ends = [_end_nodes(boundary, edge, layers) for edge in strip.short]
    for place, nodes in enumerate(ends):  # from the first side to the second
        first = outer[0][0][0 if place == 0 else -1]
        ends[place] = nodes if nodes[0] == first else nodes[::-1]
    both = np.unique(np.concatenate([outer[0][1], outer[1][1]]).round(12))
    inner = both[(both > 0) & (both < 1)] if strip.short else both[both < 1]
    places = [places_on(plan, side, inner) for side in sides]
    lines = [outer[0]]
    added: list[Floats] = []
    for layer in range(1, layers):
        share = layer / layers
        number = count + sum(len(each) for each in added) + np.arange(len(inner))
        added.append((1 - share) * places[0] + share * places[1])
        if not strip.short:
            lines.append((np.append(number, number[0]), np.append(inner, 1.0)))
            continue
        nodes = np.concatenate([ends[0][layer : layer + 1], number, ends[1][layer : layer + 1]])
        lines.append((nodes, np.concatenate([[0.0], inner, [1.0]])))
    return [*lines, outer[1]], np.concatenate([np.zeros((0, 2)), *added])


def _side_nodes(boundary: Boundary, side: Sequence[Piece]) -> tuple[Ints, Floats]:
    """The nodes along a long side, and where along it they lie."""
    nodes, places = [], []
    for each in side:
        own = np.flatnonzero(boundary.edge == each.edge)
        nodes += [boundary.nodes[own].ravel()]
        places += [each.places(boundary.share[own].ravel())]
    every, first = np.unique(np.concatenate(nodes), return_index=True)
    along = np.concatenate(places)[first]
    order = np.argsort(along)
    return every[order], along[order]


def _end_nodes(boundary: Boundary, edge: int, layers: int) -> Ints:
    own = np.flatnonzero(boundary.edge == edge)
    if len(own) != layers:
        raise StripError(f"a short side of a strip has {len(own)} segments, {layers} are wanted")
    own = own[np.argsort(boundary.share[own, 0])]
    return np.append(boundary.nodes[own, 0], boundary.nodes[own[-1], 1])


def _zipped(near: tuple[Ints, Floats], far: tuple[Ints, Floats]) -> Ints:
    """Triangles (m, 3) between two lines of nodes, each with its shares: along both, always to the node that comes
    next."""
    (a, s), (b, t) = near, far
    steps = np.concatenate([s[1:], t[1:]])
    of_far = np.concatenate([np.zeros(len(a) - 1, dtype=bool), np.ones(len(b) - 1, dtype=bool)])
    order = np.lexsort([of_far, steps])
    of_far = of_far[order]
    on_a = np.cumsum(~of_far) - ~of_far
    on_b = np.cumsum(of_far) - of_far
    third = np.where(of_far, b[np.minimum(on_b + 1, len(b) - 1)], a[np.minimum(on_a + 1, len(a) - 1)])
    return np.column_stack([a[on_a], b[on_b], third])


def _counter_clockwise(points: Floats, cells: Ints) -> Ints:
    a, b, c = (points[cells[:, corner]] for corner in range(3))
    cross = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return np.where((cross < 0)[:, None], cells[:, [0, 2, 1]], cells)
