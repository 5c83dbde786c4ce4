"""What isothermal surfaces of enclosures exchange: the network of a hand calculation."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.questions.question import RadiatedHow
from blunt_ember.checks.references.fits.field import Idealised
from blunt_ember.checks.references.fits.networks.isothermal_parts import Part, Parts
from blunt_ember.checks.references.fits.networks.radiating_cell import (
    RadiatingCell,
    cell_among,
    cell_of,
    source_of_cells,
)
from blunt_ember.checks.references.fits.networks.seen_views import Names, SeenViews, known_views
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable

#: Share of the heat that is exchanged to which the temperatures of what floats are found.
_BALANCED = 1e-11
#: Where they are looked for, as shares of the highest temperature that is stated.
_STARTS = (0.9, 0.5, 2.0, 4.0, 8.0, 16.0)


@immutable
class NetworkField(SeenViews):
    """Isothermal grey surfaces: ``temperatures`` (n,) in K of the ``parts``."""

    cells: tuple[RadiatingCell, ...] = ()
    parts: tuple[Part, ...] = ()
    regions: Names = ()
    temperatures: Floats | None = None
    name: str = "grey-network"

    @property
    def source(self) -> str:
        """The network, and where its view factors are from."""
        return source_of_cells(self.cells, super().source)

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) of a region that has one throughout; NaN elsewhere."""
        assert self.temperatures is not None
        if region is not None:
            for part, temperature in zip(self.parts, self.temperatures.tolist(), strict=True):
                if self.regions[region] in part.regions:
                    return np.full(len(points), temperature)
        return np.full(len(points), np.nan)

    def radiated(self, surfaces: Names, how: RadiatedHow) -> float:
        """Heat in W of surfaces; NaN where they are in no one enclosure."""
        cell = cell_among(self.cells, surfaces)
        assert self.temperatures is not None
        return float("nan") if cell is None else cell.radiated(surfaces, how, self.temperatures)

    def exchanged(self, first: Names, second: Names) -> float:
        """Net heat in W radiated from surfaces, or the opening, to others, on every way."""
        cell = cell_among(self.cells, (*first, *second))
        assert self.temperatures is not None
        return float("nan") if cell is None else cell.exchanged(first, second, self.temperatures)


@immutable
class UnevenNetwork(Idealised, NetworkField):
    """A network of surfaces whose radiosity differs along them, which it leaves out."""


def grey_network(geometry: BodyGeometry, problem: Problem) -> NetworkField:
    """Fit the network; raise :class:`ReferenceRefusedError` where a surface is not isothermal or a view not known."""
    if problem.capacities:
        raise ReferenceRefusedError("the clock runs")
    views = known_views(geometry, problem)
    parts = Parts(geometry, problem)
    cells = [cell_of(law, seen, parts, geometry) for law, seen in zip(problem.enclosures, views, strict=True)]
    names = tuple(region.name for region in geometry.regions)
    kind = NetworkField if all(cell.exact for cell in cells) else UnevenNetwork
    temperatures = _balanced(cells, parts)
    return kind(views, cells=tuple(cells), parts=tuple(parts.found), regions=names, temperatures=temperatures)


def _balanced(cells: Sequence[RadiatingCell], parts: Parts) -> Floats:
    """Temperatures (n,) in K at which every part that floats gets as much as it gives."""
    known = np.array([np.nan if part.temperature is None else part.temperature for part in parts.found])
    free = np.flatnonzero(np.isnan(known))
    if not len(free):
        return known
    around = [each for part in parts.found for each in part.driving]
    around += [cell.behind for cell in cells if cell.behind is not None]
    scale = max(around, default=1000.0)

    def all_of(share: Floats) -> Floats:
        whole = known.copy()
        whole[free] = scale * share
        return whole

    def left(share: Floats) -> Floats:
        temperatures = all_of(share)
        gains = parts.gains(temperatures)
        for cell in cells:
            cell.add_net(gains, temperatures)
        return gains[free]

    def shares_left(share: Floats, flows: float) -> Floats:
        return left(share) / flows

    for start in _STARTS:
        begin = np.full(len(free), start)
        flows = float(np.abs(left(begin)).max()) or 1.0
        from scipy.optimize import root  # here, as it takes a while and few cases need it

        found = root(shares_left, begin, args=(flows,), tol=1e-15)
        if np.abs(left(found.x)).max() <= _BALANCED * flows and (found.x > 0).all():
            return all_of(found.x)
    raise ReferenceRefusedError("the network finds no temperatures at which every part is in balance")
