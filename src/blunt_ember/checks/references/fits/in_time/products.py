"""Rectangles, blocks and short cylinders: the product of what a wall and a long cylinder do (Carslaw & Jaeger, 1.15).

It holds from one temperature where all sides are held at, or meet, one and the same other temperature, or are
insulated.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from types import MappingProxyType
from typing import Any

import numpy as np
from scipy.interpolate import make_interp_spline

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
from blunt_ember.immutable import immutable
from blunt_ember.reference.in_layers.warming import Warming, one_layer
from blunt_ember.reference.side import Side
from blunt_ember.sent_bare import SentBare

PRODUCT_SOURCE = "product of series solutions, Carslaw & Jaeger (1959), sections 1.15 and 8.2"
_NO_PRODUCT = "the body is no rectangle, block or short cylinder"
#: Terms of a factor that what has passed is summed with, e to minus what has faded, and instants it is found at.
_TERMS, _FADED, _INSTANTS = 1_024, 42.0, 300


@immutable
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

    @property
    def measure(self) -> float:
        """Length of a wall in m, area of a cylinder in m²."""
        made = self.warming
        return np.pi * made.end**2 if made.form == "cylinder" else made.end - made.start

    def edge(self, place: int) -> float:
        """What lies on one of its sides: 1 of a wall, the length of a cylinder's rim in m."""
        return 2 * np.pi * self.warming.stack.lines[-place] if self.warming.form == "cylinder" else 1.0

    @property
    def fades(self) -> tuple[float, float]:
        """How fast the slowest and the fastest of the terms fade that are summed, 1/s."""
        modes, _ = self.warming.expanded(_TERMS)
        return float(modes.roots[0]) ** 2, float(modes.roots[-1]) ** 2


@immutable
class ProductMoment(Unsaid):
    """An instant of a product at ``t`` in s."""

    whole: ProductInTime
    t: float
    name: str = "product-in-time"
    source: str = PRODUCT_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m."""
        left = np.ones(len(points))
        for factor in self.whole.factors:
            left = left * factor.share(points, self.t)
        return self.whole.end + self.whole.drop * left

    def heat(self, surface: str) -> float:
        """Heat in W that enters through a whole side."""
        if surface not in self.whole.faces:
            return float("nan")
        number, place = self.whole.faces[surface]
        return self.whole.inflow(number, place, self.t)

    def passed(self, surface: str) -> float:
        """Heat in J that has entered through a whole side since the start."""
        if surface not in self.whole.faces:
            return float("nan")
        return self.whole.passed(self.whole.faces[surface], self.t)

    def stored(self) -> float:
        """Heat in J stored since the start."""
        left = float(np.prod([factor.left_at(self.t) for factor in self.whole.factors]))
        return self.whole.content * self.whole.drop * (left - 1)


@immutable
class ProductInTime(SentBare):
    """A product through time: ``end`` in K is what all sides meet, ``drop`` in K what the start is above it,
    ``content`` the heat capacity in J/K, ``depth`` in m what a section stands for, and ``faces`` the factor and the end
    of it that a side is."""

    factors: tuple[Factor, ...]
    end: float
    drop: float
    content: float
    depth: float
    faces: Mapping[str, tuple[int, int]]
    name: str = "product-in-time"
    source: str = PRODUCT_SOURCE

    @cached_property
    def _passing(self) -> dict[tuple[int, int], Callable[[float], float]]:
        """What has passed over time, by face."""
        return {}

    def at(self, t: float) -> ProductMoment:
        """Return the field of a time in s."""
        return ProductMoment(self, t)

    def inflow(self, number: int, place: int, t: float) -> float:
        """Return the heat in W that enters at an end of a factor; NaN at a time too early to sum."""
        return self._scale(number, place) * self.factors[number].warming.flux_in(t)[place] * self._others(number, t)

    def passed(self, face: tuple[int, int], t: float) -> float:
        """Return the heat in J that has entered at an end of a factor since the start."""
        if face not in self._passing:
            self._passing[face] = self._integrated(*face)
        return self._passing[face](t)

    def _scale(self, number: int, place: int) -> float:
        """What the flux at an end of a factor is multiplied by, but for what the others have left, K m²."""
        others = [factor.measure for other, factor in enumerate(self.factors) if other != number]
        return self.drop * self.depth * self.factors[number].edge(place) * float(np.prod(others))

    def _others(self, number: int, t: float) -> float:
        """What is left in the mean of the product of the other factors."""
        return float(np.prod([each.left_at(t) for other, each in enumerate(self.factors) if other != number]))

    def _integrated(self, number: int, place: int) -> Callable[[float], float]:
        """The heat that has passed, over time: a spline over the logarithm of time from when the terms can be summed.

        Until then what has passed goes with a power p of time and what the others have lost with a power q, both as
        they are found there, so that of that loss p/(p + q) counts.
        """
        factor = self.factors[number]
        slow, fast = zip(*(each.fades for each in self.factors), strict=True)
        first, last = _FADED / min(fast), _FADED / sum(slow)
        turns = 2 * np.pi if factor.warming.form == "cylinder" else 1.0
        scale = self._scale(number, place)
        early = first, 2 * first
        alone = np.array([factor.warming.passed_at(place, t) * turns / factor.edge(place) for t in early])
        lost = np.array([1 - self._others(number, t) for t in early])
        powers = [float(np.log2(pair[1] / pair[0])) if pair[0] else 1.0 for pair in (alone, lost)]
        before = scale * float(alone[0] * (1 - lost[0] * powers[0] / sum(powers)))
        grid = np.linspace(np.log(first), np.log(last), _INSTANTS)
        flow = np.array([self.inflow(number, place, t) * t for t in np.exp(grid).tolist()])
        since = make_interp_spline(grid, flow, k=5).antiderivative()

        def at(t: float) -> float:
            if t < first:
                return float("nan") if t > 0 else 0.0
            return before + float(since(min(np.log(t), grid[-1])) - since(grid[0]))

        return at


#: A factor with the sides at its ends: 0 where it begins, 1 where it ends.
_Made = tuple[Factor, Mapping[int, str]]


@immutable
class _Sides:
    """Makes the factors of a body of one material from the sides it has."""

    met: Mapping[str, Side]
    k: float
    diffusivity: float

    def wall(self, axis: int, low: float, high: float, names: tuple[str, str]) -> _Made:
        """Return a wall along an axis between two sides."""
        first, second = (_towards_nothing(self.met.get(name, Side())) for name in names)
        wall = one_layer("wall", low, high, self.k, self.diffusivity, (first, second), 1.0)
        return Factor(wall, axis), dict(enumerate(names))

    def cylinder(self, radius: float, name: str, centre: tuple[float, float] | None) -> _Made:
        """Return a cylinder with its rim."""
        sides = Side(), _towards_nothing(self.met.get(name, Side()))
        return Factor(one_layer("cylinder", 0.0, radius, self.k, self.diffusivity, sides, 1.0), 0, centre), {1: name}


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
    made, depth = _FACTORS[type(geometry)](geometry, _Sides(met, k, diffusivity))
    factors = tuple(factor for factor, _ in made)
    faces = {name: (number, place) for number, (_, ends) in enumerate(made) for place, name in ends.items()}
    volume = depth * float(np.prod([factor.measure for factor in factors]))
    return ProductInTime(factors, end, start - end, volume * k / diffusivity, depth, faces)


def _of_section(geometry: SectionGeometry, sides: _Sides) -> tuple[list[_Made], float]:
    """The factors of a rectangle, or of a short cylinder, and what else its volume has as a factor."""
    lattice = single_rectangle(geometry)
    up = sides.wall(1, float(lattice.vs[0]), float(lattice.vs[-1]), flat_ends(1, lattice.vs, geometry))
    low, high = float(lattice.us[0]), float(lattice.us[-1])
    if not geometry.turned:
        return [up, sides.wall(0, low, high, flat_ends(0, lattice.us, geometry))], geometry.depth or 1.0
    if low > 1e-9 * high:
        raise ReferenceRefusedError("the cylinder is hollow")
    return [up, sides.cylinder(high, flat_end(0, high, geometry), None)], 1.0


def _of_solid(geometry: SolidGeometry, sides: _Sides) -> tuple[list[_Made], float]:
    """The factors of a block, or of an upright cylinder."""
    if not geometry.path.straight or geometry.holds.size != 1:
        raise ReferenceRefusedError(_NO_PRODUCT)
    plan = section_geometry(Section(kind="section", regions=dict(geometry.stated)))
    region, rings = geometry.regions[0].name, plan.rings
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
_FACTORS: Mapping[type[BodyGeometry], Callable[[Any, _Sides], tuple[list[_Made], float]]] = MappingProxyType(
    {SectionGeometry: _of_section, SolidGeometry: _of_solid}
)


def _towards_nothing(side: Side) -> Side:
    """A side as the difference from what all sides meet sees it."""
    return Side(held=None if side.held is None else 0.0, h=side.h)
