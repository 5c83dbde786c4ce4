"""Heat through every surface from nodal residuals, so that the sum closes to round-off on any mesh."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import SolverError
from blunt_ember.fem.assembly import nodal_area
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import Given
from blunt_ember.fem.steady.steady import Solution
from blunt_ember.fem.terms.enclosure import strips_of


def heat_flows(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return the heat in W through every surface and of every source, by its name.

    + is into the body; through an interface, from the first region to the second.
    """
    heat = solution.heat
    if heat is None:
        raise SolverError("the heat of this solution was not kept")
    return HeatFlows(problem, heat.constraints).of(heat.given, heat.reaction)


def net_radiated(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return the heat in W, + into the body, that every surface of an enclosure gains by radiation, by its name."""
    heat = solution.heat
    if heat is None:
        raise SolverError("the heat of this solution was not kept")
    net = dict.fromkeys(problem.enclosed, 0.0)
    strips = {law.name: strips_of(law, problem.mesh) for law in problem.enclosures}
    for each in heat.given:
        if each.kind == "emission":
            net[each.name] += float(each.heat.sum())
        elif each.kind == "enclosure":
            for strip in strips[each.name]:
                net[strip.surface] += float(each.heat[0, strip.entries].sum())
    return net


def round_off(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return what the last digits of temperatures make of the heat in W through every surface, by its name."""
    heat = solution.heat
    if heat is None:
        raise SolverError("the heat of this solution was not kept")
    surfaces = problem.mesh.surfaces.items()
    return {name: float(np.linalg.norm(heat.noise[facets.nodes])) for name, facets in surfaces}


class HeatFlows:
    """Divides the heat of a balance among the surfaces of a problem; areas are found once."""

    def __init__(self, problem: Problem, constraints: Constraints) -> None:
        self._problem = problem
        self._constraints = constraints
        mesh = problem.mesh
        self._not_held = np.ones(mesh.node_count, dtype=bool)
        self._not_held[constraints.held_nodes] = False
        self._areas = {name: nodal_area(mesh.surfaces[name], mesh) for name in problem.held}
        self._held_area = sum(self._areas.values(), np.zeros(mesh.node_count))
        self._entries = {
            law.name: [(strip.surface, strip.entries) for strip in strips_of(law, mesh)] for law in problem.enclosures
        }
        # A region of one temperature conducts nothing inside: what passes into it is what the other side draws.
        even = {region for each in problem.isothermal for region in each.regions}
        self._read_from = {
            name: 1 if facets.regions[0] in even else 0 for name, facets in mesh.surfaces.items() if not facets.outer
        }
        self._shares = _shares_of_interfaces(problem, self._read_from)

    def of(self, given: Sequence[Given], reaction: Floats) -> dict[str, float]:
        """Return the heat by name, in what the terms ``given`` and the ``reaction`` (n,) of constraints are in."""
        problem, mesh = self._problem, self._problem.mesh
        entering = self._entering(given, reaction)
        drawn = _drawn(problem, given)
        for name, nodal in entering.items():
            drawn[mesh.surfaces[name].regions[0]] -= nodal
        heat = {name: float(nodal.sum()) for name, nodal in entering.items()}
        for name, facets in mesh.surfaces.items():
            if not facets.outer:
                share = self._shares.get(name)
                side = self._read_from[name]
                passed = 0.0 if share is None else float(drawn[facets.regions[side], share[0]] @ share[1])
                heat[name] = passed if side else -passed
        heat |= dict.fromkeys([source.name for source in problem.sources] + [each.name for each in problem.points], 0.0)
        for each in given:
            if each.kind in ("region", "point"):
                heat[each.name] += float(each.heat.sum())
            elif each.kind == "joint":
                heat[each.name] -= float(each.heat[:, : each.heat.shape[1] // 2].sum())
        return heat

    def _entering(self, given: Sequence[Given], reaction: Floats) -> dict[str, Floats]:
        """Heat at each node, (n,), that enters through each outer surface.

        At a node of several held surfaces each takes what the cells of its own region draw in there; surfaces of one
        region divide that by their areas at the node.
        """
        mesh, count = self._problem.mesh, self._problem.mesh.node_count
        entering = {name: np.zeros(count) for name, facets in mesh.surfaces.items() if facets.outer}
        for each in given:
            if each.kind in ("surface", "emission"):
                np.add.at(entering[each.name], each.nodes, each.heat)
            elif each.kind == "enclosure":
                for name, own in self._entries[each.name]:
                    np.add.at(entering[name], each.nodes[0, own], each.heat[0, own])
        periodic, left = _periodic_heat(reaction, self._constraints, self._held_area)
        for name, heat in periodic.items():
            entering[name] += heat
        left[self._not_held] = 0.0
        for name, heat in _held_heat(self._problem, given, entering, left, self._areas).items():
            entering[name] += heat
        return entering


def _periodic_heat(reaction: Floats, constraints: Constraints, held_area: Floats) -> tuple[dict[str, Floats], Floats]:
    """Heat (n,) that enters through each of a pair of periodic surfaces: what leaves one comes in at the other; and
    what is left of the ``reaction`` (n,), where what nodes of one temperature take is given to the one they follow.

    Two held nodes that lie on each other are given their reactions in the ratio of the ``held_area`` (n,) at each; the
    rest passes between them.
    """
    ties = constraints.ties
    left = reaction.copy()
    heat: dict[str, Floats] = {}
    for _ in range(len(ties) + 1):  # what comes to a node that follows another goes on from there
        for tie in ties:
            passed = left[tie.nodes]
            if tie.pair is None and not passed.any():
                continue
            left[tie.nodes] = 0.0
            back = tie.collected @ passed
            left += back
            if tie.pair is not None:
                first, second = (heat.setdefault(name, np.zeros(len(left))) for name in tie.pair)
                second[tie.nodes] += passed
                first -= back
    rest = left.copy()
    for tie in ties:
        if tie.pair is None:
            continue
        here, there = tie.held.T
        area = held_area[here] + held_area[there]
        share = np.divide(held_area[here], area, out=np.full(len(area), 0.5), where=area > 0)
        passed = left[here] - share * (left[here] + left[there])
        heat[tie.pair[1]][here] += passed
        heat[tie.pair[0]][there] -= passed
        rest[here] -= passed
        rest[there] += passed
    return heat, rest


def _held_heat(
    problem: Problem, given: Sequence[Given], entering: dict[str, Floats], reaction: Floats, areas: dict[str, Floats]
) -> dict[str, Floats]:
    """Divide the reactions among the held surfaces, whose ``areas`` stand at each node."""
    mesh, count = problem.mesh, problem.mesh.node_count
    by_region = np.zeros((len(mesh.regions), count))
    for name, area in areas.items():
        by_region[mesh.surfaces[name].regions[0]] += area
    drawn = _drawn(problem, given)
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


def _drawn(problem: Problem, given: Sequence[Given]) -> Floats:
    """Heat (regions, n) that each region draws in at each node: what it conducts on and stores, less what arises in it
    or comes over its joints."""
    mesh = problem.mesh
    drawn = np.zeros((len(mesh.regions), mesh.node_count))
    for each in given:
        if each.kind == "joint":
            half = each.nodes.shape[1] // 2
            for region, side in zip(each.regions.tolist(), (slice(half), slice(half, None)), strict=True):
                np.add.at(drawn[region], each.nodes[:, side], -each.heat[:, side])
        elif each.kind in ("conduction", "region", "storage"):
            for region in np.unique(each.regions).tolist():
                own = each.regions == region
                nodes, heat = each.nodes[own].ravel(), each.heat[own].ravel()
                drawn[region] -= np.bincount(nodes, heat, minlength=mesh.node_count)
    return drawn


def _shares_of_interfaces(problem: Problem, read_from: Mapping[str, int]) -> dict[str, tuple[Ints, Floats]]:
    """By interface that is no joint, its nodes (n,) and the share (n,) it has there of what all interfaces of the
    region that it is ``read_from`` pass on."""
    mesh = problem.mesh
    areas = {
        name: (facets.nodes, nodal_area(facets, mesh)[facets.nodes])
        for name, facets in mesh.surfaces.items()
        if not facets.outer and name not in problem.joints
    }
    if not areas:
        return {}
    # All that an interface has at a node counts for the regions on both its sides.
    sides = [(region, *areas[name]) for name in areas for region in dict.fromkeys(mesh.surfaces[name].regions)]
    keys = np.concatenate([region * mesh.node_count + nodes for region, nodes, _ in sides])
    known, place = np.unique(keys, return_inverse=True)
    whole = np.bincount(place.ravel(), np.concatenate([area for _, _, area in sides]))
    found = {}
    for name, (nodes, area) in areas.items():
        region = mesh.surfaces[name].regions[read_from[name]]
        every = whole[np.searchsorted(known, region * mesh.node_count + nodes)]
        found[name] = nodes, np.divide(area, every, out=np.zeros_like(area), where=every > 0)
    return found
