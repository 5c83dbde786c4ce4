"""What linear cells miss between their nodes, where the field is bent."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.assembly import physical_gradients
from blunt_ember.fem.reading import weights_at
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh


def missed_between_nodes(mesh: Mesh, temperature: Floats, point: Floats, region: int | None = None) -> float:
    """Return by how much linear cells may be off at a ``point`` (d,) in m because they are straight between nodes, K.

    A field that is quadratic about a cell is Σ Nᵢ (Tᵢ + ½ ∇T(xᵢ)·(x − xᵢ)); the gradients at the nodes are means of
    those of the cells around, of one region. 0 for quadratic cells, and outside the body.
    """
    weights = weights_at(mesh, point[None], region)
    nodes, shares = weights.indices.astype(np.int64), weights.data
    if mesh.order != 1 or not len(nodes):
        return 0.0
    gradients = _gradients(mesh, temperature, nodes, region)
    return abs(float((shares * (gradients * (point - mesh.points[nodes])).sum(axis=1)).sum())) / 2


def quadratic_about(mesh: Mesh, temperature: Floats, nodes: Ints, shares: Floats) -> Floats:
    """Return what a field that is quadratic about a linear cell or facet with ``nodes`` (k,) has at places in it, given
    by their ``shares`` (p, k) of the nodes: (p,), K."""
    gradients = _gradients(mesh, temperature, nodes, None)
    away = (shares @ mesh.points[nodes])[:, None] - mesh.points[nodes]
    return np.asarray((shares * (temperature[nodes] + (gradients * away).sum(axis=2) / 2)).sum(axis=1))


def _gradients(mesh: Mesh, temperature: Floats, nodes: Ints, region: int | None) -> Floats:
    """Means (k, d) in K/m about the nodes (k,) of a cell of the gradients of all cells of its region."""
    near = np.zeros(mesh.node_count, dtype=bool)
    near[nodes] = True
    touched = [near[block.nodes] for block in mesh.blocks]
    if region is None:
        pairs = zip(mesh.blocks, touched, strict=True)
        region = int(np.concatenate([block.region[known.sum(axis=1) >= len(nodes)] for block, known in pairs])[0])
    total, volume = np.zeros((mesh.node_count, mesh.dimension)), np.zeros(mesh.node_count)
    for block, of_block in zip(mesh.blocks, touched, strict=True):
        around = np.flatnonzero(of_block.any(axis=1) & (block.region == region))
        if not len(around):
            continue
        cells = block.nodes[around]
        at, stretch = physical_gradients(block.family, mesh.points[cells], CELL_FAMILIES[block.family].middle[None])
        gradient = np.einsum("mkd,mk->md", at[:, 0], temperature[cells])
        for place in cells.T:
            np.add.at(total, place, gradient * stretch)
            np.add.at(volume, place, stretch[:, 0])
    return np.asarray(total[nodes] / np.maximum(volume[nodes], 1e-300)[:, None])
