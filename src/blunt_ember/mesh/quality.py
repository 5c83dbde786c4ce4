"""How well shaped the cells of a mesh are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.mesh.families import FAMILIES
from blunt_ember.mesh.mesh import Floats, Ints, Mesh

#: Cells marked on the picture are those with an angle below this, degrees.
SHARP = 20.0


@dataclass(frozen=True)
class Quality:
    """Smallest angle in degrees and longest over shortest side of every cell, (m,), block after block."""

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
        corners = mesh.points[block.nodes[:, : FAMILIES[block.family].corners]]
        ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
        long, back = np.linalg.norm(ahead, axis=-1), np.linalg.norm(behind, axis=-1)
        cosine = (ahead * behind).sum(axis=-1) / (long * back)
        angles.append(np.degrees(np.arccos(np.clip(cosine, -1, 1))).min(axis=1))
        aspects.append(long.max(axis=1) / long.min(axis=1))
    return Quality(np.concatenate(angles), np.concatenate(aspects))
