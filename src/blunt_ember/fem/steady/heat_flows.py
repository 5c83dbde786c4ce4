"""Heat through every surface from nodal residuals, so that the sum closes to round-off on any mesh."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import SolverError
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import Given
from blunt_ember.fem.steady.sharing import Sharing, sharing_of
from blunt_ember.fem.steady.steady import NodalHeat, Solution
from blunt_ember.fem.terms.enclosure import strips_of
from blunt_ember.immutable import immutable


def heat_flows(problem: Problem, solution: Solution, sharing: Sharing | None = None) -> dict[str, float]:
    """Return the heat in W through every surface and of every source, by its name, ``sharing`` it as is known already.

    + is into the body; through an interface, from the first region to the second.
    """
    heat = solution.heat
    if heat is None:
        raise SolverError("the heat of this solution was not kept")
    return HeatFlows(problem, heat.constraints, sharing).of(heat.given, heat.reaction)


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
    """Return what the last digits of temperatures, and what the solution leaves over of all heat, make of the heat in W
    through every surface, by its name.

    What is left over at a node flows out by some surface: all of it by the same one at most, see
    :mod:`~blunt_ember.fem.steady.corrected` for less.
    """
    heat = solution.heat
    if heat is None:
        raise SolverError("the heat of this solution was not kept")
    return {name: heat.left_over + noise for name, noise in noise_of(problem, heat).items()}


def noise_of(problem: Problem, heat: NodalHeat) -> dict[str, float]:
    """Return what the last digits of temperatures make of the heat in W through every surface, by its name."""
    return {name: float(np.linalg.norm(heat.noise[each.nodes])) for name, each in problem.mesh.surfaces.items()}


@immutable
class _Where:
    """Places of heat (m,): the numbers (m,) of outer surfaces, the asked pair (k,) of those ``at`` (k,) one."""

    surface: Ints
    at: Ints
    pair: Ints


class HeatFlows:
    """Divides the heat of a balance among the surfaces of a problem; areas are found once."""

    def __init__(self, problem: Problem, constraints: Constraints, sharing: Sharing | None = None) -> None:
        mesh = problem.mesh
        self._problem, self._constraints = problem, constraints
        self._sharing = sharing or sharing_of(problem)
        self._number = {name: number for number, name in enumerate(mesh.surfaces)}
        self._inside = np.array([facets.regions[0] for facets in mesh.surfaces.values()], dtype=np.int64)
        self._not_held = np.ones(mesh.node_count, dtype=bool)
        self._not_held[constraints.held_nodes] = False
        self._entries = {
            law.name: [(strip.surface, strip.entries, strip.nodes.ravel()) for strip in strips_of(law, mesh)]
            for law in problem.enclosures
        }
        self._seen = np.zeros(mesh.node_count, dtype=bool)
        self._seen[self._sharing.of_pairs] = True
        #: By place of a term, its nodes and regions, and where in its heat those are that are asked.
        self._places: dict[int, tuple[Ints, Ints, Ints, Ints]] = {}
        #: The nodes of all that enters, and where that is.
        self._entered: tuple[list[Ints], _Where] | None = None
        self._given_to = self._where(self._sharing.surface, self._sharing.nodes)

    def of(self, given: Sequence[Given], reaction: Floats) -> dict[str, float]:
        """Return the heat by name, in what the terms ``given`` and the ``reaction`` (n,) of constraints are in."""
        problem, mesh = self._problem, self._problem.mesh
        drawn = self._drawn(given)
        entering, drawn = self._entering(given, reaction, drawn)
        through = entering.tolist()
        heat = {name: through[number] for name, number in self._number.items() if mesh.surfaces[name].outer}
        heat |= zip(self._sharing.inner, (self._sharing.passed @ drawn).tolist(), strict=True)
        heat |= dict.fromkeys([source.name for source in problem.sources] + [each.name for each in problem.points], 0.0)
        for each in given:
            if each.kind in ("region", "point"):
                heat[each.name] += float(each.heat.sum())
            elif each.kind == "joint":
                heat[each.name] -= float(each.heat[:, : each.heat.shape[1] // 2].sum())
        return heat

    def _entering(self, given: Sequence[Given], reaction: Floats, drawn: Floats) -> tuple[Floats, Floats]:
        """Heat that enters through every outer surface, by its number, and what is ``drawn`` in at the asked pairs,
        less that.

        At a node of several held surfaces each takes what the cells of its own region draw in there; surfaces of one
        region divide that as their fluxes beside it tell.
        """
        found: list[tuple[int, Ints, Floats]] = []
        for each in given:
            if each.kind in ("surface", "emission"):
                found.append((self._number[each.name], each.nodes, each.heat))
            elif each.kind == "enclosure":
                found += [
                    (self._number[name], nodes, each.heat[0, own]) for name, own, nodes in self._entries[each.name]
                ]
        periodic, left = _periodic_heat(reaction, self._constraints, self._sharing.held_area)
        found += [(self._number[name], np.flatnonzero(heat), heat[heat != 0]) for name, heat in periodic.items()]
        entering = self._where_of([number for number, _, _ in found], [nodes for _, nodes, _ in found])
        heat = np.concatenate([np.zeros(0), *(heat.ravel() for _, _, heat in found)])
        left[self._not_held] = 0.0
        at, drawn = self._sharing, drawn - self._at_pairs(entering, heat)
        # What regions without a held surface at the node draw in comes through those that have one.
        own = np.where(at.is_held, drawn + at.across @ drawn, 0.0)
        rest = left - np.bincount(at.of_pairs, own, minlength=len(left))
        given_to = at.taken @ own + at.by_area * rest[at.nodes]
        through = self._by_surface(entering, heat) + self._by_surface(self._given_to, given_to)
        return through, drawn - self._at_pairs(self._given_to, given_to)

    def _by_surface(self, where: _Where, heat: Floats) -> Floats:
        return np.bincount(where.surface, heat, minlength=len(self._inside)).astype(float)

    def _drawn(self, given: Sequence[Given]) -> Floats:
        """Heat at the asked pairs that the region draws in at the node: what it conducts on and stores, less what
        arises in it or comes over its joints."""
        drawn = np.zeros(len(self._sharing.pairs))
        for place, each in enumerate(given):
            if each.kind in ("joint", "conduction", "region", "storage"):
                known = self._places.get(place)
                if known is None or known[0] is not each.nodes or known[1] is not each.regions:
                    known = self._places[place] = (each.nodes, each.regions, *self._asked_of(each))
                _, _, entries, pairs = known
                drawn -= np.bincount(pairs, each.heat.ravel()[entries], minlength=len(drawn))
        return drawn

    def _asked_of(self, each: Given) -> tuple[Ints, Ints]:
        """Which entries of the heat of a term are at asked pairs, and their places among these."""
        entries = np.flatnonzero(self._seen[each.nodes.ravel()])
        row, column = np.divmod(entries, each.nodes.shape[1])
        # Of a joint the first half of every row is of its first region, the other of its second.
        region = each.regions[column // (each.nodes.shape[1] // 2)] if each.kind == "joint" else each.regions[row]
        pairs = each.nodes.ravel()[entries] + region * len(self._seen)
        known = self._sharing.pairs
        place = np.minimum(np.searchsorted(known, pairs), len(known) - 1)
        kept = known[place] == pairs
        return entries[kept], place[kept]

    def _where_of(self, numbers: Sequence[int], nodes: list[Ints]) -> _Where:
        """Where heat enters at ``nodes`` through surfaces of some numbers, found anew where these are not as before."""
        known = self._entered
        if (
            known is None
            or len(known[0]) != len(nodes)
            or any(a is not b for a, b in zip(known[0], nodes, strict=True))
        ):
            surface = np.repeat(numbers, [each.size for each in nodes]).astype(np.int64)
            every = np.concatenate([np.zeros(0, dtype=np.int64), *(each.ravel() for each in nodes)])
            self._entered = known = nodes, self._where(surface, every)
        return known[1]

    def _where(self, surface: Ints, nodes: Ints) -> _Where:
        """Of heat at nodes (m,) the pairs of a node and the region inside of its surface (m,), where they are asked."""
        known = self._sharing.pairs
        if not len(known):
            return _Where(surface, np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64))
        pairs = nodes + self._inside[surface] * len(self._seen)
        place = np.minimum(np.searchsorted(known, pairs), len(known) - 1)
        at = np.flatnonzero(known[place] == pairs)
        return _Where(surface, at, place[at])

    def _at_pairs(self, where: _Where, heat: Floats) -> Floats:
        """What of heat (m,) enters at the asked pairs."""
        return np.bincount(where.pair, heat[where.at], minlength=len(self._sharing.pairs)).astype(float)


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
