"""Spaces of functions for the temperatures that are free, each coarser than the one before."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.multigrid.corners import from_corners
from blunt_ember.fem.multigrid.halving import halvings
from blunt_ember.mesh.mesh import Mesh


class Spaces:
    """The matrices (n, c) from each space to the one before, the first to all free nodes; found as they are asked for.

    Cells on a lattice have linear functions on ever longer cells, where no node follows others, and other quadratic
    cells those on their corners. Empty where neither is there.
    """

    def __init__(self, mesh: Mesh, constraints: Constraints) -> None:
        self._mesh, self._constraints = mesh, constraints
        #: Whether cells lie on a lattice that is halved.
        self.on_lattice = mesh.lattice is not None and not constraints.ties
        self._found: list[csr_array] = []
        self._rest = self._halves() if self.on_lattice else iter(self.by_order)

    @cached_property
    def by_order(self) -> list[csr_array]:
        """That of linear functions on quadratic cells, alone; none of linear ones."""
        return list(_on_corners(self._mesh, self._constraints))

    def __iter__(self) -> Iterator[csr_array]:
        number = 0
        while True:
            if number == len(self._found):
                following = next(self._rest, None)
                if following is None:
                    return
                self._found.append(following)
            yield self._found[number]
            number += 1

    def _halves(self) -> Iterator[csr_array]:
        lattice = self._mesh.lattice
        assert lattice is not None
        rows = self._constraints.free
        for up, kept in halvings(lattice if self._mesh.order == 1 else lattice.of_nodes(self._mesh.blocks[0])):
            columns = rows[kept]
            yield _picked(up, rows, columns)
            rows = columns


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
