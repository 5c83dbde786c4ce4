"""Radiation between surfaces that see each other: what each patch emits, and what it absorbs of all the others.

Grey, diffuse surfaces (H. C. Hottel & A. F. Sarofim, Radiative Transfer (1967), ch. 3; M. F. Modest, Radiative Heat
Transfer, 3rd ed. (2013), ch. 5). The radiosity is even over a patch of facets, the emission follows the temperature
within it. What patch i absorbs of the emissive power E of the others is Σⱼ Sᵢⱼ Eⱼ + Sᵢₒ Eₒ, where
S = ε A (I − F ρ)⁻¹ F ε is symmetric and, with the opening o, sums to ε A.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

import numpy as np
from scipy.linalg import lu_factor, lu_solve
from scipy.sparse import coo_array, csr_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.assembly import facet_weights
from blunt_ember.fem.coupling import Coupling
from blunt_ember.fem.laws.black_body import emissive_power, emissive_slope
from blunt_ember.fem.problem.enclosures import EnclosureLaw
from blunt_ember.fem.terms.term import Term, TermKind, sampled
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: The least emissivity that patches are parted by, so that those of none are parted by area.
_LEAST = 1e-15


@immutable
class FacetGroup:
    """Facets of one family of a surface of an enclosure: quadrature on them, and the ``patch`` (m,) of the chamber that
    each belongs to. ``entries`` are their nodes among those of all facets, written one after the other."""

    surface: str
    region: int
    family: str
    nodes: Ints
    shape: Floats
    weights: Floats
    where: dict[str, Floats]
    patch: Ints
    entries: slice

    def mean(self, values: Floats) -> Floats:
        """Return means (m,) over facets of values (m, q) at places of the quadrature."""
        return np.asarray((values * self.weights).sum(axis=1) / self.weights.sum(axis=1))


def strips_of(law: EnclosureLaw, mesh: Mesh) -> tuple[FacetGroup, ...]:
    """Return the facets of an enclosure, block by block of its surfaces."""
    strips, facet, entry = [], 0, 0
    for name in law.chamber.surfaces:
        facets = mesh.surfaces[name]
        for block in facets.blocks:
            shape = CELL_FAMILIES[block.family].at_points
            count, size = len(block.nodes), block.nodes.size
            strips.append(
                FacetGroup(
                    name,
                    facets.regions[0],
                    block.family,
                    block.nodes,
                    shape,
                    facet_weights(facets, block, mesh),
                    mesh.space.variables(shape @ mesh.points[block.nodes]),
                    law.chamber.patch[facet : facet + count],
                    slice(entry, entry + size),
                )
            )
            facet, entry = facet + count, entry + size
    return tuple(strips)


@immutable
class Emitting:
    """What the facets of a strip emit."""

    strip: FacetGroup
    emissivity: Law
    reference_temperature: float
    kind: TermKind = "emission"
    linear: bool = False
    spd: bool = True
    anchors: bool = False

    @property
    def name(self) -> str:
        """That of its surface."""
        return self.strip.surface

    @property
    def nodes(self) -> Ints:
        """Those of the facets, (m, k)."""
        return self.strip.nodes

    @property
    def regions(self) -> Ints:
        """The one behind it."""
        return np.array([self.strip.region])

    @property
    def time_independent(self) -> bool:
        """Whether the emissivity does not depend on time."""
        return not self.emissivity.follows_time

    @property
    def slope_time_independent(self) -> bool:
        """Likewise."""
        return self.time_independent

    def links(self) -> Ints:
        """No nodes with each other."""
        return self.nodes[:0]

    def temperature(self, excess: Floats) -> Floats:
        """Return the temperatures (m, q) in K at the places of the quadrature."""
        return self.reference_temperature + excess @ self.strip.shape.T

    def emissivity_at(self, temperature: Floats, t: float) -> Floats:
        """Return the emissivity (m,) of the facets at temperatures (m, q) in K: that of their middles.

        A formula that leaves what is possible is held there, and what it says is noted.
        """
        if self.still_emissivity is not None:
            return self.still_emissivity
        return self._clipped({"T": self.strip.mean(temperature), "t": np.full(len(self.nodes), t)})

    @cached_property
    def still_emissivity(self) -> Floats | None:
        """The emissivity (m,) where it follows neither temperature nor time."""
        follows = self.emissivity.follows_time or self.emissivity.follows_temperature
        return None if follows else self._clipped({})

    def _clipped(self, moving: dict[str, Floats]) -> Floats:
        stated = sampled(self.emissivity, {**self._middles, **moving})
        return np.clip(np.broadcast_to(stated, (len(self.nodes),)), 0.0, 1.0)

    @cached_property
    def _middles(self) -> dict[str, Floats]:
        """Where the facets are."""
        return {key: self.strip.mean(values) for key, values in self.strip.where.items()}

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """−∫ ε σ T⁴ N dA."""
        temperature = self.temperature(excess)
        emitted = self.emissivity_at(temperature, t)[:, None] * emissive_power(temperature)
        return -(emitted * self.strip.weights) @ self.strip.shape

    def slope(self, excess: Floats, t: float = 0.0) -> Floats:
        """∫ 4 ε σ |T|³ N N dA; that the emissivity may follow temperature is left to the steps of Newton's method."""
        temperature = self.temperature(excess)
        steep = self.strip.weights * emissive_slope(temperature) * self.emissivity_at(temperature, t)[:, None]
        shape = self.strip.shape
        return np.asarray(np.einsum("mq,qa,qb->mab", steep, shape, shape, optimize=True))


@immutable
class _Shared:
    """What the places of a strip take part in their patches with: ``temperature`` (m, q) in K, and ``shares`` (m, q) of
    what their patch emits and absorbs, which sum to 1 over each patch."""

    patch: Ints
    shape: Floats
    temperature: Floats
    shares: Floats


@immutable
class _Parting:
    """The emissivity (p,) of patches, and the ``shares`` (m, q) of the places of every strip in their patch."""

    emissivity: Floats
    shares: list[Floats]


@immutable
class RadiatingState:
    """Emissivity (p,) and emissive ``power`` (p,), W/m², of all patches of an enclosure, and the power ``behind`` its
    opening, W/m²."""

    emissivity: Floats
    power: Floats
    behind: float


@immutable
class Absorbing:
    """What the surfaces of an enclosure absorb of what all of them emit, as one element over all their nodes.

    It has no slope of its own: its ``coupling`` says how it follows the temperatures.
    """

    law: EnclosureLaw
    emitting: tuple[Emitting, ...]
    count: int
    kind: TermKind = "enclosure"
    linear: bool = False
    spd: bool = True

    @property
    def name(self) -> str:
        """That of the enclosure."""
        return self.law.name

    @cached_property
    def nodes(self) -> Ints:
        """The nodes of all facets one after the other, (1, n)."""
        return np.concatenate([each.nodes.ravel() for each in self.emitting])[None]

    @cached_property
    def regions(self) -> Ints:
        """The regions behind it."""
        return np.unique([each.strip.region for each in self.emitting])

    @property
    def time_independent(self) -> bool:
        """Whether nothing of it depends on time."""
        return not any(law.follows_time for law in self.law.laws)

    @property
    def slope_time_independent(self) -> bool:
        """Whether no emissivity depends on time."""
        return not any(law.follows_time for law in self.law.emissivity)

    @property
    def anchors(self) -> bool:
        """Whether something is seen through an opening."""
        return self.law.opening is not None

    def links(self) -> Ints:
        """A node of every facet with one of a facet that its patch sees, directly or by way of others."""
        _, seen = connected_components(coo_array(self.law.chamber.exchange), directed=False)
        group = seen[self.law.chamber.patch]
        first = np.concatenate([each.nodes[:, 0] for each in self.emitting])
        _, at = np.unique(group, return_index=True)
        return np.column_stack([first[at[group]], first])

    def heat(self, excess: Floats, t: float = 0.0) -> Floats:
        """Return what every node is given, (1, n) in W."""
        emissivity, shared = self._shared(excess, t)
        absorbed = self.absorbed(self._state(emissivity, shared, t))
        parts = [(absorbed[at.patch][:, None] * at.shares @ at.shape).ravel() for at in shared]
        return np.concatenate(parts)[None]

    def slope(self, excess: Floats, t: float = 0.0) -> Floats | None:
        """None."""
        return None

    def coupling(self, excess: Floats, t: float = 0.0) -> Coupling:
        """Return how what is absorbed follows the temperatures of all patches, at an ``excess`` (1, n) in K."""
        rows, columns, taken, seen = [], [], [], []
        emissivity, shared = self._shared(excess, t)
        for each, at in zip(self.emitting, shared, strict=True):
            rows.append(each.strip.nodes.ravel())
            columns.append(np.repeat(at.patch, each.strip.nodes.shape[1]))
            taken.append((at.shares @ at.shape).ravel())
            seen.append(((at.shares * emissive_slope(at.temperature)) @ at.shape).ravel())
        row, column = np.concatenate(rows), np.concatenate(columns)
        patches = len(self.law.chamber.area)
        left = csr_array((np.concatenate(taken), (row, column)), shape=(self.count, patches))
        right = csr_array((np.concatenate(seen), (column, row)), shape=(patches, self.count))
        return Coupling(left, self.absorption(emissivity)[0], right)

    def state(self, excess: Floats, t: float = 0.0) -> RadiatingState:
        """Return what decides about the exchange, at an ``excess`` (1, n) in K."""
        return self._state(*self._shared(excess, t), t)

    def _state(self, emissivity: Floats, shared: list[_Shared], t: float) -> RadiatingState:
        power = np.zeros(len(emissivity))
        for at in shared:
            power += np.bincount(at.patch, (at.shares * emissive_power(at.temperature)).sum(axis=1), len(power))
        behind = 0.0
        if self.law.opening is not None:
            behind = float(emissive_power(sampled(self.law.opening, {"t": np.array([t])}))[0])
        return RadiatingState(emissivity, power, behind)

    def _shared(self, excess: Floats, t: float) -> tuple[Floats, list[_Shared]]:
        """The emissivity (p,) of patches, and what the places of every strip take part in them with."""
        local = excess.reshape(-1)
        temperatures = [each.temperature(local[each.strip.entries].reshape(each.nodes.shape)) for each in self.emitting]
        parting = self._still_parting
        if parting is None:
            every = zip(self.emitting, temperatures, strict=True)
            parting = self._parting([each.emissivity_at(temperature, t) for each, temperature in every])
        return parting.emissivity, [
            _Shared(each.strip.patch, each.strip.shape, temperature, shares)
            for each, temperature, shares in zip(self.emitting, temperatures, parting.shares, strict=True)
        ]

    @cached_property
    def _still_parting(self) -> _Parting | None:
        """How patches are parted where no emissivity follows temperature or time."""
        still = [each.still_emissivity for each in self.emitting]
        known = [each for each in still if each is not None]
        return self._parting(known) if len(known) == len(still) else None

    def _parting(self, emissivities: list[Floats]) -> _Parting:
        area = self.law.chamber.area
        mean, whole, taking = np.zeros(len(area)), np.zeros(len(area)), []
        for each, emissivity in zip(self.emitting, emissivities, strict=True):
            strip = each.strip
            mean += np.bincount(strip.patch, emissivity * strip.weights.sum(axis=1), len(area)) / area
            taking.append(np.maximum(emissivity, _LEAST)[:, None] * strip.weights)
            whole += np.bincount(strip.patch, taking[-1].sum(axis=1), len(area))
        shares = [own / whole[each.strip.patch][:, None] for each, own in zip(self.emitting, taking, strict=True)]
        return _Parting(mean, shares)

    def absorbed(self, state: RadiatingState) -> Floats:
        """Return what every patch (p,) absorbs, W."""
        exchanged, seen_out = self.absorption(state.emissivity)
        return exchanged @ state.power + seen_out * state.behind

    def absorption(self, emissivity: Floats) -> tuple[Floats, Floats]:
        """Return S (p, p) and Sₒ (p,), both in m², of emissivities (p,); those of the last ones are kept."""
        return self.law.absorptions.of(emissivity, lambda: absorption(self.law, emissivity))


def absorption(law: EnclosureLaw, emissivity: Floats) -> tuple[Floats, Floats]:
    """Return S (p, p), m², how much of what every patch would emit if it were black is absorbed by every other one in
    the end, and Sₒ (p,), m², of what comes in through the opening."""
    chamber = law.chamber
    exchange, area = chamber.exchange, chamber.area
    seen_out = chamber.opening * emissivity
    if (emissivity == 1).all():
        return exchange, seen_out
    # (A − X ρ) y = X ε, with X = A F: what falls on every patch of a unit of black power of each.
    system = -exchange * (1 - emissivity)
    system[np.diag_indices(len(area))] += area
    factors = lu_factor(system, check_finite=False)
    falling = lu_solve(factors, exchange * emissivity, check_finite=False)
    absorbed = (emissivity * area)[:, None] * falling
    outside = lu_solve(factors, chamber.opening, check_finite=False)
    return (absorbed + absorbed.T) / 2, emissivity * area * outside


def enclosure_terms(law: EnclosureLaw, mesh: Mesh, reference_temperature: float) -> tuple[Emitting | Absorbing, ...]:
    """Return the terms of an enclosure: what each strip of it emits, and what all of them absorb."""
    stated = dict(zip(law.chamber.surfaces, law.emissivity, strict=True))
    emitting = tuple(Emitting(strip, stated[strip.surface], reference_temperature) for strip in strips_of(law, mesh))
    return (*emitting, Absorbing(law, emitting, mesh.node_count))


def couplings_of(terms: Iterable[Term], excess: Floats, t: float, prolongation: csr_array) -> tuple[Coupling, ...]:
    """Return the couplings of terms at an ``excess`` (n,) in K, as the free temperatures see them."""
    absorbing = [term for term in terms if isinstance(term, Absorbing)]
    return tuple(term.coupling(excess[term.nodes], t).reduced(prolongation) for term in absorbing)
