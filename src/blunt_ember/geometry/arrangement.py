"""Outlines of regions laid over each other: split where they meet, each piece with the regions on its two sides.

Lines and arcs are split exactly where they meet, so arcs stay arcs and later regions cut earlier ones without any
polygon in between. What lies left and right of a piece is found by asking the shapes themselves.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.curves import Curves, crossings, joined
from blunt_ember.geometry.primitives import Shape
from blunt_ember.immutable import immutable
from blunt_ember.tree_of_places import tree_of

VOID = -1
#: Points up to which all are compared with all: the tree takes longer to come than they take.
_COMPARED = 400


@immutable
class Arrangement:
    """The plane cut into faces.

    ``points`` (p, 2) in m are the corners; edge ``e`` runs from corner ``start[e]`` to ``end[e]`` along
    ``curves``, with region ``left[e]`` and ``right[e]`` beside it (``VOID`` where there is none), and ``side[e]``
    lists the (region, side name) pairs whose outlines run there.
    """

    points: Floats
    start: Ints
    end: Ints
    curves: Curves
    left: Ints
    right: Ints
    side: tuple[tuple[tuple[int, str], ...], ...]


def owners(shapes: Sequence[Sequence[Shape]], points: Floats) -> Ints:
    """Return the region each of ``points`` (p, 2) belongs to, the last that holds it; ``VOID`` outside of all."""
    # In order of x, those that may lie in a shape are neighbours: with many shapes few are asked of each.
    order = np.argsort(points[:, 0])
    sorted_points = points[order]
    x = sorted_points[:, 0].copy()
    found = np.full(len(points), VOID, dtype=np.int64)
    for region, outline_pieces in enumerate(shapes):
        for piece in outline_pieces:
            near = slice(np.searchsorted(x, piece.box[0]), np.searchsorted(x, piece.box[2], side="right"))
            found[near][piece.contains(sorted_points[near])] = region
    owner = np.empty_like(found)
    owner[order] = found
    return owner


@immutable
class OutlinePieces:
    """Outlines split where they meet, before it is known what lies beside each piece.

    ``points``, ``start``, ``end``, ``curves`` and ``side`` as in :class:`Arrangement`; ``beside_left`` and
    ``beside_right`` (e, 2) in m are places just left and right of the middle of each piece.
    """

    points: Floats
    start: Ints
    end: Ints
    curves: Curves
    side: tuple[tuple[tuple[int, str], ...], ...]
    beside_left: Floats
    beside_right: Floats


def split_outlines(shapes: Sequence[Sequence[Shape]], extent: float) -> OutlinePieces:
    """Lay the pieces of all regions over each other; ``extent`` (m) sets what counts as touching."""
    tolerance = 1e-9 * extent
    curves = joined([piece.curves for outline_pieces in shapes for piece in outline_pieces])
    sources = [
        (region, side)
        for region, outline_pieces in enumerate(shapes)
        for piece in outline_pieces
        for side in piece.sides
    ]
    curves, origin = _split(curves, tolerance)
    start, end, points = _corners(curves, tolerance)
    keep = start != end
    curves, origin, start, end = curves.take(keep), origin[keep], start[keep], end[keep]
    middle = _clusters(curves.at(np.full(len(curves), 0.5)), tolerance)[0]
    first, group = _unique(np.column_stack([np.minimum(start, end), np.maximum(start, end), middle]))
    sides: list[list[tuple[int, str]]] = [[] for _ in first]
    for place, source in zip(group.tolist(), origin.tolist(), strict=True):
        if sources[source] not in sides[place]:
            sides[place].append(sources[source])
    curves, start, end = curves.take(first), start[first], end[first]
    curves = Curves(points[start], points[end], curves.centre, curves.sweep)

    half = np.full(len(curves), 0.5)
    along, at = curves.direction(half), curves.at(half)
    normal = np.column_stack([-along[:, 1], along[:, 0]])
    # Far enough from the outline to be clear of snapping, near enough to look into a thin gap.
    step = np.minimum(20 * tolerance, 1e-3 * curves.length)[:, None] * normal
    return OutlinePieces(points, start, end, curves, tuple(tuple(side) for side in sides), at + step, at - step)


def bounded(outline_pieces: OutlinePieces, left: Ints, right: Ints) -> Arrangement:
    """Keep the pieces that part two regions; ``left`` and ``right`` (e,) are what lies beside each."""
    bounds = np.flatnonzero(left != right)
    start, end = outline_pieces.start[bounds], outline_pieces.end[bounds]
    used, numbers = np.unique(np.concatenate([start, end]), return_inverse=True)
    return Arrangement(
        outline_pieces.points[used],
        numbers[: len(bounds)],
        numbers[len(bounds) :],
        outline_pieces.curves.take(bounds),
        left[bounds],
        right[bounds],
        tuple(outline_pieces.side[edge] for edge in bounds.tolist()),
    )


def _split(curves: Curves, tolerance: float) -> tuple[Curves, Ints]:
    """Cut every curve where another meets it; return the pieces and the curve each comes from."""
    number, share = crossings(curves, tolerance)
    count = len(curves)
    number = np.concatenate([number, np.arange(count), np.arange(count)])
    share = np.concatenate([share, np.zeros(count), np.ones(count)])
    order = np.lexsort([share, number])
    number, share = number[order], share[order]
    same = (number[1:] == number[:-1]) & (np.diff(share) * curves.length[number[1:]] > tolerance)
    origin, low, high = number[:-1][same], share[:-1][same], share[1:][same]
    # A cut closer to an end than the tolerance has been dropped with its piece; the pieces still join up when snapped.
    whole = curves.take(origin)
    return Curves(whole.at(low), whole.at(high), whole.centre, whole.sweep * (high - low)), origin


def _corners(curves: Curves, tolerance: float) -> tuple[Ints, Ints, Floats]:
    """Take ends that fall together as one corner each."""
    label, points = _clusters(np.concatenate([curves.start, curves.end]), 4 * tolerance)
    return label[: len(curves)], label[len(curves) :], points


def _clusters(points: Floats, tolerance: float) -> tuple[Ints, Floats]:
    """Number groups of points that lie together, (p,), and give the first point of each group."""
    pairs = _near_pairs(points, tolerance)
    links = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
    _, label = connected_components(links, directed=False)
    _, first = np.unique(label, return_index=True)
    return label.astype(np.int64), points[first]


def _near_pairs(points: Floats, tolerance: float) -> Ints:
    """Numbers (k, 2) of points that lie together."""
    if len(points) > _COMPARED:
        return np.asarray(tree_of(points).query_pairs(tolerance, output_type="ndarray"))
    apart = points[:, None] - points
    return np.argwhere(np.triu((apart**2).sum(axis=2) <= tolerance**2, 1))


def _unique(rows: Ints) -> tuple[Ints, Ints]:
    _, first, group = np.unique(rows, axis=0, return_index=True, return_inverse=True)
    return first, group.reshape(-1)
