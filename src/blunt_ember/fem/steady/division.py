"""What each of several surfaces of one region has of the heat that comes in at a node they share.

Their areas there alone would not tell: where two faces held alike meet, one may draw all of it. The flux of each is
carried on to the node from those of its own nodes beside it, straight as far as these tell, and what is left over is
divided by area. So the error falls as fast as that of the fluxes, not as the area at the node. Where the region is
turned inwards fluxes grow without bounds towards the node, and nothing is foreseen.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.sparse import csr_array, diags_array, eye_array

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.fem.assembly import facet_weights, nodal_area
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetSet, Mesh

#: The square of a distance, of the farthest there is, below which places are the same; and the square of how many times
#: as far as they lie apart fluxes are carried on: of a quadratic cell it is 8.
_SAME, _FAR = 1e-12, 12.0
#: By how much, of twice a unit, what is as good as flat may be turned inwards.
_FLAT = 0.05


@immutable
class Division:
    """Nodes (m,) of surfaces seen from a region, each with the number of that ``side`` (m,) and the ``area`` (m,) in m²
    that stands there.

    ``pairs`` (g,) are their nodes and regions as node + region × nodes, ``group`` (m,) the place of each among them and
    ``of_pairs`` (g,) the nodes of these. Where several meet, ``foreseen`` (m, g) is what the heat at other pairs lets
    foresee of each, ``ways`` (m, d) are the directions in which they go on from there, and ``inwards`` (g, d) that to
    the cells of the region.
    """

    side: Ints
    nodes: Ints
    area: Floats
    pairs: Ints
    group: Ints
    of_pairs: Ints
    foreseen: csr_array
    ways: Floats
    inwards: Floats

    def among(self, taking: Flags) -> csr_array:
        """Return what of all that comes in at the pairs each has of those that are ``taking`` (m,) part, (m, g).

        What is left over of what is foreseen goes to those of which nothing is, if there are any, by area.
        """
        if not self.foreseen.nnz:
            share = share_of(np.where(taking, self.area, 0.0), self.group)
            return csr_array((share, self.group, np.arange(len(share) + 1)), shape=self.foreseen.shape)
        told = taking & ~self._turned_inwards(taking)
        foreseen = csr_array(diags_array(told.astype(float)) @ self.foreseen)
        known = told & (np.diff(self.foreseen.indptr) > 0)
        blind = np.bincount(self.group, taking & ~known, minlength=len(self.pairs))[self.group] > 0
        share = share_of(np.where(taking & ~(known & blind), self.area, 0.0), self.group)
        entries = np.arange(len(self.nodes))
        summed = csr_array((np.ones(len(entries)), (self.group, entries)), shape=(len(self.pairs), len(entries)))
        return csr_array(diags_array(share) @ summed.T @ (eye_array(len(self.pairs)) - summed @ foreseen) + foreseen)

    def _turned_inwards(self, taking: Flags) -> Flags:
        """Whether those that are ``taking`` part, where an entry (m,) is, go away from the cells of their region."""
        bisector = np.zeros_like(self.inwards)
        np.add.at(bisector, self.group[taking], self.ways[taking])
        return (np.einsum("gd,gd->g", bisector, self.inwards) < -_FLAT)[self.group]


def division(mesh: Mesh, sides: Sequence[tuple[str, int]]) -> Division:
    """Return how heat is divided among surfaces of a mesh by their names, each seen from a region by its number."""
    seen = [mesh.surfaces[name] for name, _ in sides]
    counts = [len(facets.nodes) for facets in seen]
    nodes = np.concatenate([np.zeros(0, dtype=np.int64), *(facets.nodes for facets in seen)])
    side = np.repeat(np.arange(len(sides)), counts)
    region = np.array([number for _, number in sides], dtype=np.int64)[side]
    area = np.concatenate([np.zeros(0), *(nodal_area(facets, mesh)[facets.nodes] for facets in seen)])
    pairs, group = np.unique(nodes + region * mesh.node_count, return_inverse=True)
    group = group.reshape(-1)
    of_pairs = pairs % mesh.node_count
    shared = np.bincount(group, minlength=len(pairs)) > 1
    foreseen, beside = _foreseen(mesh, seen, counts, group, shared)
    ways = _unit(beside @ mesh.points[of_pairs] - np.asarray(beside.sum(axis=1))[:, None] * mesh.points[nodes])
    return Division(side, nodes, area, pairs, group, of_pairs, foreseen, ways, _inwards(mesh, pairs, shared))


def _unit(vectors: Floats) -> Floats:
    size = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.divide(vectors, size, out=np.zeros_like(vectors), where=size > 0)


def _inwards(mesh: Mesh, pairs: Ints, asked: Flags) -> Floats:
    """Directions (g, d) from the nodes of ``pairs`` that are ``asked`` about to the cells of their regions."""
    found = np.zeros((len(pairs), mesh.dimension))
    if not asked.any():
        return found
    at_node = np.zeros(mesh.node_count, dtype=bool)
    at_node[pairs[asked] % mesh.node_count] = True
    for block in mesh.blocks:
        near = np.flatnonzero(at_node[block.nodes].any(axis=1))
        keys = block.nodes[near] + block.region[near, None] * mesh.node_count
        place = np.minimum(np.searchsorted(pairs, keys), len(pairs) - 1)
        here = pairs[place] == keys
        places = mesh.points[block.nodes[near]]
        np.add.at(found, place[here], _unit((places.mean(axis=1, keepdims=True) - places)[here]))
    return _unit(found)


def share_of(part: Floats, group: Ints) -> Floats:
    """Return what each part (m,) is of the sum of its ``group`` (m,); none where there is none."""
    whole = np.bincount(group, part)[group]
    return np.divide(part, whole, out=np.zeros_like(part), where=whole > 0)


def _foreseen(
    mesh: Mesh, seen: Sequence[FacetSet], counts: Sequence[int], group: Ints, of_several: Flags
) -> tuple[csr_array, csr_array]:
    """What the heat at the pairs lets foresee of that at every entry whose pair is one ``of_several``, (m, g), and at
    which it is read, (m, g)."""
    shared, pairs = of_several[group], len(of_several)
    rows, columns, values = [], [], []
    first = 0
    for facets, count in zip(seen, counts, strict=True):
        own = slice(first, first + count)
        if shared[own].any():
            row, column, value = _carried_on(mesh, facets, shared[own])
            rows.append(row + first)
            columns.append(group[own][column])
            values.append(value)
        first += count
    shape = len(group), pairs
    if not rows:
        return csr_array(shape), csr_array(shape)
    read = np.concatenate(rows), np.concatenate(columns)
    ones = np.ones(len(read[0]))
    return csr_array((np.concatenate(values), read), shape=shape), csr_array((ones, read), shape=shape)


def _carried_on(mesh: Mesh, facets: FacetSet, shared: Flags) -> tuple[Ints, Ints, Floats]:
    """Return, as (row, column, value) of nodes of the surface, the heat at each that is ``shared`` in terms of the heat
    at those beside it on the facets that are not.

    The flux there is a straight line through theirs by least squares, weighted by the area each stands for.
    """
    size = len(shared)
    stands = np.zeros(size)
    found: list[Ints] = []
    for block in facets.blocks:
        local = np.searchsorted(facets.nodes, block.nodes)
        np.add.at(stands, local, facet_weights(facets, block, mesh) @ CELL_FAMILIES[block.family].at_points)
        at, beside = (each.reshape(-1) for each in np.broadcast_arrays(local[:, :, None], local[:, None, :]))
        kept = shared[at] & ~shared[beside]
        found.append(at[kept] * size + beside[kept])
    row, column = np.divmod(np.unique(np.concatenate(found)), size)
    kept = stands[column] > 1e-9 * stands.max()  # at corners of quadratic triangles a flux gives no heat
    row, column = row[kept], column[kept]
    weight = stands[column]
    away = mesh.points[facets.nodes[column]] - mesh.points[facets.nodes[row]]
    reach = np.zeros(size)
    np.maximum.at(reach, row, np.linalg.norm(away, axis=1))
    away /= reach[row][:, None]
    asked, place = np.unique(row, return_inverse=True)
    place = place.reshape(-1)
    whole = np.bincount(place, weight)
    middle = np.stack([np.bincount(place, weight * each) for each in away.T], axis=1) / whole[:, None]
    spread = away - middle[place]
    moments = np.zeros((len(asked), *2 * away.shape[1:]))
    np.add.at(moments, place, weight[:, None, None] * spread[:, :, None] * spread[:, None, :])
    square, axes = np.linalg.eigh(moments / whole[:, None, None])
    reached = np.einsum("cij,ci->cj", axes, middle)
    told = (square > _SAME) & (reached**2 < _FAR * square)
    slope = np.where(told, reached / np.where(told, square, 1.0), 0.0) / whole[:, None]
    back = np.einsum("rij,rj,ri->r", axes[place], slope[place], spread)
    return row, column, stands[row] * (1 / whole[place] - back)
