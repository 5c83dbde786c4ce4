"""Rectangular plates with a series solution."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import (
    conductivity_towards,
    generation_of,
    plain_conductivity,
    side_of,
    single_rectangle,
)
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.hot_edge_plate import HOT_EDGE_PLATE_SOURCE, HotEdgePlate
from blunt_ember.reference.crosswise.rectangle import RECTANGLE_SOURCE, RectangleSeries


@immutable
class PlateField:
    """A plate whose hot edge is turned to the top: ``turns`` quarter turns about its middle."""

    plate: HotEdgePlate
    middle: tuple[float, float]
    turns: int
    #: Surface opposite the hot edge, and the heat in W that enters there.
    far: tuple[str, float]
    name: str = "hot-edge-plate"
    source: str = HOT_EDGE_PLATE_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
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
    single_rectangle(geometry)
    if geometry.turned:
        raise ReferenceRefusedError("the section is turned about an axis")
    by_edge = _edges(geometry)
    if not all(name in problem.held for name in by_edge.values()):
        raise ReferenceRefusedError("not all four edges are held at a temperature")
    held = {edge: side_of(name, problem).held or 0.0 for edge, name in by_edge.items()}
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
    heat = -plate.far_edge_heat(plain_conductivity(problem, 0)) * (geometry.depth or 0.0)
    return PlateField(plate, (float(middle[0]), float(middle[1])), turns, (by_edge[opposite], heat))


@immutable
class RectangleField:
    """A rectangle whose lower left corner is ``corner`` (m); ``edges`` by the names of their surfaces."""

    rectangle: RectangleSeries
    corner: tuple[float, float]
    depth: float
    edges: dict[str, str]
    name: str = "rectangle"
    source: str = RECTANGLE_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        return self.rectangle.temperature_at(points - np.array(self.corner))

    def heat(self, surface: str) -> float:
        """Heat in W through an edge; NaN where it grows without bound at a corner."""
        if surface not in self.edges:
            return float("nan")
        return self.rectangle.heat(self.edges[surface]) * self.depth


def rectangle(geometry: SectionGeometry, problem: Problem) -> RectangleField:
    """Fit a rectangle of one material; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    single_rectangle(geometry)
    if geometry.turned:
        raise ReferenceRefusedError("the section is turned about an axis")
    generation = generation_of(problem).get(0, 0.0)
    along = [conductivity_towards(problem, 0, axis, slanted=False).constant for axis in (0, 1)]
    if along[0] is None or along[1] is None:
        raise ReferenceRefusedError("the conductivity follows the temperature")
    edges = _edges(geometry)
    sides = {edge: side_of(name, problem) for edge, name in edges.items()}
    width, height = (float(high - low) for low, high in zip(geometry.low, geometry.high, strict=True))
    found = RectangleSeries(
        width, height, along[0], along[1], generation, sides["left"], sides["right"], sides["bottom"], sides["top"]
    )
    corner = float(geometry.low[0]), float(geometry.low[1])
    return RectangleField(found, corner, geometry.depth or 0.0, {name: edge for edge, name in edges.items()})


def _edges(geometry: SectionGeometry) -> dict[str, str]:
    """Surfaces by the edge of the rectangle they are."""
    found = {_edge(surface.segments, geometry): surface.name for surface in geometry.outer_surfaces}
    if len(geometry.outer_surfaces) != 4 or len(found) != 4:
        raise ReferenceRefusedError("an edge is no single surface")
    return found


def _edge(segments: Floats, geometry: SectionGeometry) -> str:
    places = segments.reshape(-1, 2).mean(axis=0)
    width, height = np.array(geometry.high) - np.array(geometry.low)
    x, y = (places - np.array(geometry.low)) / np.array([width, height])
    if abs(y - 0.5) < 1e-9:
        return "left" if x < 0.5 else "right"
    return "top" if y > 0.5 else "bottom"
