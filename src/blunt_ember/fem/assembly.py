"""Element matrices over whole blocks of cells at once."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from blunt_ember.errors import SolverError
from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Floats, Ints, Mesh


def jacobians(family: str, corners: Floats, at: Floats) -> Floats:
    """Return ∂x/∂ξ, shape (m, q, 2, dim), of cells with node coordinates ``corners`` (m, k, 2) at ``at`` (q, dim)."""
    gradients = FAMILIES[family].gradients(at)
    result: Floats = np.einsum("qki,mkj->mqji", gradients, corners)
    return result


def physical_gradients(family: str, corners: Floats, at: Floats) -> tuple[Floats, Floats]:
    """Return ∇N (m, q, k, 2) in 1/m and the determinants (m, q) in m² of plane cells."""
    jacobian = jacobians(family, corners, at)
    a, b, c, d = jacobian[..., 0, 0], jacobian[..., 0, 1], jacobian[..., 1, 0], jacobian[..., 1, 1]
    determinant = a * d - b * c
    if not (determinant > 0).all():
        raise SolverError("the mesh holds a cell that is turned inside out")
    inverse = np.stack([np.stack([d, -b], -1), np.stack([-c, a], -1)], -2) / determinant[..., None, None]
    return np.einsum("qki,mqij->mqkj", FAMILIES[family].gradients(at), inverse), determinant


def conduction_elements(block: CellBlock, mesh: Mesh, k: Floats) -> Floats:
    """Return the element matrices ∫ k ∇N·∇N dV (m, n, n) in W/K, ``k`` (m,) in W/(m K) by cell."""
    family = FAMILIES[block.family]
    corners = mesh.points[block.nodes]
    gradients, determinant = physical_gradients(block.family, corners, family.points)
    measure = mesh.measure(np.einsum("qk,mkj->mqj", family.values(family.points), corners))
    weighted = gradients * (determinant * measure * family.weights * k[:, None])[..., None, None]
    m, q, n, _ = gradients.shape
    flat = gradients.transpose(0, 2, 1, 3).reshape(m, n, 2 * q)
    return weighted.transpose(0, 2, 1, 3).reshape(m, n, 2 * q) @ flat.transpose(0, 2, 1)


def facet_weights(facets: FacetSet, mesh: Mesh) -> Floats:
    """Return quadrature weights (m, q) in m² over the facets of a surface."""
    family = FAMILIES[facets.family]
    corners = mesh.points[facets.nodes]
    jacobian = jacobians(facets.family, corners, family.points)
    measure = mesh.measure(np.einsum("qk,mkj->mqj", family.values(family.points), corners))
    result: Floats = np.linalg.norm(jacobian[..., 0], axis=-1) * family.weights * measure
    return result


def facet_mass(facets: FacetSet, mesh: Mesh) -> Floats:
    """Return ∫ N N dA (m, n, n) in m²."""
    shape = FAMILIES[facets.family].values(FAMILIES[facets.family].points)
    result: Floats = np.einsum("mq,qa,qb->mab", facet_weights(facets, mesh), shape, shape)
    return result


def facet_load(facets: FacetSet, mesh: Mesh) -> Floats:
    """Return ∫ N dA (m, n) in m²."""
    shape = FAMILIES[facets.family].values(FAMILIES[facets.family].points)
    result: Floats = facet_weights(facets, mesh) @ shape
    return result


def gathered(blocks: list[tuple[Ints, Floats]], count: int) -> sparse.csr_array:
    """Sum element matrices (m, n, n) on nodes (m, n) into one sparse matrix of size ``count``."""
    if not blocks:
        return sparse.csr_array((count, count))
    rows = np.concatenate([np.repeat(nodes, nodes.shape[1], axis=1).ravel() for nodes, _ in blocks])
    columns = np.concatenate([np.tile(nodes, (1, nodes.shape[1])).ravel() for nodes, _ in blocks])
    values = np.concatenate([matrices.ravel() for _, matrices in blocks])
    return sparse.coo_array((values, (rows, columns)), shape=(count, count)).tocsr()
