"""What belongs to the cells of one block."""

from __future__ import annotations

from blunt_ember.arrays import Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import CellBlock


@immutable
class OfCells:
    """Has the nodes and the regions of its cells."""

    block: CellBlock

    @property
    def nodes(self) -> Ints:
        """Those of the cells, (m, k)."""
        return self.block.nodes

    @property
    def regions(self) -> Ints:
        """Those of the cells, (m,)."""
        return self.block.region
