"""Sums of the conduction matrices of cells on a lattice, in runs of its nodes.

Of such cells the entry of two nodes depends on no more than how far they are apart along each axis, and on whether the
first lies at an end or in the middle of its cell there: so what nodes of one sort have with their neighbours is a sum
of whole planes of numbers, shifted by a cell.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import product

import numpy as np

from blunt_ember.arrays import Floats, Ints, ShortInts
from blunt_ember.in_threads import each_in_threads
from blunt_ember.mesh.lattice.cell_lattice import CellLattice
from blunt_ember.mesh.lattice.node_neighbours import NodeNeighbours

#: Cells whose sums are made at once.
_AT_ONCE = 65_536
#: Sums from which on more threads than one make them.
_LARGE = 2_000_000
#: Sums that are kept at most.
_KEPT = 2_000_000
#: ∫ N N and ∫ N' N' over the reference interval by order: of the node at an end with those 0, 1, … steps away in its
#: cell, and of the one in the middle.
_MASS = {1: ((2 / 3, 1 / 3),), 2: ((4 / 15, 2 / 15, -1 / 15), (16 / 15, 2 / 15))}
_STIFFNESS = {1: ((1 / 2, -1 / 2),), 2: ((7 / 6, -8 / 6, 1 / 6), (16 / 6, -8 / 6))}


class LatticeSums:
    """The sums of cells that conduct as they did the last time, kept where there are few."""

    def __init__(self) -> None:
        self._conducting: Floats | None = None
        self._values = np.zeros(0)

    def of(self, lattice: CellLattice, neighbours: NodeNeighbours, conducting: Floats, order: int) -> Floats:
        """Return a copy of the :func:`lattice_sums`."""
        if self._conducting is not None and np.array_equal(self._conducting, conducting):
            return self._values.copy()
        values = lattice_sums(lattice, neighbours, conducting, order)
        if values.size <= _KEPT:
            self._conducting, self._values = conducting, values.copy()
        return values


def lattice_sums(lattice: CellLattice, neighbours: NodeNeighbours, conducting: Floats, order: int = 1) -> Floats:
    """Return what the matrices of all cells give to the places of ``neighbours``, (places,).

    ``conducting`` (m, d) is what the cells of an ``order`` conduct along each axis in W/K: k times their size over the
    square of half their width along it, all on the reference cell.
    """
    axes = list(neighbours.axes)
    box = np.zeros((len(axes), *(len(lattice.lines[axis]) - 1 for axis in axes)))
    box[(slice(None), *lattice.cells[:, axes].T)] = conducting[:, axes].T
    numbers = neighbours.numbers
    values = np.empty(neighbours.first[-1])
    for low, high, slab in _slabs(box):
        for halves in product(range(order), repeat=len(axes)):
            first, *others = (slice(half, None, order) for half in halves)
            own = numbers[order * low : order * high][(first, *others)]
            sums = np.empty((int(np.prod(_wide(halves, order))), *_nodes_of(slab, halves)))
            _slab_sums(slab, halves, order, sums)
            _put(values, neighbours.first, own.ravel(), sums[:, : len(own)])
    return values


def sums_in_boxes(
    weights: Floats, order: int, shape: tuple[int, ...], sorts: Sequence[tuple[int, ...]], ranks: Sequence[Ints]
) -> list[Floats]:
    """Return what the matrices of all cells in a box give to their nodes, (neighbours, …) for each of ``sorts``.

    Those lie in the middle of cells along some axes. All are in boxes of a ``shape``, which has a place more than there
    are cells along each axis, at least. ``weights`` (d, …) are what cells conduct along each axis in W/K, as of
    :func:`lattice_sums`, in the order of axes, and 0 where there is none; ``ranks`` tell where the sums of a neighbour
    go, by its place among those of a node.
    """
    found = [np.zeros((len(rank), *shape)) for rank in ranks]
    slabs = list(_slabs(weights))

    def put(number: int) -> None:
        low, high, slab = slabs[number]
        for halves, rank, sums in zip(sorts, ranks, found, strict=True):
            others = (slice(count) for count in _nodes_of(slab, halves)[1:])
            _slab_sums(slab, halves, order, sums[(slice(None), slice(low, high), *others)], rank.tolist())

    each_in_threads(put, len(slabs), sum(each.size for each in found) >= _LARGE)
    return found


def _slabs(box: Floats) -> Iterator[tuple[int, int, Floats]]:
    """Cut nodes at the ends of cells in a ``box`` (d, …) into runs along its first axis: the first of each, the one
    after it, and the cells around them, nothing beyond the box."""
    weights = np.pad(box, ((0, 0), *((1, 1),) * (box.ndim - 1)))
    count = box.shape[1] + 1
    thick = max(1, _AT_ONCE // int(np.prod(box.shape[2:])))
    for low in range(0, count, thick):
        high = min(low + thick, count)
        yield low, high, weights[:, low : high + 1]


def _put(values: Floats, first: Ints, nodes: ShortInts, sums: Floats) -> None:
    """Put the ``sums`` (neighbours, …) of nodes, −1 where there is none, into their places."""
    width = len(sums)
    rows = sums.reshape(width, -1).T
    there = nodes >= 0
    if not there.all():
        nodes, rows = nodes[there], rows[there]
    if not len(nodes):
        return
    begin = first[nodes]
    if begin[-1] - begin[0] == width * (len(nodes) - 1):
        values[begin[0] : begin[0] + rows.size].reshape(rows.shape)[:] = rows
    else:
        values[begin[:, None] + np.arange(width)] = rows


def _wide(halves: tuple[int, ...], order: int) -> list[int]:
    """How many places along each axis the neighbours of a node take."""
    return [3 if half else 2 * order + 1 for half in halves]


def _nodes_of(weights: Floats, halves: tuple[int, ...]) -> list[int]:
    """How many nodes of a sort a slab of cells has along each axis; along the first as many as at ends of cells."""
    first, *others = weights.shape[1:]
    return [first - 1, *(count - 1 - half for count, half in zip(others, halves[1:], strict=True))]


def _slab_sums(
    weights: Floats, halves: tuple[int, ...], order: int, into: Floats, rank: Sequence[int] | None = None
) -> None:
    """Put the sums (neighbours, …) at the nodes of a slab ``into`` an array, in the order of their ``rank``.

    The nodes lie in the middle of cells along some axes, ``halves``, and at their ends along the others; the cells of
    the slab and those around them have ``weights`` (d, …).
    """
    reach = [1 if half else order for half in halves]
    for apart in product(*(range(most + 1) for most in reach)):
        first, *others = _shares(halves, apart, order).tolist()
        of_cells = first * weights[0]
        for share, weight in zip(others, weights[1:], strict=True):
            of_cells += share * weight
        for axis, (half, steps) in enumerate(zip(halves, apart, strict=True)):
            before = (slice(None),) * axis
            if half:  # the one cell that it is the middle of; the slab has one more before it, and others after it too
                of_cells = of_cells[(*before, slice(1, -1 if axis else None))]
            elif not steps:
                of_cells = of_cells[(*before, slice(-1))] + of_cells[(*before, slice(1, None))]
        for sides in product(*((-steps, steps) if steps else (0,) for steps in apart)):
            # Below an end lies the cell of the same number, as cells are counted from one before the first.
            cut = tuple(
                slice(None) if half or not side else slice(1, None) if side > 0 else slice(-1)
                for half, side in zip(halves, sides, strict=True)
            )
            place = _place(sides, reach)
            into[place if rank is None else rank[place]] = of_cells[cut]


@lru_cache(maxsize=256)
def _shares(halves: tuple[int, ...], apart: tuple[int, ...], order: int) -> Floats:
    """What conduction along each axis (d,) makes of two nodes that are so many steps apart along the axes."""
    return np.array(
        [
            np.prod(
                [
                    (_STIFFNESS if axis == along else _MASS)[order][half][steps]
                    for axis, (half, steps) in enumerate(zip(halves, apart, strict=True))
                ]
            )
            for along in range(len(halves))
        ]
    )


def _place(sides: tuple[int, ...], reach: list[int]) -> int:
    """The place of a neighbour among those of a node."""
    place = 0
    for side, most in zip(sides, reach, strict=True):
        place = (2 * most + 1) * place + side + most
    return place
