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

Kind = Literal["conduction", "surface", "region", "point", "joint"]


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

    def heat(self, rise: Floats) -> Floats:
        """Return the heat in W, (m, n), given to the nodes at temperatures ``rise`` (m, n) over the middle, in K."""

    def slope(self, rise: Floats) -> Floats | None:
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
    def _constant(self) -> Floats:
        even = even_conductivity(self.conductors, self.block)
        if even is not None:
            return conduction_elements(self.block, self.mesh, lambda run: even[run])
        return self._elements(np.zeros(self.nodes.shape))

    def _elements(self, rise: Floats) -> Floats:
        return conduction_elements(self.block, self.mesh, lambda run: self._conductivity(run, rise))

    def _conductivity(self, run: slice, rise: Floats) -> Floats:
        shape = FAMILIES[self.block.family].values(FAMILIES[self.block.family].points)
        places = cell_places(self.block, self.mesh, run)
        temperature = self.middle + rise[run] @ shape.T
        return conductivity_at(self.conductors, self.mesh, self.block.region[run], places, temperature)

    def heat(self, rise: Floats) -> Floats:
        """Heat that flows to the nodes out of the cells.

        Constants pass no heat, so each cell's own level is taken off first: what is left is small in thin layers that
        conduct well, and so is the round-off.
        """
        matrices = self._constant if self.linear else self._elements(rise)
        result: Floats = -(matrices @ (rise - rise[:, :1])[..., None])[..., 0]
        return result

    def slope(self, rise: Floats) -> Floats:
        """∫ ∇N·k·∇N dV, and where k follows T also ∫ (∇N·k'·∇T) N dV."""
        if self.linear:
            return self._constant
        result = self._elements(rise)
        shape = FAMILIES[self.block.family].values(FAMILIES[self.block.family].points)
        for run in in_runs(self.block, len(shape)):
            gradients, weights = weighted_gradients(self.block, self.mesh, run)
            temperature = self.middle + rise[run] @ shape.T
            places = cell_places(self.block, self.mesh, run)
            steeper = conductivity_at(self.conductors, self.mesh, self.block.region[run], places, temperature, slope_of)
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

    def _temperature(self, rise: Floats) -> dict[str, Floats]:
        return {**self.where, "T": self.middle + rise @ self.shape.T}

    @cached_property
    def _still(self) -> dict[int, Floats]:
        """Values of the laws that depend on place alone, by identity."""
        return {id(law): sampled(law, self.where) for law in self.exchange.laws if not law.follows_temperature}

    def _of(self, law: Law, at: dict[str, Floats]) -> Floats:
        return sampled(law, at) if law.follows_temperature else self._still[id(law)]

    def heat(self, rise: Floats) -> Floats:
        """Heat that enters."""
        at = self._temperature(rise)
        over = rise @ self.shape.T
        density = np.full(over.shape, self.exchange.even)
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

    def slope(self, rise: Floats) -> Floats | None:
        """−d(heat)/dT."""
        if not (self.exchange.films or self.exchange.radiations) and self.linear:
            return None
        at = self._temperature(rise)
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

    @cached_property
    def _still(self) -> Floats:
        result: Floats = (sampled(self.per_volume, self.where) * self.weights) @ self.shape
        return result

    def heat(self, rise: Floats) -> Floats:
        """Heat that arises."""
        if self.linear:
            return self._still
        at = {**self.where, "T": self.middle + rise @ self.shape.T}
        result: Floats = (sampled(self.per_volume, at) * self.weights) @ self.shape
        return result

    def slope(self, rise: Floats) -> Floats | None:
        """−d(heat)/dT."""
        if self.linear:
            return None
        at = {**self.where, "T": self.middle + rise @ self.shape.T}
        less = -self.per_volume.slope(at) * self.weights
        return np.einsum("mq,qa,qb->mab", less, self.shape, self.shape, optimize=True)


@dataclass(frozen=True)
class AtNodes:
    """Heat of a point or a line, shared among the nodes near it."""

    name: str
    nodes: Ints
    given: Floats
    regions: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    linear: bool = True
    definite: bool = True
    kind: Kind = "point"

    def heat(self, rise: Floats) -> Floats:
        """Heat that arises."""
        return self.given

    def slope(self, rise: Floats) -> Floats | None:
        """None."""
        return None


@dataclass(frozen=True)
class AcrossJoint:
    """Heat between the two sides of a joint; the nodes of the first side come first."""

    name: str
    nodes: Ints
    matrices: Floats = field(repr=False)
    regions: Ints
    linear: bool = True
    definite: bool = True
    kind: Kind = "joint"

    def heat(self, rise: Floats) -> Floats:
        """What each side is given by the other."""
        half = self.nodes.shape[1] // 2
        passed = (self.matrices @ (rise[:, half:] - rise[:, :half])[..., None])[..., 0]
        return np.concatenate([passed, -passed], axis=1)

    def slope(self, rise: Floats) -> Floats:
        """The conductances between the nodes."""
        first = np.concatenate([self.matrices, -self.matrices], axis=2)
        return np.concatenate([first, -first], axis=1)


def terms_of(problem: Problem, middle: float) -> tuple[Term, ...]:
    """Return every term of the balance of a problem, conduction block by block first."""
    return (
        *(Conduction(block, problem.mesh, problem.conductors, middle) for block in problem.mesh.blocks),
        *_on_surfaces(problem, middle), *_in_regions(problem, middle), *_across_joints(problem),
        *(AtNodes(source.name, source.nodes[None], source.heat[None]) for source in problem.points),
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
    h = sampled(conductance, mesh.space.variables(shape @ mesh.points[near]))
    weights = facet_weights(facets, block, mesh) * h
    matrices = np.einsum("mq,qa,qb->mab", weights, shape, shape, optimize=True)
    return AcrossJoint(name, np.concatenate([near, far], axis=1), matrices, np.array(facets.regions))
