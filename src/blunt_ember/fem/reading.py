"""Reading the solution anywhere with the cells' own shape functions."""

from __future__ import annotations

from collections.abc import Sequence
from functools import reduce

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.assembly import determinants, facet_weights, in_runs, physical_gradients
from blunt_ember.fem.problem.conductors import conducted
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Mesh
from blunt_ember.tree_of_places import boxed

_BULGE = 0.05


def temperature_at(mesh: Mesh, temperature: Floats, points: Floats, region: int | None = None) -> Floats:
    """Return the temperature in K at ``points`` (p, d) in m, in one region if one is given; NaN outside."""
    weights = weights_at(mesh, points, region)
    return np.where(np.diff(weights.indptr) > 0, weights @ temperature, np.nan)


def weights_at(mesh: Mesh, points: Floats, region: int | None = None) -> csr_array:
    """Return the weights (p, n) of nodes in the temperature at ``points`` (p, d) in m, in one region if one is given.

    A row outside the body is empty; what lies where blocks meet is read as the last of them has it.
    """
    rows, columns, values = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)], [np.zeros(0)]
    new = np.ones(len(points), dtype=bool)
    for block in reversed(mesh.blocks):
        own = _of_region(block, region)
        for place, cell, local in _located(own, mesh.points, points):
            first = new[place]
            new[place] = False
            rows.append(np.repeat(place[first], own.nodes.shape[1]))
            columns.append(own.nodes[cell[first]].ravel())
            values.append(CELL_FAMILIES[block.family].values(local[first]).ravel())
    entries = np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))
    return csr_array(entries, shape=(len(points), mesh.node_count))


def region_at(mesh: Mesh, point: Floats) -> int | None:
    """Return the region that a ``point`` (d,) in m is read in where none is said; None outside the body."""
    for block in reversed(mesh.blocks):
        for _, cell, _ in _located(block, mesh.points, point[None]):
            if len(cell):
                return int(block.region[cell[0]])
    return None


def places_about(mesh: Mesh, point: Floats, region: int | None = None) -> Floats:
    """Return places (k, d) in m about a ``point`` (d,) in m, half way to the corners of the cell it lies in, of one
    region if one is given; none outside the body."""
    for block in reversed(mesh.blocks):
        own = _of_region(block, region)
        for _, cell, local in _located(own, mesh.points, point[None]):
            if not len(cell):
                continue
            family = CELL_FAMILIES[block.family]
            corners = family.nodes[: family.corners]
            # A little inwards, as the body goes on behind a curved side of a cell no further than it does.
            about = local / 2 + 0.45 * corners + 0.05 * family.middle
            return np.asarray(family.values(about) @ mesh.points[own.nodes[cell[0]]])
    return np.zeros((0, mesh.points.shape[1]))


def _of_region(block: CellBlock, region: int | None) -> CellBlock:
    if region is None:
        return block
    own = block.region == region
    return CellBlock(block.family, block.nodes[own], block.region[own])


def shares_at(mesh: Mesh, points: Floats) -> tuple[Ints, Floats] | None:
    """Return nodes (n,) and the shares (n,) by which what is spread evenly over ``points`` (p, d) falls to them.

    None where a point lies outside the body.
    """
    nodes: list[Ints] = []
    shares: list[Floats] = []
    found = np.zeros(len(points), dtype=bool)
    for block in mesh.blocks:
        for place, cell, local in _located(block, mesh.points, points):
            new = ~found[place]
            found[place] = True
            at: Ints = block.nodes[cell[new]]
            nodes.append(at.ravel())
            shares.append(CELL_FAMILIES[block.family].values(local[new]).ravel() / len(points))
    if not found.all():
        return None
    total = np.bincount(np.concatenate(nodes), np.concatenate(shares), minlength=mesh.node_count)
    numbers: Ints = np.flatnonzero(total).astype(np.int64)
    return numbers, np.asarray(total[numbers], dtype=np.float64)


def field_at(mesh: Mesh, values: Sequence[Floats], points: Floats) -> Floats:
    """Return what values (m, k) at the nodes of the cells of each block are at ``points`` (p, d) in m; NaN outside."""
    result = np.full(len(points), np.nan)
    for block, own in zip(mesh.blocks, values, strict=True):
        for place, cell, local in _located(block, mesh.points, points):
            result[place] = np.einsum("pk,pk->p", CELL_FAMILIES[block.family].values(local), own[cell])
    return result


def flux_at(problem: Problem, temperature: Floats, points: Floats, t: float = 0.0) -> Floats:
    """Return −k∇T in W/m², (p, d), at ``points`` (p, d) in m at a time ``t`` in s; NaN outside the body."""
    mesh = problem.mesh
    result = np.full(points.shape, np.nan)
    for block in mesh.blocks:
        for place, cell, local in _located(block, mesh.points, points):
            corners = mesh.points[block.nodes[cell]]
            reference = CELL_FAMILIES[block.family].gradients(local)
            jacobian = np.einsum("pki,pkj->pij", reference, corners)
            slope = np.einsum("pki,pk->pi", reference, temperature[block.nodes[cell]])
            gradient = _solved(jacobian, slope)
            here = np.einsum("pk,pk->p", CELL_FAMILIES[block.family].values(local), temperature[block.nodes[cell]])
            result[place] = conducted(
                problem.conductors,
                mesh,
                block.region[cell],
                points[place][:, None],
                here[:, None],
                gradient[:, None],
                t,
            )[:, 0]
    return result


def flux_at_nodes(problem: Problem, temperature: Floats, t: float = 0.0) -> tuple[Floats, ...]:
    """Return −k∇T in W/m², (m, k, d) for each block, at the nodes of each cell, averaged over the cells of its region.

    The mean over neighbours within one region smooths the jumps between cells but keeps those between materials.
    """
    mesh = problem.mesh
    fluxes = [_flux_in_cells(problem, block, temperature, t) for block in mesh.blocks]
    keys = [(block.region[:, None] * mesh.node_count + block.nodes).ravel() for block in mesh.blocks]
    _, group = np.unique(np.concatenate(keys), return_inverse=True)
    number = np.bincount(group)
    every = np.concatenate([flux.reshape(-1, mesh.dimension) for flux in fluxes])
    smooth = np.stack([np.bincount(group, every[:, j]) / number for j in range(mesh.dimension)], axis=-1)[group]
    ends = np.cumsum([key.size for key in keys])[:-1]
    return tuple(part.reshape(flux.shape) for part, flux in zip(np.split(smooth, ends), fluxes, strict=True))


def _flux_in_cells(problem: Problem, block: CellBlock, temperature: Floats, t: float) -> Floats:
    """−k∇T at the nodes of each cell by its own shape functions, (m, k, d)."""
    mesh, family = problem.mesh, CELL_FAMILIES[block.family]
    places = family.nodes if mesh.dimension < 3 else family.just_inside
    flux = np.empty((*block.nodes.shape, mesh.dimension))
    for run in in_runs(block, len(places)):
        nodes = block.nodes[run]
        gradients, _ = physical_gradients(block.family, mesh.points[nodes], places)
        slope = np.einsum("mqkj,mk->mqj", gradients, temperature[nodes])
        flux[run] = conducted(
            problem.conductors, mesh, block.region[run], mesh.points[nodes], temperature[nodes], slope, t
        )
    return flux


def surface_places(facets: FacetSet, mesh: Mesh) -> tuple[Floats, Floats]:
    """Return places (p, d) in m on a surface and the area (p,) in m² each stands for; nodes stand for none."""
    places, areas = [], []
    for block in facets.blocks:
        family = CELL_FAMILIES[block.family]
        weights = facet_weights(facets, block, mesh)
        places.append((family.at_points @ mesh.points[block.nodes]).reshape(-1, mesh.dimension))
        areas.append(weights.ravel())
    nodes = mesh.points[facets.nodes]
    return np.concatenate([*places, nodes]), np.concatenate([*areas, np.zeros(len(nodes))])


def _located(block: CellBlock, nodes: Floats, points: Floats) -> list[tuple[Ints, Ints, Floats]]:
    """Find a cell for each point; return (point numbers, cells, local coordinates) of those inside the block."""
    near = _cells_near(block, nodes, points)
    if not len(near):
        return []
    corners = nodes[block.nodes[near]]
    low, high = _slackened(corners.min(axis=1), corners.max(axis=1), nodes)
    place, box = boxed(points, low, high)
    if not len(place):
        return []
    cell = near[box]
    local, converged = _local_coordinates(block, nodes, cell, points[place])
    place, cell, local = place[converged], cell[converged], local[converged]
    _, first = np.unique(place, return_index=True)
    return [(place[first], cell[first], local[first])]


def _slackened(low: Floats, high: Floats, nodes: Floats) -> tuple[Floats, Floats]:
    """From where to where (m, …) cells may reach whose nodes do from ``low`` to ``high`` (m, …): a curved side goes
    beyond its nodes, and what is read may lie on a flat one but for round-off."""
    slack = _BULGE * (high - low) + 1e-12 * np.abs(nodes).max()
    return low - slack, high + slack


def _cells_near(block: CellBlock, nodes: Floats, points: Floats) -> Ints:
    """The cells (c,) that may reach to where any of the points lie; axis after axis, as few are left after the
    first."""
    near = np.arange(len(block.nodes))
    if not len(points):
        return near[:0]
    for axis, strided in enumerate(nodes.T):
        place = np.ascontiguousarray(strided)
        # Corner by corner, as they are few and the cells many.
        corners = [place[of_cells] for of_cells in (block.nodes if axis == 0 else block.nodes[near]).T]
        low, high = _slackened(reduce(np.minimum, corners), reduce(np.maximum, corners), place)
        near = near[(low <= points[:, axis].max()) & (high >= points[:, axis].min())]
    return near


def _local_coordinates(block: CellBlock, nodes: Floats, cell: Ints, points: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Invert the map of the cells by Newton's method; True where the point lies inside its cell."""
    family = CELL_FAMILIES[block.family]
    local = np.tile(family.middle, (len(points), 1))
    corners = nodes[block.nodes[cell]]
    size = np.ptp(corners, axis=1).max(axis=1)
    for _ in range(8):
        gap = points - np.einsum("pk,pkj->pj", family.values(local), corners)
        if (np.abs(gap).max(axis=1) <= 1e-13 * size).all():
            break
        jacobian = np.einsum("pki,pkj->pji", family.gradients(local), corners)
        local = local + _solved(jacobian, gap)
    return local, family.holds(local, 1e-5)


def _solved(matrices: Floats, right: Floats) -> Floats:
    """Solve small systems (p, d, d), nudged where a cell is drawn together to nothing about an axis."""
    scale = np.abs(matrices).max(axis=(1, 2), initial=1e-300)
    flat = np.abs(determinants(matrices)) < 1e-12 * scale ** matrices.shape[-1]
    nudged = matrices + (1e-6 * scale * flat)[:, None, None] * np.eye(matrices.shape[-1])
    return np.linalg.solve(nudged, right[..., None])[..., 0]
