"""What the geometry of every kind of body tells, so that no later step asks which kind it is."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.regions import RegionGeometry, Surface
from blunt_ember.geometry.space import Space


class BodyGeometry(ABC):
    """Regions in their order, void ones too, surfaces by name, and the box from ``low`` to ``high`` (d,) in m.

    ``space`` is what its coordinates stand for.
    """

    space: Space
    regions: tuple[RegionGeometry, ...]
    surfaces: Mapping[str, Surface]
    low: tuple[float, ...]
    high: tuple[float, ...]

    @abstractmethod
    def owner_at(self, points: Floats) -> Ints:
        """Return the region each of ``points`` (p, d) in m lies in, ``VOID`` where there is none."""

    @abstractmethod
    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return the shares, in order, at which a straight line from ``start`` to ``end`` (d,) meets an outline."""

    @property
    def upright(self) -> int | None:
        """The axis that points up where it is seen in space; None for what is drawn flat."""
        return None

    @property
    def extent(self) -> float:
        """Longest side of the box about the body, m."""
        return max(high - low for low, high in zip(self.low, self.high, strict=True))

    @property
    def outer_surfaces(self) -> Sequence[Surface]:
        """Surfaces on which something can surround the body."""
        return tuple(surface for surface in self.surfaces.values() if surface.outer)

    def middle_third(self, surface: str) -> tuple[Floats, Floats] | None:
        """Return the two places (d,) in m between which the middle third of a surface lies; None where it has none."""
        return None

    def middle_spot(self, surface: str) -> tuple[Floats, float] | None:
        """Return the centre (2,) and the radius in m of a spot in the plan, in the middle of an end; None elsewhere."""
        return None


def thirds(segments: Floats) -> tuple[Floats, Floats]:
    """Return a third and two thirds of the way along the straight pieces (n, 2, 2) a surface is drawn by."""
    if len(segments) == 1:
        start, end = segments[0]
        return start + (end - start) / 3, start + 2 * (end - start) / 3
    return segments[len(segments) // 3, 0], segments[2 * len(segments) // 3, 0]
