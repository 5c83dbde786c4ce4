"""The mesh as the rest of the flow sees it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import fields
from functools import cached_property
from typing import Any, TypeVar

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.space import Space
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.facets import Skin, skin_of
from blunt_ember.mesh.lattice.cell_lattice import CellLattice, lattice_of
from blunt_ember.mesh.lattice.node_neighbours import NodeNeighbours, neighbours_of

Found = TypeVar("Found")

#: Things found of a mesh that it keeps.
_MOST = 64


@immutable
class CellBlock:
    """Cells of one family: ``nodes`` (m, k) in the family's order, ``region`` (m,) index of each cell's region."""

    family: str
    nodes: Ints
    region: Ints

    @cached_property
    def present(self) -> list[int]:
        """The regions that cells of it belong to, in order."""
        return np.flatnonzero(np.bincount(self.region)).tolist()


@immutable
class FacetBlock:
    """Facets of one family: ``nodes`` (m, k) in the family's order."""

    family: str
    nodes: Ints


@immutable
class FacetSet:
    """Facets of one named surface; ``regions`` as in the geometry.

    Where a joint parts the mesh, ``blocks`` have the nodes of the first region and ``far`` those of the second.
    """

    blocks: tuple[FacetBlock, ...]
    regions: tuple[int, ...]
    far: tuple[FacetBlock, ...] = ()

    def __getstate__(self) -> dict[str, Any]:
        """What it was made of."""
        return {field.name: getattr(self, field.name) for field in fields(self)}

    @property
    def outer(self) -> bool:
        """Whether nothing of the body lies behind it."""
        return len(self.regions) == 1

    def side(self, region: int) -> FacetSet:
        """Return the facets as the cells of ``region``, one of its own, see them."""
        return FacetSet(self.far, self.regions) if self.far and region == self.regions[1] else self

    @cached_property
    def nodes(self) -> Ints:
        """Numbers of its nodes, in order and once each; at a joint those of the first region."""
        return np.unique(np.concatenate([np.zeros(0, dtype=np.int64), *(block.nodes.ravel() for block in self.blocks)]))


@immutable
class Mesh:
    """``points`` (n, d) in m, cells by family, facets by surface name, and the names of the regions in order.

    ``space`` tells how much of the body a place stands for.
    """

    points: Floats
    blocks: tuple[CellBlock, ...]
    surfaces: dict[str, FacetSet]
    regions: tuple[str, ...]
    order: int
    space: Space

    def __getstate__(self) -> dict[str, Any]:
        """What it was made of; what was found of it is found again."""
        return {field.name: getattr(self, field.name) for field in fields(self)}

    @cached_property
    def _found(self) -> OrderedDict[str, Any]:
        return OrderedDict()

    def knows(self, key: str) -> bool:
        """Tell whether what a ``key`` stands for is found already."""
        return key in self._found

    def found(self, key: str, find: Callable[[], Found]) -> Found:
        """Return what is found of this mesh alone, such as how a place is read: once for every ``key`` that tells it
        from all else, as long as it is asked for now and then."""
        kept = self._found
        if key not in kept:
            kept[key] = find()
            while len(kept) > _MOST:
                kept.popitem(last=False)
        kept.move_to_end(key)
        known: Found = kept[key]
        return known

    @cached_property
    def lattice(self) -> CellLattice | None:
        """The lattice that all its cells lie on, if there is one."""
        return lattice_of(self)

    @cached_property
    def neighbours(self) -> NodeNeighbours | None:
        """Which nodes share cells with which, where they lie on a lattice."""
        return neighbours_of(self, self.lattice) if self.lattice is not None else None

    @cached_property
    def skin(self) -> Skin:
        """The outer facets of all its cells."""
        return skin_of(self)

    @property
    def dimension(self) -> int:
        """Number of coordinates of a place."""
        return self.space.dimension

    @property
    def node_count(self) -> int:
        """Number of nodes."""
        return len(self.points)

    @property
    def cell_count(self) -> int:
        """Number of cells."""
        return sum(len(block.nodes) for block in self.blocks)
