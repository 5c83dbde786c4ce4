"""Ways along which a plan is swept into a solid: straight up through levels, or round the y axis."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.geometry.curves import Curves
from blunt_ember.geometry.section import turned_area
from blunt_ember.immutable import immutable

_PIECES_OF_TURN = 96


class Path(Protocol):
    """A way through ``stations`` (s,), between which the plan stays the same."""

    @property
    def stations(self) -> Floats:
        """Where what is swept may change, (s,): m of height, or radians."""

    @property
    def closed(self) -> bool:
        """Whether the last station is the first again."""

    @property
    def straight(self) -> bool:
        """Whether it leads up through levels, and not round an axis."""

    def places(self, plan: Floats, along: Floats) -> Floats:
        """Return places (n, 3) in m of points of the plan (n, 2) in m at ``along`` (n,) of the path."""

    def plan_of(self, places: Floats) -> tuple[Floats, Floats]:
        """Return the points of the plan (n, 2) and the way along (n,) of places (n, 3)."""

    def swept_area(self, curves: Curves, start: float, end: float) -> float:
        """Return the area in m² that curves of the plan sweep between two places of the path."""

    def drawn(self, start: float, end: float) -> Floats:
        """Return places along the path close enough to draw it by straight lines, ends included."""


@immutable
class Upward:
    """Straight up: the plan is x and y, the stations are heights z in m."""

    stations: Floats
    closed: bool = False
    straight: bool = True

    def places(self, plan: Floats, along: Floats) -> Floats:
        """The plan at height ``along``."""
        return np.column_stack([plan, along])

    def plan_of(self, places: Floats) -> tuple[Floats, Floats]:
        """The plan is looked down on."""
        return places[:, :2], places[:, 2]

    def swept_area(self, curves: Curves, start: float, end: float) -> float:
        """Length times height."""
        return float(curves.length.sum() * (end - start))

    def drawn(self, start: float, end: float) -> Floats:
        """Both ends."""
        return np.array([start, end])


@immutable
class Round:
    """Round the y axis, from x towards z: the plan is radius and y, the stations are angles from 0 in radians."""

    stations: Floats
    straight: bool = False

    @property
    def closed(self) -> bool:
        """Whether it is a full turn."""
        return bool(self.stations[-1] > 2 * np.pi - 1e-9)

    def places(self, plan: Floats, along: Floats) -> Floats:
        """The plan turned by the angle ``along``."""
        return np.column_stack([plan[:, 0] * np.cos(along), plan[:, 1], plan[:, 0] * np.sin(along)])

    def plan_of(self, places: Floats) -> tuple[Floats, Floats]:
        """Radius and height, and the angle from 0 to a full turn."""
        radius = np.hypot(places[:, 0], places[:, 2])
        angle = np.arctan2(places[:, 2], places[:, 0]) % (2 * np.pi)
        # Round-off below zero is no full turn, and on the axis every angle is right.
        angle = np.where((angle > 2 * np.pi - 1e-9) | (radius < 1e-12), 0.0, angle)
        return np.column_stack([radius, places[:, 1]]), angle

    def swept_area(self, curves: Curves, start: float, end: float) -> float:
        """The share of what a full turn sweeps."""
        return turned_area(curves) * (end - start) / (2 * np.pi)

    def drawn(self, start: float, end: float) -> Floats:
        """Short steps round."""
        count = max(2, int(np.ceil((end - start) / (2 * np.pi) * _PIECES_OF_TURN)) + 1)
        return np.linspace(start, end, count)
