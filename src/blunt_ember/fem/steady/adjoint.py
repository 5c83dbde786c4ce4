"""What a little heat at each place does to an answer: the adjoint of a steady solution.

The error of an answer is the error of the flux beside that of the flux of its influence (Becker & Rannacher, Acta
Numerica 10 (2001) 1), so that both tell where cells must be small.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.fem.alike_matrices import ElementMatrices
from blunt_ember.fem.assembly import assembled
from blunt_ember.fem.coupling import coupled
from blunt_ember.fem.linear import RUN_TOLERANCE, LinearSolver
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import Balance
from blunt_ember.fem.steady.division import division, share_of
from blunt_ember.fem.terms.inside import Conduction
from blunt_ember.fem.terms.on_facets import OnSurface
from blunt_ember.fem.terms.term import Term


class Influences:
    """Influences on the answers of a problem, about its ``temperature`` (n,) in K, exact but for a share ``left_over``
    where they are iterated.

    ``as_it_stands`` are those with conductivities and coefficients as they are there, whatever they would change to;
    heat that arises stays as it is, and no surfaces see each other.
    """

    def __init__(
        self, problem: Problem, temperature: Floats, left_over: float = RUN_TOLERANCE, as_it_stands: bool = False
    ) -> None:
        self._mesh = problem.mesh
        self._balance = Balance(problem)
        surfaces = problem.mesh.surfaces
        self._held = division(problem.mesh, [(name, surfaces[name].regions[0]) for name in problem.held])
        excess = temperature - self._balance.reference_temperature
        self._slopes = [
            (term.kind, term.name, term.nodes, slope)
            for term in self._balance.terms
            if (slope := _slope(term, excess[term.nodes], as_it_stands)) is not None
        ]
        self._matrix = assembled([(nodes, slope) for _, _, nodes, slope in self._slopes], self._mesh).T.tocsr()
        balance = self._balance
        self._free = balance.constraints.prolongation.shape[1]
        if self._free:
            reduced = balance.constraints.reduced(self._matrix)
            symmetric = balance.symmetric or as_it_stands
            sparse = LinearSolver(reduced, balance.spaces, self._mesh.dimension, symmetric, left_over=left_over)
            self._solver = coupled(sparse, [each.turned() for each in balance.couplings(excess)])

    def on_reading(self, weights: Floats) -> Floats:
        """Return the influence (n,) in K/W on a temperature that is read with ``weights`` (n,) of the nodes."""
        return self._solved(weights, np.zeros(len(weights)))

    def on_heat(self, surfaces: Sequence[str]) -> Floats:
        """Return the influence (n,) on the heat in through outer surfaces: the share that leaves again by them."""
        return self._solved(self.exchange_of(surfaces), self.shares_of(surfaces))

    def off(self, surfaces: Sequence[str], influence: Floats) -> float:
        """Return by how much the ``influence`` (n,) on the heat in through outer surfaces may be off by what is left
        over of it."""
        if not self._free:
            return 0.0
        left = self._balance.constraints.collected(self.exchange_of(surfaces) - self._matrix @ influence)
        return self._solver.off(left, np.zeros(len(left)))

    def shares_of(self, surfaces: Sequence[str]) -> Floats:
        """Return which share (n,) surfaces have of what comes in at held nodes.

        Those of one region at a node share it as their heat is divided; by area where several regions meet there.
        """
        held, count = self._held, self._mesh.node_count
        names = list(self._balance.problem.held)
        own = np.isin(held.side, [number for number, name in enumerate(names) if name in surfaces])
        share = np.zeros(count)
        np.add.at(share, held.nodes[own], share_of(held.area, held.nodes)[own])
        alone = np.bincount(held.of_pairs, minlength=count)[held.of_pairs] == 1
        divided = held.among(np.ones(len(held.nodes), dtype=bool))
        share[held.of_pairs[alone]] = np.asarray(divided[own].sum(axis=0)).ravel()[alone]
        return share

    def exchange_of(self, surfaces: Sequence[str]) -> Floats:
        """Return by how much heat in through outer surfaces falls with the temperature of every node (n,), W/K."""
        load = np.zeros(self._mesh.node_count)
        for kind, name, nodes, slope in self._slopes:
            if kind in ("surface", "emission") and name in surfaces:
                load += np.bincount(nodes.ravel(), np.asarray(slope).sum(axis=1).ravel(), minlength=len(load))
        return load

    def _solved(self, load: Floats, held: Floats) -> Floats:
        """The influence of a ``load`` (n,) that is ``held`` (n,) where temperatures are."""
        if not self._free:
            return held
        constraints = self._balance.constraints
        return constraints.every(self._solver.solve(constraints.collected(load - self._matrix @ held))) + held


def _slope(term: Term, excess: Floats, as_it_stands: bool) -> ElementMatrices | None:
    """By how much less heat is given per kelvin (m, n, n), W/K."""
    if as_it_stands and isinstance(term, Conduction | OnSurface):
        return term.exchange(excess)
    return None if as_it_stands and term.kind in ("region", "point") else term.slope(excess, 0.0)
