"""Regions and named surfaces of a body, as every step after the geometry sees them."""

from __future__ import annotations

from blunt_ember.immutable import immutable


@immutable
class RegionGeometry:
    """A region as stated, before later ones cut it: ``box`` is (x0, y0, x1, y1) in m, of its plan in a solid."""

    name: str
    box: tuple[float, float, float, float]
    void: bool = False


@immutable
class Surface:
    """A named piece of boundary: the region it belongs to, or for an interface both; ``area`` in m²."""

    name: str
    regions: tuple[int, ...]
    area: float

    @property
    def outer(self) -> bool:
        """Whether nothing of the body lies behind it."""
        return len(self.regions) == 1
