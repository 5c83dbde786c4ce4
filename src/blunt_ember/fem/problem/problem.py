"""The problem a mesh is asked to solve: what its regions conduct and give off, and what is stated on each surface."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import Note
from blunt_ember.fem.problem.conductors import Conductor
from blunt_ember.mesh.mesh import Mesh


@dataclass(frozen=True)
class FilmLaw:
    """A fluid at temperature ``fluid`` behind a film coefficient ``h``."""

    h: Law
    fluid: Law


@dataclass(frozen=True)
class RadiationLaw:
    """Surroundings at a temperature that a surface of some emissivity radiates to."""

    emissivity: Law
    surroundings: Law


@dataclass(frozen=True)
class Exchange:
    """What acts together on a surface: laws of heat flux, films and radiation."""

    fluxes: tuple[Law, ...] = ()
    films: tuple[FilmLaw, ...] = ()
    radiations: tuple[RadiationLaw, ...] = ()

    @property
    def anchors(self) -> bool:
        """Whether it holds a temperature in place."""
        films = any(film.h.constant is None or film.h.constant > 0 for film in self.films)
        radiates = any(each.emissivity.constant is None or each.emissivity.constant > 0 for each in self.radiations)
        return films or radiates or any(law.follows_temperature for law in self.fluxes)

    @property
    def laws(self) -> tuple[Law, ...]:
        """Every law in it."""
        films = (law for film in self.films for law in (film.h, film.fluid))
        radiations = (law for each in self.radiations for law in (each.emissivity, each.surroundings))
        return (*self.fluxes, *films, *radiations)

    @property
    def follows_place(self) -> bool:
        """Whether something in it differs from place to place."""
        return any(law.variables - {"t", "T"} for law in self.laws)

    def and_also(self, other: Exchange) -> Exchange:
        """Return what both do together."""
        return Exchange(self.fluxes + other.fluxes, self.films + other.films, self.radiations + other.radiations)


@dataclass(frozen=True)
class RegionSource:
    """Heat per volume that arises in a region, by its index."""

    name: str
    region: int
    per_volume: Law


@dataclass(frozen=True)
class PointSource:
    """Heat ``total`` in W that arises at ``nodes`` (n,) by ``shares`` (n,)."""

    name: str
    nodes: Ints
    shares: Floats
    total: Law


@dataclass(frozen=True)
class Capacity:
    """What a region takes to warm up: density, kg/m³, and specific heat, J/(kg K)."""

    density: Law
    c: Law


@dataclass(frozen=True)
class Problem:
    """Conduction: ``conductors`` by region; ``held`` temperatures and ``exchanges`` by surface, later ones last.

    ``joints`` are conductances in W/(m² K) by interface, None for an open gap; ``periodic`` pairs of surfaces are one
    and the same. ``notes`` say how statements that meet were understood.
    """

    mesh: Mesh
    conductors: tuple[Conductor, ...]
    held: Mapping[str, Law]
    exchanges: Mapping[str, Exchange]
    sources: tuple[RegionSource, ...] = ()
    points: tuple[PointSource, ...] = ()
    joints: Mapping[str, Law | None] = field(default_factory=dict)
    periodic: tuple[tuple[str, str], ...] = ()
    notes: tuple[Note, ...] = ()
    #: By region where the clock runs, else empty; and whether cells keep their heat at their nodes.
    capacities: tuple[Capacity, ...] = ()
    lumped: bool = False
