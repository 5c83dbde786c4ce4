"""Element matrices over whole blocks of cells at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache, reduce
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.errors import SolverError
from blunt_ember.fem.alike_matrices import AlikeMatrices, ElementMatrices
from blunt_ember.fem.lattice_sums import LatticeSums
from blunt_ember.in_threads import even_runs, in_threads
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.lattice.cell_lattice import CellLattice
from blunt_ember.mesh.lattice.node_neighbours import NodeNeighbours
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh

#: How far, as a share of its size, a node of a straight cell may lie from its place.
_BENT = 1e-12
#: Numbers held at once for the gradients of a run of cells.
_AT_ONCE = 1_000_000
#: Cells whose matrices are added together, so that the rows of neighbours are still in the cache of memory.
_ADDED_AT_ONCE = 1024


def jacobians(family: str, corners: Floats, at: Floats) -> Floats:
    """Return ∂x/∂ξ, shape (m, q, d, dim), of cells with node coordinates ``corners`` (m, k, d) at ``at`` (q, dim).

    Places are taken from the first node of each cell, so that small cells far from the origin lose no digits.
    """
    gradients = CELL_FAMILIES[family].gradients(at)
    count, nodes, dimension = gradients.shape
    flat = gradients.transpose(0, 2, 1).reshape(count * dimension, nodes)
    return (flat @ (corners - corners[:, :1])).reshape(len(corners), count, dimension, -1).transpose(0, 1, 3, 2)


def determinants(jacobian: Floats) -> Floats:
    """Return the determinants (…) of square matrices (…, d, d), d = 1, 2 or 3."""
    j = jacobian
    if j.shape[-1] == 1:
        return j[..., 0, 0]
    if j.shape[-1] == 2:
        return j[..., 0, 0] * j[..., 1, 1] - j[..., 0, 1] * j[..., 1, 0]
    (a, b, c), (d, e, f), (g, h, i) = np.ascontiguousarray(np.moveaxis(j, (-2, -1), (0, 1)))
    return np.asarray(a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g))


def _adjugates(jacobian: Floats) -> Floats:
    """Return inverse matrices times their determinants."""
    j = jacobian
    if j.shape[-1] == 1:
        return np.ones_like(j)
    if j.shape[-1] == 2:
        return np.stack([np.stack([j[..., 1, 1], -j[..., 0, 1]], -1), np.stack([-j[..., 1, 0], j[..., 0, 0]], -1)], -2)
    entries = np.ascontiguousarray(np.moveaxis(j, (-2, -1), (0, 1)))  # which are met nine times each
    result = np.empty_like(j)
    for row, column in product(range(3), repeat=2):
        (a, b), (p, q) = (((each + 1) % 3, (each + 2) % 3) for each in (row, column))
        result[..., row, column] = entries[p, a] * entries[q, b] - entries[q, a] * entries[p, b]
    return result


def physical_gradients(family: str, corners: Floats, at: Floats) -> tuple[Floats, Floats]:
    """Return ∇N (m, q, k, d) in 1/m and the determinants (m, q) in mᵈ of cells that fill their space.

    In memory the nodes of a direction follow each other, (m, q, d, k): so :func:`weighted_derivatives` and products
    with them copy nothing. Raises :class:`SolverError` for a cell that is turned inside out.
    """
    jacobian = jacobians(family, corners, at)
    determinant = determinants(jacobian)
    if not (determinant > 0).all():
        raise SolverError("the mesh holds a cell that is turned inside out")
    inverse = _adjugates(jacobian) / determinant[..., None, None]
    slopes = np.ascontiguousarray(CELL_FAMILIES[family].gradients(at).swapaxes(-1, -2))
    result: Floats = (inverse.swapaxes(-1, -2) @ slopes).swapaxes(-1, -2)
    return result, determinant


def in_runs(block: CellBlock, points: int) -> Iterator[slice]:
    """Cut the cells of a block into runs whose gradients at ``points`` places fit into the cache of memory."""
    count = max(1, _AT_ONCE // (points * block.nodes.shape[1] * 3))
    for start in range(0, len(block.nodes), count):
        yield slice(start, start + count)


def alike_conduction(block: CellBlock, mesh: Mesh, k: Floats) -> AlikeMatrices | None:
    """Return the element matrices ∫ ∇N·k·∇N dV in W/K of cells on a lattice that conduct evenly each, ``k`` (m, 1) in
    W/(m K); None where cells lie on none."""
    if mesh.lattice is None or mesh.space.axisymmetric:
        return None
    dimension = mesh.dimension
    own = np.arange(dimension) * (dimension + 1)
    metric = _lattice_metric(mesh.lattice, block.region, mesh)
    products = _reference_products(block.family)[own]
    return AlikeMatrices(metric * k, products.reshape(dimension, *[block.nodes.shape[1]] * 2))


def conduction_elements(block: CellBlock, mesh: Mesh, conductivity: Callable[[slice], Floats]) -> Floats:
    """Return the element matrices ∫ ∇N·k·∇N dV (m, n, n) in W/K.

    ``conductivity`` gives k in W/(m K) for a run of the cells: one number a cell (r, 1) or a quadrature point (r, q),
    or a tensor (r, q, d, d).
    """
    family = CELL_FAMILIES[block.family]
    result = np.empty((*block.nodes.shape, block.nodes.shape[1]))
    runs = list(in_runs(block, len(family.points)))

    def make(first: int, last: int) -> None:
        for run in runs[first:last]:
            _put_conduction(block, mesh, run, conductivity(run), result[run])

    in_threads(make, even_runs(np.arange(len(runs) + 1)))
    return result


def _put_conduction(block: CellBlock, mesh: Mesh, run: slice, k: Floats, into: Floats) -> None:
    """Put the matrices of a run of cells ``into`` an array (r, n, n)."""
    if k.ndim == 2 and k.shape[1] == 1 and (metric := _even_metric(block, mesh, run)) is not None:
        width = block.nodes.shape[1]
        np.matmul(metric * k, _reference_products(block.family), out=into.reshape(-1, width * width))
        return
    derivatives, weights = weighted_derivatives(block, mesh, run)
    by_direction = derivatives.reshape(*weights.shape, -1, derivatives.shape[-1])
    if k.ndim == 2:
        drawn = by_direction * (weights * k)[..., None, None]
    else:
        drawn = (k * weights[..., None, None]) @ by_direction
    np.matmul(derivatives.transpose(0, 2, 1), drawn.reshape(derivatives.shape), out=into)


@lru_cache(maxsize=16)
def _reference_products(family: str) -> Floats:
    """∫ ∂ᵢNₐ ∂ⱼN_b over the reference cell, (d², n²).

    All cells share these numbers, so their round-off would add up where that of single cells cancels: what must be
    symmetric is made so, and rows are made to sum to nothing.
    """
    shape = CELL_FAMILIES[family]
    gradients = shape.gradients(shape.points).astype(np.longdouble)
    gradients -= gradients.mean(axis=1, keepdims=True)
    products = np.einsum("q,qai,qbj->ijab", shape.weights.astype(np.longdouble), gradients, gradients)
    products = ((products + products.transpose(1, 0, 3, 2)) / 2).astype(np.float64)
    for _ in range(2):
        products -= np.einsum("ija,ab->ijab", products.astype(np.longdouble).sum(axis=-1), np.eye(products.shape[-1]))
    dimension, nodes = gradients.shape[2], gradients.shape[1]
    return products.reshape(dimension**2, nodes**2)


def _even_metric(block: CellBlock, mesh: Mesh, run: slice) -> Floats | None:
    """|J| J⁻¹ J⁻ᵀ (r, d²), times what the space makes of it, where all cells of a run are straight and even: their
    matrices are then sums of the reference cell's. None where one is bent, or stands in a turned section."""
    if mesh.space.axisymmetric:
        return None
    family = CELL_FAMILIES[block.family]
    corners = mesh.points[block.nodes[run]]
    dimension = corners.shape[2]
    middle = family.middle[None]
    jacobian = jacobians(block.family, corners, middle)[:, 0]
    centre = np.einsum("k,mkd->md", family.values(middle)[0], corners)
    straight = centre[:, None] + (family.nodes - family.middle) @ jacobian.swapaxes(1, 2)
    size = np.abs(corners - centre[:, None]).max(axis=(1, 2))
    if (np.abs(straight - corners).max(axis=(1, 2)) > _BENT * size).any():
        return None
    determinant = determinants(jacobian)
    if not (determinant > 0).all():
        raise SolverError("the mesh holds a cell that is turned inside out")
    inverse = _adjugates(jacobian) / determinant[:, None, None]
    factor = mesh.space.of_cells(block.region[run], centre[:, None])[:, 0]
    metric = inverse @ inverse.swapaxes(1, 2) * (determinant * factor)[:, None, None]
    return metric.reshape(-1, dimension**2)


def _lattice_metric(lattice: CellLattice, regions: Ints, mesh: Mesh) -> Floats:
    """The diagonal (m, d) of the same of cells whose sides lie along the axes."""
    halves = lattice.widths(slice(None)) / 2
    size = reduce(np.multiply, halves.T) * mesh.space.of_cells(regions, halves[:, None])[:, 0]
    return np.stack([size / halves[:, axis] ** 2 for axis in lattice.axes], axis=1)


def weighted_gradients(block: CellBlock, mesh: Mesh, run: slice) -> tuple[Floats, Floats]:
    """Return ∇N (r, q, n, d) in 1/m and the quadrature weights (r, q) in m³ of a run of cells."""
    family = CELL_FAMILIES[block.family]
    corners = mesh.points[block.nodes[run]]
    gradients, determinant = physical_gradients(block.family, corners, family.points)
    factor = mesh.space.of_cells(block.region[run], family.at_points @ corners)
    return gradients, determinant * factor * family.weights


def weighted_derivatives(block: CellBlock, mesh: Mesh, run: slice) -> tuple[Floats, Floats]:
    """Return ∂N in 1/m by point and direction, (r, q·d, n), and the quadrature weights (r, q) in m³ of a run of cells.

    So laid out, what a cell needs of them is one small product of matrices.
    """
    gradients, weights = weighted_gradients(block, mesh, run)
    return gradients.swapaxes(-1, -2).reshape(len(gradients), -1, gradients.shape[2]), weights


def by_rule(block: CellBlock, mesh: Mesh, run: slice, points: Floats, weights: Floats) -> tuple[Floats, Floats]:
    """Return the places (r, q, d) in m of ``points`` (q, d) of the reference cell in a run of cells, and what each of
    them stands for by its share of the ``weights`` (q,), (r, q) in m³."""
    corners = mesh.points[block.nodes[run]]
    _, determinant = physical_gradients(block.family, corners, points)
    places = CELL_FAMILIES[block.family].values(points) @ corners
    return places, determinant * mesh.space.of_cells(block.region[run], places) * weights


def cell_places(block: CellBlock, mesh: Mesh, run: slice = slice(None)) -> Floats:
    """Return the quadrature points (r, q, d) in m of a run of cells."""
    family = CELL_FAMILIES[block.family]
    return family.at_points @ mesh.points[block.nodes[run]]


#: Where facets are cut, as shares of half of them from each end, before Gauss points are set, when what is stated
#: follows the place, perhaps steeply: h as 1/√x at its end, a narrow spot. By the dimension of the facet.
_CUTS = {1: (0.0, 1e-4, 2e-3, 0.03, 0.25, 1.0), 2: (0.0, 4e-3, 0.1, 1.0)}
_GAUSS_A_PIECE = 3


@lru_cache(maxsize=16)
def facet_rule(family: str, fine: bool = False) -> tuple[Floats, Floats]:
    """Return quadrature points (q, dim) and weights (q,) on a facet; many more, dense at its ends, where ``fine``.

    The fine rule takes polynomials as exactly as the plain one, and 1/√x to about a thousandth of a facet's share.
    """
    known = CELL_FAMILIES[family]
    if not fine or known.dimension == 0 or family.startswith("tri"):
        return known.points, known.weights
    half = np.array(_CUTS[known.dimension]) / 2
    ends = 2 * np.concatenate([half, 1 - half[-2::-1]]) - 1
    at, weight = np.polynomial.legendre.leggauss(_GAUSS_A_PIECE)
    width = np.diff(ends)[:, None] / 2
    line, shares = (ends[:-1, None] + width * (1 + at)).ravel(), (width * weight).ravel()
    if known.dimension == 1:
        return line[:, None], shares
    places = np.stack(np.meshgrid(line, line, indexing="ij"), axis=-1).reshape(-1, 2)
    return places, np.outer(shares, shares).ravel()


def facet_weights(facets: FacetSet, block: FacetBlock, mesh: Mesh, fine: bool = False) -> Floats:
    """Return quadrature weights (m, q) in m² over one block of the facets of a surface, by :func:`facet_rule`."""
    family = CELL_FAMILIES[block.family]
    points, rule = facet_rule(block.family, fine)
    corners = mesh.points[block.nodes]
    if family.dimension == 0:
        size = np.ones((len(corners), 1))
    else:
        jacobian = jacobians(block.family, corners, points)
        along = jacobian[..., 0]
        spread = along if family.dimension == 1 else np.cross(along, jacobian[..., 1])
        size = np.linalg.norm(spread, axis=-1)
    factor = mesh.space.of_facets(facets.regions, family.dimension, family.values(points) @ corners)
    return size * rule * factor


def nodal_area(facets: FacetSet, mesh: Mesh) -> Floats:
    """Return how much of a surface stands at each node of the mesh, (n,) in m²: of every facet an even share.

    The integral of a shape function will not do: at the corners of quadratic triangles it vanishes.
    """
    area = np.zeros(mesh.node_count)
    for block in facets.blocks:
        share = facet_weights(facets, block, mesh).sum(axis=1) / block.nodes.shape[1]
        np.add.at(area, block.nodes, share[:, None])
    return area


def assembled(blocks: list[tuple[Ints, ElementMatrices]], mesh: Mesh, free: Flags | None = None) -> sparse.csr_array:
    """Sum element matrices (m, n, n) on nodes (m, n) of a mesh into one sparse matrix (nodes, nodes).

    Of nodes that are ``free`` (nodes,) alone, if that is given.
    """
    neighbours = mesh.neighbours if any(_of_cells(nodes, mesh) for nodes, _ in blocks) else None
    if neighbours is None:
        return _chosen(_sorted([(nodes, np.asarray(each)) for nodes, each in blocks], mesh.node_count), free)
    on_cells = [matrices for nodes, matrices in blocks if _of_cells(nodes, mesh)]
    values = _summed_on_cells(on_cells, mesh, neighbours)
    left = []
    for nodes, each in blocks:
        if _of_cells(nodes, mesh):
            continue
        matrices = np.asarray(each)
        rows, columns = (each.ravel() for each in np.broadcast_arrays(nodes[:, :, None], nodes[:, None, :]))
        places = neighbours.places(rows, columns)
        if (places >= 0).all():
            np.add.at(values, places, matrices.ravel())
        else:
            left.append((nodes, matrices))
    matrix = neighbours.matrix(values, np.ones(mesh.node_count, dtype=bool) if free is None else free)
    return sparse.csr_array(matrix + _chosen(_sorted(left, mesh.node_count), free)) if left else matrix


def _of_cells(nodes: Ints, mesh: Mesh) -> bool:
    return any(nodes is block.nodes for block in mesh.blocks)


def _chosen(matrix: sparse.csr_array, free: Flags | None) -> sparse.csr_array:
    return matrix if free is None else sparse.csr_array(matrix[free][:, free])


def _summed_on_cells(blocks: list[ElementMatrices], mesh: Mesh, neighbours: NodeNeighbours) -> Floats:
    """The sum of matrices of all cells of a mesh, at the places of their entries."""
    lattice, (block,) = mesh.lattice, mesh.blocks
    assert lattice is not None
    values: Floats | None = None
    for matrices in blocks:
        if isinstance(matrices, AlikeMatrices) and values is None:
            conducting = matrices.weights[:, np.argsort(lattice.axes)]
            values = mesh.found("sums of alike cells", LatticeSums).of(lattice, neighbours, conducting, mesh.order)
            continue
        if values is None:
            values = np.zeros(neighbours.first[-1])
        _add_cells(values, neighbours, block.nodes, matrices)
    assert values is not None
    return values


def _add_cells(values: Floats, neighbours: NodeNeighbours, nodes: Ints, matrices: ElementMatrices) -> None:
    """Add those of all cells to the places of their entries; row by row no place is met twice."""
    at, reach, strides = (each[nodes[0]] for each in (neighbours.at, neighbours.reach, neighbours.strides))
    ahead = [(at - at[row] + reach[row]) @ strides[row] for row in range(nodes.shape[1])]
    for start in range(0, len(nodes), _ADDED_AT_ONCE):
        run = slice(start, start + _ADDED_AT_ONCE)
        first, of_run = neighbours.first[nodes[run]], matrices[run]
        for row, steps in enumerate(ahead):
            values[first[:, row, None] + steps] += of_run[:, row]


def _sorted(blocks: list[tuple[Ints, Floats]], count: int) -> sparse.csr_array:
    """Sum them by sorting their entries."""
    if not blocks:
        return sparse.csr_array((count, count))
    entries = sum(matrices.size for _, matrices in blocks)
    kind = np.int32 if entries < 2**31 else np.int64
    rows: NDArray[np.integer[Any]] = np.empty(entries, dtype=kind)
    columns: NDArray[np.integer[Any]] = np.empty(entries, dtype=kind)
    values, start = np.empty(entries), 0
    for nodes, matrices in blocks:
        own = slice(start, start + matrices.size)
        rows[own].reshape(matrices.shape)[:] = nodes[:, :, None]
        columns[own].reshape(matrices.shape)[:] = nodes[:, None, :]
        values[own] = matrices.ravel()
        start += matrices.size
    return sparse.coo_array((values, (rows, columns)), shape=(count, count)).tocsr()


def region_volume(mesh: Mesh, region: int) -> float:
    """Return the volume of the cells of a region, m³."""
    total = 0.0
    for block in mesh.blocks:
        for run in in_runs(block, len(CELL_FAMILIES[block.family].points)):
            weights = weighted_gradients(block, mesh, run)[1]
            total += float(weights[block.region[run] == region].sum())
    return total
