"""Which nodes of a mesh on a lattice share a cell: the places of the entries of its matrices, without any sorting."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Flags, Ints, ShortInts
from blunt_ember.mesh.cell_lattice import CellLattice
from blunt_ember.mesh.cells.families import CELL_FAMILIES

if TYPE_CHECKING:
    from blunt_ember.mesh.mesh import CellBlock, Mesh

_LINEAR = {2: "quad4", 3: "hex8"}


@dataclass(frozen=True)
class NodeNeighbours:
    """Every node has places for all nodes that may share a cell with it, in the order of the lattice.

    ``at`` (n, d) are the places of the nodes on the lattice, half lines among them where cells are quadratic. ``first``
    (n + 1,) is the first place of each node, ``strides`` (n, d) how far apart those are that lie a step apart along an
    axis, ``reach`` (n, d) how many steps to either side they go. ``present`` (p,) tells which are there, ``columns``
    (e,) which nodes those are and ``ends`` (n + 1,) where they begin, as in a sparse matrix by rows.
    """

    at: ShortInts
    first: Ints
    strides: ShortInts
    reach: ShortInts
    present: Flags
    columns: ShortInts
    ends: ShortInts

    def places(self, rows: Ints, columns: Ints) -> Ints:
        """Return the place of each ``columns`` (r,) at ``rows`` (r,), nodes; −1 where they share no cell."""
        steps = self.at[columns] - self.at[rows]
        reach = self.reach[rows]
        place = self.first[rows] + ((steps + reach) * self.strides[rows]).sum(axis=1)
        return np.where((np.abs(steps) <= reach).all(axis=1), place, -1)


def neighbours_of(mesh: Mesh, lattice: CellLattice) -> NodeNeighbours | None:
    """Return the neighbours of the nodes of a mesh that lies on a lattice; None where two nodes lie on one place, or
    are numbered in some other order than along its axes."""
    (block,) = mesh.blocks
    order = mesh.order
    apart = np.abs(lattice.corners[0, 2 ** np.arange(lattice.cells.shape[1])] - lattice.corners[0, 0])
    axes = np.argsort(-apart)  # the one along which numbers go fastest is the last
    at = np.empty((mesh.node_count, len(axes)), dtype=np.int32)
    for node, step in enumerate(_steps(block, lattice)):
        at[block.nodes[:, node]] = (lattice.cells * order + step)[:, axes]
    shape = at.max(axis=0) + 1 + 2 * order
    holder = np.full(int(np.prod(shape)), -1, dtype=np.int32)
    across = np.cumprod([1, *shape[:0:-1].tolist()])[::-1]
    own = (at + order) @ across
    holder[own] = np.arange(len(own), dtype=np.int32)
    if not np.array_equal(holder[own], np.arange(len(own))):
        return None
    reach = np.where(at % order == 0, order, 1).astype(np.int32)
    wide = 2 * reach + 1
    strides = np.ones_like(reach)
    for axis in range(at.shape[1] - 2, -1, -1):
        strides[:, axis] = strides[:, axis + 1] * wide[:, axis + 1]
    first = np.concatenate([[0], np.cumsum(wide.prod(axis=1), dtype=np.int64)])
    around = np.empty(first[-1], dtype=np.int32)
    for halves in product(range(order), repeat=at.shape[1]):
        rows = np.flatnonzero((at % order == halves).all(axis=1)) if order > 1 else np.arange(len(at))
        sides = [np.arange(-most, most + 1) for most in (order if half == 0 else 1 for half in halves)]
        steps = np.stack(np.meshgrid(*sides, indexing="ij"), axis=-1).reshape(-1, at.shape[1]) @ across
        found = holder[own[rows][:, None] + steps]
        if order > 1:
            around[first[rows][:, None] + np.arange(len(steps))] = found
        else:
            around = found.ravel()
    present = around >= 0
    ends = np.concatenate([[0], np.cumsum(np.add.reduceat(present, first[:-1], dtype=np.int32))]).astype(np.int32)
    columns = around[present]
    ascending = np.diff(columns) > 0
    ascending[ends[1:-1] - 1] = True
    return NodeNeighbours(at, first, strides, reach, present, columns, ends) if ascending.all() else None


def _steps(block: CellBlock, lattice: CellLattice) -> ShortInts:
    """How far (k, d) the nodes of a cell lie above its lowest corner, in half lines where it is quadratic."""
    family, width = CELL_FAMILIES[block.family], lattice.corners.shape[1]
    place = np.empty(width, dtype=np.int64)
    place[np.argsort(block.nodes[0, :width])] = np.argsort(lattice.corners[0])
    above = place[:, None] >> np.arange(lattice.cells.shape[1]) & 1
    corners = CELL_FAMILIES[_LINEAR[family.dimension]]
    return np.rint(family.order * corners.values(family.nodes) @ above).astype(np.int32)
