"""Bodies at one temperature throughout, in time."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import Idealised, MovingField, Unsaid, side_of
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.transient.storage import storage_of
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference import lumped
from blunt_ember.reference.lumped import Lumped
from blunt_ember.reference.side import Side

#: Biot number up to which a body is as good as at one temperature.
LUMPED_BIOT = 0.02


@immutable
class LumpedMoment(Idealised, Unsaid):
    """A body at one temperature at an instant."""

    body: Lumped
    sides: Mapping[str, tuple[float, Side]]
    t: float
    name: str = "lumped"
    source: str = lumped.LUMPED_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m."""
        return np.full(len(points), self.body.at(self.t))

    def heat(self, surface: str) -> float:
        """Heat in W through a surface."""
        return self.body.inflow(*self.sides[surface], self.t) if surface in self.sides else 0.0

    def stored(self) -> float:
        """Heat in J stored since the start."""
        return self.body.capacity * (self.body.at(self.t) - self.body.temperature)


@immutable
class LumpedInTime(Idealised):
    """A body at one temperature through time."""

    body: Lumped
    sides: Mapping[str, tuple[float, Side]]
    name: str = "lumped"
    source: str = lumped.LUMPED_SOURCE

    def at(self, t: float) -> LumpedMoment:
        """Return the field of a time in s."""
        return LumpedMoment(self.body, self.sides, t)


def lumped_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit a body at one temperature; raise :class:`ReferenceRefusedError` where its Biot number is too large."""
    if problem.held:
        raise ReferenceRefusedError("a surface is held, so the body is not at one temperature")
    start = timing.temperature
    if any(capacity.c.constant is None or capacity.density.constant is None for capacity in problem.capacities):
        raise ReferenceRefusedError("a heat capacity follows temperature")
    if problem.points or any(source.per_volume.constant is None for source in problem.sources):
        raise ReferenceRefusedError("heat arises in a way that is not even")
    if timing.biot is None or timing.biot > LUMPED_BIOT:
        said = "no film or radiation" if timing.biot is None else f"a Biot number of {timing.biot:.2g}"
        raise ReferenceRefusedError(f"the body has {said}; it is at one temperature up to {LUMPED_BIOT}")
    storage = storage_of(problem, start)
    capacity = float(sum(each.slope(np.zeros(each.nodes.shape)).sum() for each in storage))
    sides = {name: (geometry.surfaces[name].area, side_of(name, problem)) for name in problem.exchanges}
    power = 0.0
    for source in problem.sources:
        volume = sum(float(each.volumes[each.regions == source.region].sum()) for each in storage)
        power += (source.per_volume.constant or 0.0) * volume
    body = Lumped(capacity, start, tuple(sides.values()), power, timing.end)
    return LumpedInTime(body, MappingProxyType(sides))
