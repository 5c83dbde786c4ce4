"""How well shaped the cells of a mesh are."""

from __future__ import annotations

from functools import reduce

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import CellBlock, Mesh

#: Cells marked on the picture are those with an angle below this, degrees.
SHARP = 20.0


@immutable
class Quality:
    """Smallest angle in degrees and longest over shortest side of every cell, (m,), block after block.

    Of a solid cell they are those of its faces; a line has no angle, which counts as a right one.
    """

    smallest_angle: Floats
    aspect: Floats

    @property
    def sharp(self) -> Ints:
        """Numbers of the cells with an angle below :data:`SHARP`."""
        return np.flatnonzero(self.smallest_angle < SHARP)


def quality_of(mesh: Mesh) -> Quality:
    """Measure every cell by its corners; once for each mesh."""
    return mesh.found("quality of cells", lambda: _measured(mesh))


def _measured(mesh: Mesh) -> Quality:
    if mesh.dimension == 3 and mesh.lattice is not None:
        widths = mesh.lattice.widths(slice(None)).T
        return Quality(np.full(mesh.cell_count, 90.0), reduce(np.maximum, widths) / reduce(np.minimum, widths))
    angles, aspects = [], []
    for block in mesh.blocks:
        sharpest, shortest, longest = np.zeros(len(block.nodes)), np.full(len(block.nodes), np.inf), np.zeros(1)
        for face in _faces(block):
            corners = [mesh.points[block.nodes[:, corner]] for corner in face]
            ahead = [after - corner for corner, after in zip(corners, [*corners[1:], corners[0]], strict=True)]
            long = [np.sqrt(np.einsum("md,md->m", side, side)) for side in ahead]
            # About an axis faces are drawn together: a side of no length makes no angle.
            least = 1e-9 * max(float(each.max()) for each in long)
            if len(face) > 2:
                for number in range(len(face)):
                    size = long[number] * long[number - 1]
                    real = (long[number] > least) & (long[number - 1] > least)
                    cosine = -np.einsum("md,md->m", ahead[number], ahead[number - 1])
                    sharpest = np.maximum(sharpest, np.divide(cosine, size, out=np.zeros_like(size), where=real))
            shortest = reduce(np.minimum, [np.where(each > least, each, np.inf) for each in long], shortest)
            longest = reduce(np.maximum, long, longest)
        angles.append(np.degrees(np.arccos(np.clip(sharpest, -1, 1))))
        aspects.append(longest / shortest)
    return Quality(np.concatenate(angles), np.concatenate(aspects))


def _faces(block: CellBlock) -> list[list[int]]:
    """Corners of every face of a solid cell, or of the cell itself."""
    family = CELL_FAMILIES[block.family]
    if family.dimension < 3:
        return [list(range(family.corners))]
    return [list(nodes[: CELL_FAMILIES[name].corners]) for name, nodes in family.facets]
