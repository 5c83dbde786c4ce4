"""Rectangular plates with a series solution."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.checks.fits.field import Floats
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem import Problem
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.lattice import lattice_of
from blunt_ember.reference.hot_edge_plate import SOURCE, HotEdgePlate


@dataclass(frozen=True)
class PlateField:
    """A plate whose hot edge is turned to the top: ``turns`` quarter turns about its middle."""

    plate: HotEdgePlate
    middle: tuple[float, float]
    turns: int
    #: Surface opposite the hot edge, and the heat in W that enters there.
    far: tuple[str, float]
    name: str = "hot-edge-plate"
    source: str = SOURCE

    def temperature(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        away = points - np.array(self.middle)
        for _ in range(self.turns):
            away = np.column_stack([-away[:, 1], away[:, 0]])
        return self.plate.temperature_at(away + np.array([self.plate.width, self.plate.height]) / 2)

    def heat(self, surface: str) -> float:
        """Heat in W through the edge opposite the hot one; at the corners of the hot edge it grows without bound."""
        return self.far[1] if surface == self.far[0] else float("nan")


def hot_edge_plate(geometry: SectionGeometry, problem: Problem) -> PlateField:
    """Fit a plate with one edge hot or cold; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    lattice = lattice_of(geometry)
    if geometry.turned or lattice is None or lattice.centre is not None or lattice.owner.size != 1:
        raise ReferenceRefusedError("the body is no single rectangle")
    by_edge = {_edge(surface.segments, geometry): surface.name for surface in geometry.outer_surfaces}
    if not all(name in problem.held for name in by_edge.values()):
        raise ReferenceRefusedError("not all four edges are held at a temperature")
    held = {edge: problem.held[name].temperature for edge, name in by_edge.items()}
    values = sorted(held.values())
    common = values[1]
    odd = [edge for edge, value in held.items() if value != common]
    if len(odd) != 1:
        raise ReferenceRefusedError("not exactly one edge differs from the other three")
    width, height = np.array(geometry.high) - np.array(geometry.low)
    turns = ("top", "right", "bottom", "left").index(odd[0])
    size = (height, width) if turns % 2 else (width, height)
    plate = HotEdgePlate(float(size[0]), float(size[1]), held[odd[0]], common)
    middle = (np.array(geometry.high) + np.array(geometry.low)) / 2
    opposite = ("bottom", "left", "top", "right")[turns]
    heat = -plate.far_edge_heat(problem.conductivity[0]) * (geometry.depth or 0.0)
    return PlateField(plate, (float(middle[0]), float(middle[1])), turns, (by_edge[opposite], heat))


def _edge(segments: Floats, geometry: SectionGeometry) -> str:
    places = segments.reshape(-1, 2).mean(axis=0)
    width, height = np.array(geometry.high) - np.array(geometry.low)
    x, y = (places - np.array(geometry.low)) / np.array([width, height])
    if abs(y - 0.5) < 1e-9:
        return "left" if x < 0.5 else "right"
    return "top" if y > 0.5 else "bottom"
