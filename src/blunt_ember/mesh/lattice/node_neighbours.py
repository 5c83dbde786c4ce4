"""Which nodes of a mesh on a lattice share a cell: the places of the entries of its matrices, without any sorting."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from itertools import product
from typing import TYPE_CHECKING

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags, Floats, Ints, ShortInts
from blunt_ember.immutable import immutable
from blunt_ember.mesh.lattice.cell_lattice import CellLattice, places_of

if TYPE_CHECKING:
    from blunt_ember.mesh.mesh import Mesh


#: Nodes up to which what is found takes little memory, so that it is kept, and for how many sets of free nodes.
_SMALL = 200_000
_KEPT = 2
#: Nodes whose neighbours are looked up at once, so that they stay in the cache of memory.
_AT_ONCE = 8_192


@immutable
class Pattern:
    """Where the entries of a matrix by rows are, of nodes that are free: ``present`` (p,) tells at which places of
    nodes and their neighbours, ``columns`` (e,) which numbers the neighbours have among free nodes, and ``ends``
    (f + 1,) where they begin."""

    present: Flags
    columns: ShortInts
    ends: ShortInts


class NodeNeighbours:
    """The nodes of a mesh that lies on a lattice, each with places for all that may share a cell with it.

    ``axes`` (d,) are those of the lattice, the one along which numbers go fastest last, and ``at`` (n, d) the places
    of the nodes along them, half lines among them where cells are quadratic. ``first`` (n + 1,) is the first place of
    each node, ``strides`` (n, d) how far apart those are that lie a step apart along an axis, ``reach`` (n, d) how many
    steps to either side they go.
    """

    def __init__(self, at: ShortInts, order: int, axes: Ints) -> None:
        self.at = at
        self.axes = axes
        self._order = order
        self.reach = np.where(at % order == 0, order, 1).astype(np.int32)
        wide = 2 * self.reach + 1
        self.strides = np.ones_like(self.reach)
        for axis in range(at.shape[1] - 2, -1, -1):
            self.strides[:, axis] = self.strides[:, axis + 1] * wide[:, axis + 1]
        self.first: Ints = np.concatenate([[0], np.cumsum(wide.prod(axis=1), dtype=np.int64)])
        self._known: list[tuple[Flags, Pattern]] = []

    @cached_property
    def box_places(self) -> Ints:
        """The places (n,) of the nodes in the box of all lines that any of them lies on."""
        return np.ravel_multi_index(tuple(self.at.T), tuple((self.at.max(axis=0) + 1).tolist()))

    @property
    def numbers(self) -> ShortInts:
        """The numbers of the nodes at all places of that box, −1 where there is none."""
        shape = self.at.max(axis=0) + 1
        numbers = np.full(int(np.prod(shape, dtype=np.int64)), -1, dtype=np.int32)
        numbers[self.box_places] = np.arange(len(self.at), dtype=np.int32)
        return numbers.reshape(shape)

    @property
    def apart(self) -> bool:
        """Whether each node has a place of its own, and they are numbered along the axes."""
        return bool((np.diff(self.box_places) > 0).all())

    def nodes_at(self, *lines: Ints) -> Ints:
        """Return the nodes at places that are told by their lines along each of the axes."""
        wanted = np.ravel_multi_index(lines, tuple((self.at.max(axis=0) + 1).tolist()))
        if len(self.at) == int(self.box_places[-1]) + 1:
            return wanted
        return np.searchsorted(self.box_places, wanted)

    def places(self, rows: Ints, columns: Ints) -> Ints:
        """Return the place of each ``columns`` (r,) at ``rows`` (r,), nodes; −1 where they share no cell."""
        steps = self.at[columns] - self.at[rows]
        reach = self.reach[rows]
        place = self.first[rows] + ((steps + reach) * self.strides[rows]).sum(axis=1)
        return np.where((np.abs(steps) <= reach).all(axis=1), place, -1)

    def matrix(self, values: Floats, free: Flags) -> csr_array:
        """Return the matrix (f, f) of the nodes that are ``free`` (n,), of ``values`` (places,)."""
        pattern = self.pattern(free)
        count = len(pattern.ends) - 1
        return csr_array((values[pattern.present], pattern.columns, pattern.ends), shape=(count, count))

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
        number, own, across = _box(self.at, self._order)
        number[own] = np.where(free, np.cumsum(free) - 1, -1)
        # Nodes of one sort, at ends or in middles of cells, have their neighbours at the same steps.
        sorts = list(product(range(self._order), repeat=self.at.shape[1]))
        sort = np.ravel_multi_index(tuple(self.at.T % self._order), [self._order] * self.at.shape[1])
        every = [_steps([1 if half else self._order for half in halves], across) for halves in sorts]
        present = np.empty(self.first[-1], dtype=bool)
        columns: list[ShortInts] = []
        for start in range(0, len(own), _AT_ONCE):
            stop = min(start + _AT_ONCE, len(own))
            begin = self.first[start]
            around = np.empty(self.first[stop] - begin, dtype=np.int32)
            for number_of_sort, steps in enumerate(every):
                rows = start + np.flatnonzero(sort[start:stop] == number_of_sort)
                found = number[own[rows, None] + steps]
                found[~free[rows]] = -1
                if len(every) == 1:
                    around = found.ravel()
                else:
                    around[(self.first[rows] - begin)[:, None] + np.arange(len(steps))] = found
            there = np.greater_equal(around, 0, out=present[begin : self.first[stop]])
            columns.append(around[there])
        counts = np.add.reduceat(present, self.first[:-1], dtype=np.int32)[free]
        ends = np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
        return Pattern(present, np.concatenate(columns), ends)


def _steps(reach: Sequence[int], across: Ints) -> Ints:
    """How far in a box all neighbours are that lie so many steps away along each axis at most."""
    sides = [np.arange(-most, most + 1) for most in reach]
    return np.stack(np.meshgrid(*sides, indexing="ij"), axis=-1).reshape(-1, len(reach)) @ across


def neighbours_of(mesh: Mesh, lattice: CellLattice) -> NodeNeighbours | None:
    """Return the neighbours of the nodes of a mesh that lies on a lattice; None where two nodes lie on one place, or
    are numbered in some other order than along its axes."""
    (block,) = mesh.blocks
    axes = _axes(lattice)
    at = lattice.at
    if mesh.order == 2:
        at = places_of(lattice.cells * np.int32(2), block.nodes, lattice.steps(block), mesh.node_count)
    found = NodeNeighbours(np.ascontiguousarray(at[:, axes]), mesh.order, axes)
    return found if found.apart else None


def neighbours_of_corners(lattice: CellLattice) -> NodeNeighbours:
    """Return the neighbours among the corners of a lattice, whose numbers go along its axes."""
    axes = _axes(lattice)
    return NodeNeighbours(np.ascontiguousarray(lattice.at[:, axes]), 1, axes)


def _axes(lattice: CellLattice) -> Ints:
    """The axes, the one along which numbers go fastest last."""
    apart = np.abs(lattice.corners[0, 2 ** np.arange(lattice.cells.shape[1])] - lattice.corners[0, 0])
    return np.asarray(np.argsort(-apart))


def _box(at: ShortInts, order: int) -> tuple[ShortInts, Ints, Ints]:
    """A box of −1 for all places of a lattice and some beyond, where nodes are in it (n,), and how far along each axis
    (d,) a step is."""
    shape = at.max(axis=0).astype(np.int64) + 1 + 2 * order
    across = np.concatenate([np.cumprod(shape[:0:-1])[::-1], [1]])
    return np.full(int(np.prod(shape)), -1, dtype=np.int32), (at + order) @ across, across
