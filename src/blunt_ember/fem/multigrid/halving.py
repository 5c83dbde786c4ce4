"""Lattices with ever fewer lines, and how values at the nodes of one are taken to those of the one before.

Where cells are short in one direction and long in others only what is short is joined, so that what is left behind is
smooth in every direction; lines at which regions end stay. Sources: Trottenberg, Oosterlee & Schüller, *Multigrid*
(2001), 5.1 (semi-coarsening) and 7.7 (jumps of what conducts).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise, product

import numpy as np
from scipy.sparse import csr_array, kron

from blunt_ember.arrays import Flags, Floats, Ints, ShortInts
from blunt_ember.immutable import immutable
from blunt_ember.mesh.lattice.cell_lattice import CellLattice
from blunt_ember.mesh.lattice.node_neighbours import NodeNeighbours, neighbours_of_corners

#: Cells are joined that are this many times as long, at most, as the shortest that can be.
_SHORT = 4.5


@immutable
class Halved:
    """A ``lattice`` of fewer lines than one before it.

    ``up`` (n, c) takes values at its nodes to those of the one before, by linear interpolation along each axis,
    ``kept`` (c,) tells which of these nodes it has, and ``joined`` (m,) which of its cells those before were joined
    into.
    """

    lattice: CellLattice
    up: csr_array
    kept: Ints
    joined: ShortInts

    def of_cells(self, values: Floats) -> Floats:
        """Return values (m,) of the cells before, the same in all that were joined, by its own cells."""
        own = np.empty(len(self.lattice.cells))
        own[self.joined] = values
        return own


def halvings(lattice: CellLattice) -> Iterator[Halved]:
    """Halve a lattice again and again."""
    while True:
        joined = joined_lines(lattice.lines, lattice.kept)
        if all(len(left) == len(lines) for left, lines in zip(joined, lattice.lines, strict=True)):
            return
        halved = _coarser(lattice, joined)
        lattice = halved.lattice
        yield halved


def joined_lines(lines: Sequence[Floats], kept: Sequence[Flags]) -> list[Ints]:
    """Return the lines of every axis that are left when neighbours are joined that are short; those that are ``kept``
    stay."""
    widths = [np.diff(each) for each in lines]
    ends = [np.flatnonzero(each) for each in kept]
    joinable = [np.repeat(np.diff(end) > 1, np.diff(end)) for end in ends]
    if not any(each.any() for each in joinable):
        return [np.arange(len(each)) for each in lines]
    shortest = min(float(width[each].min()) for width, each in zip(widths, joinable, strict=True) if each.any())
    return [
        np.concatenate([[0], *(low + _in_pairs(width[low:high] <= _SHORT * shortest) for low, high in pairwise(end))])
        for width, end in zip(widths, ends, strict=True)
    ]


def is_even(lines: Sequence[Floats]) -> bool:
    """Tell whether none of the cells between lines is so much longer than another that it would wait to be joined."""
    widths = np.concatenate([np.diff(each) for each in lines])
    return bool(widths.max() <= _SHORT * widths.min())


def _in_pairs(short: Flags) -> Ints:
    """Where (g,) groups of cells end when the ``short`` ones (n,) that follow each other are joined: two and two, three
    where one would be left over, and a single one with a neighbour."""
    runs = np.split(np.arange(len(short)), np.flatnonzero(np.diff(short)) + 1)
    ends: list[int] = []
    for run in runs:
        if not short[run[0]]:
            ends += (run + 1).tolist()
        elif len(run) == 1:
            if ends:
                ends[-1] = int(run[0]) + 1
            elif len(short) > 1:
                continue  # it goes to the one after it
            else:
                ends.append(1)
        else:
            ends += [*(run[2 * np.arange(len(run) // 2 - 1) + 1] + 1).tolist(), int(run[-1]) + 1]
    return np.array(ends)


def _coarser(lattice: CellLattice, joined: list[Ints]) -> Halved:
    width = lattice.corners.shape[1]
    between = [np.searchsorted(left, np.arange(left[-1]), side="right") - 1 for left in joined]
    cells = np.stack([of[lattice.cells[:, axis]] for axis, of in enumerate(between)], axis=1)
    shape = tuple(len(left) - 1 for left in joined)
    place = np.ravel_multi_index(tuple(cells.T), shape)
    taken = np.zeros(int(np.prod(shape)), dtype=bool)
    taken[place] = True
    number = np.cumsum(taken, dtype=np.int32) - 1
    cell = number[place]
    coarse = np.stack(np.unravel_index(np.flatnonzero(taken), shape), axis=1).astype(np.int32)
    neighbours = neighbours_of_corners(lattice)
    if neighbours.apart:
        corners = _corners(neighbours, lattice, joined, coarse)
        up, own = _product(neighbours, lattice, joined)
    else:
        corners = np.empty((len(coarse), width), dtype=np.int32)
        for corner in range(width):
            outermost = np.ones(len(cells), dtype=bool)
            for axis, left in enumerate(joined):
                above = corner >> axis & 1
                outermost &= (left[cells[:, axis] + above] - above) == lattice.cells[:, axis]
            corners[cell[outermost], corner] = lattice.corners[outermost, corner]
        up, own = _interpolation(lattice, joined, cells, corners[cell])
    compact = np.full(lattice.count, -1, dtype=np.int32)
    compact[own] = np.arange(len(own), dtype=np.int32)
    at = [np.searchsorted(left, lattice.at[own, axis]) for axis, left in enumerate(joined)]
    coarser = CellLattice(
        tuple(lines[left] for lines, left in zip(lattice.lines, joined, strict=True)),
        tuple(kept[left] for kept, left in zip(lattice.kept, joined, strict=True)),
        coarse,
        compact[corners],
        np.stack(at, axis=1).astype(np.int32),
        lattice.axes,
    )
    return Halved(coarser, up, own, cell)


def _corners(neighbours: NodeNeighbours, lattice: CellLattice, joined: list[Ints], cells: ShortInts) -> Ints:
    """The nodes (c, 2ᵈ) at the corners of ``cells`` (c, d) between the lines that are left."""
    above = np.arange(2 ** len(joined))[:, None] >> np.arange(len(joined)) & 1
    lines = [left[cells[:, None, axis] + above[None, :, axis]] for axis, left in enumerate(joined)]
    return neighbours.nodes_at(*(lines[axis] for axis in neighbours.axes.tolist()))


def _product(neighbours: NodeNeighbours, lattice: CellLattice, joined: list[Ints]) -> tuple[csr_array, Ints]:
    """Linear along each axis, as the product of what it is along every one; and which nodes (c,) are left."""
    axes = neighbours.axes.tolist()
    up = csr_array([[1.0]])
    for axis in axes:
        up = csr_array(kron(up, linear_along(lattice.lines[axis], joined[axis]), format="csr"))
    if lattice.count < up.shape[0]:
        up = csr_array(up[neighbours.box_places])
    met = np.zeros(up.shape[1], dtype=bool)
    met[up.indices] = True
    left = np.unravel_index(np.flatnonzero(met), [len(joined[axis]) for axis in axes])
    own = neighbours.nodes_at(*(joined[axis][line] for axis, line in zip(axes, left, strict=True)))
    if not met.all():
        up = csr_array(up[:, met])
    return up, own


def linear_along(lines: Floats, left: Ints) -> csr_array:
    """Return linear interpolation (l, c) at ``lines`` (l,) from those (c,) that are ``left``."""
    low = np.searchsorted(left, np.arange(len(lines)), side="right") - 1
    share = np.zeros(len(lines))
    inside = np.flatnonzero(left[low] < np.arange(len(lines)))
    begin, end = lines[left[low[inside]]], lines[left[low[inside] + 1]]
    share[inside] = (lines[inside] - begin) / (end - begin)
    rows = np.concatenate([np.arange(len(lines)), inside])
    columns = np.concatenate([low, low[inside] + 1])
    return csr_array((np.concatenate([1 - share, share[inside]]), (rows, columns)), shape=(len(lines), len(left)))


def _interpolation(lattice: CellLattice, joined: list[Ints], cells: Ints, around: ShortInts) -> tuple[csr_array, Ints]:
    """The same where two nodes may lie on one place, as on the two sides of a joint: from the corners ``around``
    (m, 2ᵈ) the cell that each cell is joined into."""
    dimension, width = len(joined), around.shape[1]
    holder = np.empty(lattice.count, dtype=np.int32)
    corner = np.empty(lattice.count, dtype=np.int8)
    for each in range(width):
        holder[lattice.corners[:, each]] = np.arange(len(cells), dtype=np.int32)
        corner[lattice.corners[:, each]] = each
    shares = []
    for axis, left in enumerate(joined):
        lines = lattice.lines[axis]
        low, high = lines[left[cells[holder, axis]]], lines[left[cells[holder, axis] + 1]]
        above = (lines[lattice.cells[holder, axis] + (corner >> axis & 1)] - low) / (high - low)
        shares.append((1 - above, above))
    weights = np.empty((lattice.count, width))
    for bits in product((0, 1), repeat=dimension):
        each = sum(bit << axis for axis, bit in enumerate(bits))
        weights[:, each] = np.prod([shares[axis][bit] for axis, bit in enumerate(bits)], axis=0)
    present = weights > 0
    columns = around[holder][present]
    met = np.zeros(lattice.count, dtype=bool)
    met[columns] = True
    own = np.flatnonzero(met)
    compact = (np.cumsum(met) - 1).astype(np.int32)
    ends = np.concatenate([[0], np.cumsum(present.sum(axis=1))]).astype(np.int32)
    return csr_array((weights[present], compact[columns], ends), shape=(lattice.count, len(own))), own
