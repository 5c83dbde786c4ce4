"""Element matrices over whole blocks of cells at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from scipy import sparse

from blunt_ember.errors import SolverError
from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Floats, Ints, Mesh

#: Numbers held at once for the gradients of a run of cells.
_AT_ONCE = 4_000_000


def jacobians(family: str, corners: Floats, at: Floats) -> Floats:
    """Return ∂x/∂ξ, shape (m, q, d, dim), of cells with node coordinates ``corners`` (m, k, d) at ``at`` (q, dim)."""
    gradients = FAMILIES[family].gradients(at)
    count, nodes, dimension = gradients.shape
    flat = gradients.transpose(0, 2, 1).reshape(count * dimension, nodes)
    result: Floats = (flat @ corners).reshape(len(corners), count, dimension, -1).transpose(0, 1, 3, 2)
    return result


def determinants(jacobian: Floats) -> Floats:
    """Return the determinants (…) of square matrices (…, d, d), d = 1, 2 or 3."""
    j = jacobian
    if j.shape[-1] == 1:
        return j[..., 0, 0]
    if j.shape[-1] == 2:
        return j[..., 0, 0] * j[..., 1, 1] - j[..., 0, 1] * j[..., 1, 0]
    return np.sum(j[..., 0] * np.cross(j[..., 1], j[..., 2]), axis=-1)


def _adjugates(jacobian: Floats) -> Floats:
    """Return inverse matrices times their determinants."""
    j = jacobian
    if j.shape[-1] == 1:
        return np.ones_like(j)
    if j.shape[-1] == 2:
        return np.stack([np.stack([j[..., 1, 1], -j[..., 0, 1]], -1), np.stack([-j[..., 1, 0], j[..., 0, 0]], -1)], -2)
    columns = [j[..., axis] for axis in range(3)]
    return np.stack([np.cross(columns[(axis + 1) % 3], columns[(axis + 2) % 3]) for axis in range(3)], axis=-2)


def physical_gradients(family: str, corners: Floats, at: Floats) -> tuple[Floats, Floats]:
    """Return ∇N (m, q, k, d) in 1/m and the determinants (m, q) in mᵈ of cells that fill their space.

    Raises :class:`SolverError` for a cell that is turned inside out.
    """
    jacobian = jacobians(family, corners, at)
    determinant = determinants(jacobian)
    if not (determinant > 0).all():
        raise SolverError("the mesh holds a cell that is turned inside out")
    inverse = _adjugates(jacobian) / determinant[..., None, None]
    result: Floats = FAMILIES[family].gradients(at) @ inverse
    return result, determinant


def in_runs(block: CellBlock, points: int) -> Iterator[slice]:
    """Cut the cells of a block into runs whose gradients at ``points`` places fit into the cache of memory."""
    count = max(1, _AT_ONCE // (points * block.nodes.shape[1] * 3))
    for start in range(0, len(block.nodes), count):
        yield slice(start, start + count)


def conduction_elements(block: CellBlock, mesh: Mesh, conductivity: Callable[[slice], Floats]) -> Floats:
    """Return the element matrices ∫ ∇N·k·∇N dV (m, n, n) in W/K.

    ``conductivity`` gives k in W/(m K) for a run of the cells: one number a cell (r, 1) or a quadrature point (r, q),
    or a tensor (r, q, d, d).
    """
    family = FAMILIES[block.family]
    result = np.empty((*block.nodes.shape, block.nodes.shape[1]))
    for run in in_runs(block, len(family.points)):
        gradients, weights = weighted_gradients(block, mesh, run)
        k = conductivity(run)
        if k.ndim == 2:
            drawn = gradients * (weights * k)[..., None, None]
        else:
            drawn = gradients @ (k.swapaxes(-1, -2) * weights[..., None, None])
        m, q, n, d = gradients.shape
        flat = gradients.transpose(0, 2, 1, 3).reshape(m, n, d * q)
        result[run] = flat @ drawn.transpose(0, 2, 1, 3).reshape(m, n, d * q).transpose(0, 2, 1)
    return result


def weighted_gradients(block: CellBlock, mesh: Mesh, run: slice) -> tuple[Floats, Floats]:
    """Return ∇N (r, q, n, d) in 1/m and the quadrature weights (r, q) in m³ of a run of cells."""
    family = FAMILIES[block.family]
    corners = mesh.points[block.nodes[run]]
    gradients, determinant = physical_gradients(block.family, corners, family.points)
    factor = mesh.space.of_cells(block.region[run], family.values(family.points) @ corners)
    return gradients, determinant * factor * family.weights


def cell_places(block: CellBlock, mesh: Mesh, run: slice = slice(None)) -> Floats:
    """Return the quadrature points (r, q, d) in m of a run of cells."""
    family = FAMILIES[block.family]
    places: Floats = family.values(family.points) @ mesh.points[block.nodes[run]]
    return places


def facet_weights(facets: FacetSet, block: FacetBlock, mesh: Mesh) -> Floats:
    """Return quadrature weights (m, q) in m² over one block of the facets of a surface."""
    family = FAMILIES[block.family]
    corners = mesh.points[block.nodes]
    if family.dimension == 0:
        size = np.ones((len(corners), 1))
    else:
        jacobian = jacobians(block.family, corners, family.points)
        along = jacobian[..., 0]
        spread = along if family.dimension == 1 else np.cross(along, jacobian[..., 1])
        size = np.linalg.norm(spread, axis=-1)
    factor = mesh.space.of_facets(facets.regions, family.dimension, family.values(family.points) @ corners)
    result: Floats = size * family.weights * factor
    return result


def nodal_area(facets: FacetSet, mesh: Mesh) -> Floats:
    """Return how much of a surface stands at each node of the mesh, (n,) in m²: of every facet an even share.

    The integral of a shape function will not do: at the corners of quadratic triangles it vanishes.
    """
    area = np.zeros(mesh.node_count)
    for block in facets.blocks:
        share = facet_weights(facets, block, mesh).sum(axis=1) / block.nodes.shape[1]
        np.add.at(area, block.nodes, share[:, None])
    return area


def gathered(blocks: list[tuple[Ints, Floats]], count: int) -> sparse.csr_array:
    """Sum element matrices (m, n, n) on nodes (m, n) into one sparse matrix of size ``count``."""
    if not blocks:
        return sparse.csr_array((count, count))
    rows = np.concatenate([np.repeat(nodes, nodes.shape[1], axis=1).ravel() for nodes, _ in blocks])
    columns = np.concatenate([np.tile(nodes, (1, nodes.shape[1])).ravel() for nodes, _ in blocks])
    values = np.concatenate([matrices.ravel() for _, matrices in blocks])
    return sparse.coo_array((values, (rows, columns)), shape=(count, count)).tocsr()
