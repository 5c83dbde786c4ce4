"""Spaces of functions for the temperatures that are free, each coarser than the one before."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags, Floats
from blunt_ember.fem.alike_matrices import AlikeMatrices
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.lattice_sums import lattice_sums
from blunt_ember.fem.multigrid.corners import from_corners
from blunt_ember.fem.multigrid.halving import halvings
from blunt_ember.immutable import immutable
from blunt_ember.mesh.lattice.cell_lattice import CellLattice
from blunt_ember.mesh.lattice.node_neighbours import neighbours_of_corners
from blunt_ember.mesh.mesh import Mesh


@immutable
class Space:
    """A space of functions: ``up`` (n, c) takes their values to the space before; ``conduction`` (c, c) is what the
    conduction of :class:`InParts` comes to in it, where that is known without products."""

    up: csr_array
    conduction: csr_array | None = None


@immutable
class InParts:
    """A matrix of free nodes as the ``conduction`` of the cells of a lattice and a ``rest`` (f, f)."""

    conduction: AlikeMatrices
    rest: Callable[[], csr_array]


class Spaces:
    """The spaces, each coarser than the one before, the first of all free nodes; found as they are asked for.

    Cells on a lattice have linear functions on ever longer cells, where no node follows others, and other quadratic
    cells those on their corners. Empty where neither is there. Of a matrix ``in_parts`` they tell what its conduction
    comes to: cells that are joined conduct alike, so that it is that of the longer cells.
    """

    def __init__(self, mesh: Mesh, constraints: Constraints, in_parts: InParts | None = None) -> None:
        self._mesh, self._constraints = mesh, constraints
        #: Whether cells lie on a lattice that is halved.
        self.on_lattice = mesh.lattice is not None and not constraints.ties
        self.in_parts = in_parts if self.on_lattice and mesh.neighbours is not None else None
        self._found: list[Space] = []
        self._rest = self._halves() if self.on_lattice else iter(self.by_order)

    @cached_property
    def by_order(self) -> list[Space]:
        """That of linear functions on quadratic cells, alone; none of linear ones."""
        return [Space(up) for up in _on_corners(self._mesh, self._constraints)]

    def __iter__(self) -> Iterator[Space]:
        number = 0
        while True:
            if number == len(self._found):
                following = next(self._rest, None)
                if following is None:
                    return
                self._found.append(following)
            yield self._found[number]
            number += 1

    def _halves(self) -> Iterator[Space]:
        lattice = self._mesh.lattice
        assert lattice is not None
        finest = lattice if self._mesh.order == 1 else lattice.of_nodes(self._mesh.blocks[0])
        k = None if self.in_parts is None else conductivity_of(lattice, self.in_parts.conduction)
        if k is not None:
            k = np.tile(k, len(finest.cells) // len(k))
        rows = self._constraints.free
        for halved in halvings(finest):
            columns = rows[halved.kept]
            conduction = None
            if k is not None:
                k = halved.of_cells(k)
                conduction = _conduction_on(halved.lattice, k, columns) if _within(halved.lattice, lattice) else None
            yield Space(_picked(halved.up, rows, columns), conduction)
            rows = columns


def _within(longer: CellLattice, cells: CellLattice) -> bool:
    """Whether functions on ``longer`` cells bend at ends of ``cells`` alone, so that they are some of theirs, whatever
    their order."""
    return all(np.isin(*lines).all() for lines in zip(longer.lines, cells.lines, strict=True))


def conductivity_of(lattice: CellLattice, conduction: AlikeMatrices) -> Floats:
    """Return what cells (m,) conduct, W/(m K), times their thickness in a section."""
    halves = lattice.widths(slice(None)) / 2
    axis = lattice.axes[0]
    return np.asarray(conduction.weights[:, 0] * halves[:, axis] ** 2 / halves.prod(axis=1))


def _conduction_on(lattice: CellLattice, conductivity: Floats, free: Flags) -> csr_array:
    """The matrix (f, f) of what cells conduct between those nodes that are free."""
    halves = lattice.widths(slice(None)) / 2
    neighbours = neighbours_of_corners(lattice)
    sums = lattice_sums(lattice, neighbours, (conductivity * halves.prod(axis=1))[:, None] / halves**2)
    return neighbours.matrix(sums, free)


def _on_corners(mesh: Mesh, constraints: Constraints) -> Iterator[csr_array]:
    made = from_corners(mesh)
    if made is None:
        return
    up, corners = made
    free = constraints.free
    if not constraints.ties:
        yield _picked(up, free, free[corners])
        return
    followed = csr_array(constraints.prolongation[corners])
    own = csr_array(followed[:, np.isin(np.flatnonzero(free), corners)])
    if np.allclose(own.sum(axis=1), followed.sum(axis=1)):  # else corners follow other nodes
        yield csr_array(up[free] @ own)


def _picked(up: csr_array, rows: Flags, columns: Flags) -> csr_array:
    return csr_array(csr_array(up[rows])[:, columns])
