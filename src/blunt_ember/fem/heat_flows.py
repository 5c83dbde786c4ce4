"""Heat through every surface from nodal residuals, so that the sum closes to round-off on any mesh."""

from __future__ import annotations

import numpy as np

from blunt_ember.fem.assembly import facet_load, facet_mass
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
    region divide that by their lengths at the node.
    """
    mesh, count = problem.mesh, problem.mesh.node_count
    entering: dict[str, Floats] = {}
    lengths: dict[str, Floats] = {}
    exchanged = np.zeros((len(mesh.regions), count))
    for name, facets in mesh.surfaces.items():
        if not facets.outer:
            continue
        nodal = np.zeros(count)
        load = facet_load(facets, mesh)
        if name in problem.exchanges:
            exchange = problem.exchanges[name]
            np.add.at(nodal, facets.nodes, exchange.flux * load)
            if exchange.h:
                lack = exchange.fluid - solution.temperature[facets.nodes]
                mass = facet_mass(facets, mesh)
                np.add.at(nodal, facets.nodes, exchange.h * np.einsum("mab,mb->ma", mass, lack))
            exchanged[facets.regions[0]] += nodal
        if name in problem.held:
            lengths[name] = np.zeros(count)
            np.add.at(lengths[name], facets.nodes, load)
        entering[name] = nodal
    for name, heat in _held_heat(problem, solution, lengths, exchanged).items():
        entering[name] += heat
    return entering


def _held_heat(
    problem: Problem, solution: Solution, lengths: dict[str, Floats], exchanged: Floats
) -> dict[str, Floats]:
    """Divide the reactions among the held surfaces; ``lengths`` (n,) is how much of each lies at a node."""
    mesh, count = problem.mesh, problem.mesh.node_count
    by_region = np.zeros_like(exchanged)
    for name, length in lengths.items():
        by_region[mesh.surfaces[name].regions[0]] += length
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
    for name, length in lengths.items():
        region = mesh.surfaces[name].regions[0]
        within = np.divide(length, by_region[region], out=np.zeros(count), where=by_region[region] > 0)
        among = np.divide(length, every, out=np.zeros(count), where=every > 0)
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
            length = np.zeros(mesh.node_count)
            np.add.at(length, candidate.nodes, facet_load(candidate, mesh))
            all_of_it += length
            if other == name:
                share = length
    part = np.divide(share, all_of_it, out=np.zeros_like(share), where=all_of_it > 0)
    return -float(drawn @ part)
