"""Terms of the heat balance on surfaces and across joints."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.laws.surface_law import OnFacets, SurfaceLaw
from blunt_ember.fem.terms.term import TermKind, sampled
from blunt_ember.immutable import immutable


@immutable
class OnSurface:
    """What acts together on the facets of one family of an outer surface."""

    name: str
    nodes: Ints
    shape: Floats
    weights: Floats
    where: dict[str, Floats]
    laws: tuple[SurfaceLaw, ...]
    reference_temperature: float
    regions: Ints
    kind: TermKind = "surface"

    @cached_property
    def linear(self) -> bool:
        """Whether every law on it is."""
        return all(law.linear for law in self.laws)

    @cached_property
    def spd(self) -> bool:
        """Whether every law on it is."""
        return all(law.spd for law in self.laws)

    @cached_property
    def time_independent(self) -> bool:
        """Whether every law on it is."""
        return all(law.time_independent for law in self.laws)

    @cached_property
    def slope_time_independent(self) -> bool:
        """Whether every law on it is."""
        return all(law.slope_time_independent for law in self.laws)

    @property
    def anchors(self) -> bool:
        """Whether a law on it holds a temperature in place."""
        return any(law.anchors for law in self.laws)

    def links(self) -> Ints:
        """No nodes with each other."""
        return self.nodes[:0]

    @cached_property
    def _constant(self) -> dict[int, Floats]:
        """Stated values that depend on place alone, by identity."""
        return {
            id(value): sampled(value, self.where)
            for law in self.laws
            for value in law.values
            if not value.variables & {"t", "T"}
        }

    def _at(self, excess: Floats, t: float) -> OnFacets:
        over = excess @ self.shape.T
        where = {**self.where, "t": np.full(self.weights.shape, t), "T": self.reference_temperature + over}
        known = self._constant
        return OnFacets(
            where,
            over,
            self.reference_temperature,
            lambda value: known[id(value)] if id(value) in known else sampled(value, where),
        )

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """Heat that enters."""
        if self._settled is None:
            return self._entering(self._at(excess, t))
        given, slope = self._settled
        return given if slope is None else given - (slope @ excess[..., None])[..., 0]

    def slope(self, excess: Floats, t: float = 0.0) -> Floats | None:
        """−d(heat)/dT."""
        if self._settled is not None:
            return self._settled[1]
        at = self._at(excess, t)
        return self._on_cells([law.slope(at) for law in self.laws])

    @cached_property
    def _settled(self) -> tuple[Floats, Floats | None] | None:
        """Heat (m, n) at the reference temperature, and the slope, where no more is needed to know it at any."""
        if not (self.linear and self.time_independent):
            return None
        at = self._at(np.zeros(self.nodes.shape), 0.0)
        return self._entering(at), self._on_cells([law.slope(at) for law in self.laws])

    def _entering(self, at: OnFacets) -> Floats:
        density = np.zeros(at.excess.shape)
        for law in self.laws:
            density = density + law.flux(at)
        return (density * self.weights) @ self.shape

    def exchange(self, excess: Floats, t: float = 0.0) -> Floats | None:
        """The same, were coefficients to stay as they are."""
        at = self._at(excess, t)
        return self._on_cells([law.exchange(at) for law in self.laws])

    def _on_cells(self, falls: Sequence[Floats | None]) -> Floats | None:
        known = [each for each in falls if each is not None]
        if not known:
            return None
        less = np.sum(known, axis=0)
        return np.einsum("mq,qa,qb->mab", less * self.weights, self.shape, self.shape, optimize=True)


@immutable
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

    @property
    def anchors(self) -> bool:
        """Not by itself."""
        return False

    def links(self) -> Ints:
        """The nodes of both sides, where heat passes."""
        return self.nodes[(np.abs(self.matrices()) > 0).any(axis=(1, 2))]

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
