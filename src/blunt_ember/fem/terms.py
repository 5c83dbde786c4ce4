"""The terms of the heat balance: each gives heat to nodes and tells how that changes with their temperatures.

Temperatures are passed as ``rise`` over a ``middle`` of the case, which keeps round-off to the differences that drive
heat. Radiation is taken as −εσ T |T|³, which is T⁴ for every real temperature and stays monotone below zero, where
Newton's method may pass through.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, Protocol

import numpy as np

from blunt_ember.case.evaluation import STEFAN_BOLTZMANN
from blunt_ember.case.laws import Law
from blunt_ember.errors import ExpressionError, SolverError
from blunt_ember.fem.assembly import (
    cell_places,
    conduction_elements,
    facet_rule,
    facet_weights,
    in_runs,
    weighted_gradients,
)
from blunt_ember.fem.conductors import Conductor, conductivity_at, even_conductivity, slope_of
from blunt_ember.fem.problem import Exchange, Problem
from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Floats, Ints, Mesh

Kind = Literal["conduction", "surface", "region", "point", "joint", "storage"]


#: Numbers kept for the gradients of the cells of a block at most.
_MOST_KEPT = 8_000_000


class Term(Protocol):
    """A part of the heat balance on elements of one family."""

    @property
    def kind(self) -> Kind:
        """What it stands for."""

    @property
    def name(self) -> str:
        """That of its surface, source or joint; empty for conduction."""

    @property
    def regions(self) -> Ints:
        """The region (m,) each element belongs to; of a joint the two that it parts."""

    @property
    def nodes(self) -> Ints:
        """Numbers of the nodes of each element, (m, n)."""

    @property
    def linear(self) -> bool:
        """Whether its slope does not depend on temperature."""

    @property
    def definite(self) -> bool:
        """Whether its slope is symmetric and never takes away from what holds temperatures in place."""

    @property
    def steady(self) -> bool:
        """Whether its slope does not depend on time."""

    @property
    def still(self) -> bool:
        """Whether nothing of it depends on time."""

    def heat(self, rise: Floats, t: float) -> Floats:
        """Return the heat in W, (m, n), given to the nodes at temperatures ``rise`` (m, n) over the middle, in K.

        ``t`` is the time in s.
        """

    def slope(self, rise: Floats, t: float) -> Floats | None:
        """Return by how much less heat is given per kelvin, (m, n, n) in W/K; None where it does not change."""


def sampled(law: Law, where: dict[str, Floats]) -> Floats:
    """Return finite values of a law; raise :class:`SolverError` naming the place where it has none."""
    try:
        values = law.at(where)
    except ExpressionError as error:
        raise SolverError(f"'{law.text}': {error}") from error
    wrong = ~np.isfinite(values)
    if wrong.any():
        first = int(np.argmax(wrong))
        places = ", ".join(f"{name} = {each.flat[first]:.6g}" for name, each in where.items())
        raise SolverError(f"'{law.text}' has no finite value at {places} (SI)")
    return values


@dataclass(frozen=True)
class Conduction:
    """Heat conducted in the cells of one block."""

    block: CellBlock
    mesh: Mesh
    conductors: Sequence[Conductor]
    middle: float
    name: str = ""
    kind: Kind = "conduction"

    @property
    def nodes(self) -> Ints:
        """Those of the cells."""
        return self.block.nodes

    @property
    def regions(self) -> Ints:
        """Those of the cells."""
        return self.block.region

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
        shape = FAMILIES[self.block.family].values(FAMILIES[self.block.family].points)
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
        shape = FAMILIES[self.block.family].values(FAMILIES[self.block.family].points)
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
class OnSurface:
    """Flux, films and radiation on the facets of one family of an outer surface."""

    name: str
    nodes: Ints
    shape: Floats
    weights: Floats
    where: dict[str, Floats]
    exchange: Exchange
    middle: float
    regions: Ints
    kind: Kind = "surface"

    @cached_property
    def linear(self) -> bool:
        """Whether nothing on it depends on temperature but by a constant film coefficient."""
        laws = [*self.exchange.fluxes, *(film.h for film in self.exchange.films)]
        return not self.exchange.radiations and not any(law.follows_temperature for law in laws)

    @cached_property
    def definite(self) -> bool:
        """Whether but radiation and constant films follow temperature."""
        laws = [*self.exchange.fluxes, *(film.h for film in self.exchange.films)]
        laws += [radiation.emissivity for radiation in self.exchange.radiations]
        return not any(law.follows_temperature for law in laws)

    @cached_property
    def still(self) -> bool:
        """Whether nothing on it depends on time."""
        return not any(law.follows_time for law in self.exchange.laws)

    @cached_property
    def steady(self) -> bool:
        """Whether no film coefficient or emissivity depends on time, nor a flux that depends on temperature."""
        laws = [film.h for film in self.exchange.films] + [each.emissivity for each in self.exchange.radiations]
        laws += [law for law in self.exchange.fluxes if law.follows_temperature]
        return not any(law.follows_time for law in laws)

    def _at(self, rise: Floats, t: float) -> dict[str, Floats]:
        return {**self.where, "t": np.full(self.weights.shape, t), "T": self.middle + rise @ self.shape.T}

    @cached_property
    def _constant(self) -> dict[int, Floats]:
        """Values of the laws that depend on place alone, by identity."""
        return {id(law): sampled(law, self.where) for law in self.exchange.laws if not law.variables & {"t", "T"}}

    def _of(self, law: Law, at: dict[str, Floats]) -> Floats:
        return self._constant[id(law)] if id(law) in self._constant else sampled(law, at)

    def heat(self, rise: Floats, t: float = 0.0) -> Floats:
        """Heat that enters."""
        at = self._at(rise, t)
        over = rise @ self.shape.T
        density = np.zeros(over.shape)
        for law in self.exchange.fluxes:
            density = density + self._of(law, at)
        for film in self.exchange.films:
            density = density + self._of(film.h, at) * ((self._of(film.fluid, at) - self.middle) - over)
        for radiation in self.exchange.radiations:
            around, face = self._of(radiation.surroundings, at), at["T"]
            exchanged = around**4 - face * np.abs(face) ** 3
            density = density + self._of(radiation.emissivity, at) * STEFAN_BOLTZMANN * exchanged
        result: Floats = (density * self.weights) @ self.shape
        return result

    def slope(self, rise: Floats, t: float = 0.0) -> Floats | None:
        """−d(heat)/dT."""
        if not (self.exchange.films or self.exchange.radiations) and self.linear:
            return None
        at = self._at(rise, t)
        less = np.zeros(self.weights.shape)
        for law in self.exchange.fluxes:
            less = less - law.slope(at)
        for film in self.exchange.films:
            less = less + self._of(film.h, at) - film.h.slope(at) * (self._of(film.fluid, at) - at["T"])
        for radiation in self.exchange.radiations:
            around, face = self._of(radiation.surroundings, at), at["T"]
            # Next to absolute zero nothing would hold a temperature; one kelvin's worth does no harm elsewhere.
            steep = 4 * np.maximum(np.abs(face), 1.0) ** 3
            less = less + self._of(radiation.emissivity, at) * STEFAN_BOLTZMANN * steep
            less = less - radiation.emissivity.slope(at) * STEFAN_BOLTZMANN * (around**4 - face * np.abs(face) ** 3)
        return np.einsum("mq,qa,qb->mab", less * self.weights, self.shape, self.shape, optimize=True)


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


@dataclass(frozen=True)
class AcrossJoint:
    """Heat between the two sides of a joint; the nodes of the first side come first."""

    name: str
    nodes: Ints
    shape: Floats = field(repr=False)
    weights: Floats = field(repr=False)
    where: dict[str, Floats] = field(repr=False)
    conductance: Law
    regions: Ints
    linear: bool = True
    definite: bool = True
    kind: Kind = "joint"

    @property
    def still(self) -> bool:
        """Whether the conductance does not depend on time."""
        return not self.conductance.follows_time

    @property
    def steady(self) -> bool:
        """As long as it is still."""
        return self.still

    @cached_property
    def _constant(self) -> Floats:
        return self._conducted(0.0)

    def _conducted(self, t: float) -> Floats:
        h = sampled(self.conductance, {**self.where, "t": np.full(self.weights.shape, t)})
        result: Floats = np.einsum("mq,qa,qb->mab", self.weights * h, self.shape, self.shape, optimize=True)
        return result

    def matrices(self, t: float = 0.0) -> Floats:
        """Conductances (m, n, n) in W/K between the nodes of one side and those of the other."""
        return self._constant if self.still else self._conducted(t)

    def heat(self, rise: Floats, t: float = 0.0) -> Floats:
        """What each side is given by the other."""
        half = self.nodes.shape[1] // 2
        passed = (self.matrices(t) @ (rise[:, half:] - rise[:, :half])[..., None])[..., 0]
        return np.concatenate([passed, -passed], axis=1)

    def slope(self, rise: Floats, t: float = 0.0) -> Floats:
        """The conductances between the nodes."""
        matrices = self.matrices(t)
        first = np.concatenate([matrices, -matrices], axis=2)
        return np.concatenate([first, -first], axis=1)


def terms_of(problem: Problem, middle: float) -> tuple[Term, ...]:
    """Return every term of the balance of a problem, conduction block by block first."""
    return (
        *(Conduction(block, problem.mesh, problem.conductors, middle) for block in problem.mesh.blocks),
        *_on_surfaces(problem, middle), *_in_regions(problem, middle), *_across_joints(problem),
        *(AtNodes(source.name, source.nodes[None], source.shares[None], source.total) for source in problem.points),
    )  # fmt: skip


def _on_surfaces(problem: Problem, middle: float) -> Iterator[Term]:
    mesh = problem.mesh
    for name, exchange in problem.exchanges.items():
        facets = mesh.surfaces[name]
        for block in facets.blocks:
            shape = FAMILIES[block.family].values(facet_rule(block.family, exchange.follows_place)[0])
            where = mesh.space.variables(shape @ mesh.points[block.nodes])
            weights = facet_weights(facets, block, mesh, exchange.follows_place)
            yield OnSurface(name, block.nodes, shape, weights, where, exchange, middle, np.array(facets.regions))


def _in_regions(problem: Problem, middle: float) -> Iterator[Term]:
    mesh = problem.mesh
    for source in problem.sources:
        for block in mesh.blocks:
            own = block.region == source.region
            if not own.any():
                continue
            part = CellBlock(block.family, block.nodes[own], block.region[own])
            shape = FAMILIES[block.family].values(FAMILIES[block.family].points)
            weights = np.concatenate([weighted_gradients(part, mesh, run)[1] for run in in_runs(part, len(shape))])
            where = mesh.space.variables(cell_places(part, mesh))
            yield InRegion(source.name, part.nodes, shape, weights, where, source.per_volume, middle, part.region)


def _across_joints(problem: Problem) -> Iterator[Term]:
    mesh = problem.mesh
    for name, conductance in problem.joints.items():
        if conductance is None:
            continue
        facets = mesh.surfaces[name]
        for near, far in zip(facets.blocks, facets.far, strict=True):
            yield _joint(name, facets, near.nodes, far.nodes, near.family, conductance, mesh)


def _joint(name: str, facets: FacetSet, near: Ints, far: Ints, family: str, conductance: Law, mesh: Mesh) -> Term:
    shape = FAMILIES[family].values(FAMILIES[family].points)
    block = next(block for block in facets.blocks if block.nodes is near)
    weights, where = facet_weights(facets, block, mesh), mesh.space.variables(shape @ mesh.points[near])
    nodes = np.concatenate([near, far], axis=1)
    return AcrossJoint(name, nodes, shape, weights, where, conductance, np.array(facets.regions))
