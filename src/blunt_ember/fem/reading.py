"""Reading the solution anywhere with the cells' own shape functions."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from blunt_ember.fem.assembly import facet_weights, physical_gradients
from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Floats, Ints, Mesh

_BULGE = 0.05
#: Pairs of point and cell compared in one go.
_PAIRS_AT_ONCE = 4_000_000


def temperature_at(mesh: Mesh, temperature: Floats, points: Floats) -> Floats:
    """Return the temperature in K at ``points`` (p, 2) in m; NaN outside the body."""
    result = np.full(len(points), np.nan)
    for block in mesh.blocks:
        for place, cell, local in _located(block, mesh.points, points):
            shape = FAMILIES[block.family].values(local)
            result[place] = np.einsum("pk,pk->p", shape, temperature[block.nodes[cell]])
    return result


def flux_at(mesh: Mesh, temperature: Floats, conductivity: Floats, points: Floats) -> Floats:
    """Return −k∇T in W/m², (p, 2), at ``points`` (p, 2) in m; NaN outside the body."""
    result = np.full((len(points), 2), np.nan)
    for block in mesh.blocks:
        for place, cell, local in _located(block, mesh.points, points):
            corners = mesh.points[block.nodes[cell]]
            reference = FAMILIES[block.family].gradients(local)
            jacobian = np.einsum("pki,pkj->pij", reference, corners)
            slope = np.einsum("pki,pk->pi", reference, temperature[block.nodes[cell]])
            gradient = np.linalg.solve(jacobian, slope[..., None])[..., 0]
            result[place] = -conductivity[block.region[cell]][:, None] * gradient
    return result


def flux_at_nodes(mesh: Mesh, block: CellBlock, temperature: Floats, conductivity: Floats) -> Floats:
    """Return −k∇T in W/m², (m, k, 2), at the nodes of each cell of a block, averaged over the cells of its region.

    The mean over neighbours within one region smooths the jumps between cells but keeps those between materials.
    """
    family = FAMILIES[block.family]
    gradients, _ = physical_gradients(block.family, mesh.points[block.nodes], family.nodes)
    flux = -conductivity[block.region][:, None, None] * np.einsum("mqkj,mk->mqj", gradients, temperature[block.nodes])
    key = block.region[:, None] * mesh.node_count + block.nodes
    _, group = np.unique(key, return_inverse=True)
    group = group.reshape(key.shape)
    number = np.bincount(group.ravel())
    smooth = np.stack([np.bincount(group.ravel(), flux[..., j].ravel()) / number for j in (0, 1)], axis=-1)
    result: Floats = smooth[group]
    return result


def surface_samples(facets: FacetSet, temperature: Floats) -> Floats:
    """Return temperatures (s,) at nodes and at nine places along each facet, enough to find the extremes."""
    shape = FAMILIES[facets.family].values(np.linspace(-1, 1, 9)[:, None])
    result: Floats = (temperature[facets.nodes] @ shape.T).ravel()
    return result


def surface_mean(facets: FacetSet, mesh: Mesh, temperature: Floats) -> float:
    """Return the mean temperature over a surface, K."""
    family = FAMILIES[facets.family]
    weights = facet_weights(facets, mesh)
    values = temperature[facets.nodes] @ family.values(family.points).T
    return float((weights * values).sum() / weights.sum())


def _located(block: CellBlock, nodes: Floats, points: Floats) -> list[tuple[Ints, Ints, Floats]]:
    """Find a cell for each point; return (point numbers, cells, local coordinates) of those inside the block."""
    corners = nodes[block.nodes]
    low, high = corners.min(axis=1), corners.max(axis=1)
    slack = _BULGE * (high - low)  # a curved side may reach beyond its nodes
    low, high = low - slack, high + slack
    places, cells = [], []
    step = max(1, _PAIRS_AT_ONCE // len(low))
    for start in range(0, len(points), step):
        part = points[start : start + step]
        inside = (part[:, None, 0] >= low[:, 0]) & (part[:, None, 0] <= high[:, 0])
        inside &= (part[:, None, 1] >= low[:, 1]) & (part[:, None, 1] <= high[:, 1])
        place, cell = np.nonzero(inside)
        places.append(place + start)
        cells.append(cell)
    place, cell = np.concatenate(places), np.concatenate(cells)
    if not len(place):
        return []
    local, converged = _local_coordinates(block, nodes, cell, points[place])
    place, cell, local = place[converged], cell[converged], local[converged]
    _, first = np.unique(place, return_index=True)
    return [(place[first], cell[first], local[first])]


def _local_coordinates(block: CellBlock, nodes: Floats, cell: Ints, points: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Invert the map of the cells by Newton's method; True where the point lies inside its cell."""
    family = FAMILIES[block.family]
    local = np.tile(family.middle, (len(points), 1))
    corners = nodes[block.nodes[cell]]
    size = np.ptp(corners, axis=1).max(axis=1)
    for _ in range(8):
        gap = points - np.einsum("pk,pkj->pj", family.values(local), corners)
        if (np.abs(gap).max(axis=1) <= 1e-13 * size).all():
            break
        jacobian = np.einsum("pki,pkj->pji", family.gradients(local), corners)
        local = local + np.linalg.solve(jacobian, gap[..., None])[..., 0]
    return local, family.holds(local, 1e-5)
