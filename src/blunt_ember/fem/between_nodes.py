"""What linear cells miss between their nodes, where the field is bent.

A field that is quadratic about a cell is Σ Nᵢ (Tᵢ + ½ ∇T(xᵢ)·(x − xᵢ)). The gradients at its nodes are those of the
linear polynomial nearest to the gradients in the middles of the cells around a node, which are most exact there; at the
side of a body, or of a region, also in those of the cells beyond, without which it would be that of half a cell away.
"""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.fem.assembly import physical_gradients
from blunt_ember.fem.reading import weights_at
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: How far the middle of the cells around a node lies beside it where they are not all around it, as a share of their
#: reach.
_BESIDE = 0.25
#: How little of a polynomial the cells may tell before that part is left at nothing.
_UNTOLD = 1e-9


def missed_between_nodes(mesh: Mesh, temperature: Floats, point: Floats, region: int | None = None) -> float:
    """Return by how much linear cells may be off at a ``point`` (d,) in m because they are straight between nodes, K.

    0 for quadratic cells, and outside the body.
    """
    weights = weights_at(mesh, point[None], region)
    nodes, shares = weights.indices.astype(np.int64), weights.data
    if mesh.order != 1 or not len(nodes):
        return 0.0
    (gradients,) = _gradients(mesh, temperature, nodes[None], region)
    return abs(float((shares * (gradients * (point - mesh.points[nodes])).sum(axis=1)).sum())) / 2


def quadratic_about(mesh: Mesh, temperature: Floats, elements: Ints, shares: Floats) -> Floats:
    """Return what a field that is quadratic about linear cells or facets with nodes (e, k) has at places in each, given
    by their ``shares`` (p, k) of the nodes: (e, p), K."""
    gradients = _gradients(mesh, temperature, elements, None)
    points, along = mesh.points[elements], np.einsum("pk,ekd,ejd->epj", shares, mesh.points[elements], gradients)
    own = np.einsum("ekd,ekd->ek", points, gradients)
    return np.einsum("pk,epk->ep", shares, temperature[elements][:, None] + (along - own[:, None]) / 2)


@immutable
class _Cells:
    """Cells by which corners of the mesh they have (c, n), their middles and gradients there (c, d) in K/m, volumes
    (c,) and regions (c,)."""

    incidence: csr_array
    middles: Floats
    gradients: Floats
    volumes: Floats
    regions: Ints


def _gradients(mesh: Mesh, temperature: Floats, elements: Ints, region: int | None) -> Floats:
    """Gradients (e, k, d) in K/m at the nodes of elements (e, k), each in the region of a cell that has all of its
    nodes where none is given."""
    near = np.zeros(mesh.node_count, dtype=bool)
    near[elements] = True
    for block in mesh.blocks:  # and all nodes of the cells around
        near[block.nodes[near[block.nodes].any(axis=1)]] = True
    cells = _cells_at(mesh, temperature, near)
    rows = np.repeat(np.arange(len(elements)), elements.shape[1])
    has = csr_array((np.ones(elements.size), (rows, elements.ravel())), shape=(len(elements), mesh.node_count))
    if region is None:
        meets = (has @ cells.incidence.T).tocoo()
        whole = np.flatnonzero(meets.data == elements.shape[1])
        inside = np.zeros(len(elements), dtype=np.int64)
        inside[meets.row[whole]] = cells.regions[meets.col[whole]]
    else:
        inside = np.full(len(elements), region)
    keys, numbers = np.unique(inside[rows] * mesh.node_count + elements.ravel(), return_inverse=True)
    fitted = _fitted(cells, mesh.points, keys % mesh.node_count, keys // mesh.node_count)
    return fitted[numbers].reshape(*elements.shape, -1)


def _cells_at(mesh: Mesh, temperature: Floats, near: Flags) -> _Cells:
    """The cells that have a node which is ``near`` (n,)."""
    rows, columns, middles, gradients, volumes, regions, count = [], [], [], [], [], [], 0
    for block in mesh.blocks:
        own = np.flatnonzero(near[block.nodes].any(axis=1))
        nodes, middle = block.nodes[own], CELL_FAMILIES[block.family].middle[None]
        slopes, stretch = physical_gradients(block.family, mesh.points[nodes], middle)
        rows.append(np.repeat(np.arange(len(nodes)) + count, nodes.shape[1]))
        columns.append(nodes.ravel())
        middles.append(mesh.points[nodes].mean(axis=1))
        gradients.append(np.einsum("mkd,mk->md", slopes[:, 0], temperature[nodes]))
        volumes.append(stretch[:, 0])
        regions.append(block.region[own])
        count += len(nodes)
    places = np.concatenate(rows), np.concatenate(columns)
    incidence = csr_array((np.ones(len(places[0])), places), shape=(count, mesh.node_count))
    return _Cells(incidence, *(np.concatenate(each) for each in (middles, gradients, volumes, regions)))


def _fitted(cells: _Cells, points: Floats, nodes: Ints, regions: Ints) -> Floats:
    """Gradients (p, d) in K/m at ``nodes`` (p,) in ``regions`` (p,), by the cells there and, where these are not all
    around a node, by those beyond."""
    touching = csr_array(cells.incidence.T)[nodes]
    result, beside = _fitted_by(touching, cells, points[nodes], regions)
    sided = np.flatnonzero(beside > _BESIDE)
    if len(sided):
        beyond = csr_array(touching[sided] @ cells.incidence @ cells.incidence.T)
        result[sided], _ = _fitted_by(beyond, cells, points[nodes[sided]], regions[sided])
    return result


def _fitted_by(patches: csr_array, cells: _Cells, at: Floats, regions: Ints) -> tuple[Floats, Floats]:
    """Gradients (p, d) in K/m at places (p, d) by what ``patches`` (p, c) have of one region, and how far (p,) their
    middle lies beside the place, as a share of their reach."""
    found = patches.tocoo()
    own = cells.regions[found.col] == regions[found.row]
    row, cell = found.row[own], found.col[own]

    def summed(values: Floats) -> Floats:
        total = np.zeros((len(at), *values.shape[1:]))
        np.add.at(total, row, values)
        return total

    weight = cells.volumes[cell, None]
    volume = np.maximum(summed(weight), 1e-300)
    place, gradient = cells.middles[cell] - at[row], cells.gradients[cell]
    middle, mean = summed(weight * place) / volume, summed(weight * gradient) / volume
    reach = np.zeros(at.shape)
    np.maximum.at(reach, row, np.abs(place))
    reach = np.maximum(reach, 1e-6 * np.maximum(reach.max(axis=1, keepdims=True), 1e-300))
    away = (place - middle[row]) / reach[row]
    matrix = summed(weight[..., None] * away[:, :, None] * away[:, None, :])
    right = summed(weight[..., None] * away[:, :, None] * (gradient - mean[row])[:, None, :])
    trace = np.maximum(np.trace(matrix, axis1=1, axis2=2), 1e-300)
    # What the cells do not tell, as across a body one cell thick, is taken as nothing.
    slope = np.linalg.solve(matrix + (_UNTOLD * trace)[:, None, None] * np.eye(at.shape[1]), right)
    beside = np.abs(middle / reach).max(axis=1)
    return mean - ((middle / reach)[:, None] @ slope)[:, 0], beside
