"""What a mesh stands in: how much of the body one place of a line, a plane or a solid mesh stands for."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable


class Space(Protocol):
    """The factor that turns an integral over the cells of a mesh into one over the body."""

    @property
    def dimension(self) -> int:
        """Number of coordinates of a place."""

    @property
    def depth(self) -> float | None:
        """What a plane stands for, m; None for what is no plane."""

    @property
    def turned(self) -> bool:
        """Whether the body is turned about the y axis, as a half plane or in space."""

    @property
    def axisymmetric(self) -> bool:
        """Whether one half plane stands for the full turn, x being the radius."""

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """Return the factor (m, q) at ``places`` (m, q, dimension) in m in cells of ``regions`` (m,)."""

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """Return the factor (m, q) on facets of ``flat`` dimensions between ``regions`` (one for an outer surface)."""

    def variables(self, places: Floats) -> dict[str, Floats]:
        """Return what formulas call ``places`` (…, dimension) in m: x, y, z, the radius r and the angle theta."""

    def axes(self, places: Floats) -> Floats:
        """Return unit vectors (…, dimension, dimension): the two directions of the plan, then the one through it."""

    def plan(self, places: Floats) -> Floats:
        """Return ``places`` (…, dimension) in the plan, (…, 2)."""


def _still(places: Floats) -> Floats:
    """The axes of coordinates, at all places."""
    dimension = places.shape[-1]
    return np.broadcast_to(np.eye(dimension), (*places.shape, dimension))


def _about_z(places: Floats) -> dict[str, Floats]:
    x, y = places[..., 0], places[..., 1]
    return {
        **dict(zip("xyz", np.moveaxis(places, -1, 0), strict=False)),
        "r": np.hypot(x, y),
        "theta": np.arctan2(y, x),
    }


@immutable
class Plane:
    """A plane that stands for ``depth`` (m)."""

    depth: float
    dimension: int = 2
    turned: bool = False
    axisymmetric: bool = False

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """The depth, m."""
        return np.full(places.shape[:2], self.depth)

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """The depth, m."""
        return np.full(places.shape[:2], self.depth)

    def variables(self, places: Floats) -> dict[str, Floats]:
        """x and y, and r and theta about the origin."""
        return _about_z(places)

    def axes(self, places: Floats) -> Floats:
        """x and y."""
        return _still(places)

    def plan(self, places: Floats) -> Floats:
        """The plane itself."""
        return places


@immutable
class Turned:
    """A half plane turned about the y axis for a full turn."""

    dimension: int = 2
    depth: float | None = None
    turned: bool = True
    axisymmetric: bool = True

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """The way round the axis, m."""
        return 2 * np.pi * places[..., 0]

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """The way round the axis, m."""
        return 2 * np.pi * places[..., 0]

    def variables(self, places: Floats) -> dict[str, Floats]:
        """x, which is the radius r too, and y, the height."""
        return {"x": places[..., 0], "y": places[..., 1], "r": places[..., 0]}

    def axes(self, places: Floats) -> Floats:
        """The radius and the height."""
        return _still(places)

    def plan(self, places: Floats) -> Floats:
        """The half plane itself."""
        return places


@immutable
class Solid:
    """Space itself; ``turned`` where the body is turned about the y axis."""

    turned: bool = False
    dimension: int = 3
    depth: float | None = None
    axisymmetric: bool = False

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """One."""
        return np.ones(places.shape[:2])

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """One."""
        return np.ones(places.shape[:2])

    def variables(self, places: Floats) -> dict[str, Floats]:
        """x, y and z; r and theta about the z axis, or in a turned solid about the y axis, from x towards z."""
        if not self.turned:
            return _about_z(places)
        x, y, z = np.moveaxis(places, -1, 0)
        return {"x": x, "y": y, "z": z, "r": np.hypot(x, z), "theta": np.arctan2(z, x)}

    def axes(self, places: Floats) -> Floats:
        """x, y and z, or in a turned solid the radius, the height and the way round."""
        if not self.turned:
            return _still(places)
        angle = np.arctan2(places[..., 2], places[..., 0])
        cos, sin, nil, one = np.cos(angle), np.sin(angle), np.zeros_like(angle), np.ones_like(angle)
        rows = [np.stack([cos, nil, sin], -1), np.stack([nil, one, nil], -1), np.stack([-sin, nil, cos], -1)]
        return np.stack(rows, axis=-2)

    def plan(self, places: Floats) -> Floats:
        """x and y, or in a turned solid radius and height."""
        if not self.turned:
            return places[..., :2]
        return np.stack([np.hypot(places[..., 0], places[..., 2]), places[..., 1]], axis=-1)


@immutable
class Along:
    """A line with the ``areas`` (m²) and ``perimeters`` (m) of its pieces."""

    areas: tuple[float, ...]
    perimeters: tuple[float, ...]
    dimension: int = 1
    depth: float | None = None
    turned: bool = False
    axisymmetric: bool = False

    def of_cells(self, regions: Ints, places: Floats) -> Floats:
        """The area, m²."""
        return np.repeat(np.array(self.areas)[regions][:, None], places.shape[1], axis=1)

    def of_facets(self, regions: tuple[int, ...], flat: int, places: Floats) -> Floats:
        """The perimeter of a side, m; the area of an end, m², the smaller one where two pieces meet."""
        value = self.perimeters[regions[0]] if flat else min(self.areas[region] for region in regions)
        return np.full(places.shape[:2], value)

    def variables(self, places: Floats) -> dict[str, Floats]:
        """x alone."""
        return {"x": places[..., 0]}

    def axes(self, places: Floats) -> Floats:
        """x alone."""
        return _still(places)

    def plan(self, places: Floats) -> Floats:
        """The rod as a line in a plane."""
        return np.concatenate([places, np.zeros_like(places)], axis=-1)
