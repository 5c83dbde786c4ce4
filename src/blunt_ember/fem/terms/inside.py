"""Terms of the heat balance inside the body: conduction, and heat that arises in regions and at points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.alike_matrices import AlikeMatrices, ElementMatrices, times_differences
from blunt_ember.fem.assembly import alike_conduction, cell_places, conduction_elements, in_runs, weighted_derivatives
from blunt_ember.fem.problem.conductors import Conductor, conductivity_at, even_conductivity, slope_of
from blunt_ember.fem.terms.cells import OfCells
from blunt_ember.fem.terms.term import TermKind, sampled
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: Numbers kept for the gradients of the cells of a block at most.
_MOST_KEPT = 8_000_000


@immutable
class Conduction(OfCells):
    """Heat conducted in the cells of one block."""

    mesh: Mesh
    conductors: Sequence[Conductor]
    reference_temperature: float
    name: str = ""
    kind: TermKind = "conduction"

    @cached_property
    def linear(self) -> bool:
        """Whether no conductivity depends on temperature."""
        return not any(self.conductors[number].follows_temperature for number in self.block.present)

    @property
    def spd(self) -> bool:
        """As long as it is linear."""
        return self.linear

    @cached_property
    def time_independent(self) -> bool:
        """Whether no conductivity depends on time."""
        present = self.block.present
        return not any(law.follows_time for number in present for law in self.conductors[number].k)

    @property
    def slope_time_independent(self) -> bool:
        """As long as it is still."""
        return self.time_independent

    @property
    def anchors(self) -> bool:
        """Never."""
        return False

    def links(self) -> Ints:
        """All nodes of every cell."""
        return self.nodes

    @cached_property
    def alike(self) -> AlikeMatrices | None:
        """The element matrices where cells lie on a lattice and each conducts evenly and constantly; else None."""
        even = even_conductivity(self.conductors, self.block)
        return None if even is None else alike_conduction(self.block, self.mesh, even)

    @cached_property
    def _constant(self) -> ElementMatrices:
        if self.alike is not None:
            return self.alike
        even = even_conductivity(self.conductors, self.block)
        if even is not None:
            return conduction_elements(self.block, self.mesh, lambda run: even[run])
        zero = np.zeros(self.nodes.shape)
        return conduction_elements(self.block, self.mesh, lambda run: self._conductivity(run, zero, 0.0))

    def _elements(self, excess: Floats, t: float) -> ElementMatrices:
        if self.linear and self.time_independent:
            return self._constant
        return conduction_elements(self.block, self.mesh, lambda run: self._conductivity(run, excess, t))

    def _conductivity(self, run: slice, excess: Floats, t: float) -> Floats:
        shape = CELL_FAMILIES[self.block.family].at_points
        temperature = self.reference_temperature + excess[run] @ shape.T
        places = self._places(run)
        return conductivity_at(self.conductors, self.mesh, self.block.region[run], places, temperature, t)

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """Heat that flows to the nodes out of the cells.

        Constants pass no heat, so each cell's own level is taken off first: what is left is small in thin layers that
        conduct well, and so is the round-off.
        """
        if self.linear:
            return -times_differences(self._elements(excess, t), excess)
        result = np.empty(excess.shape)
        for run in in_runs(self.block, len(CELL_FAMILIES[self.block.family].points)):
            derivatives, weights = self._weighted(run)
            slope = _slopes(derivatives, excess[run], weights.shape[1])
            k = self._conductivity(run, excess, t)
            flux = k[..., None] * slope if k.ndim == 2 else (k @ slope[..., None])[..., 0]
            drawn = (flux * weights[..., None]).reshape(len(weights), 1, -1)
            result[run] = -(drawn @ derivatives)[:, 0]
        return result

    def _weighted(self, run: slice) -> tuple[Floats, Floats]:
        """Derivatives (r, q·d, n), of a point and a direction one after the other, and weights (r, q) of a run of
        cells; kept where they are asked for again and again and fit in memory."""
        if not self._fits:
            return weighted_derivatives(self.block, self.mesh, run)
        derivatives, weights = self._kept_derivatives
        return derivatives[run], weights[run]

    def _places(self, run: slice) -> Floats:
        """Points (r, q, d) in m at which conductivities of a run of cells are read, kept alike."""
        return self._kept_places[run] if self._fits else cell_places(self.block, self.mesh, run)

    @property
    def _fits(self) -> bool:
        points = len(CELL_FAMILIES[self.block.family].points)
        return self.nodes.size * points * self.mesh.dimension <= _MOST_KEPT

    @cached_property
    def _kept_derivatives(self) -> tuple[Floats, Floats]:
        return weighted_derivatives(self.block, self.mesh, slice(None))

    @cached_property
    def _kept_places(self) -> Floats:
        return cell_places(self.block, self.mesh)

    def exchange(self, excess: Floats, t: float = 0.0) -> ElementMatrices:
        """∫ ∇N·k·∇N dV, with k as it is."""
        return self._elements(excess, t)

    def slope(self, excess: Floats, t: float = 0.0) -> ElementMatrices:
        """∫ ∇N·k·∇N dV, and where k follows T also ∫ (∇N·k'·∇T) N dV."""
        if self.linear:
            return self._elements(excess, t)
        result = np.asarray(self._elements(excess, t))
        shape = CELL_FAMILIES[self.block.family].at_points
        for run in in_runs(self.block, len(shape)):
            derivatives, weights = self._weighted(run)
            temperature = self.reference_temperature + excess[run] @ shape.T
            region, places = self.block.region[run], self._places(run)
            steeper = conductivity_at(self.conductors, self.mesh, region, places, temperature, t, slope_of)
            along = _slopes(derivatives, excess[run], weights.shape[1])
            flux = steeper[..., None] * along if steeper.ndim == 2 else (steeper @ along[..., None])[..., 0]
            drawn = flux * weights[..., None]
            to_points = (drawn[..., None] * shape[:, None]).reshape(derivatives.shape)
            result[run] += derivatives.transpose(0, 2, 1) @ to_points
        return result


def _slopes(derivatives: Floats, excess: Floats, points: int) -> Floats:
    """Gradients (r, q, d) in K/m of the temperatures (r, n) of cells, each over that of its first node."""
    return (derivatives @ (excess - excess[:, :1])[..., None]).reshape(len(excess), points, -1)


@immutable
class InRegion:
    """Heat that arises in the cells of one block that belong to one region."""

    name: str
    nodes: Ints
    shape: Floats
    weights: Floats
    where: dict[str, Floats]
    per_volume: Law
    reference_temperature: float
    regions: Ints
    kind: TermKind = "region"

    @property
    def linear(self) -> bool:
        """Whether it does not depend on temperature."""
        return not self.per_volume.follows_temperature

    @property
    def spd(self) -> bool:
        """As long as it is linear."""
        return self.linear

    @property
    def time_independent(self) -> bool:
        """Whether it does not depend on time."""
        return not self.per_volume.follows_time

    @property
    def slope_time_independent(self) -> bool:
        """Whether what of it depends on temperature does not depend on time."""
        return self.linear or self.time_independent

    @cached_property
    def _constant(self) -> Floats:
        return (sampled(self.per_volume, self.where) * self.weights) @ self.shape

    @property
    def anchors(self) -> bool:
        """Heat that follows temperature may."""
        return not self.linear

    def links(self) -> Ints:
        """No nodes with each other."""
        return self.nodes[:0]

    def _at(self, excess: Floats, t: float) -> dict[str, Floats]:
        return {
            **self.where,
            "t": np.full(self.weights.shape, t),
            "T": self.reference_temperature + excess @ self.shape.T,
        }

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """Heat that arises."""
        if self.linear and self.time_independent:
            return self._constant
        return (sampled(self.per_volume, self._at(excess, t)) * self.weights) @ self.shape

    def slope(self, excess: Floats, t: float = 0.0) -> Floats | None:
        """−d(heat)/dT."""
        if self.linear:
            return None
        less = -self.per_volume.slope(self._at(excess, t)) * self.weights
        return np.einsum("mq,qa,qb->mab", less, self.shape, self.shape, optimize=True)


@immutable
class AtNodes:
    """Heat of a point or a line, shared among the nodes near it."""

    name: str
    nodes: Ints
    shares: Floats
    total: Law
    regions: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    linear: bool = True
    spd: bool = True
    slope_time_independent: bool = True
    anchors: bool = False
    kind: TermKind = "point"

    def links(self) -> Ints:
        """No nodes with each other."""
        return self.nodes[:0]

    @property
    def time_independent(self) -> bool:
        """Whether it does not depend on time."""
        return not self.total.follows_time

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """Heat that arises."""
        return self.shares * sampled(self.total, {"t": np.array([t])})

    def slope(self, excess: Floats, t: float = 0.0) -> Floats | None:
        """None."""
        return None
