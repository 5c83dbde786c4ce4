"""Terms of the heat balance inside the body: conduction, and heat that arises in regions and at points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from blunt_ember.case.values.laws import Law
from blunt_ember.fem.assembly import cell_places, conduction_elements, in_runs, weighted_gradients
from blunt_ember.fem.problem.conductors import Conductor, conductivity_at, even_conductivity, slope_of
from blunt_ember.fem.terms.cells import OfCells
from blunt_ember.fem.terms.term import Kind, sampled
from blunt_ember.mesh.cells.families import FAMILIES
from blunt_ember.mesh.mesh import Floats, Ints, Mesh

#: Numbers kept for the gradients of the cells of a block at most.
_MOST_KEPT = 8_000_000


@dataclass(frozen=True)
class Conduction(OfCells):
    """Heat conducted in the cells of one block."""

    mesh: Mesh
    conductors: Sequence[Conductor]
    middle: float
    name: str = ""
    kind: Kind = "conduction"

    @cached_property
    def linear(self) -> bool:
        """Whether no conductivity depends on temperature."""
        return not any(self.conductors[number].follows_temperature for number in np.unique(self.block.region).tolist())

    @property
    def definite(self) -> bool:
        """As long as it is linear."""
        return self.linear

    @cached_property
    def still(self) -> bool:
        """Whether no conductivity depends on time."""
        present = np.unique(self.block.region).tolist()
        return not any(law.follows_time for number in present for law in self.conductors[number].k)

    @property
    def steady(self) -> bool:
        """As long as it is still."""
        return self.still

    @cached_property
    def _constant(self) -> Floats:
        even = even_conductivity(self.conductors, self.block)
        if even is not None:
            return conduction_elements(self.block, self.mesh, lambda run: even[run])
        zero = np.zeros(self.nodes.shape)
        return conduction_elements(self.block, self.mesh, lambda run: self._conductivity(run, zero, 0.0))

    def _elements(self, rise: Floats, t: float) -> Floats:
        if self.linear and self.still:
            return self._constant
        return conduction_elements(self.block, self.mesh, lambda run: self._conductivity(run, rise, t))

    def _conductivity(self, run: slice, rise: Floats, t: float) -> Floats:
        shape = FAMILIES[self.block.family].at_points
        places = cell_places(self.block, self.mesh, run)
        temperature = self.middle + rise[run] @ shape.T
        return conductivity_at(self.conductors, self.mesh, self.block.region[run], places, temperature, t)

    def heat(self, rise: Floats, t: float = 0.0) -> Floats:
        """Heat that flows to the nodes out of the cells.

        Constants pass no heat, so each cell's own level is taken off first: what is left is small in thin layers that
        conduct well, and so is the round-off.
        """
        if self.linear:
            matrices = self._elements(rise, t)
            result: Floats = -(matrices @ (rise - rise[:, :1])[..., None])[..., 0]
            return result
        result = np.empty(rise.shape)
        for run in in_runs(self.block, len(FAMILIES[self.block.family].points)):
            gradients, weights = self._weighted(run)
            slope = np.matmul((rise[run] - rise[run, :1])[:, None, None], gradients)[:, :, 0]
            k = self._conductivity(run, rise, t)
            flux = k[..., None] * slope if k.ndim == 2 else (k @ slope[..., None])[..., 0]
            result[run] = -np.einsum("mqnd,mqd->mn", gradients, flux * weights[..., None], optimize=True)
        return result

    def _weighted(self, run: slice) -> tuple[Floats, Floats]:
        """Gradients and weights of a run of cells; kept where they are asked for again and again and fit in memory."""
        if self._kept_gradients is None:
            return weighted_gradients(self.block, self.mesh, run)
        return self._kept_gradients[0][run], self._kept_gradients[1][run]

    @cached_property
    def _kept_gradients(self) -> tuple[Floats, Floats] | None:
        if self.nodes.size * len(FAMILIES[self.block.family].points) * self.mesh.dimension > _MOST_KEPT:
            return None
        return weighted_gradients(self.block, self.mesh, slice(None))

    def slope(self, rise: Floats, t: float = 0.0) -> Floats:
        """∫ ∇N·k·∇N dV, and where k follows T also ∫ (∇N·k'·∇T) N dV."""
        result = self._elements(rise, t)
        if self.linear:
            return result
        shape = FAMILIES[self.block.family].at_points
        for run in in_runs(self.block, len(shape)):
            gradients, weights = self._weighted(run)
            temperature = self.middle + rise[run] @ shape.T
            places = cell_places(self.block, self.mesh, run)
            steeper = conductivity_at(
                self.conductors, self.mesh, self.block.region[run], places, temperature, t, slope_of
            )
            along = np.einsum("mqnd,mn->mqd", gradients, rise[run] - rise[run, :1])
            flux = steeper[..., None] * along if steeper.ndim == 2 else (steeper @ along[..., None])[..., 0]
            pull = (gradients @ flux[..., None])[..., 0] * weights[..., None]
            result[run] += pull.transpose(0, 2, 1) @ shape
        return result


@dataclass(frozen=True)
class InRegion:
    """Heat that arises in the cells of one block that belong to one region."""

    name: str
    nodes: Ints
    shape: Floats
    weights: Floats
    where: dict[str, Floats]
    per_volume: Law
    middle: float
    regions: Ints
    kind: Kind = "region"

    @property
    def linear(self) -> bool:
        """Whether it does not depend on temperature."""
        return not self.per_volume.follows_temperature

    @property
    def definite(self) -> bool:
        """As long as it is linear."""
        return self.linear

    @property
    def still(self) -> bool:
        """Whether it does not depend on time."""
        return not self.per_volume.follows_time

    @property
    def steady(self) -> bool:
        """Whether what of it depends on temperature does not depend on time."""
        return self.linear or self.still

    @cached_property
    def _constant(self) -> Floats:
        result: Floats = (sampled(self.per_volume, self.where) * self.weights) @ self.shape
        return result

    def _at(self, rise: Floats, t: float) -> dict[str, Floats]:
        return {**self.where, "t": np.full(self.weights.shape, t), "T": self.middle + rise @ self.shape.T}

    def heat(self, rise: Floats, t: float = 0.0) -> Floats:
        """Heat that arises."""
        if self.linear and self.still:
            return self._constant
        result: Floats = (sampled(self.per_volume, self._at(rise, t)) * self.weights) @ self.shape
        return result

    def slope(self, rise: Floats, t: float = 0.0) -> Floats | None:
        """−d(heat)/dT."""
        if self.linear:
            return None
        less = -self.per_volume.slope(self._at(rise, t)) * self.weights
        return np.einsum("mq,qa,qb->mab", less, self.shape, self.shape, optimize=True)


@dataclass(frozen=True)
class AtNodes:
    """Heat of a point or a line, shared among the nodes near it."""

    name: str
    nodes: Ints
    shares: Floats
    total: Law
    regions: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    linear: bool = True
    definite: bool = True
    steady: bool = True
    kind: Kind = "point"

    @property
    def still(self) -> bool:
        """Whether it does not depend on time."""
        return not self.total.follows_time

    def heat(self, rise: Floats, t: float = 0.0) -> Floats:
        """Heat that arises."""
        return self.shares * sampled(self.total, {"t": np.array([t])})

    def slope(self, rise: Floats, t: float = 0.0) -> Floats | None:
        """None."""
        return None
