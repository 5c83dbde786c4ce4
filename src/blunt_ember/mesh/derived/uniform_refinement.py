"""Every cell of a mesh divided in two each way, on its own curved map; for meshes that no geometry stands behind."""

from __future__ import annotations

from functools import cache
from itertools import product

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.derived.pieces import PieceKeys, Pieces, linear_family, mesh_of_pieces, place_keys
from blunt_ember.mesh.mesh import FacetBlock, Mesh

#: Corners of the pieces of a tetrahedron, as places among its corners and the middles of its edges: four at the
#: corners, and the eight-faced rest cut along one diagonal (Bey, Computing 55 (1995) 355).
_EDGES = ((0, 1), (1, 2), (0, 2), (0, 3), (1, 3), (2, 3))
_OF_TET = (
    (0, 4, 6, 7),
    (4, 1, 5, 8),
    (6, 5, 2, 9),
    (7, 8, 9, 3),
    (4, 6, 7, 8),
    (4, 6, 8, 5),
    (6, 7, 8, 9),
    (6, 9, 8, 5),
)
_OF_TRIANGLE = np.array(
    [
        [[0, 0], [0.5, 0], [0, 0.5]],
        [[0.5, 0], [1, 0], [0.5, 0.5]],
        [[0, 0.5], [0.5, 0.5], [0, 1]],
        [[0.5, 0.5], [0, 0.5], [0.5, 0]],
    ]
)


def uniformly_refined(mesh: Mesh) -> Mesh:
    """Return a mesh of the same surfaces and regions, with 2, 4 or 8 cells for each one.

    New nodes lie where the shape functions of their cell put them. What two cells share stays shared, and what they do
    not, though it lies on one place, stays apart.
    """
    pieces = []
    for block in mesh.blocks:
        family = CELL_FAMILIES[block.family]
        local = _children(block.family)
        flat = local.reshape(-1, family.dimension)
        places = np.einsum("qk,mkd->mqd", family.values(flat), mesh.points[block.nodes])
        keys = place_keys(block.nodes[:, : family.corners], _shares(block.family, flat))
        pieces.append(
            Pieces(
                block.family,
                places.reshape(-1, local.shape[1], mesh.dimension),
                keys.reshape(-1, local.shape[1]),
                np.repeat(block.region, len(local)),
            )
        )
    return mesh_of_pieces(mesh, pieces, _halves)


def _halves(block: FacetBlock) -> PieceKeys:
    family = CELL_FAMILIES[block.family]
    if family.dimension == 0:
        return place_keys(block.nodes, np.ones((1, 1)))
    local = _children(block.family)
    flat = local.reshape(-1, family.dimension)
    return place_keys(block.nodes[:, : family.corners], _shares(block.family, flat)).reshape(-1, local.shape[1])


def _shares(family: str, local: Floats) -> Floats:
    """Linear shape functions (q, corners) of a cell at places (q, dim)."""
    return linear_family(family).values(local)


@cache
def _children(family: str) -> Floats:
    """Places (c, k, dim), in a cell's own coordinates, of the nodes of the cells it is divided into."""
    kind, linear = CELL_FAMILIES[family], linear_family(family)
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
    return np.einsum("kc,pcd->pkd", linear.values(kind.nodes), pieces)


def _wedge(flat: Floats, corners: Floats, half: float) -> Floats:
    """The corners (6, 3) of a piece of a wedge that stands on a piece (3, 2) of its triangle."""
    place = {(0, 0): 0, (1, 0): 1, (0, 1): 2}
    plan = np.array([flat[place[int(x), int(y)]] for x, y in corners[:, :2]])
    return np.column_stack([plan, half + corners[:, 2] / 2])


def _upright(corners: Floats) -> Floats:
    """Corners (4, 3) of a tetrahedron in an order that is right-handed."""
    turned = np.linalg.det(corners[1:] - corners[0]) < 0
    return corners[[0, 2, 1, 3]] if turned else corners
