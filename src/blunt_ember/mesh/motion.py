"""Rigid motions that lay one surface of a mesh upon another."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetSet, Mesh

#: Directions that differ by less are one.
_SAME = 1e-9


@immutable
class Motion:
    """A rigid motion of places: turned by ``turn`` (d, d) about the place ``before`` (d,) in m, which goes to ``after``
    (d,) in m."""

    turn: Floats
    before: Floats
    after: Floats

    def __call__(self, places: Floats) -> Floats:
        """Return places (p, d) moved."""
        return np.asarray((places - self.before) @ self.turn.T + self.after)

    @property
    def inverse(self) -> Motion:
        """The motion that undoes it."""
        return Motion(self.turn.T, self.after, self.before)

    @property
    def shift(self) -> Floats | None:
        """By how much (d,) in m every place moves, or None where it turns."""
        return None if np.abs(self.turn - np.eye(len(self.turn))).max() > _SAME else self.after - self.before


def laid_upon(mesh: Mesh, moved: FacetSet, still: FacetSet) -> Motion:
    """Return the motion that lays one surface upon another, so that heat goes out of one where it comes in at the
    other."""
    (middle, normal), (aim, facing) = _frame(mesh, moved), _frame(mesh, still)
    turn = np.eye(mesh.dimension)
    if mesh.dimension == 2:
        angle = np.arctan2(-facing[1], -facing[0]) - np.arctan2(normal[1], normal[0])
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    elif mesh.dimension == 3 and np.dot(normal, -facing) < 1 - 1e-12:
        axis = np.cross(normal, -facing)
        size = float(np.linalg.norm(axis))
        if size > _SAME:
            from scipy.spatial.transform import Rotation  # for which a start would wait

            turn = Rotation.from_rotvec(axis / size * np.arctan2(size, np.dot(normal, -facing))).as_matrix()
    return Motion(turn, middle, aim)


def _frame(mesh: Mesh, facets: FacetSet) -> tuple[Floats, Floats]:
    """Middle of a surface and its mean unit normal out of the body, by the sum over its facets."""
    corners = [mesh.points[block.nodes[:, : CELL_FAMILIES[block.family].corners]] for block in facets.blocks]
    if mesh.dimension == 1:
        return corners[0][0, 0], np.ones(1)
    normal, middle, total = np.zeros(mesh.dimension), np.zeros(mesh.dimension), 0.0
    inside = mesh.points[_behind(mesh, facets)].mean(axis=0)
    for each in corners:
        if mesh.dimension == 2:
            along = each[:, 1] - each[:, 0]
            across = np.stack([along[:, 1], -along[:, 0]], axis=-1)
        else:
            across = np.cross(each[:, 1] - each[:, 0], each[:, -1] - each[:, 0])
        size = np.linalg.norm(across, axis=1)
        middle += (each.mean(axis=1) * size[:, None]).sum(axis=0)
        total += float(size.sum())
        out = np.einsum("fd,fd->f", across, each.mean(axis=1) - inside)
        normal += (across * np.where(out < 0, -1.0, 1.0)[:, None]).sum(axis=0)
    return middle / total, normal / max(float(np.linalg.norm(normal)), 1e-300)


def _behind(mesh: Mesh, facets: FacetSet) -> Ints:
    """Nodes of the cells that touch a surface."""
    own = np.zeros(mesh.node_count, dtype=bool)
    own[facets.nodes] = True
    touching = [block.nodes[own[block.nodes].any(axis=1)].ravel() for block in mesh.blocks]
    return np.unique(np.concatenate(touching))
