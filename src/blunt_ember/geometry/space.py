"""What a mesh stands in: how much of the body one place of a line, a plane or a solid mesh stands for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Space(Protocol):
    """The factor that turns an integral over the cells of a mesh into one over the body."""

    @property
    def dimension(self) -> int:
        """Number of coordinates of a place."""

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """Return the factor (m, q) at ``places`` (m, q, dimension) in m in cells of ``regions`` (m,)."""

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """Return the factor (m, q) on facets of ``flat`` dimensions between ``regions`` (one for an outer surface)."""


@dataclass(frozen=True)
class Plane:
    """A plane that stands for ``depth`` (m)."""

    depth: float
    dimension: int = 2

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """The depth, m."""
        return np.full(places.shape[:2], self.depth)

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """The depth, m."""
        return np.full(places.shape[:2], self.depth)


@dataclass(frozen=True)
class Turned:
    """A half plane turned about the y axis for a full turn."""

    dimension: int = 2

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """The way round the axis, m."""
        result: Floats = 2 * np.pi * places[..., 0]
        return result

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """The way round the axis, m."""
        result: Floats = 2 * np.pi * places[..., 0]
        return result


@dataclass(frozen=True)
class Solid:
    """Space itself."""

    dimension: int = 3

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """One."""
        return np.ones(places.shape[:2])

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """One."""
        return np.ones(places.shape[:2])


@dataclass(frozen=True)
class Along:
    """A line with the ``areas`` (m²) and ``perimeters`` (m) of its pieces."""

    areas: tuple[float, ...]
    perimeters: tuple[float, ...]
    dimension: int = 1

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """The area, m²."""
        return np.repeat(np.array(self.areas)[regions][:, None], places.shape[1], axis=1)

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """The perimeter of a side, m; the area of an end, m², the smaller one where two pieces meet."""
        value = self.perimeters[regions[0]] if flat else min(self.areas[region] for region in regions)
        return np.full(places.shape[:2], value)
