"""Cells on a lattice as boxes of numbers, halved again and again: the spaces of multigrid, with no cell looked up.

Cells that are joined conduct alike, so that conduction in the coarser space is that of the longer cells.
"""

from __future__ import annotations

from functools import cached_property, reduce

import numpy as np
from scipy.sparse import csr_array, eye_array, kron, vstack

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.fem.multigrid.cycle import with_digits
from blunt_ember.fem.multigrid.diagonals import Diagonals, box_shape, sorts_of
from blunt_ember.fem.multigrid.halving import is_even, joined_lines, linear_along
from blunt_ember.immutable import immutable
from blunt_ember.mesh.lattice.cell_lattice import CellLattice
from blunt_ember.mesh.lattice.node_neighbours import NodeNeighbours

#: How many times as many places as nodes boxes may have.
_SPARSE = 2
#: Places of a box from which on its diagonals are faster than rows, where there are several: many short ones are not.
_LARGE = 5_000
#: Places up to which spaces take little memory, so that they are kept.
_KEPT = 200_000


@immutable
class NodeBoxes:
    """The boxes of the nodes of a mesh, one for each sort of them as of :class:`Diagonals`.

    ``where`` (n,) tells the place of every node among the ``count`` of all boxes.
    """

    where: Ints
    count: int


def node_boxes(neighbours: NodeNeighbours, order: int) -> NodeBoxes | None:
    """Return the boxes of nodes; None where few of their places would have one, or they are many and small."""
    at = neighbours.at.astype(np.int64)
    shape = box_shape(tuple((at.max(axis=0) // order + 1).tolist()))
    places = int(np.prod(shape))
    count = places * order ** len(shape)
    if count > _SPARSE * len(at) or places < min(_LARGE, count):
        return None
    where = np.ravel_multi_index(tuple((at // order).T), shape)
    if order > 1:
        where += places * np.ravel_multi_index(tuple((at % order).T), [order] * len(shape))
    return NodeBoxes(where, count)


@immutable
class BoxOfCells:
    """Cells between ``lines`` that conduct ``k`` (…) in W/(m K), 0 where none is; regions end at those ``kept``."""

    lines: tuple[Floats, ...]
    kept: tuple[Flags, ...]
    k: Floats

    @property
    def weights(self) -> Floats:
        """What cells conduct along each axis (d, …), as of :func:`sums_in_boxes`."""
        halves = [np.diff(each) / 2 for each in self.lines]
        size = self.k * reduce(np.multiply.outer, halves)
        along = [size / _along_axis(half, axis, len(halves)) ** 2 for axis, half in enumerate(halves)]
        return np.stack(along)

    def is_like(self, other: BoxOfCells) -> bool:
        """Tell whether others lie between the same lines, with regions that end at the same, and conduct as much."""
        own, theirs = ((*each.lines, *each.kept, each.k) for each in (self, other))
        return len(self.lines) == len(other.lines) and all(map(np.array_equal, own, theirs))

    def joined(self, left: list[Ints]) -> BoxOfCells:
        """Return the cells between those lines that are ``left``."""
        lines = tuple(each[own] for each, own in zip(self.lines, left, strict=True))
        kept = tuple(each[own] for each, own in zip(self.kept, left, strict=True))
        return BoxOfCells(lines, kept, self.k[np.ix_(*(own[:-1] for own in left))])


def box_of_cells(lattice: CellLattice, axes: Ints, k: Floats) -> BoxOfCells:
    """Return the box of cells that conduct ``k`` (m,), its axes in the order of ``axes``."""
    order = axes.tolist()
    box = np.zeros([len(lattice.lines[axis]) - 1 for axis in order])
    box[tuple(lattice.cells[:, axis] for axis in order)] = k
    return BoxOfCells(tuple(lattice.lines[axis] for axis in order), tuple(lattice.kept[axis] for axis in order), box)


class BoxSpace:
    """A space of functions on ``cells`` of an ``order``, of nodes at the places that are ``free`` (n,).

    ``up`` (m, n) takes values to the space before it, if there is one.
    """

    def __init__(self, cells: BoxOfCells, order: int, free: Flags, up: csr_array | None = None) -> None:
        self.cells, self.free, self.count = cells, free, np.count_nonzero(free)
        self._order, self._up = order, up

    @cached_property
    def conduction(self) -> Diagonals:
        """What is conducted between the places that are free."""
        matrix = Diagonals.of_cells(self.cells.weights, self._order)
        matrix.leave_out(np.flatnonzero(~self.free))
        return matrix

    @cached_property
    def single(self) -> Diagonals:
        """The same with half the digits."""
        return self.conduction.with_digits(np.dtype(np.float32))

    @cached_property
    def up_and_down(self) -> tuple[csr_array, csr_array]:
        """How values go to the space before and back."""
        assert self._up is not None
        return self._up, csr_array(self._up.T)

    @cached_property
    def single_up_and_down(self) -> tuple[csr_array, csr_array]:
        """The same with half the digits."""
        up, down = self.up_and_down
        return with_digits(up, np.dtype(np.float32)), with_digits(down, np.dtype(np.float32))

    @cached_property
    def next(self) -> BoxSpace | None:
        """The space that is coarser, if any."""
        if self._order > 1:
            coarse = self.free[: int(np.prod(_shape(self.cells)))]
            return BoxSpace(self.cells, 1, coarse, _picked(_on_ends(self.cells, self._order), self.free, coarse))
        lines, kept = self.cells.lines, self.cells.kept
        left = joined_lines(lines, kept)
        if all(len(own) == len(each) for own, each in zip(left, lines, strict=True)):
            return None
        cells = self.cells.joined(left)
        shape, coarser = _shape(self.cells), _shape(cells)
        free = np.zeros(coarser, dtype=bool)
        own = self.free.reshape(shape)[np.ix_(*left)]
        free[tuple(slice(count) for count in own.shape)] = own
        along = [
            _padded(linear_along(each, own), before, after)
            for each, own, before, after in zip(lines, left, shape, coarser, strict=True)
        ]
        return BoxSpace(cells, 1, free.ravel(), _picked(_product(along), self.free, free.ravel()))


class KeptSpaces:
    """The spaces of cells that conduct as they did the last time, and of the same free nodes, where they are small."""

    def __init__(self) -> None:
        self._known: BoxSpace | None = None

    def of(self, cells: BoxOfCells, order: int, free: Flags) -> BoxSpace:
        """Return the finest one."""
        known = self._known
        if known is not None and known.cells.is_like(cells) and np.array_equal(known.free, free):
            return known
        found = BoxSpace(cells, order, free)
        if len(free) <= _KEPT:
            self._known = found
        return found


def has_spaces(cells: BoxOfCells, order: int) -> bool:
    """Tell whether coarser spaces begin with linear functions on the same cells, unlike of flat quadratic ones."""
    return order == 1 or is_even(cells.lines)


def _shape(cells: BoxOfCells) -> tuple[int, ...]:
    return box_shape(tuple(len(lines) for lines in cells.lines))


def _along_axis(values: Floats, axis: int, dimension: int) -> Floats:
    return values.reshape([-1 if each == axis else 1 for each in range(dimension)])


def _on_ends(cells: BoxOfCells, order: int) -> csr_array:
    """Linear functions of the ends of cells, at the places of nodes of every sort."""
    along = []
    for lines, count in zip(cells.lines, _shape(cells), strict=True):
        middles = csr_array((eye_array(len(lines) - 1, len(lines)) + eye_array(len(lines) - 1, len(lines), k=1)) / 2)
        along.append((csr_array(eye_array(count)), _padded(middles, count, count)))
    sorts = sorts_of(order, len(along))
    return csr_array(vstack([_product([of[half] for of, half in zip(along, halves, strict=True)]) for halves in sorts]))


def _product(along: list[csr_array]) -> csr_array:
    return csr_array(reduce(lambda one, other: kron(one, other, format="csr"), along))


def _padded(matrix: csr_array, rows: int, columns: int) -> csr_array:
    ends = np.pad(matrix.indptr, (0, rows - matrix.shape[0]), mode="edge")
    return csr_array((matrix.data, matrix.indices, ends), shape=(rows, columns))


def _picked(up: csr_array, rows: Flags, columns: Flags) -> csr_array:
    """Of values between places those between free ones."""
    there = columns[up.indices] & np.repeat(rows, np.diff(up.indptr))
    ends = np.concatenate([[0], np.cumsum(there, dtype=np.int32)])[up.indptr].astype(np.int32)
    return csr_array((up.data[there], up.indices[there], ends), shape=up.shape)
