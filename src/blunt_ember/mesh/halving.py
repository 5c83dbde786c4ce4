"""Every cell of a mesh divided in two each way, on its own curved map; for meshes that no geometry stands behind."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from itertools import product

import numpy as np
from numpy.typing import NDArray

from blunt_ember.mesh.families import FAMILIES, Family
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Floats, Ints, Mesh

#: Corners of the pieces of a tetrahedron, as places among its corners and the middles of its edges: four at the
#: corners, and the eight-faced rest cut along one diagonal (Bey, Computing 55 (1995) 355).
_EDGES = ((0, 1), (1, 2), (0, 2), (0, 3), (1, 3), (2, 3))
_OF_TET = ((0, 4, 6, 7), (4, 1, 5, 8), (6, 5, 2, 9), (7, 8, 9, 3),
           (4, 6, 7, 8), (4, 6, 8, 5), (6, 7, 8, 9), (6, 9, 8, 5))  # fmt: skip
_OF_TRIANGLE = np.array([[[0, 0], [0.5, 0], [0, 0.5]], [[0.5, 0], [1, 0], [0.5, 0.5]],
                         [[0, 0.5], [0.5, 0.5], [0, 1]], [[0.5, 0.5], [0, 0.5], [0.5, 0]]])  # fmt: skip
#: Weights of corners are multiples of one part in so many.
_PARTS = 64
#: Constants of a generator whose numbers have no pattern (Steele, Lea & Flood, OOPSLA 2014: splitmix64).
_MIXING = (np.uint64(0x9E3779B97F4A7C15), np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB))


def halved(mesh: Mesh) -> Mesh:
    """Return a mesh of the same surfaces and regions, with 2, 4 or 8 cells for each one.

    New nodes lie where the shape functions of their cell put them. What two cells share stays shared, and what they do
    not, though it lies on one place, stays apart.
    """
    places, keys, blocks = [], [], []
    for block in mesh.blocks:
        family = FAMILIES[block.family]
        local = _children(block.family)
        flat = local.reshape(-1, family.dimension)
        places.append(np.einsum("qk,mkd->mqd", family.values(flat), mesh.points[block.nodes]).reshape(
            -1, mesh.dimension))  # fmt: skip
        keys.append(_keys(block.nodes[:, : family.corners], _shares(block.family, flat)).ravel())
        blocks.append(CellBlock(block.family, np.zeros((0, local.shape[1]), dtype=np.int64),
                                np.repeat(block.region, len(local))))  # fmt: skip
    known, first, number = np.unique(np.concatenate(keys), return_index=True, return_inverse=True)
    points, start, made = np.concatenate(places)[first], 0, []
    for key, block in zip(keys, blocks, strict=True):
        nodes = number[start : start + len(key)].reshape(-1, block.nodes.shape[1])
        made.append(replace(block, nodes=nodes))
        start += len(key)
    surfaces = {name: _halved_facets(facets, known) for name, facets in mesh.surfaces.items()}
    return replace(mesh, points=points, blocks=tuple(made), surfaces=surfaces)


def _halved_facets(facets: FacetSet, known: NDArray[np.uint64]) -> FacetSet:
    def of(block: FacetBlock) -> FacetBlock:
        family = FAMILIES[block.family]
        if family.dimension == 0:
            return FacetBlock(block.family, np.searchsorted(known, _keys(block.nodes, np.ones((1, 1)))))
        local = _children(block.family)
        flat = local.reshape(-1, family.dimension)
        keys = _keys(block.nodes[:, : family.corners], _shares(block.family, flat))
        return FacetBlock(block.family, np.searchsorted(known, keys).reshape(-1, local.shape[1]))

    return replace(facets, blocks=tuple(map(of, facets.blocks)), far=tuple(map(of, facets.far)))


def _keys(corners: Ints, shares: Floats) -> NDArray[np.uint64]:
    """Return one number (m, q) for each place by the corners (m, c) it lies between and its shares (q, c) of them."""
    parts = np.rint(shares * _PARTS).astype(np.uint64)
    mixed = (corners.astype(np.uint64) + np.uint64(1)) * _MIXING[0]
    for shift, factor in ((30, _MIXING[1]), (27, _MIXING[2])):
        mixed = (mixed ^ (mixed >> np.uint64(shift))) * factor
    mixed ^= mixed >> np.uint64(31)
    # A sum does not depend on the order in which a cell has its corners.
    total: NDArray[np.uint64] = (parts[None] * mixed[:, None]).sum(axis=2, dtype=np.uint64)
    return total


def _shares(family: str, local: Floats) -> Floats:
    """Linear shape functions (q, corners) of a cell at places (q, dim)."""
    return _linear(family).values(local)


def _linear(family: str) -> Family:
    kind = FAMILIES[family]
    if kind.order == 1:
        return kind
    return next(
        each for each in FAMILIES.values()
        if each.order == 1 and each.corners == kind.corners and each.dimension == kind.dimension
        and each.name.rstrip("0123456789") == kind.name.rstrip("0123456789")
    )  # fmt: skip


@cache
def _children(family: str) -> Floats:
    """Places (c, k, dim), in a cell's own coordinates, of the nodes of the cells it is divided into."""
    kind, linear = FAMILIES[family], _linear(family)
    corners = linear.nodes[: linear.corners]
    if family.startswith("tri"):
        pieces = _OF_TRIANGLE
    elif family.startswith("tet"):
        every = np.concatenate([corners, [(corners[a] + corners[b]) / 2 for a, b in _EDGES]])
        pieces = np.array([_upright(every[list(piece)]) for piece in _OF_TET])
    elif family.startswith("wedge"):
        pieces = np.array([_wedge(flat, corners, half) for flat in _OF_TRIANGLE for half in (-0.5, 0.5)])
    else:
        middles = np.array(list(product((-0.5, 0.5), repeat=kind.dimension)))
        pieces = middles[:, None] + corners[None] / 2
    result: Floats = np.einsum("kc,pcd->pkd", linear.values(kind.nodes), pieces)
    return result


def _wedge(flat: Floats, corners: Floats, half: float) -> Floats:
    """The corners (6, 3) of a piece of a wedge that stands on a piece (3, 2) of its triangle."""
    place = {(0, 0): 0, (1, 0): 1, (0, 1): 2}
    plan = np.array([flat[place[int(x), int(y)]] for x, y in corners[:, :2]])
    return np.column_stack([plan, half + corners[:, 2] / 2])


def _upright(corners: Floats) -> Floats:
    """Corners (4, 3) of a tetrahedron in an order that is right-handed."""
    turned = np.linalg.det(corners[1:] - corners[0]) < 0
    return corners[[0, 2, 1, 3]] if turned else corners
