"""The mesh as the rest of the flow sees it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class CellBlock:
    """Cells of one family: ``nodes`` (m, k) in the family's order, ``region`` (m,) index of each cell's region."""

    family: str
    nodes: Ints
    region: Ints


@dataclass(frozen=True)
class FacetSet:
    """Facets of one named surface: ``nodes`` (m, k) of facet family ``family``; ``regions`` as in the geometry."""

    family: str
    nodes: Ints
    regions: tuple[int, ...]

    @property
    def outer(self) -> bool:
        """Whether nothing of the body lies behind it."""
        return len(self.regions) == 1


@dataclass(frozen=True)
class Mesh:
    """``points`` (n, 2) in m, cells by family, facets by surface name, and the names of the regions in order.

    ``depth`` (m) is what the plane stands for, None when it is turned about the y axis for a full turn.
    """

    points: Floats
    blocks: tuple[CellBlock, ...]
    surfaces: dict[str, FacetSet]
    regions: tuple[str, ...]
    order: int
    depth: float | None

    @property
    def node_count(self) -> int:
        """Number of nodes."""
        return len(self.points)

    @property
    def cell_count(self) -> int:
        """Number of cells."""
        return sum(len(block.nodes) for block in self.blocks)

    def measure(self, places: Floats) -> Floats:
        """Return how much of the body a place of the plane stands for, m: the depth, or the way round the axis.

        ``places`` is (…, 2) in m, the result (…).
        """
        if self.depth is None:
            return 2 * np.pi * places[..., 0]
        return np.full(places.shape[:-1], self.depth)
