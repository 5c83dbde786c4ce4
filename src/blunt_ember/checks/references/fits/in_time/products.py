"""Rectangles, blocks and short cylinders: the product of what a wall and a long cylinder do (Carslaw & Jaeger, 1.15).

It holds from one temperature where all sides are held at, or meet, one and the same other temperature, or are
insulated.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.bodies import Section
from blunt_ember.checks.references.fits.field import Unsaid, require_whole, side_of, single_rectangle
from blunt_ember.checks.references.fits.in_time.timing import Timing, one_material
from blunt_ember.checks.references.fits.layered import flat_end, flat_ends
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import SectionGeometry, section_geometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.planar.lattice import rings_of
from blunt_ember.reference.in_layers.warming import Warming, one_layer
from blunt_ember.reference.side import Side

PRODUCT_SOURCE = "product of series solutions, Carslaw & Jaeger (1959), sections 1.15 and 8.2"
_NO_PRODUCT = "the body is no rectangle, block or short cylinder"


@dataclass(frozen=True)
class Factor:
    """A wall along an ``axis``, or a cylinder about a ``centre`` in the plane of the first two."""

    warming: Warming
    axis: int = 0
    centre: tuple[float, float] | None = None

    def share(self, points: Floats, t: float) -> Floats:
        """Return what is left (p,) of the difference at the start; the warming goes from 1 to 0."""
        s = points[:, self.axis]
        if self.centre is not None:
            s = np.linalg.norm(points[:, :2] - np.array(self.centre), axis=1)
        return self.warming.temperature_at(np.clip(s, self.warming.start, self.warming.end), t)

    def left_at(self, t: float) -> float:
        """Return what is left of it in the mean."""
        return 1 + self.warming.gained_at(t) / self.warming.stack.content


@dataclass(frozen=True)
class ProductMoment(Unsaid):
    """An instant of a product; ``end`` in K is what all sides meet, ``drop`` in K what the start is above it."""

    factors: tuple[Factor, ...]
    end: float
    drop: float
    content: float
    t: float
    name: str = "product-in-time"
    source: str = PRODUCT_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m."""
        left = np.ones(len(points))
        for factor in self.factors:
            left = left * factor.share(points, self.t)
        return self.end + self.drop * left

    def stored(self) -> float:
        """Heat in J stored since the start."""
        left = float(np.prod([factor.left_at(self.t) for factor in self.factors]))
        return self.content * self.drop * (left - 1)


@dataclass(frozen=True)
class ProductInTime:
    """A product through time; ``content`` is the heat capacity in J/K."""

    factors: tuple[Factor, ...]
    end: float
    drop: float
    content: float
    name: str = "product-in-time"
    source: str = PRODUCT_SOURCE

    def at(self, t: float) -> ProductMoment:
        """Return the field of a time in s."""
        return ProductMoment(self.factors, self.end, self.drop, self.content, t)


@dataclass(frozen=True)
class _Sides:
    """Makes the factors of a body of one material from the sides it has."""

    met: Mapping[str, Side]
    k: float
    diffusivity: float

    def wall(self, axis: int, low: float, high: float, names: tuple[str, str]) -> Factor:
        """Return a wall along an axis between two sides."""
        first, second = (_towards_nothing(self.met.get(name, Side())) for name in names)
        return Factor(one_layer("wall", low, high, self.k, self.diffusivity, (first, second), 1.0), axis)

    def cylinder(self, radius: float, name: str, centre: tuple[float, float] | None) -> Factor:
        """Return a cylinder with its rim."""
        sides = Side(), _towards_nothing(self.met.get(name, Side()))
        return Factor(one_layer("cylinder", 0.0, radius, self.k, self.diffusivity, sides, 1.0), 0, centre)


def product_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> ProductInTime:
    """Fit a rectangle, block or short cylinder of one material; raise as :func:`product_field` does."""
    return product_field(geometry, problem, timing.temperature, *one_material(problem))


def product_field(
    geometry: BodyGeometry, problem: Problem, start: float, k: float, diffusivity: float
) -> ProductInTime:
    """Fit a product; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    if len(problem.conductors) > 1:
        raise ReferenceRefusedError("the body has more than one region")
    met = {name: side_of(name, problem) for name in (*problem.held, *problem.exchanges)}
    ends = {temperature for side in met.values() for temperature in side.driving}
    if len(ends) != 1 or any(side.flux or side.radiation for side in met.values()):
        raise ReferenceRefusedError("the sides do not all meet one temperature")
    end = ends.pop()
    if type(geometry) not in _FACTORS:
        raise ReferenceRefusedError(_NO_PRODUCT)
    factors, depth = _FACTORS[type(geometry)](geometry, _Sides(met, k, diffusivity))
    volume = depth * float(np.prod([_measure(factor) for factor in factors]))
    return ProductInTime(tuple(factors), end, start - end, volume * k / diffusivity)


def _of_section(geometry: SectionGeometry, sides: _Sides) -> tuple[list[Factor], float]:
    """The factors of a rectangle, or of a short cylinder, and what else its volume has as a factor."""
    lattice = single_rectangle(geometry)
    up = sides.wall(1, float(lattice.vs[0]), float(lattice.vs[-1]), flat_ends(1, lattice.vs, geometry))
    low, high = float(lattice.us[0]), float(lattice.us[-1])
    if not geometry.turned:
        return [up, sides.wall(0, low, high, flat_ends(0, lattice.us, geometry))], geometry.depth or 1.0
    if low > 1e-9 * high:
        raise ReferenceRefusedError("the cylinder is hollow")
    return [up, sides.cylinder(high, flat_end(0, high, geometry), None)], 1.0


def _of_solid(geometry: SolidGeometry, sides: _Sides) -> tuple[list[Factor], float]:
    """The factors of a block, or of an upright cylinder."""
    if not geometry.path.straight or geometry.holds.size != 1:
        raise ReferenceRefusedError(_NO_PRODUCT)
    plan = section_geometry(Section(kind="section", regions=dict(geometry.stated)))
    region, rings = geometry.regions[0].name, rings_of(plan)
    low, high = geometry.path.stations[[0, -1]].tolist()
    up = sides.wall(2, low, high, (f"{region}.bottom", f"{region}.top"))
    if rings is None:
        lattice = single_rectangle(plan)
        named = {side: f"{region}.{side}" for side in ("left", "right", "front", "back")}
        require_whole(geometry, (*named.values(), f"{region}.bottom", f"{region}.top"))
        across = sides.wall(0, float(lattice.us[0]), float(lattice.us[-1]), (named["left"], named["right"]))
        along = sides.wall(1, float(lattice.vs[0]), float(lattice.vs[-1]), (named["front"], named["back"]))
        return [across, along, up], 1.0
    if rings.owner.size == len(rings.vs) - 1 and rings.us[0] == 0 and rings.closed:
        require_whole(geometry, (f"{region}.{side}" for side in ("rim", "bottom", "top")))
        return [sides.cylinder(float(rings.us[-1]), f"{region}.rim", rings.centre), up], 1.0
    raise ReferenceRefusedError("the plan is no single rectangle or disc")


#: What makes the factors of a body, by its geometry.
_FACTORS: Mapping[type[BodyGeometry], Callable[[Any, _Sides], tuple[list[Factor], float]]] = MappingProxyType(
    {SectionGeometry: _of_section, SolidGeometry: _of_solid}
)


def _measure(factor: Factor) -> float:
    """Length of a wall in m, area of a cylinder in m²."""
    made = factor.warming
    return np.pi * made.end**2 if made.form == "cylinder" else made.end - made.start


def _towards_nothing(side: Side) -> Side:
    """A side as the difference from what all sides meet sees it."""
    return Side(held=None if side.held is None else 0.0, h=side.h)
