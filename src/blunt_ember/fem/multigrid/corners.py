"""The linear functions among the quadratic ones of a mesh: a coarse space that needs no coarser mesh."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from blunt_ember.arrays import Ints
from blunt_ember.fem.constraints import Constraints
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

_LINEAR = {"line3": "line2", "tri6": "tri3", "quad9": "quad4", "tet10": "tet4", "wedge18": "wedge6", "hex27": "hex8"}


def free_corners(mesh: Mesh, constraints: Constraints) -> sparse.csr_array | None:
    """Return the free corners of quadratic cells as a coarser space (free, c); None for linear cells, or where corners
    follow other nodes."""
    made = from_corners(mesh)
    if made is None:
        return None
    up, corners = made
    free = constraints.free
    among = np.isin(np.flatnonzero(free), corners)
    followed = sparse.csr_array(constraints.prolongation[corners])
    own = sparse.csr_array(followed[:, among])
    if not np.allclose(own.sum(axis=1), followed.sum(axis=1)):
        return None
    return sparse.csr_array(up[free] @ own)


def from_corners(mesh: Mesh) -> tuple[sparse.csr_array, Ints] | None:
    """Return the matrix (nodes, corners) that takes values at the corners of cells linearly to all nodes, and
    the numbers of those corners.

    None for a mesh of linear cells, which has no coarser functions. Source: Rønquist & Patera, *J. Sci. Comput.* 2
    (1987) 389, multigrid over the order of the cells.
    """
    rows, columns, weights = [], [], []
    for block in mesh.blocks:
        if block.family not in _LINEAR:
            return None
        linear = CELL_FAMILIES[_LINEAR[block.family]]
        shape = linear.values(CELL_FAMILIES[block.family].nodes)
        node, corner = np.nonzero(np.abs(shape) > 1e-12)
        rows.append(block.nodes[:, node].ravel())
        columns.append(block.nodes[:, corner].ravel())
        weights.append(np.tile(shape[node, corner], len(block.nodes)))
    every = (np.concatenate(weights), (np.concatenate(rows), np.concatenate(columns)))
    assembled = sparse.coo_array(every, shape=(mesh.node_count, mesh.node_count)).tocsr()
    # Cells that share a node say the same of it, each once.
    assembled = sparse.csr_array(sparse.diags_array(1 / assembled.sum(axis=1)) @ assembled)
    corners = np.unique(np.concatenate(columns))
    return assembled.tocsc()[:, corners].tocsr(), corners
