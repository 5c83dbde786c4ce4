"""View factors in closed form, each as the exchanged area: the area of one surface times its view factor to the other.

J. R. Howell, M. P. Mengüç, K. Daun & R. Siegel, Thermal Radiation Heat Transfer, 7th ed. (2021), app. C and J. R.
Howell's catalogue, by whose numbers the functions go; crossed strings are H. C. Hottel's (in W. H. McAdams, Heat
Transmission, 3rd ed. (1954), ch. 4). All lengths in m; in a plane the area is that of 1 m depth.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from math import asin, atan, hypot, log, pi, sqrt

import shapely

#: Two places on a line, m.
Interval = tuple[float, float]
Point = tuple[float, float]
#: Places nearer than this share of how far other ones are, are one.
_SAME = 1e-9


def strings(first: tuple[Point, Point], second: tuple[Point, Point]) -> float:
    """Return what two curves see of each other whose ends, in order, go once round their convex hull.

    Only the ends matter as long as both curves are part of the hull and nothing stands within it.
    """
    (a, b), (c, d) = first, second
    crossed = _apart(a, c) + _apart(b, d)
    return max((crossed - _apart(b, c) - _apart(d, a)) / 2, 0.0)


def strings_past(first: tuple[Point, Point], second: tuple[Point, Point], body: Sequence[Point]) -> float:
    """Return what two strips see of each other past one convex body with corners between them; ends as in
    :func:`strings`.

    On either side of the body every string is drawn tight round it (H. C. Hottel & A. F. Sarofim, Radiative Transfer
    (1967), ch. 2).
    """
    (a, b), (c, d) = first, second
    found = 0.0
    for side in (1.0, -1.0):
        crossed = _tight(a, c, body, side) + _tight(b, d, body, side)
        # Where strips share an end, a string between these two ends goes all round the body or nowhere.
        beside = _tight(b, c, body, side, side > 0) + _tight(a, d, body, side, side < 0)
        found += max((crossed - beside) / 2, 0.0)
    return found


def _tight(start: Point, end: Point, body: Sequence[Point], side: float, round_it: bool = False) -> float:
    """Length of a string drawn tight past a convex body, which it has on its right (``side`` 1) or left (-1); from a
    place back to itself it may go ``round_it``."""
    straight = _apart(start, end)
    along = end[0] - start[0], end[1] - start[1]
    if straight <= _SAME * max(_apart(start, place) for place in body):
        pushing = list(body) if round_it else []
    else:
        pushing = [
            place for place in body if side * (along[0] * (place[1] - start[1]) - along[1] * (place[0] - start[0])) > 0
        ]
    return float(shapely.MultiPoint([start, end, *pushing]).convex_hull.length) - straight if pushing else straight


def parallel_cylinders(first: float, second: float, apart: float) -> float:
    """Return what long cylinders of two radii see of each other whose axes are ``apart`` (C-63 where they are alike).

    Crossed strings are wound about both, the uncrossed ones touch them from outside.
    """
    total, gap = first + second, first - second
    crossed = sqrt(apart**2 - total**2) + total * asin(total / apart)
    return crossed - sqrt(apart**2 - gap**2) - gap * asin(gap / apart)


def cylinder_and_strip(radius: float, away: float, along: Interval) -> float:
    """Return what a long cylinder and a strip see of each other that lies ``away`` from the axis of the cylinder and
    reaches ``along`` from the foot of the perpendicular on it (C-62)."""
    start, end = along
    return radius * (atan(end / away) - atan(start / away))


def coaxial_discs(first: float, second: float, apart: float) -> float:
    """Return what discs of two radii see of each other that face each other on one axis (C-41)."""
    if first == 0 or second == 0:
        return 0.0
    if apart == 0:
        return pi * min(first, second) ** 2
    x = 1 + (second**2 + apart**2) / first**2
    ratio = (second / first) ** 2
    # (x − √(x² − 4 ratio))/2 without its cancellation.
    return pi * first**2 * 2 * ratio / (x + sqrt((x - 2 * sqrt(ratio)) * (x + 2 * sqrt(ratio))))


def ball_and_disc(ball: float, disc: float, away: float) -> float:
    """Return what a ball and a disc see of each other, the middle of the ball ``away`` on the axis of the disc
    (C-122)."""
    return 4 * pi * ball**2 * (1 - 1 / sqrt(1 + (disc / away) ** 2)) / 2


def parallel_rectangles(first: tuple[Interval, Interval], second: tuple[Interval, Interval], apart: float) -> float:
    """Return what rectangles see of each other that face each other in two planes, each given by what it reaches over
    in both directions (C-13)."""
    return _over_corners(lambda x, y, eta, xi: _parallel(x - xi, y - eta, apart), (*first, second[1], second[0]))


def perpendicular_rectangles(first: tuple[Interval, Interval], second: tuple[Interval, Interval]) -> float:
    """Return what rectangles see of each other in two planes that meet at a right angle, each given by how far it
    reaches from the line where they meet, and over which part along it (C-17)."""
    (away, along), (high, beside) = first, second
    return _over_corners(lambda x, y, eta, xi: _perpendicular(hypot(x, xi), y - eta), (away, along, beside, high))


def _over_corners(term: object, sides: tuple[Interval, Interval, Interval, Interval]) -> float:
    assert callable(term)
    total = 0.0
    for corner in product((0, 1), repeat=4):
        x, y, eta, xi = (side[end] for side, end in zip(sides, corner, strict=True))
        total += (-1) ** sum(corner) * term(x, y, eta, xi)
    return total / (2 * pi)


def _parallel(x: float, y: float, z: float) -> float:
    u, v = hypot(x, z), hypot(y, z)
    return y * u * atan(y / u) + x * v * atan(x / v) - z**2 / 2 * log(x**2 + y**2 + z**2)


def _perpendicular(away: float, along: float) -> float:
    if away == 0:
        return 0.0 if along == 0 else along**2 / 4 * log(along**2)
    k = along / away
    return along * away * atan(k) - away**2 * (1 - k**2) * log(away**2 * (1 + k**2)) / 4


def _apart(first: Point, second: Point) -> float:
    return hypot(first[0] - second[0], first[1] - second[1])
