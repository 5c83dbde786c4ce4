"""Quadrature on reference cells that are halved again and again, for fields that cells of their order do not follow."""

from __future__ import annotations

from functools import cache
from itertools import product

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.mesh.cells.families import CELL_FAMILIES

#: The families whose rules are taken: of quadratic cells, by what a cell is.
_RULES = {"line": "line3", "tri": "tri6", "quad": "quad9", "tet": "tet10", "hex": "hex27", "wedge": "wedge18"}
#: The corners of the parts of a halved triangle and tetrahedron: of the cell itself, and the middles of its edges.
_TRIANGLE = np.array([[0, 0], [1, 0], [0, 1], [0.5, 0], [0.5, 0.5], [0, 0.5]])
_IN_TRIANGLE = ((0, 3, 5), (3, 1, 4), (5, 4, 2), (4, 5, 3))
_TETRAHEDRON = np.array(
    [
        *([0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]),
        *([0.5, 0, 0], [0.5, 0.5, 0], [0, 0.5, 0], [0, 0, 0.5], [0.5, 0, 0.5], [0, 0.5, 0.5]),
    ]
)
_IN_TETRAHEDRON = (
    *((0, 4, 6, 7), (4, 1, 5, 8), (6, 5, 2, 9), (7, 8, 9, 3)),
    *((4, 5, 6, 8), (4, 6, 7, 8), (6, 7, 8, 9), (5, 6, 8, 9)),
)


@cache
def fine_rule(family: str, halvings: int) -> tuple[Floats, Floats]:
    """Return quadrature points (q, dim) and weights (q,) on the reference cell of a family that is halved so often, to
    be treated as read-only: those of quadratic cells in every part."""
    kind = family.rstrip("0123456789")
    known = CELL_FAMILIES[_RULES[kind]]
    points, weights = known.points, known.weights
    for _ in range(halvings):
        points, weights = _halved(kind, points, weights)
    return points, weights


def _halved(kind: str, points: Floats, weights: Floats) -> tuple[Floats, Floats]:
    """A rule taken in every part of a cell that is halved once."""
    if kind == "tri":
        return _in_simplices(points, weights, _TRIANGLE, _IN_TRIANGLE)
    if kind == "tet":
        return _in_simplices(points, weights, _TETRAHEDRON, _IN_TETRAHEDRON)
    if kind == "wedge":
        flat, shares = _in_simplices(points[:, :2], weights, _TRIANGLE, _IN_TRIANGLE)
        along = np.tile(points[:, 2], len(_IN_TRIANGLE)) / 2
        return np.concatenate([np.column_stack([flat, along + way]) for way in (-0.5, 0.5)]), np.tile(shares / 2, 2)
    ways = np.array(list(product((-0.5, 0.5), repeat=points.shape[1]))).reshape(-1, points.shape[1])
    return np.concatenate([points / 2 + way for way in ways]), np.tile(weights / len(ways), len(ways))


def _in_simplices(
    points: Floats, weights: Floats, corners: Floats, parts: tuple[tuple[int, ...], ...]
) -> tuple[Floats, Floats]:
    at = []
    for part in parts:
        first, *others = corners[list(part)]
        at.append(first + points @ (np.array(others) - first))
    return np.concatenate(at), np.tile(weights / len(parts), len(parts))
