"""The linear functions among the quadratic ones of a mesh: a coarse space that needs no coarser mesh."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Ints
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

_LINEAR = {"line3": "line2", "tri6": "tri3", "quad9": "quad4", "tet10": "tet4", "wedge18": "wedge6", "hex27": "hex8"}


def from_corners(mesh: Mesh) -> tuple[csr_array, Ints] | None:
    """Return the matrix (nodes, corners) that takes values at the corners of cells linearly to all nodes, and
    the numbers of those corners.

    None for a mesh of linear cells, which has no coarser functions. Source: Rønquist & Patera, *J. Sci. Comput.* 2
    (1987) 389, multigrid over the order of the cells.
    """
    if any(block.family not in _LINEAR for block in mesh.blocks):
        return None
    widest = max((CELL_FAMILIES[_LINEAR[block.family]].nodes.shape[0] for block in mesh.blocks), default=1)
    around = np.zeros((mesh.node_count, widest), dtype=np.int32)
    weights = np.zeros((mesh.node_count, widest))
    is_corner = np.zeros(mesh.node_count, dtype=bool)
    for block in mesh.blocks:
        linear = CELL_FAMILIES[_LINEAR[block.family]]
        shape = linear.values(CELL_FAMILIES[block.family].nodes)
        corners = block.nodes[:, : shape.shape[1]]
        is_corner[corners] = True
        for node, shares in enumerate(np.where(np.abs(shape) > 1e-12, shape, 0.0)):
            # Cells that share a node say the same of it: the last one is taken.
            around[block.nodes[:, node], : shape.shape[1]] = corners
            weights[block.nodes[:, node]] = 0.0
            weights[block.nodes[:, node], : shape.shape[1]] = shares
    own = np.flatnonzero(is_corner)
    number = np.full(mesh.node_count, -1, dtype=np.int32)
    number[own] = np.arange(len(own), dtype=np.int32)
    present = weights != 0.0
    ends = np.concatenate([[0], np.cumsum(present.sum(axis=1))])
    up = csr_array((weights[present], number[around[present]], ends), shape=(mesh.node_count, len(own)))
    return up, own
