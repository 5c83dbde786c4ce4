"""Heat stored in cells: consistent, as their shape functions have it, or lumped at their nodes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.fem.assembly import in_runs, weighted_gradients
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.cells import OfCells
from blunt_ember.fem.transient.enthalpy import Enthalpy
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: What is read of the heat content of a region at some temperatures.
EnthalpyReading = Callable[[Enthalpy, Floats], Floats]


@immutable
class Storage(OfCells):
    """Heat stored in the cells of one block; ``contents`` by region."""

    mesh: Mesh
    contents: Sequence[Enthalpy]
    lumped: bool

    @cached_property
    def linear(self) -> bool:
        """Whether no capacity depends on temperature."""
        return all(self.contents[number].constant is not None for number in self._present)

    @cached_property
    def _present(self) -> list[int]:
        return self.block.present

    @property
    def _shape(self) -> Floats:
        return CELL_FAMILIES[self.block.family].at_points

    @cached_property
    def _weights(self) -> Floats:
        """Volume (m, q) in m³ that the quadrature points stand for."""
        runs = in_runs(self.block, len(self._shape))
        return np.concatenate([weighted_gradients(self.block, self.mesh, run)[1] for run in runs])

    @cached_property
    def volumes(self) -> Floats:
        """Integrals (m, n) of the shape functions, m³."""
        return self._weights @ self._shape

    @cached_property
    def _at_nodes(self) -> Floats:
        """Volume (m, n) in m³ that falls to each node of a cell: by the diagonal of the consistent matrix.

        Row sums would do for linear cells alone: at corners of quadratic ones they vanish, or worse (Hinton, Rock and
        Zienkiewicz, Earthquake Eng. Struct. Dyn. 4, 1976).
        """
        diagonal = self._weights @ self._shape**2
        if CELL_FAMILIES[self.block.family].corners == self.nodes.shape[1]:
            diagonal = self.volumes
        return diagonal * (self._weights.sum(axis=1) / diagonal.sum(axis=1))[:, None]

    @cached_property
    def _matrices(self) -> Floats:
        """Heat per kelvin (m, n, n) in J/K where no capacity depends on temperature."""
        constant = np.array([content.constant or 0.0 for content in self.contents])[self.block.region]
        if self.lumped:
            return _diagonal(self._at_nodes * constant[:, None])
        return np.einsum("mq,qa,qb->mab", self._weights * constant[:, None], self._shape, self._shape, optimize=True)

    def content(self, excess: Floats) -> Floats:
        """Return the heat in J, (m, n), stored for each node at an ``excess`` (m, n), K over the reference."""
        if self.linear:
            return (self._matrices @ excess[..., None])[..., 0]
        if self.lumped:
            return self._of(lambda content, values: content.at(values), excess) * self._at_nodes
        stored = self._of(lambda content, values: content.at(values), excess @ self._shape.T)
        result = (stored * self._weights) @ self._shape
        return result

    def slope(self, excess: Floats) -> Floats:
        """Return the heat per kelvin, (m, n, n) in J/K."""
        if self.linear:
            return self._matrices
        if self.lumped:
            return _diagonal(self._per_kelvin(excess) * self._at_nodes)
        per_kelvin = self._per_kelvin(excess @ self._shape.T)
        return np.einsum("mq,qa,qb->mab", per_kelvin * self._weights, self._shape, self._shape, optimize=True)

    def _per_kelvin(self, excess: Floats) -> Floats:
        return self._of(lambda content, values: content.per_kelvin(values + content.reference_temperature), excess)

    def _of(self, reading: EnthalpyReading, values: Floats) -> Floats:
        result = np.empty_like(values)
        for number in self._present:
            own = self.block.region == number
            result[own] = reading(self.contents[number], values[own])
        return result


def _diagonal(values: Floats) -> Floats:
    """Matrices (m, n, n) with ``values`` (m, n) on their diagonals."""
    return values[:, :, None] * np.eye(values.shape[1])


def storage_of(problem: Problem, reference_temperature: float) -> tuple[Storage, ...]:
    """Return what stores heat in a problem whose clock runs, block by block; ``reference_temperature`` in K."""
    contents = tuple(Enthalpy(capacity, reference_temperature) for capacity in problem.capacities)
    return tuple(Storage(block, problem.mesh, contents, problem.lumped) for block in problem.mesh.blocks)
