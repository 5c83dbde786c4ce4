"""Steady linear conduction: assemble, anchor, solve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csgraph, csr_array

from blunt_ember.errors import Fault, OpenCaseError
from blunt_ember.fem.assembly import conduction_elements, facet_load, facet_mass, gathered
from blunt_ember.fem.corners import from_corners
from blunt_ember.fem.linear import solve_corrected
from blunt_ember.fem.problem import Problem
from blunt_ember.mesh.mesh import Floats, Ints, Mesh

Elements = list[tuple[Ints, Floats]]


@dataclass(frozen=True)
class Solution:
    """Nodal temperatures (n,) in K and the heat ``reaction`` (n,) in W that held surfaces give to their nodes.

    ``inflow`` (m, k) in W for each block is the heat each cell draws in at each of its nodes by conduction.
    """

    temperature: Floats
    reaction: Floats
    inflow: tuple[Floats, ...]
    method: str


def solve_steady(problem: Problem) -> Solution:
    """Solve ∇·(k ∇T) = 0 with the stated surfaces; raise :class:`OpenCaseError` when no temperature can settle, and
    :class:`SolverError` when the equations have no finite solution.
    """
    mesh = problem.mesh
    conduction = [
        (block.nodes, conduction_elements(block, mesh, np.array(problem.conductivity)[block.region]))
        for block in mesh.blocks
    ]
    films = [
        (block.nodes, exchange.h * facet_mass(mesh.surfaces[name], block, mesh))
        for name, exchange in problem.exchanges.items()
        for block in mesh.surfaces[name].blocks
        if exchange.h > 0
    ]
    held_nodes, held_values = _held(problem)
    conduction_matrix = gathered(conduction, mesh.node_count)
    _require_anchor(problem, conduction_matrix, held_nodes)

    # Solving for the difference from a middle temperature keeps round-off to the differences that drive heat.
    middle = _middle(problem)
    films_matrix = gathered(films, mesh.node_count)
    matrix = conduction_matrix + films_matrix
    load = np.zeros(mesh.node_count)
    for name, exchange in problem.exchanges.items():
        heat = exchange.flux + exchange.h * (exchange.fluid - middle)
        facets = mesh.surfaces[name]
        for block in facets.blocks:
            np.add.at(load, block.nodes, heat * facet_load(facets, block, mesh))
    free = np.ones(mesh.node_count, dtype=bool)
    free[held_nodes] = False
    fixed = np.zeros(mesh.node_count)
    fixed[held_nodes] = held_values - middle

    def with_free(unknown: Floats) -> Floats:
        rise = fixed.copy()
        rise[free] = unknown
        return rise

    def residual(rise: Floats) -> Floats:
        left: Floats = load - films_matrix @ rise
        for (nodes, _), inflow in zip(conduction, _inflow(conduction, rise), strict=True):
            left -= np.bincount(nodes.ravel(), inflow.ravel(), minlength=mesh.node_count)
        return left

    rise, method = fixed, "direct"
    if free.any():
        unknown, method = solve_corrected(
            matrix[free][:, free], lambda at: residual(with_free(at))[free], lambda: _coarse(mesh, free), mesh.dimension
        )
        rise = with_free(unknown)
    reaction = np.where(free, 0.0, -residual(rise))
    return Solution(rise + middle, reaction, tuple(_inflow(conduction, rise)), method)


def _coarse(mesh: Mesh, free: NDArray[np.bool_]) -> csr_array | None:
    """The free corners of quadratic cells, as a coarser space."""
    made = from_corners(mesh)
    return made[0][free][:, free[made[1]]] if made is not None else None


def _inflow(conduction: Elements, rise: Floats) -> list[Floats]:
    """Heat drawn in at every node of every cell. Constants pass no heat, so each cell's own level is taken off first:
    what is left is small in thin layers that conduct well, and so is the round-off."""
    return [np.einsum("mab,mb->ma", matrices, rise[nodes] - rise[nodes[:, :1]]) for nodes, matrices in conduction]


def _held(problem: Problem) -> tuple[Ints, Floats]:
    """Held nodes and their temperatures; at a node of two held surfaces the later statement counts."""
    value = np.full(problem.mesh.node_count, np.nan)
    for name, held in problem.held.items():
        value[problem.mesh.surfaces[name].nodes] = held.temperature
    nodes = np.flatnonzero(~np.isnan(value))
    return nodes, value[nodes]


def _middle(problem: Problem) -> float:
    stated = [held.temperature for held in problem.held.values()]
    stated += [exchange.fluid for exchange in problem.exchanges.values() if exchange.h > 0]
    return float(np.mean(stated))


def _require_anchor(problem: Problem, conduction: csr_array, held_nodes: Ints) -> None:
    mesh = problem.mesh
    count, part = csgraph.connected_components(conduction, directed=False)
    anchored = np.zeros(count, dtype=bool)
    anchored[part[held_nodes]] = True
    for name, exchange in problem.exchanges.items():
        if exchange.h > 0:
            anchored[part[mesh.surfaces[name].nodes]] = True
    if anchored.all():
        return
    loose = {
        mesh.regions[region]
        for block in mesh.blocks
        for region in np.unique(block.region[~anchored[part[block.nodes[:, 0]]]]).tolist()
    }
    names = ", ".join(name for name in mesh.regions if name in loose)
    what = (
        f"no temperature can settle in {names}: none of its surfaces is held at a temperature or meets a fluid; "
        "state one of the two"
    )
    raise OpenCaseError((Fault("surroundings", what),))
