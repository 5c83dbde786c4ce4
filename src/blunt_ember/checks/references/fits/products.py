"""Rectangles, blocks and short cylinders: the product of what a wall and a long cylinder do (Carslaw & Jaeger, 1.15).

It holds from one temperature where all sides are held at, or meet, one and the same other temperature, or are
insulated.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.bodies import Section
from blunt_ember.checks.references.fits.field import Unsaid, side_of, single_rectangle
from blunt_ember.checks.references.fits.layered import flat_end, flat_ends
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.path import Upward
from blunt_ember.geometry.section import SectionGeometry, section_geometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.planar.lattice import rings_of
from blunt_ember.reference.side import Side
from blunt_ember.reference.warming import Warming

PRODUCT_SOURCE = "product of series solutions, Carslaw & Jaeger (1959), sections 1.15 and 8.2"


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
        left = float(np.prod([factor.warming.mean_at(self.t) for factor in self.factors]))
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


def product_field(geometry: AnyGeometry, problem: Problem, start: float, k: float, diffusivity: float) -> ProductInTime:
    """Fit a product; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    if len(problem.conductors) > 1:
        raise ReferenceRefusedError("the body has more than one region")
    met = {name: side_of(name, problem) for name in (*problem.held, *problem.exchanges)}
    ends = {temperature for side in met.values() for temperature in side.driving}
    if len(ends) != 1 or any(side.flux or side.radiation for side in met.values()):
        raise ReferenceRefusedError("the sides do not all meet one temperature")
    end = ends.pop()

    def wall(axis: int, low: float, high: float, names: tuple[str, str]) -> Factor:
        sides = tuple(_towards_nothing(met.get(name, Side())) for name in names)
        return Factor(Warming("wall", low, high, k, diffusivity, (sides[0], sides[1]), 1.0), axis)

    def cylinder(radius: float, name: str, centre: tuple[float, float] | None) -> Factor:
        sides = Side(), _towards_nothing(met.get(name, Side()))
        return Factor(Warming("cylinder", 0.0, radius, k, diffusivity, sides, 1.0), 0, centre)

    factors: list[Factor] = []
    if isinstance(geometry, SectionGeometry):
        lattice = single_rectangle(geometry)
        first, second = flat_ends(1, lattice.vs, geometry)
        factors.append(wall(1, float(lattice.vs[0]), float(lattice.vs[-1]), (first, second)))
        if not geometry.turned:
            factors.append(wall(0, float(lattice.us[0]), float(lattice.us[-1]), flat_ends(0, lattice.us, geometry)))
        elif lattice.us[0] > 1e-9 * lattice.us[-1]:
            raise ReferenceRefusedError("the cylinder is hollow")
        else:
            rim = flat_end(0, float(lattice.us[-1]), geometry)
            factors.append(cylinder(float(lattice.us[-1]), rim, None))
        depth = 1.0 if geometry.turned else geometry.depth or 1.0
    elif isinstance(geometry, SolidGeometry) and isinstance(geometry.path, Upward) and geometry.holds.size == 1:
        plan = section_geometry(Section(kind="section", regions=dict(geometry.stated)))
        region, depth = geometry.regions[0].name, 1.0
        rings = rings_of(plan)
        if rings is None:
            lattice = single_rectangle(plan)
            sides = {side: f"{region}.{side}" for side in ("left", "right", "front", "back")}
            factors.append(wall(0, float(lattice.us[0]), float(lattice.us[-1]), (sides["left"], sides["right"])))
            factors.append(wall(1, float(lattice.vs[0]), float(lattice.vs[-1]), (sides["front"], sides["back"])))
        elif rings.owner.size == len(rings.vs) - 1 and rings.us[0] == 0 and rings.closed:
            factors.append(cylinder(float(rings.us[-1]), f"{region}.rim", rings.centre))
        else:
            raise ReferenceRefusedError("the plan is no single rectangle or disc")
        low, high = geometry.path.stations[[0, -1]].tolist()
        factors.append(wall(2, low, high, (f"{region}.bottom", f"{region}.top")))
    else:
        raise ReferenceRefusedError("the body is no rectangle, block or short cylinder")
    volume = depth * float(np.prod([_measure(factor) for factor in factors]))
    return ProductInTime(tuple(factors), end, start - end, volume * k / diffusivity)


def _measure(factor: Factor) -> float:
    """Length of a wall in m, area of a cylinder in m²."""
    made = factor.warming
    return np.pi * made.end**2 if made.form == "cylinder" else made.end - made.start


def _towards_nothing(side: Side) -> Side:
    """A side as the difference from what all sides meet sees it."""
    return Side(held=None if side.held is None else 0.0, h=side.h)
