"""Heat through every surface from nodal residuals, so that the sum closes to round-off on any mesh."""

from __future__ import annotations

import numpy as np

from blunt_ember.fem.assembly import facet_load, facet_mass, nodal_area
from blunt_ember.fem.problem import Problem
from blunt_ember.fem.steady import Solution
from blunt_ember.mesh.mesh import Floats


def surface_heat(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return the heat in W through every surface: + into the body, or from the first to the second region."""
    mesh = problem.mesh
    entering = _entering_regions(problem, solution)
    heat = {}
    for name, facets in mesh.surfaces.items():
        if facets.outer:
            heat[name] = float(entering[name].sum())
        else:
            heat[name] = _through_interface(problem, solution, entering, name)
    return heat


def _entering_regions(problem: Problem, solution: Solution) -> dict[str, Floats]:
    """Heat in W at each node, (n,), that enters through each outer surface.

    At a node of several held surfaces each takes what the cells of its own region draw in there; surfaces of one
    region divide that by their areas at the node.
    """
    mesh, count = problem.mesh, problem.mesh.node_count
    entering: dict[str, Floats] = {}
    areas: dict[str, Floats] = {}
    exchanged = np.zeros((len(mesh.regions), count))
    for name, facets in mesh.surfaces.items():
        if not facets.outer:
            continue
        nodal = np.zeros(count)
        if name in problem.exchanges:
            exchange = problem.exchanges[name]
            for block in facets.blocks:
                np.add.at(nodal, block.nodes, exchange.flux * facet_load(facets, block, mesh))
                if exchange.h:
                    lack = exchange.fluid - solution.temperature[block.nodes]
                    mass = facet_mass(facets, block, mesh)
                    np.add.at(nodal, block.nodes, exchange.h * np.einsum("mab,mb->ma", mass, lack))
            exchanged[facets.regions[0]] += nodal
        if name in problem.held:
            areas[name] = nodal_area(facets, mesh)
        entering[name] = nodal
    for name, heat in _held_heat(problem, solution, areas, exchanged).items():
        entering[name] += heat
    return entering


def _held_heat(problem: Problem, solution: Solution, areas: dict[str, Floats], exchanged: Floats) -> dict[str, Floats]:
    """Divide the reactions among the held surfaces; ``areas`` (n,) is how much of each lies at a node."""
    mesh, count = problem.mesh, problem.mesh.node_count
    by_region = np.zeros_like(exchanged)
    for name, area in areas.items():
        by_region[mesh.surfaces[name].regions[0]] += area
    drawn = -exchanged
    for block, inflow in zip(mesh.blocks, solution.inflow, strict=True):
        for region in range(len(mesh.regions)):
            own = block.region == region
            np.add.at(drawn[region], block.nodes[own], inflow[own])
    own_part = np.where(by_region > 0, drawn, 0.0)
    # What regions without a held surface at the node draw in comes through those that have one.
    rest = solution.reaction - own_part.sum(axis=0)
    every = by_region.sum(axis=0)
    heat = {}
    for name, area in areas.items():
        region = mesh.surfaces[name].regions[0]
        within = np.divide(area, by_region[region], out=np.zeros(count), where=by_region[region] > 0)
        among = np.divide(area, every, out=np.zeros(count), where=every > 0)
        heat[name] = within * own_part[region] + among * rest
    return heat


def _through_interface(problem: Problem, solution: Solution, entering: dict[str, Floats], name: str) -> float:
    """What the first region draws in at the interface, less what reached it from outside, with the sign turned."""
    mesh = problem.mesh
    facets = mesh.surfaces[name]
    first = facets.regions[0]
    drawn = np.zeros(mesh.node_count)
    for block, inflow in zip(mesh.blocks, solution.inflow, strict=True):
        own = block.region == first
        np.add.at(drawn, block.nodes[own], inflow[own])
    share = np.zeros(mesh.node_count)
    all_of_it = np.zeros(mesh.node_count)
    for other, candidate in mesh.surfaces.items():
        if first not in candidate.regions:
            continue
        if candidate.outer:
            drawn -= entering[other]
        else:
            area = nodal_area(candidate, mesh)
            all_of_it += area
            if other == name:
                share = area
    part = np.divide(share, all_of_it, out=np.zeros_like(share), where=all_of_it > 0)
    return -float(drawn @ part)
