"""The heat balance in time, dE/dt = F: how much heat nodes hold and are given, and the matrices of both."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.assembly import assembled
from blunt_ember.fem.constraints import constraints_of
from blunt_ember.fem.coupling import Coupling
from blunt_ember.fem.multigrid.spaces import Spaces
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import build_terms
from blunt_ember.fem.terms.enclosure import couplings_of
from blunt_ember.fem.terms.term import Term, sampled
from blunt_ember.fem.transient.stepwise.time_step import State
from blunt_ember.fem.transient.storage import storage_of


class Heating:
    """What is stated from one break in time to the next; temperatures are over a ``reference_temperature``, K.

    What depends neither on time nor on temperature is assembled once.
    """

    def __init__(self, problem: Problem, reference_temperature: float, begin: float) -> None:
        self.problem = problem
        self.reference_temperature = reference_temperature
        self.begin = begin
        self.count = problem.mesh.node_count
        self.terms = build_terms(problem, reference_temperature)
        self.storage = storage_of(problem, reference_temperature)
        self.constraints = constraints_of(problem, begin)
        self._plain = [term for term in self.terms if term.linear and term.slope_time_independent]
        self._others = [term for term in self.terms if not (term.linear and term.slope_time_independent)]
        self._moving = [term for term in self._plain if not term.time_independent]
        self._stores_evenly = all(each.linear for each in self.storage)
        self.linear = not self._others and self._stores_evenly
        self.symmetric = all(term.spd for term in self.terms)

    @property
    def unchanging(self) -> bool:
        """Whether nothing that is stated depends on time."""
        return all(term.time_independent for term in self.terms) and self._still_held is not None

    @property
    def degree_in_time(self) -> float:
        """The degree of what is given and held as a polynomial of the time, until something stated bends or jumps;
        infinite where it is none."""
        problem = self.problem
        stated = [value for laws in problem.exchanges.values() for law in laws for value in law.values]
        stated += [source.per_volume for source in problem.sources] + [point.total for point in problem.points]
        return max((law.degree_in_time for law in (*stated, *problem.held.values())), default=0.0)

    @cached_property
    def _conductance(self) -> csr_array:
        """Assembled slopes (n, n), W/K, of what is linear and does not change."""
        zero = np.zeros(self.count)
        every = ((term.nodes, term.slope(zero[term.nodes], self.begin)) for term in self._plain)
        return assembled([(nodes, slope) for nodes, slope in every if slope is not None], self.problem.mesh)

    @cached_property
    def _load(self) -> Floats:
        """Heat (n,), W, at the reference temperature of what is linear and does not depend on time."""
        return self._given([term for term in self._plain if term.time_independent], np.zeros(self.count), self.begin)

    @cached_property
    def _capacity(self) -> csr_array:
        """Assembled capacities (n, n), J/K, where none depends on temperature."""
        zero = np.zeros(self.count)
        return assembled([(each.nodes, each.slope(zero[each.nodes])) for each in self.storage], self.problem.mesh)

    def _given(self, terms: Sequence[Term], excess: Floats, t: float) -> Floats:
        total = np.zeros(self.count)
        for term in terms:
            heat = term.heat(excess[term.nodes], t)
            total += np.bincount(term.nodes.ravel(), heat.ravel(), minlength=self.count)
        return total

    def heat(self, excess: Floats, t: float) -> Floats:
        """Return the heat (n,) in W that is given to each node."""
        zero = np.zeros(self.count)
        total = self._load - self._conductance @ excess
        if self._moving:
            total = total + self._given(self._moving, zero, t)
        if self._others:
            total = total + self._given(self._others, excess, t)
        return np.asarray(total)

    def content(self, excess: Floats) -> Floats:
        """Return the heat (n,) in J that is held for each node, from that at the reference temperature on."""
        if self._stores_evenly:
            return np.asarray(self._capacity @ excess)
        total = np.zeros(self.count)
        for each in self.storage:
            total += np.bincount(each.nodes.ravel(), each.content(excess[each.nodes]).ravel(), minlength=self.count)
        return total

    def capacity(self, excess: Floats) -> csr_array:
        """Return dE/dT (n, n) in J/K."""
        if self._stores_evenly:
            return self._capacity
        return assembled([(each.nodes, each.slope(excess[each.nodes])) for each in self.storage], self.problem.mesh)

    def conductance(self, excess: Floats, t: float) -> csr_array:
        """Return −dF/dT (n, n) in W/K."""
        every = ((term.nodes, term.slope(excess[term.nodes], t)) for term in self._others)
        slopes = [(nodes, slope) for nodes, slope in every if slope is not None]
        return csr_array(self._conductance + assembled(slopes, self.problem.mesh)) if slopes else self._conductance

    def matrix(self, excess: Floats, t: float, weight: float) -> csr_array:
        """Return the matrix of a step as the free nodes see it; ``weight`` in s is that of the newest heat."""
        whole = csr_array(self.capacity(excess) + weight * self.conductance(excess, t))
        return self.constraints.reduced(whole)

    def couplings(self, excess: Floats, t: float, weight: float) -> tuple[Coupling, ...]:
        """What the matrix of a step leaves out: heat that follows temperatures far away."""
        found = couplings_of(self.terms, excess, t, self.constraints.prolongation)
        return tuple(each.times(weight) for each in found)

    @cached_property
    def spaces(self) -> Spaces:
        """Ever coarser spaces of the free temperatures."""
        return Spaces(self.problem.mesh, self.constraints)

    def held(self, t: float) -> Floats:
        """Return the temperatures (n,) over the reference temperature of nodes that are held at a time; 0 elsewhere."""
        if self._still_held is not None:
            return self._still_held
        if self.constraints.ties:
            return self._placed(constraints_of(self.problem, t).held_values)
        placed = np.zeros(self.count)
        for law, nodes, where in self._held_laws:
            placed[nodes] = sampled(law, {**where, "t": np.full(len(nodes), t)}) - self.reference_temperature
        return placed

    @cached_property
    def _held_laws(self) -> list[tuple[Law, Ints, dict[str, Floats]]]:
        """What surfaces are held at, with their nodes and where these are."""
        mesh = self.problem.mesh
        surfaces = [(law, mesh.surfaces[name].nodes) for name, law in self.problem.held.items()]
        return [(law, nodes, mesh.space.variables(mesh.points[nodes])) for law, nodes in surfaces]

    @cached_property
    def _still_held(self) -> Floats | None:
        if any(law.follows_time for law in self.problem.held.values()):
            return None
        return self._placed(self.constraints.held_values)

    def _placed(self, values: Floats) -> Floats:
        placed = np.zeros(self.count)
        placed[self.constraints.held_nodes] = values - self.reference_temperature
        return placed

    def excess_of(self, free: Floats, t: float) -> Floats:
        """Return all temperatures (n,) over the reference temperature from those that are free."""
        return self.constraints.every(free) + self.held(t)

    def _evened(self, excess: Floats) -> Floats:
        """Give what has one temperature the mean of its nodes (n,), each weighed by what it stores."""
        if not any(np.ptp(excess[each.nodes]) > 0 for each in self.problem.isothermal):
            return excess
        weights, evened = np.asarray(self.capacity(excess).sum(axis=1)).ravel(), excess.copy()
        for each in self.problem.isothermal:
            own = weights[each.nodes]
            evened[each.nodes] = own @ excess[each.nodes] / own.sum()
        return evened

    def state(self, excess: Floats, t: float) -> State:
        """Return the instant at an ``excess`` (n,), K over the reference temperature, with what is held put in."""
        whole = self.excess_of(self._evened(excess)[self.constraints.free], t)
        return State(t, whole, self.content(whole), self.heat(whole, t))
