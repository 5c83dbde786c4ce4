"""The heat balance in time, dE/dt = F: how much heat nodes hold and are given, and the matrices of both."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.fem.assembly import gathered
from blunt_ember.fem.constraints import constraints_of
from blunt_ember.fem.corners import free_corners
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import terms_of
from blunt_ember.fem.terms.term import Term
from blunt_ember.fem.transient.storage import storage_of
from blunt_ember.fem.transient.time_step import State
from blunt_ember.mesh.mesh import Floats


class Heating:
    """What is stated from one break in time to the next; temperatures are over a ``middle``, K.

    What depends neither on time nor on temperature is assembled once.
    """

    def __init__(self, problem: Problem, middle: float, begin: float) -> None:
        self.problem = problem
        self.middle = middle
        self.begin = begin
        self.count = problem.mesh.node_count
        self.terms = terms_of(problem, middle)
        self.storage = storage_of(problem, middle)
        self.constraints = constraints_of(problem, begin)
        self._plain = [term for term in self.terms if term.linear and term.steady]
        self._others = [term for term in self.terms if not (term.linear and term.steady)]
        self._moving = [term for term in self._plain if not term.still]
        self._stores_evenly = all(each.linear for each in self.storage)
        self.linear = not self._others and self._stores_evenly
        self.symmetric = all(term.definite for term in self.terms)

    @cached_property
    def _conductance(self) -> csr_array:
        """Assembled slopes (n, n), W/K, of what is linear and does not change."""
        zero = np.zeros(self.count)
        every = ((term.nodes, term.slope(zero[term.nodes], self.begin)) for term in self._plain)
        return gathered([(nodes, slope) for nodes, slope in every if slope is not None], self.count)

    @cached_property
    def _load(self) -> Floats:
        """Heat (n,), W, at the middle temperature of what is linear and does not depend on time."""
        return self._given([term for term in self._plain if term.still], np.zeros(self.count), self.begin)

    @cached_property
    def _capacity(self) -> csr_array:
        """Assembled capacities (n, n), J/K, where none depends on temperature."""
        zero = np.zeros(self.count)
        return gathered([(each.nodes, each.slope(zero[each.nodes])) for each in self.storage], self.count)

    def _given(self, terms: Sequence[Term], rise: Floats, t: float) -> Floats:
        total = np.zeros(self.count)
        for term in terms:
            heat = term.heat(rise[term.nodes], t)
            total += np.bincount(term.nodes.ravel(), heat.ravel(), minlength=self.count)
        return total

    def heat(self, rise: Floats, t: float) -> Floats:
        """Return the heat (n,) in W that is given to each node."""
        zero = np.zeros(self.count)
        total = self._load - self._conductance @ rise
        if self._moving:
            total = total + self._given(self._moving, zero, t)
        if self._others:
            total = total + self._given(self._others, rise, t)
        return np.asarray(total)

    def content(self, rise: Floats) -> Floats:
        """Return the heat (n,) in J that is held for each node, from that at the middle on."""
        if self._stores_evenly:
            return np.asarray(self._capacity @ rise)
        total = np.zeros(self.count)
        for each in self.storage:
            total += np.bincount(each.nodes.ravel(), each.content(rise[each.nodes]).ravel(), minlength=self.count)
        return total

    def capacity(self, rise: Floats) -> csr_array:
        """Return dE/dT (n, n) in J/K."""
        if self._stores_evenly:
            return self._capacity
        return gathered([(each.nodes, each.slope(rise[each.nodes])) for each in self.storage], self.count)

    def conductance(self, rise: Floats, t: float) -> csr_array:
        """Return −dF/dT (n, n) in W/K."""
        every = ((term.nodes, term.slope(rise[term.nodes], t)) for term in self._others)
        slopes = [(nodes, slope) for nodes, slope in every if slope is not None]
        return csr_array(self._conductance + gathered(slopes, self.count)) if slopes else self._conductance

    def matrix(self, rise: Floats, t: float, weight: float) -> csr_array:
        """Return the matrix of a step as the free nodes see it; ``weight`` in s is that of the newest heat."""
        whole = csr_array(self.capacity(rise) + weight * self.conductance(rise, t))
        return self.constraints.reduced(whole)

    def coarse(self) -> csr_array | None:
        """The free corners of quadratic cells, as a coarser space."""
        return free_corners(self.problem.mesh, self.constraints)

    def held(self, t: float) -> Floats:
        """Return the temperatures (n,) over the middle of nodes that are held at a time; 0 elsewhere."""
        if self._still_held is not None:
            return self._still_held
        constraints = constraints_of(self.problem, t)
        return self._placed(constraints.held_values)

    @cached_property
    def _still_held(self) -> Floats | None:
        if any(law.follows_time for law in self.problem.held.values()):
            return None
        return self._placed(self.constraints.held_values)

    def _placed(self, values: Floats) -> Floats:
        placed = np.zeros(self.count)
        placed[self.constraints.held_nodes] = values - self.middle
        return placed

    def rise_of(self, free: Floats, t: float) -> Floats:
        """Return all temperatures (n,) over the middle from those that are free."""
        return np.asarray(self.constraints.spread @ free + self.held(t))

    def state(self, rise: Floats, t: float) -> State:
        """Return the instant at which temperatures (n,) stand over the middle, with what is held put in."""
        whole = self.rise_of(rise[self.constraints.free], t)
        return State(t, whole, self.content(whole), self.heat(whole, t))
