"""The problem a mesh is asked to solve: what its regions conduct and give off, and what is stated on each surface."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field
from typing import ClassVar

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import Note
from blunt_ember.fem.laws.surface_law import SurfaceLaw
from blunt_ember.fem.problem.conductors import Conductor
from blunt_ember.fem.problem.enclosures import EnclosureLaw
from blunt_ember.fem.problem.isothermal import IsothermalSet
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh


@immutable
class JointLaw:
    """How two regions meet: by a ``conductance``, W/(m² K); None for an open gap."""

    conductance: Law | None

    @property
    def label(self) -> str:
        """What it is called in the ledger."""
        return "open gap" if self.conductance is None else "joint"


@immutable
class RegionSource:
    """Heat per volume that arises in a region, by its index."""

    label: ClassVar[str] = "arises inside"

    name: str
    region: int
    per_volume: Law


@immutable
class PointSource:
    """Heat ``total`` in W that arises at ``nodes`` (n,) by ``shares`` (n,): at one of ``places`` (1, d) in m, or all
    along those (p, d) of a line."""

    label: ClassVar[str] = "arises inside"

    name: str
    nodes: Ints
    shares: Floats
    total: Law
    places: Floats

    @property
    def ends(self) -> Floats:
        """The place (1, d), or where the line begins and ends (2, d), m."""
        if len(self.places) == 1:
            return self.places
        half = (self.places[1] - self.places[0]) / 2
        return np.array([self.places[0] - half, self.places[-1] + half])


@immutable
class Capacity:
    """What a region takes to warm up: density, kg/m³, and specific heat, J/(kg K)."""

    density: Law
    c: Law


@immutable
class Problem:
    """Conduction: ``conductors`` by region; ``held`` temperatures and ``exchanges`` by surface, later ones last.

    ``exchanges`` are what acts together on a surface. ``joints`` stand by interface; ``periodic`` pairs of surfaces are
    one and the same. ``notes`` say how statements that meet were understood; ``facing`` are pairs of surfaces that are
    said to radiate to surroundings and plainly see each other.
    """

    mesh: Mesh
    conductors: tuple[Conductor, ...]
    held: Mapping[str, Law]
    exchanges: Mapping[str, tuple[SurfaceLaw, ...]]
    sources: tuple[RegionSource, ...] = ()
    points: tuple[PointSource, ...] = ()
    joints: Mapping[str, JointLaw] = field(default_factory=dict)
    periodic: tuple[tuple[str, str], ...] = ()
    notes: tuple[Note, ...] = ()
    #: By region where the clock runs, else empty; and whether cells keep their heat at their nodes.
    capacities: tuple[Capacity, ...] = ()
    lumped: bool = False
    #: Surfaces that see each other; each may be one of ``held`` and ``exchanges`` besides.
    enclosures: tuple[EnclosureLaw, ...] = ()
    #: What has one temperature throughout.
    isothermal: tuple[IsothermalSet, ...] = ()
    facing: tuple[tuple[str, str], ...] = ()

    @property
    def enclosed(self) -> Mapping[str, EnclosureLaw]:
        """By surface, the enclosure that it looks into."""
        return {surface: law for law in self.enclosures for surface in law.chamber.surfaces}
