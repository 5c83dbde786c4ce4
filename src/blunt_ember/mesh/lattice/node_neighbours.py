"""Which nodes of a mesh on a lattice share a cell: the places of the entries of its matrices, without any sorting."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Flags, Ints, ShortInts
from blunt_ember.mesh.lattice.cell_lattice import CellLattice

if TYPE_CHECKING:
    from blunt_ember.mesh.mesh import Mesh


#: Nodes up to which what is found takes little memory, so that it is kept, and for how many sets of free nodes.
_SMALL = 200_000
_KEPT = 2


@dataclass(frozen=True)
class Pattern:
    """Where the entries of a matrix by rows are, of nodes that are free: ``present`` (p,) tells at which places of
    nodes and their neighbours, ``columns`` (e,) which numbers the neighbours have among free nodes, and ``ends``
    (f + 1,) where they begin."""

    present: Flags
    columns: ShortInts
    ends: ShortInts


class NodeNeighbours:
    """The nodes of a mesh that lies on a lattice, each with places for all that may share a cell with it.

    ``at`` (n, d) are the places of the nodes on the lattice, half lines among them where cells are quadratic. ``first``
    (n + 1,) is the first place of each node, ``strides`` (n, d) how far apart those are that lie a step apart along an
    axis, ``reach`` (n, d) how many steps to either side they go.
    """

    def __init__(self, at: ShortInts, order: int) -> None:
        self.at = at
        self._order = order
        self.reach = np.where(at % order == 0, order, 1).astype(np.int32)
        wide = 2 * self.reach + 1
        self.strides = np.ones_like(self.reach)
        for axis in range(at.shape[1] - 2, -1, -1):
            self.strides[:, axis] = self.strides[:, axis + 1] * wide[:, axis + 1]
        self.first: Ints = np.concatenate([[0], np.cumsum(wide.prod(axis=1), dtype=np.int64)])
        self._known: list[tuple[Flags, Pattern]] = []

    def places(self, rows: Ints, columns: Ints) -> Ints:
        """Return the place of each ``columns`` (r,) at ``rows`` (r,), nodes; −1 where they share no cell."""
        steps = self.at[columns] - self.at[rows]
        reach = self.reach[rows]
        place = self.first[rows] + ((steps + reach) * self.strides[rows]).sum(axis=1)
        return np.where((np.abs(steps) <= reach).all(axis=1), place, -1)

    def pattern(self, free: Flags) -> Pattern:
        """Return where the entries of a matrix are, of nodes that are ``free`` (n,)."""
        for known, pattern in self._known:
            if np.array_equal(known, free):
                return pattern
        pattern = self._pattern(free)
        if len(self.at) <= _SMALL:
            self._known = [(free, pattern), *self._known][:_KEPT]
        return pattern

    def _pattern(self, free: Flags) -> Pattern:
        holder, own, across = _box(self.at, self._order)
        holder[own] = np.where(free, np.cumsum(free) - 1, -1)
        around = np.empty(self.first[-1], dtype=np.int32)
        for halves in product(range(self._order), repeat=self.at.shape[1]):
            rows = np.flatnonzero((self.at % self._order == halves).all(axis=1))
            sides = [np.arange(-most, most + 1) for most in (1 if half else self._order for half in halves)]
            steps = np.stack(np.meshgrid(*sides, indexing="ij"), axis=-1).reshape(-1, len(halves)) @ across
            found = holder[own[rows][:, None] + steps]
            found[~free[rows]] = -1
            if self._order == 1:
                around = found.ravel()
            else:
                around[self.first[rows][:, None] + np.arange(len(steps))] = found
        present = around >= 0
        counts = np.add.reduceat(present, self.first[:-1], dtype=np.int32)[free]
        ends = np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
        return Pattern(present, around[present], ends)


def neighbours_of(mesh: Mesh, lattice: CellLattice) -> NodeNeighbours | None:
    """Return the neighbours of the nodes of a mesh that lies on a lattice; None where two nodes lie on one place, or
    are numbered in some other order than along its axes."""
    (block,) = mesh.blocks
    apart = np.abs(lattice.corners[0, 2 ** np.arange(lattice.cells.shape[1])] - lattice.corners[0, 0])
    axes = np.argsort(-apart)  # the one along which numbers go fastest is the last
    at = np.empty((mesh.node_count, len(axes)), dtype=np.int32)
    for node, step in enumerate(lattice.steps(block)):
        at[block.nodes[:, node]] = (lattice.cells * mesh.order + step)[:, axes]
    _, own, _ = _box(at, mesh.order)
    return NodeNeighbours(at, mesh.order) if (np.diff(own) > 0).all() else None


def _box(at: ShortInts, order: int) -> tuple[ShortInts, Ints, Ints]:
    """A box of −1 for all places of a lattice and some beyond, where nodes are in it (n,), and how far along each axis
    (d,) a step is."""
    shape = at.max(axis=0).astype(np.int64) + 1 + 2 * order
    across = np.concatenate([np.cumprod(shape[:0:-1])[::-1], [1]])
    return np.full(int(np.prod(shape)), -1, dtype=np.int32), (at + order) @ across, across
