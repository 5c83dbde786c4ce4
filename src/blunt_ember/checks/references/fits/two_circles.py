"""Bodies between two round rims, one off the middle of the other."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.field import plain_conductivity, side_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.section import SectionGeometry, SectionSurface
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.two_circles import TWO_CIRCLES_SOURCE, TwoCircles

#: Share of a radius by which rims are taken for concentric, and arcs for those of one circle.
_SAME = 1e-9


@immutable
class BetweenCircles:
    """The body with the heat in W through its rims, + into it."""

    circles: TwoCircles
    heats: dict[str, float]
    name: str = "off-centre-bore"
    source: str = TWO_CIRCLES_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        return self.circles.temperature(points)

    def heat(self, surface: str) -> float:
        """Heat in W through a rim."""
        return self.heats.get(surface, float("nan"))


def off_centre_bore(geometry: SectionGeometry, problem: Problem) -> BetweenCircles:
    """Fit a round body with a round bore off its middle, both held; raise :class:`ReferenceRefusedError` with the
    reason it does not hold."""
    if geometry.turned:
        raise ReferenceRefusedError("the section is turned about an axis")
    if sum(not region.void for region in geometry.regions) != 1 or geometry.interfaces:
        raise ReferenceRefusedError("the body has several regions")
    rims = geometry.outer_surfaces
    if len(rims) != 2:
        raise ReferenceRefusedError("the body has not two rims")
    found = sorted(((*_circle(geometry, rim), rim.name) for rim in rims), key=lambda each: -each[1])
    (middle, outer, outside), (other, inner, inside) = found
    away = float(np.hypot(*np.subtract(middle, other)))
    if away <= _SAME * outer or away + inner >= outer:
        raise ReferenceRefusedError("its rims are concentric, or meet")
    held = tuple(side_of(name, problem).held for name in (outside, inside))
    if held[0] is None or held[1] is None:
        raise ReferenceRefusedError("not both rims are held at a temperature")
    region = next(place for place, each in enumerate(geometry.regions) if not each.void)
    k = plain_conductivity(problem, region)
    circles = TwoCircles((middle, other), (outer, inner), (held[0], held[1]), k)
    heat = circles.heat * (geometry.depth or 1.0)
    return BetweenCircles(circles, {inside: heat, outside: -heat})


def _circle(geometry: SectionGeometry, rim: SectionSurface) -> tuple[tuple[float, float], float]:
    """The middle and the radius of a rim; refused where it is no whole circle."""
    curves = geometry.arrangement.curves.take(rim.edges)
    if not curves.is_arc.all() or abs(float(np.abs(curves.sweep).sum()) - 2 * np.pi) > _SAME:
        raise ReferenceRefusedError(f"{rim.name} is no circle")
    middle, radius = curves.centre[0], float(curves.radius[0])
    off = max(float(np.abs(curves.centre - middle).max()), float(np.abs(curves.radius - radius).max()))
    if off > _SAME * radius:
        raise ReferenceRefusedError(f"{rim.name} is no circle")
    return (float(middle[0]), float(middle[1])), radius
