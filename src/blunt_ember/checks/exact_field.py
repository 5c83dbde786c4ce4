"""Exact solutions fitted to a case: which one holds for it, and what it says at any place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from types import MappingProxyType
from typing import Protocol

import numpy as np

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem import Exchange, Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.lattice import Lattice, lattice_of
from blunt_ember.reference.composite_wall import SOURCE, CompositeWall, Floats, Layer, WallSide


class ExactField(Protocol):
    """An exact solution in the coordinates of the case."""

    @property
    def name(self) -> str:
        """Name of the solution, as a case refers to it."""

    @property
    def source(self) -> str:
        """Where it comes from."""

    def temperature(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""

    def heat(self, surface: str) -> float:
        """Heat in W through a surface, with the sign of the ledger."""


@dataclass(frozen=True)
class WallField:
    """A composite wall laid along axis 0 (x) or 1 (y) of the case."""

    wall: CompositeWall
    axis: int
    origin: float
    area: float
    #: Sign of the heat through each surface that crosses the wall, relative to the flux from start to end.
    crossing: dict[str, float]
    name: str = "composite-wall"
    source: str = SOURCE

    def temperature(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        return self.wall.temperature_at(points[:, self.axis] - self.origin)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; the long sides of the wall pass none."""
        return self.crossing.get(surface, 0.0) * self.wall.flux * self.area


def exact_field(name: str, geometry: SectionGeometry, problem: Problem) -> ExactField:
    """Fit the named exact solution to a case; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    if name not in SOLUTIONS:
        known = ", ".join(repr(known) for known in SOLUTIONS)
        raise ReferenceRefusedError(f"there is no exact solution '{name}'; there is {known}")
    return SOLUTIONS[name](geometry, problem)


def recognised(geometry: SectionGeometry, problem: Problem) -> ExactField | None:
    """Return the first exact solution that holds for a case, or None."""
    for fit in SOLUTIONS.values():
        try:
            return fit(geometry, problem)
        except ReferenceRefusedError:
            continue
    return None


def _plane_wall(geometry: SectionGeometry, problem: Problem) -> WallField:
    field = _composite_wall(geometry, problem)
    if len(field.wall.layers) > 1:
        raise ReferenceRefusedError("a plane wall has one layer; this one has more, ask for 'composite-wall'")
    return WallField(field.wall, field.axis, field.origin, field.area, field.crossing, "plane-wall")


def _composite_wall(geometry: SectionGeometry, problem: Problem) -> WallField:
    lattice = lattice_of(geometry)
    if geometry.turned or lattice is None or lattice.centre is not None or (lattice.owner == VOID).any():
        raise ReferenceRefusedError("the regions do not fill a rectangle, so heat does not flow straight through")
    reasons = []
    for axis in (0, 1):
        try:
            return _wall_along(axis, lattice, geometry, problem)
        except ReferenceRefusedError as error:
            reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(dict.fromkeys(reasons)))


def _wall_along(axis: int, lattice: Lattice, geometry: SectionGeometry, problem: Problem) -> WallField:
    owner = lattice.owner if axis == 0 else lattice.owner.T
    lines, across = (lattice.us, lattice.vs) if axis == 0 else (lattice.vs, lattice.us)
    direction = "xy"[axis]
    if (owner != owner[:, :1]).any():
        raise ReferenceRefusedError(f"along {direction} the layers do not run through the whole wall")
    order = owner[:, 0].tolist()
    layers = tuple(
        Layer(float(width), problem.conductivity[region]) for region, width in zip(order, np.diff(lines), strict=True)
    )
    first, last = _ends(axis, lines, geometry)
    for surface in geometry.outer_surfaces:
        if surface.name not in (first, last) and _side(surface.name, problem) != WallSide():
            raise ReferenceRefusedError(f"along {direction} heat passes through {surface.name} at the side of the wall")
    wall = CompositeWall(layers, _side(first, problem), _side(last, problem))
    names = [region.name for region in geometry.regions]
    crossing = {first: 1.0, last: -1.0}
    for a, b in pairwise(order):
        if a != b:
            i, j = sorted((a, b))
            crossing[f"{names[i]}|{names[j]}"] = crossing.get(f"{names[i]}|{names[j]}", 0.0) + (1.0 if a == i else -1.0)
    area = float(np.ptp(across)) * (geometry.depth or 0.0)
    return WallField(wall, axis, float(lines[0]), area, crossing)


def _ends(axis: int, lines: Floats, geometry: SectionGeometry) -> tuple[str, str]:
    """Names of the surfaces that lie whole at the first and at the last line."""
    found = []
    for line in (lines[0], lines[-1]):
        at = [
            s.name
            for s in geometry.outer_surfaces
            if np.abs(s.segments[..., axis] - line).max() < 1e-9 * geometry.extent
        ]
        if len(at) != 1:
            raise ReferenceRefusedError(f"along {'xy'[axis]} an end of the wall is no single surface")
        found.append(at[0])
    return found[0], found[1]


def _side(surface: str, problem: Problem) -> WallSide:
    if surface in problem.held:
        return WallSide(held=problem.held[surface].temperature)
    exchange = problem.exchanges.get(surface, Exchange())
    return WallSide(flux=exchange.flux, h=exchange.h, fluid=exchange.fluid if exchange.h else 0.0)


#: Every exact solution by the name a case refers to it.
SOLUTIONS: Mapping[str, Callable[[SectionGeometry, Problem], ExactField]] = MappingProxyType(
    {"plane-wall": _plane_wall, "composite-wall": _composite_wall}
)
