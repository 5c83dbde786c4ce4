"""Spaces of functions for the temperatures that are free, each coarser than the one before."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.multigrid.corners import from_corners
from blunt_ember.fem.multigrid.halving import halvings
from blunt_ember.mesh.mesh import Mesh


class Spaces:
    """The matrices (n, c) from each space to the one before, the first to all free nodes; found as they are asked for.

    Quadratic cells have linear functions on their corners; cells on a lattice those of ever longer cells, where no node
    follows others. Empty where neither is there.
    """

    def __init__(self, mesh: Mesh, constraints: Constraints) -> None:
        self._found: list[csr_array] = []
        self._rest = _coarser(mesh, constraints)
        self._order = mesh.order

    @property
    def by_order(self) -> list[csr_array]:
        """That of linear functions on quadratic cells alone."""
        return list(islice(self, self._order - 1))

    @property
    def on_lattice(self) -> bool:
        """Whether cells lie on a lattice that is halved."""
        return len(list(islice(self, self._order))) == self._order

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


def _coarser(mesh: Mesh, constraints: Constraints) -> Iterator[csr_array]:
    free = constraints.free
    made = from_corners(mesh)
    if made is not None:
        up, corners = made
        among = free[corners]
        if constraints.ties:
            followed = csr_array(constraints.prolongation[corners])
            own = csr_array(followed[:, np.isin(np.flatnonzero(free), corners)])
            if not np.allclose(own.sum(axis=1), followed.sum(axis=1)):
                return  # corners follow other nodes
            yield csr_array(up[free] @ own)
        else:
            yield _picked(up, free, among)
    if constraints.ties:
        return
    lattice = mesh.lattice
    if lattice is None:
        return
    rows = free if made is None else free[made[1]]
    for up, kept in halvings(lattice):
        columns = rows[kept]
        yield _picked(up, rows, columns)
        rows = columns


def _picked(up: csr_array, rows: Flags, columns: Flags) -> csr_array:
    return csr_array(csr_array(up[rows])[:, columns])
