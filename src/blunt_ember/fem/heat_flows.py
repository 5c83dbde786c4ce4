"""Heat through every surface from nodal residuals, so that the sum closes to round-off on any mesh."""

from __future__ import annotations

import numpy as np

from blunt_ember.fem.assembly import nodal_area
from blunt_ember.fem.problem import Problem
from blunt_ember.fem.steady import Solution
from blunt_ember.mesh.mesh import Floats


def heat_flows(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return the heat in W through every surface and of every source, by its name.

    + is into the body; through an interface, from the first region to the second.
    """
    mesh = problem.mesh
    entering = _entering(problem, solution)
    drawn = _drawn(problem, solution)
    for name, nodal in entering.items():
        drawn[mesh.surfaces[name].regions[0]] -= nodal
    heat = {name: float(nodal.sum()) for name, nodal in entering.items()}
    for name, facets in mesh.surfaces.items():
        if not facets.outer:
            heat[name] = 0.0 if name in problem.joints else _through_interface(problem, drawn, name)
    heat |= dict.fromkeys([source.name for source in problem.sources] + [each.name for each in problem.points], 0.0)
    for each in solution.given:
        if each.kind in ("region", "point"):
            heat[each.name] += float(each.heat.sum())
        elif each.kind == "joint":
            heat[each.name] -= float(each.heat[:, : each.heat.shape[1] // 2].sum())
    return heat


def _entering(problem: Problem, solution: Solution) -> dict[str, Floats]:
    """Heat in W at each node, (n,), that enters through each outer surface.

    At a node of several held surfaces each takes what the cells of its own region draw in there; surfaces of one
    region divide that by their areas at the node.
    """
    mesh, count = problem.mesh, problem.mesh.node_count
    entering = {name: np.zeros(count) for name, facets in mesh.surfaces.items() if facets.outer}
    for each in solution.given:
        if each.kind == "surface":
            np.add.at(entering[each.name], each.nodes, each.heat)
    areas = {name: nodal_area(mesh.surfaces[name], mesh) for name in problem.held}
    reaction = solution.reaction.copy()
    for name, heat in _periodic_heat(solution, sum(areas.values(), np.zeros(count))).items():
        entering[name] += heat
        reaction -= heat
    reaction[np.setdiff1d(np.arange(count), solution.constraints.held_nodes)] = 0.0
    for name, heat in _held_heat(problem, solution, entering, reaction, areas).items():
        entering[name] += heat
    return entering


def _periodic_heat(solution: Solution, held_area: Floats) -> dict[str, Floats]:
    """Heat (n,) that enters through each of a pair of periodic surfaces: what leaves one comes in at the other.

    Two held nodes that lie on each other are given their reactions in the ratio of the ``held_area`` (n,) at each; the
    rest passes between them.
    """
    ties = solution.constraints.ties
    left = solution.reaction.copy()
    heat: dict[str, Floats] = {}
    for _ in range(len(ties) + 1):  # what comes to a node that follows another goes on from there
        for tie in ties:
            passed = left[tie.nodes]
            left[tie.nodes] = 0.0
            back = tie.weights.T @ passed
            left += back
            heat.setdefault(tie.second, np.zeros(len(left)))
            heat[tie.second][tie.nodes] += passed
            heat.setdefault(tie.first, np.zeros(len(left)))
            heat[tie.first] -= back
    for tie in ties:
        here, there = tie.held.T
        area = held_area[here] + held_area[there]
        share = np.divide(held_area[here], area, out=np.full(len(area), 0.5), where=area > 0)
        passed = left[here] - share * (left[here] + left[there])
        heat[tie.second][here] += passed
        heat[tie.first][there] -= passed
    return heat


def _held_heat(
    problem: Problem, solution: Solution, entering: dict[str, Floats], reaction: Floats, areas: dict[str, Floats]
) -> dict[str, Floats]:
    """Divide the reactions among the held surfaces, whose ``areas`` stand at each node."""
    mesh, count = problem.mesh, problem.mesh.node_count
    by_region = np.zeros((len(mesh.regions), count))
    for name, area in areas.items():
        by_region[mesh.surfaces[name].regions[0]] += area
    drawn = _drawn(problem, solution)
    for name, heat in entering.items():
        drawn[mesh.surfaces[name].regions[0]] -= heat
    own_part = np.where(by_region > 0, drawn, 0.0)
    # What regions without a held surface at the node draw in comes through those that have one.
    rest = reaction - own_part.sum(axis=0)
    every = by_region.sum(axis=0)
    held: dict[str, Floats] = {}
    for name, area in areas.items():
        region = mesh.surfaces[name].regions[0]
        within = np.divide(area, by_region[region], out=np.zeros(count), where=by_region[region] > 0)
        among = np.divide(area, every, out=np.zeros(count), where=every > 0)
        held[name] = within * own_part[region] + among * rest
    return held


def _drawn(problem: Problem, solution: Solution) -> Floats:
    """Heat (regions, n) that each region draws in at each node: what it conducts on, less what arises in it or comes
    over its joints."""
    mesh = problem.mesh
    drawn = np.zeros((len(mesh.regions), mesh.node_count))
    for each in solution.given:
        if each.kind == "joint":
            half = each.nodes.shape[1] // 2
            for region, side in zip(each.regions.tolist(), (slice(half), slice(half, None)), strict=True):
                np.add.at(drawn[region], each.nodes[:, side], -each.heat[:, side])
        elif each.kind in ("conduction", "region"):
            for region in np.unique(each.regions).tolist():
                own = each.regions == region
                nodes, heat = each.nodes[own].ravel(), each.heat[own].ravel()
                drawn[region] -= np.bincount(nodes, heat, minlength=mesh.node_count)
    return drawn


def _through_interface(problem: Problem, drawn: Floats, name: str) -> float:
    """What the first region draws in there, less what reached it from elsewhere, with the sign turned."""
    mesh = problem.mesh
    first = mesh.surfaces[name].regions[0]
    share = np.zeros(mesh.node_count)
    all_of_it = np.zeros(mesh.node_count)
    for other, candidate in mesh.surfaces.items():
        if first in candidate.regions and not candidate.outer and other not in problem.joints:
            area = nodal_area(candidate, mesh)
            all_of_it += area
            if other == name:
                share = area
    part = np.divide(share, all_of_it, out=np.zeros_like(share), where=all_of_it > 0)
    return -float(drawn[first] @ part)
