"""Parts of a body that have one temperature each, as the nodes of a network: what acts on them, and what joins them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import contact_of, generation_of, side_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.assembly import region_volume
from blunt_ember.fem.problem.isothermal import IsothermalSet
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.side import Side


@immutable
class Part:
    """What has one temperature: of what is held it is known, else it follows from what acts on its ``sides`` by their
    surfaces, with areas in m², and the ``heat``, W, that arises in it. Its ``regions`` are named."""

    temperature: float | None
    regions: tuple[str, ...] = ()
    sides: tuple[tuple[str, Side, float], ...] = ()
    heat: float = 0.0

    def gains(self, temperature: float) -> float:
        """Heat in W that comes into it besides from other parts, at a temperature in K."""
        return self.heat + sum(side.inflow(temperature) * area for _, side, area in self.sides)

    @property
    def driving(self) -> list[float]:
        """The temperatures that are stated of it, K."""
        own = [] if self.temperature is None else [self.temperature]
        return [*own, *(each for _, side, _ in self.sides for each in side.driving)]


@dataclass
class Parts:
    """The parts of a body so far, and ``links`` (one, other, W/K) by contact between them."""

    geometry: BodyGeometry
    problem: Problem

    def __post_init__(self) -> None:
        sets = self.problem.isothermal
        self._of_region = {region: place for place, each in enumerate(sets) for region in each.regions}
        self.links: list[tuple[int, int, float]] = []
        self.found = [self._part_of(each, place) for place, each in enumerate(sets)]

    def behind(self, surface: str) -> int:
        """Return the place of the part behind a surface, which is added where it is held and not there yet.

        Raises :class:`ReferenceRefusedError` where it has no one temperature.
        """
        own = self._of_region.get(self.problem.mesh.surfaces[surface].regions[0])
        if own is not None:
            return own
        if surface not in self.problem.held:
            raise ReferenceRefusedError(f"'{surface}' is neither held nor of one temperature throughout")
        self.found.append(Part(self._held(surface)))
        return len(self.found) - 1

    def gains(self, temperatures: Floats) -> Floats:
        """Return the heat (n,) in W that parts gain at ``temperatures`` (n,) in K but by radiation to each other."""
        gained = np.array([part.gains(t) for part, t in zip(self.found, temperatures.tolist(), strict=True)])
        for one, other, conductance in self.links:
            passed = conductance * (temperatures[one] - temperatures[other])
            gained[one] -= passed
            gained[other] += passed
        return gained

    def _held(self, surface: str) -> float:
        held = self.problem.held[surface].constant
        if held is None:
            raise ReferenceRefusedError(f"'{surface}' is not held at one temperature")
        return held

    def _part_of(self, own: IsothermalSet, place: int) -> Part:
        problem = self.problem
        names = tuple(problem.mesh.regions[each] for each in own.regions)
        if not own.regions:
            raise ReferenceRefusedError(f"'{own.name}' is a surface of one temperature, with what conducts behind it")
        sides, held = [], None
        for name, facets in problem.mesh.surfaces.items():
            within = [each in own.regions for each in facets.regions]
            joint = problem.joints.get(name)
            parted = joint is not None and joint.conductance is None
            if not any(within) or (not facets.outer and (all(within) or parted)):
                continue
            if not facets.outer:
                self._link(name, place, facets.regions)
                continue
            if name in problem.held:
                held = self._held(name)
                continue
            side = side_of(name, problem)
            if side != Side():
                sides.append((name, side, self.geometry.surfaces[name].area))
        heat = 0.0
        for source, per_volume in generation_of(problem).items():
            heat += per_volume * region_volume(problem.mesh, source) if source in own.regions else 0.0
        return Part(held, names, tuple(sides), heat)

    def _link(self, interface: str, place: int, regions: tuple[int, ...]) -> None:
        """Join two parts by the contact between them, once."""
        ends = [self._of_region.get(region) for region in regions]
        if interface not in self.problem.joints or None in ends:
            name = self.problem.isothermal[place].name
            raise ReferenceRefusedError(f"'{name}' touches what conducts, at '{interface}'")
        one, other = (end for end in ends if end is not None)
        if place == min(one, other):
            area = self.geometry.surfaces[interface].area
            self.links.append((one, other, area / contact_of(self.problem, interface)))
