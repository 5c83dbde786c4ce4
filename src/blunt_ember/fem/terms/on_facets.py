"""Terms of the heat balance on surfaces and across joints.

Radiation is taken as −εσ T |T|³, which is T⁴ for every real temperature and stays monotone below zero, where Newton's
method may pass through.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.problem.problem import Exchange
from blunt_ember.fem.terms.term import TermKind, sampled


@dataclass(frozen=True)
class OnSurface:
    """Flux, films and radiation on the facets of one family of an outer surface."""

    name: str
    nodes: Ints
    shape: Floats
    weights: Floats
    where: dict[str, Floats]
    exchange: Exchange
    reference_temperature: float
    regions: Ints
    kind: TermKind = "surface"

    @cached_property
    def linear(self) -> bool:
        """Whether nothing on it depends on temperature but by a constant film coefficient."""
        laws = [*self.exchange.fluxes, *(film.h for film in self.exchange.films)]
        return not self.exchange.radiations and not any(law.follows_temperature for law in laws)

    @cached_property
    def spd(self) -> bool:
        """Whether but radiation and constant films follow temperature."""
        laws = [*self.exchange.fluxes, *(film.h for film in self.exchange.films)]
        laws += [radiation.emissivity for radiation in self.exchange.radiations]
        return not any(law.follows_temperature for law in laws)

    @cached_property
    def time_independent(self) -> bool:
        """Whether nothing on it depends on time."""
        return not any(law.follows_time for law in self.exchange.laws)

    @cached_property
    def slope_time_independent(self) -> bool:
        """Whether no film coefficient or emissivity depends on time, nor a flux that depends on temperature."""
        laws = [film.h for film in self.exchange.films] + [each.emissivity for each in self.exchange.radiations]
        laws += [law for law in self.exchange.fluxes if law.follows_temperature]
        return not any(law.follows_time for law in laws)

    def _at(self, excess: Floats, t: float) -> dict[str, Floats]:
        return {
            **self.where,
            "t": np.full(self.weights.shape, t),
            "T": self.reference_temperature + excess @ self.shape.T,
        }

    @cached_property
    def _constant(self) -> dict[int, Floats]:
        """Values of the laws that depend on place alone, by identity."""
        return {id(law): sampled(law, self.where) for law in self.exchange.laws if not law.variables & {"t", "T"}}

    def _of(self, law: Law, at: dict[str, Floats]) -> Floats:
        return self._constant[id(law)] if id(law) in self._constant else sampled(law, at)

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """Heat that enters."""
        at = self._at(excess, t)
        over = excess @ self.shape.T
        density = np.zeros(over.shape)
        for law in self.exchange.fluxes:
            density = density + self._of(law, at)
        for film in self.exchange.films:
            density = density + self._of(film.h, at) * ((self._of(film.fluid, at) - self.reference_temperature) - over)
        for radiation in self.exchange.radiations:
            around, face = self._of(radiation.surroundings, at), at["T"]
            exchanged = around**4 - face * np.abs(face) ** 3
            density = density + self._of(radiation.emissivity, at) * STEFAN_BOLTZMANN * exchanged
        return (density * self.weights) @ self.shape

    def slope(self, excess: Floats, t: float = 0.0) -> Floats | None:
        """−d(heat)/dT."""
        if not (self.exchange.films or self.exchange.radiations) and self.linear:
            return None
        at = self._at(excess, t)
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
    spd: bool = True
    kind: TermKind = "joint"

    @property
    def time_independent(self) -> bool:
        """Whether the conductance does not depend on time."""
        return not self.conductance.follows_time

    @property
    def slope_time_independent(self) -> bool:
        """As long as it is still."""
        return self.time_independent

    @cached_property
    def _constant(self) -> Floats:
        return self._conducted(0.0)

    def _conducted(self, t: float) -> Floats:
        h = sampled(self.conductance, {**self.where, "t": np.full(self.weights.shape, t)})
        return np.einsum("mq,qa,qb->mab", self.weights * h, self.shape, self.shape, optimize=True)

    def matrices(self, t: float = 0.0) -> Floats:
        """Conductances (m, n, n) in W/K between the nodes of one side and those of the other."""
        return self._constant if self.time_independent else self._conducted(t)

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """What each side is given by the other."""
        half = self.nodes.shape[1] // 2
        passed = (self.matrices(t) @ (excess[:, half:] - excess[:, :half])[..., None])[..., 0]
        return np.concatenate([passed, -passed], axis=1)

    def slope(self, excess: Floats, t: float = 0.0) -> Floats:
        """The conductances between the nodes."""
        matrices = self.matrices(t)
        first = np.concatenate([matrices, -matrices], axis=2)
        return np.concatenate([first, -first], axis=1)
