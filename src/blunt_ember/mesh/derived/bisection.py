"""Some triangles or tetrahedra of a mesh cut in two, and of their neighbours as many as it takes to meet.

Cells are cut at the middle of their longest edge; a cell of which any edge is cut has its longest one cut too, until no
more follow (Rivara, Int. J. Numer. Meth. Engng 20 (1984) 745). Edges are cut longest first in every cell, so that two
cells agree on what becomes of the face between them (Plaza & Carey, Appl. Numer. Math. 32 (2000) 195).
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.derived.pieces import PieceKeys, Pieces, linear_family, mesh_of_pieces, place_keys
from blunt_ember.mesh.mesh import FacetBlock, Mesh


@immutable
class _Cuts:
    """Edges by number (e,), ordered; their rank by length, and whether they are cut."""

    count: int
    edges: Ints
    rank: Ints
    cut: NDArray[np.bool_]

    def of(self, corners: Ints) -> Ints:
        """Return the place (m, c) among the edges of those of simplices with these ``corners`` (m, k)."""
        return np.searchsorted(self.edges, _numbered(corners, self.count))


def bisected(mesh: Mesh, chosen: NDArray[np.bool_]) -> tuple[Mesh, Ints, Ints]:
    """Return the mesh with the ``chosen`` (c,) of its cells cut, and for every cell of it the one it comes from and how
    many times that was cut.

    New nodes lie where the shape functions of their cell put them. Raises :class:`BluntEmberError` for cells that are
    no triangles or tetrahedra.
    """
    require_simplices(mesh)
    corners = [block.nodes[:, : CELL_FAMILIES[block.family].corners] for block in mesh.blocks]
    cuts = _cuts(mesh, np.concatenate(corners), chosen)
    pieces, parents, times, first = [], [], [], 0
    for block, own in zip(mesh.blocks, corners, strict=True):
        family = CELL_FAMILIES[block.family]
        parent, local, depth = _divided(own, cuts)
        shares = _node_shares(block.family, local)
        within = shares @ linear_family(block.family).nodes
        values = family.values(within.reshape(-1, family.dimension)).reshape(*within.shape[:2], -1)
        places = np.einsum("mqk,mkd->mqd", values, mesh.points[block.nodes[parent]])
        pieces.append(Pieces(block.family, places, place_keys(own[parent], shares), block.region[parent]))
        parents.append(parent + first)
        times.append(depth)
        first += len(own)

    def of_facets(block: FacetBlock) -> PieceKeys:
        own = block.nodes[:, : CELL_FAMILIES[block.family].corners]
        parent, local, _ = _divided(own, cuts)
        return place_keys(own[parent], _node_shares(block.family, local))

    return mesh_of_pieces(mesh, pieces, of_facets), np.concatenate(parents), np.concatenate(times)


def require_simplices(mesh: Mesh) -> None:
    """Raise :class:`BluntEmberError` for a mesh with cells that cannot be cut."""
    if not all(block.family.startswith(("tri", "tet")) for block in mesh.blocks):
        what = "of a mesh that was read only triangles and tetrahedra can follow the error"
        raise BluntEmberError(f"{what}; divide every cell instead")


def _cuts(mesh: Mesh, corners: Ints, chosen: NDArray[np.bool_]) -> _Cuts:
    """The longest edges of the chosen cells, and of all that have an edge cut."""
    count = mesh.node_count
    edges, of_cell = np.unique(_numbered(corners, count), return_inverse=True)
    of_cell = of_cell.reshape(len(corners), -1)
    length = np.linalg.norm(mesh.points[edges // count] - mesh.points[edges % count], axis=1)
    rank = np.empty(len(edges), dtype=np.int64)
    rank[np.lexsort([edges, length])] = np.arange(len(edges))
    longest = np.take_along_axis(of_cell, rank[of_cell].argmax(axis=1)[:, None], axis=1)[:, 0]
    cut = np.zeros(len(edges), dtype=bool)
    cut[longest[chosen]] = True
    while True:
        follows = cut[of_cell].any(axis=1) & ~cut[longest]
        if not follows.any():
            return _Cuts(count, edges, rank, cut)
        cut[longest[follows]] = True


def _numbered(corners: Ints, count: int) -> Ints:
    """A number (m, e) for each edge of simplices with these corners (m, k)."""
    first, second = np.array(list(combinations(range(corners.shape[1]), 2))).T
    ends = np.sort(np.stack([corners[:, first], corners[:, second]]), axis=0)
    return ends[0] * count + ends[1]


def _divided(corners: Ints, cuts: _Cuts) -> tuple[Ints, Ints, Ints]:
    """Cut simplices with these corners (m, k); return of every piece its simplex, its corners (p, k) and how many times
    it was cut.

    A corner of a piece is one of the simplex by its place, or the middle of an edge by its place after those.
    """
    count = corners.shape[1]
    edges = cuts.of(corners)
    first, second = np.array(list(combinations(range(count), 2))).T
    edge_of = np.full((count + len(first), count + len(first)), -1, dtype=np.int64)
    edge_of[first, second] = edge_of[second, first] = np.arange(len(first))
    parent = np.arange(len(corners))
    local = np.tile(np.arange(count), (len(corners), 1))
    depth = np.zeros(len(corners), dtype=np.int64)
    while True:
        edge = edge_of[local[:, first], local[:, second]]
        place = edges[parent[:, None], np.maximum(edge, 0)]
        rank = np.where((edge >= 0) & cuts.cut[place], cuts.rank[place], -1)
        best = rank.argmax(axis=1)
        own = np.flatnonzero(rank.max(axis=1) >= 0)
        if not len(own):
            return parent, local, depth
        middle = count + edge[own, best[own]]
        other = local[own].copy()
        local[own, first[best[own]]] = middle
        other[np.arange(len(own)), second[best[own]]] = middle
        depth[own] += 1
        parent, local = np.concatenate([parent, parent[own]]), np.concatenate([local, other])
        depth = np.concatenate([depth, depth[own]])


def _node_shares(family: str, local: Ints) -> Floats:
    """The shares (p, q, k), of each corner of a simplex, in the nodes of its pieces with these corners (p, k)."""
    kind, linear = CELL_FAMILIES[family], linear_family(family)
    count = local.shape[1]
    middles = [np.eye(count)[[a, b]].mean(axis=0) for a, b in combinations(range(count), 2)]
    corner_shares = np.concatenate([np.eye(count), np.array(middles).reshape(-1, count)])[local]
    return np.einsum("qc,pck->pqk", linear.values(kind.nodes), corner_shares)
