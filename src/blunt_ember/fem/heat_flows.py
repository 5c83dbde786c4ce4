"""Heat through every surface from nodal residuals, so that the sum closes to round-off on any mesh."""

from __future__ import annotations

import numpy as np

from blunt_ember.fem.assembly import facet_load, facet_mass
from blunt_ember.fem.problem import Problem
from blunt_ember.fem.steady import Solution
from blunt_ember.mesh.mesh import Floats


def surface_heat(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return the heat in W through every surface: + into the body, or from the first to the second region.

    At a node that two held surfaces share, its reaction is divided in the ratio of their lengths there.
    """
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
    """Heat in W at each node, (n,), that enters through each outer surface."""
    mesh, depth, count = problem.mesh, problem.depth, problem.mesh.node_count
    entering: dict[str, Floats] = {}
    held_length = np.zeros(count)
    lengths: dict[str, Floats] = {}
    for name, facets in mesh.surfaces.items():
        if not facets.outer:
            continue
        nodal = np.zeros(count)
        load = facet_load(facets, mesh.points)
        if name in problem.exchanges:
            exchange = problem.exchanges[name]
            np.add.at(nodal, facets.nodes, depth * exchange.flux * load)
            if exchange.h:
                lack = exchange.fluid - solution.temperature[facets.nodes]
                mass = facet_mass(facets, mesh.points)
                np.add.at(nodal, facets.nodes, depth * exchange.h * np.einsum("mab,mb->ma", mass, lack))
        if name in problem.held:
            lengths[name] = np.zeros(count)
            np.add.at(lengths[name], facets.nodes, load)
            held_length += lengths[name]
        entering[name] = nodal
    for name, length in lengths.items():
        share = np.divide(length, held_length, out=np.zeros(count), where=held_length > 0)
        entering[name] += share * solution.reaction
    return entering


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
            np.add.at(length, candidate.nodes, facet_load(candidate, mesh.points))
            all_of_it += length
            if other == name:
                share = length
    part = np.divide(share, all_of_it, out=np.zeros_like(share), where=all_of_it > 0)
    return -float(drawn @ part)
