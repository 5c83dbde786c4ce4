"""Parts of one temperature each that radiate to each other, touch and cool, in time."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field
from functools import cached_property
from types import MappingProxyType

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import Idealised, MovingField
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.checks.references.fits.networks.grey_network import NetworkField
from blunt_ember.checks.references.fits.networks.isothermal_parts import Parts
from blunt_ember.checks.references.fits.networks.radiating_cell import RadiatingCell, cell_of, source_of_cells
from blunt_ember.checks.references.fits.networks.seen_views import Names, known_views
from blunt_ember.checks.references.views.catalogue import EnclosureViews
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.assembly import region_volume
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable

_NAME = "network-in-time"
#: Tolerances of the steps, as a share and in K.
_SHARE, _KELVIN = 1e-12, 1e-9


@immutable
class NetworkMoment(NetworkField):
    """The parts at an instant: what enters through surfaces, W, and has gone into storage, J, too."""

    entering: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    gone_in: float = 0.0
    through: str = ""
    name: str = _NAME

    @property
    def source(self) -> str:
        """What the run follows."""
        return self.through

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; NaN where it is not known."""
        return self.entering.get(surface, float("nan"))

    def stored(self) -> float:
        """Heat in J stored in the body since the start."""
        return self.gone_in


@immutable
class NetworkInTime:
    """Parts through time: C dT/dt is what each gains, by steps of high order to eleven digits."""

    views: tuple[EnclosureViews, ...]
    cells: tuple[RadiatingCell, ...]
    parts: Parts
    capacity: Floats
    start: float
    latest: float
    regions: Names
    name: str = _NAME

    @property
    def source(self) -> str:
        """The network, and that it is stepped."""
        how = "parts of one temperature each, C dT/dt by steps of eighth order to eleven digits"
        seen = "; ".join(dict.fromkeys(each.source for each in self.views))
        return f"{how}; {source_of_cells(self.cells, seen)}" if self.cells else how

    def at(self, t: float) -> NetworkMoment:
        """Return the parts at a time in s."""
        temperatures = self._temperatures(t)
        entering = {
            name: side.inflow(float(own)) * area
            for part, own in zip(self.parts.found, temperatures, strict=True)
            for name, side, area in part.sides
        }
        stored = float(self.capacity @ np.where(self.capacity > 0, temperatures - self.start, 0.0))
        return NetworkMoment(
            self.views,
            cells=self.cells,
            parts=tuple(self.parts.found),
            regions=self.regions,
            temperatures=temperatures,
            entering=MappingProxyType(entering),
            gone_in=stored,
            through=self.source,
        )

    def _temperatures(self, t: float) -> Floats:
        return self._known if t <= 0 else np.asarray(self._stepped(min(t, self.latest)))

    @cached_property
    def _known(self) -> Floats:
        """Where parts begin: at the start, or as they are held."""
        return np.array([self.start if part.temperature is None else part.temperature for part in self.parts.found])

    @cached_property
    def _stepped(self) -> Callable[[float], Floats]:
        held = np.array([part.temperature is not None for part in self.parts.found])
        slowness = np.where(held, 1.0, np.where(self.capacity > 0, self.capacity, 1.0))

        def rate(_: float, temperatures: Floats) -> Floats:
            gained = self.parts.gains(temperatures)
            for cell in self.cells:
                cell.add_net(gained, temperatures)
            return np.where(held, 0.0, gained / slowness)

        from scipy.integrate import solve_ivp  # here, as it takes a while and few cases need it

        made = solve_ivp(rate, (0, self.latest), self._known, "DOP853", dense_output=True, rtol=_SHARE, atol=_KELVIN)
        if not made.success or made.sol is None:
            raise ReferenceRefusedError("the network cannot be stepped to the end")
        return made.sol


@immutable
class UnevenInTime(Idealised, NetworkInTime):
    """Parts through time whose radiosities differ along surfaces, which the network leaves out."""


def network_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit a body of parts that have one temperature each.

    Raises :class:`ReferenceRefusedError` where a region has not, or a capacity or view factor is not known.
    """
    if not problem.isothermal:
        raise ReferenceRefusedError("no part is said to have one temperature")
    even = {region for each in problem.isothermal for region in each.regions}
    for place, name in enumerate(problem.mesh.regions):
        if place not in even:
            raise ReferenceRefusedError(f"'{name}' has no one temperature throughout")
    parts = Parts(geometry, problem)
    views = known_views(geometry, problem) if problem.enclosures else ()
    cells = tuple(cell_of(law, seen, parts, geometry) for law, seen in zip(problem.enclosures, views, strict=True))
    capacity = np.zeros(len(parts.found))
    for place, each in enumerate(problem.isothermal):
        for region in each.regions:
            density, c = problem.capacities[region].density.constant, problem.capacities[region].c.constant
            if density is None or c is None:
                raise ReferenceRefusedError("a heat capacity follows temperature")
            capacity[place] += density * c * region_volume(problem.mesh, region)
    names = tuple(region.name for region in geometry.regions)
    kind = NetworkInTime if all(cell.exact for cell in cells) else UnevenInTime
    return kind(views, cells, parts, capacity, timing.temperature, timing.end, names)
