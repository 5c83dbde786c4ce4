"""Lattices with ever fewer lines, and how values at the nodes of one are taken to those of the one before.

Where cells are short in one direction and long in others only what is short is joined, so that what is left behind is
smooth in every direction; lines at which regions end stay. Sources: Trottenberg, Oosterlee & Schüller, *Multigrid*
(2001), 5.1 (semi-coarsening) and 7.7 (jumps of what conducts).
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise, product

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags, Ints, ShortInts
from blunt_ember.mesh.lattice.cell_lattice import CellLattice

#: Cells are joined that are this many times as long, at most, as the shortest that can be.
_SHORT = 4.5


def halvings(lattice: CellLattice) -> Iterator[tuple[csr_array, Ints]]:
    """Halve a lattice again and again.

    Yields the matrix (n, c) that takes values at the nodes of the coarser lattice to those of the one before, by
    linear interpolation along each axis, and which of these nodes (c,) the coarser one has.
    """
    while True:
        joined = _joined(lattice)
        if all(len(left) == len(lines) for left, lines in zip(joined, lattice.lines, strict=True)):
            return
        lattice, up, own = _coarser(lattice, joined)
        yield up, own


def _joined(lattice: CellLattice) -> list[Ints]:
    """The lines of every axis that are left when neighbours are joined that are short."""
    widths = [np.diff(lines) for lines in lattice.lines]
    ends = [np.flatnonzero(kept) for kept in lattice.kept]
    joinable = [np.repeat(np.diff(end) > 1, np.diff(end)) for end in ends]
    if not any(each.any() for each in joinable):
        return [np.arange(len(lines)) for lines in lattice.lines]
    shortest = min(float(width[each].min()) for width, each in zip(widths, joinable, strict=True) if each.any())
    return [
        np.concatenate([[0], *(low + _in_pairs(width[low:high] <= _SHORT * shortest) for low, high in pairwise(end))])
        for width, end in zip(widths, ends, strict=True)
    ]


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


def _coarser(lattice: CellLattice, joined: list[Ints]) -> tuple[CellLattice, csr_array, Ints]:
    width = lattice.corners.shape[1]
    between = [np.searchsorted(left, np.arange(left[-1]), side="right") - 1 for left in joined]
    cells = np.stack([of[lattice.cells[:, axis]] for axis, of in enumerate(between)], axis=1)
    shape = tuple(len(left) - 1 for left in joined)
    place = np.ravel_multi_index(tuple(cells.T), shape)
    taken = np.zeros(int(np.prod(shape)), dtype=bool)
    taken[place] = True
    number = np.cumsum(taken, dtype=np.int32) - 1
    cell = number[place]
    corners = np.empty((int(taken.sum()), width), dtype=np.int32)
    for corner in range(width):
        outermost = np.ones(len(cells), dtype=bool)
        for axis, left in enumerate(joined):
            above = corner >> axis & 1
            outermost &= (left[cells[:, axis] + above] - above) == lattice.cells[:, axis]
        corners[cell[outermost], corner] = lattice.corners[outermost, corner]
    up, own = _interpolation(lattice, joined, cells, corners[cell])
    compact = np.full(lattice.count, -1, dtype=np.int32)
    compact[own] = np.arange(len(own), dtype=np.int32)
    coarser = CellLattice(
        tuple(lines[left] for lines, left in zip(lattice.lines, joined, strict=True)),
        tuple(kept[left] for kept, left in zip(lattice.kept, joined, strict=True)),
        np.stack(np.unravel_index(np.flatnonzero(taken), shape), axis=1).astype(np.int32),
        compact[corners],
        len(own),
        lattice.axes,
    )
    return coarser, up, own


def _interpolation(lattice: CellLattice, joined: list[Ints], cells: Ints, around: ShortInts) -> tuple[csr_array, Ints]:
    """Linear along each axis, from the corners ``around`` (m, 2ᵈ) the cell that each cell is joined into."""
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
