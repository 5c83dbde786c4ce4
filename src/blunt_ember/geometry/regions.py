"""Regions and named surfaces of a body, as every step after the geometry sees them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.space import Space


@dataclass(frozen=True)
class RegionGeometry:
    """A region as stated, before later ones cut it: ``box`` is (x0, y0, x1, y1) in m, of its plan in a solid."""

    name: str
    box: tuple[float, float, float, float]
    void: bool = False


@dataclass(frozen=True)
class Surface:
    """A named piece of boundary: the region it belongs to, or for an interface both; ``area`` in m²."""

    name: str
    regions: tuple[int, ...]
    area: float

    @property
    def outer(self) -> bool:
        """Whether nothing of the body lies behind it."""
        return len(self.regions) == 1


class Geometry(Protocol):
    """What the geometry of every kind of body offers."""

    @property
    def space(self) -> Space:
        """What its coordinates stand for."""

    @property
    def regions(self) -> tuple[RegionGeometry, ...]:
        """Regions in their order, void ones too."""

    @property
    def surfaces(self) -> Mapping[str, Surface]:
        """Surfaces by name."""

    @property
    def low(self) -> tuple[float, ...]:
        """Lower corner of the box about the body, m."""

    @property
    def high(self) -> tuple[float, ...]:
        """Upper corner of the box about the body, m."""

    def owner_at(self, points: Floats) -> Ints:
        """Return the region each of ``points`` (p, d) in m lies in, ``VOID`` where there is none."""

    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return the shares, in order, at which a straight line from ``start`` to ``end`` (d,) meets an outline."""


def extent_of(geometry: Geometry) -> float:
    """Return the longest side of the box about the body, m."""
    return max(high - low for low, high in zip(geometry.low, geometry.high, strict=True))


def outer_surfaces(geometry: Geometry) -> tuple[Surface, ...]:
    """Return the surfaces on which something can surround the body."""
    return tuple(surface for surface in geometry.surfaces.values() if surface.outer)
