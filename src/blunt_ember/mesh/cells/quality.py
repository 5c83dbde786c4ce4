"""How well shaped the cells of a mesh are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import CellBlock, Mesh

#: Cells marked on the picture are those with an angle below this, degrees.
SHARP = 20.0


@dataclass(frozen=True)
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
    """Measure every cell by its corners."""
    angles, aspects = [], []
    for block in mesh.blocks:
        angle, shortest, longest = np.full(len(block.nodes), 90.0), np.inf, 0.0
        for face in _faces(block):
            corners = mesh.points[block.nodes[:, face]]
            ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
            long, back = np.linalg.norm(ahead, axis=-1), np.linalg.norm(behind, axis=-1)
            # About an axis faces are drawn together: a side of no length makes no angle.
            real = (long > 1e-9 * long.max()) & (back > 1e-9 * long.max())
            cosine = np.divide((ahead * behind).sum(axis=-1), long * back, out=np.zeros_like(long), where=real)
            if len(face) > 2:
                angle = np.minimum(angle, np.degrees(np.arccos(np.clip(cosine, -1, 1))).min(axis=1))
            shortest = np.minimum(shortest, np.where(long > 1e-9 * long.max(), long, np.inf).min(axis=1))
            longest = np.maximum(longest, long.max(axis=1))
        angles.append(angle)
        aspects.append(longest / shortest)
    return Quality(np.concatenate(angles), np.concatenate(aspects))


def _faces(block: CellBlock) -> list[list[int]]:
    """Corners of every face of a solid cell, or of the cell itself."""
    family = CELL_FAMILIES[block.family]
    if family.dimension < 3:
        return [list(range(family.corners))]
    return [list(nodes[: CELL_FAMILIES[name].corners]) for name, nodes in family.facets]
