"""The heat that passes surfaces in a step of time, so that with what is stored the ledger closes to round-off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import Given
from blunt_ember.fem.steady.heat_flows import HeatFlows
from blunt_ember.fem.terms.build import build_terms
from blunt_ember.fem.terms.term import Term
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.start import Start
from blunt_ember.fem.transient.stepwise.time_step import State, StepForm
from blunt_ember.fem.transient.storage import storage_of
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import CellBlock

#: Points and weights by which what changes within a step is taken in the mean.
_GAUSS = np.polynomial.legendre.leggauss(5)


@immutable
class Moment:
    """Heats of an instant by term, each (m, n) in W, contents by block, each (m, n) in J, and totals of sources, W."""

    heats: tuple[Floats, ...]
    contents: tuple[Floats, ...]
    totals: Floats


class SurfaceHeat:
    """Reads what passes every surface; only cells that touch one on which heat is not simply given are looked at."""

    def __init__(self, heating: Heating) -> None:
        self._heating = heating
        reduced = _next_to(heating.problem, self._constrained(heating))
        self._terms = build_terms(reduced, heating.reference_temperature)
        self._storage = storage_of(reduced, heating.reference_temperature)
        self._flows = HeatFlows(reduced, heating.constraints)
        self._constrained_nodes = self._constrained(heating)
        self._sources = [term for term in heating.terms if term.kind == "region"]
        self._last: tuple[State, Moment] | None = None

    @staticmethod
    def _constrained(heating: Heating) -> Ints:
        ties = heating.constraints.ties
        tied = [tie.nodes for tie in ties] + [np.unique(tie.weights.indices).astype(np.int64) for tie in ties]
        return np.unique(np.concatenate([heating.constraints.held_nodes, *tied]))

    def moment(self, excess: Floats, t: float) -> Moment:
        """Return what every term gives at temperatures (n,) over the reference temperature."""
        return Moment(
            tuple(term.heat(excess[term.nodes], t) for term in self._terms),
            tuple(each.content(excess[each.nodes]) for each in self._storage),
            np.array([term.heat(excess[term.nodes], t).sum() for term in self._sources]),
        )

    def _mean(self, state: State) -> Moment:
        """What every term gives in the mean of the instants that a state stands for."""
        assert state.between is not None
        (first, last), excess = state.between, state.excess
        times, weights = (first + last) / 2 + (last - first) / 2 * _GAUSS[0], _GAUSS[1] / 2

        def mean(term: Term) -> Floats:
            local = excess[term.nodes]
            if term.time_independent:
                return term.heat(local, state.t)
            each = [weight * term.heat(local, t) for t, weight in zip(times.tolist(), weights.tolist(), strict=True)]
            return np.asarray(sum(each[1:], each[0]))

        return Moment(
            tuple(mean(term) for term in self._terms),
            tuple(each.content(excess[each.nodes]) for each in self._storage),
            np.array([mean(term).sum() for term in self._sources]),
        )

    def moments(self, step: StepForm) -> tuple[Moment, ...]:
        """Return the moments of the states of a step; the first is kept from the step before."""
        found = []
        for state in step.states:
            if self._last is not None and self._last[0] is state:
                found.append(self._last[1])
            else:
                # What is stated may jump at the end of a step; it is seen from before.
                t = float(np.nextafter(state.t, -np.inf)) if state is step.after else state.t
                found.append(self.moment(state.excess, t) if state.between is None else self._mean(state))
        self._last = next(
            (state, moment) for state, moment in zip(step.states, found, strict=True) if state is step.after
        )
        return tuple(found)

    def heat_in(self, step: StepForm, moments: Sequence[Moment], share: float) -> dict[str, float]:
        """Return the heat in J by name that has passed up to a share of the step."""
        gained = step.blend(share) - step.blend(0.0)
        return self._divided(step.heat_weights(share), gained, moments)

    def power(self, step: StepForm, moments: Sequence[Moment], share: float) -> dict[str, float]:
        """Return the heat in W by name that passes at a share of the step."""
        return self._divided(step.heat_rates(share), step.slopes(share), moments)

    def jump(self, before: Floats, after: Floats) -> dict[str, float]:
        """Return the heat in J by name that held surfaces give when temperatures (n,) jump at their nodes."""
        held = np.zeros(self._heating.count, dtype=bool)
        held[self._heating.constraints.held_nodes] = True
        given = []
        for each in self._storage:
            gained = (each.content(after[each.nodes]) - each.content(before[each.nodes])).sum(axis=1)
            at = held[each.nodes] & (np.abs(after - before)[each.nodes] > 0)
            share = at / np.maximum(at.sum(axis=1, keepdims=True), 1)
            given.append(Given("storage", "", each.regions, each.nodes, -share * gained[:, None]))
        return self._flows.of(given, self._reaction(given))

    def evened(self, start: Start) -> dict[str, float]:
        """Return the heat in J by name that passes interfaces as regions that meet begin at one temperature there."""
        if not len(start.pairs):
            return {}
        gained = start.gained(self._storage, self._heating.reference_temperature)
        given = [
            Given("storage", "", each.regions, each.nodes, -more)
            for each, more in zip(self._storage, gained, strict=True)
        ]
        surfaces = self._heating.problem.mesh.surfaces
        passed = self._flows.of(given, np.zeros(self._heating.count))
        return {name: heat for name, heat in passed.items() if name in surfaces and not surfaces[name].outer}

    def _divided(self, heats: Floats, contents: Floats, moments: Sequence[Moment]) -> dict[str, float]:
        given = [
            Given(
                term.kind, term.name, term.regions, term.nodes, _sum(heats, [moment.heats[place] for moment in moments])
            )
            for place, term in enumerate(self._terms)
        ]
        given += [
            Given(
                "storage", "", each.regions, each.nodes, -_sum(contents, [moment.contents[place] for moment in moments])
            )
            for place, each in enumerate(self._storage)
        ]
        passed = self._flows.of(given, self._reaction(given))
        totals: dict[str, float] = {}
        for place, term in enumerate(self._sources):
            arisen = float(_sum(heats, [moment.totals[place : place + 1] for moment in moments])[0])
            totals[term.name] = totals.get(term.name, 0.0) + arisen
        return passed | totals

    def _reaction(self, given: Sequence[Given]) -> Floats:
        """What constraints give to their nodes, (n,)."""
        total = np.zeros(self._heating.count)
        for each in given:
            total -= np.bincount(each.nodes.ravel(), each.heat.ravel(), minlength=len(total))
        reaction = np.zeros_like(total)
        reaction[self._constrained_nodes] = total[self._constrained_nodes]
        return reaction


def _sum(weights: Floats, arrays: Sequence[Floats]) -> Floats:
    total = np.zeros_like(arrays[0])
    for weight, array in zip(weights, arrays, strict=True):
        if weight:
            total += weight * array
    return total


def _next_to(problem: Problem, constrained: Ints) -> Problem:
    """The problem on the cells that touch nodes of constraints or of interfaces, and on surfaces as they are."""
    mesh = problem.mesh
    special = np.zeros(mesh.node_count, dtype=bool)
    special[constrained] = True
    for name, facets in mesh.surfaces.items():
        if not facets.outer and name not in problem.joints:
            special[facets.nodes] = True
    blocks = []
    for block in mesh.blocks:
        near = special[block.nodes].any(axis=1)
        if near.any():
            blocks.append(CellBlock(block.family, block.nodes[near], block.region[near]))
    return replace(problem, mesh=replace(mesh, blocks=tuple(blocks)))
