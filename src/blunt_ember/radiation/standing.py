"""What stands within sides of a void: places that they surround by more than half of all directions."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import looking_facets
from blunt_ember.radiation.images import Images

#: Facets of a surface that are looked at, and how far in front of them, as a share of their size.
_LOOKED_AT, _OFF = 24, 1e-3


def surfaces_within(mesh: Mesh, sides: Sequence[str], images: Images) -> list[str]:
    """Return the outer surfaces of a mesh that lie within its ``sides`` and their images, these first."""
    own = looking_facets(mesh, sides).corners
    around = mesh.points[own].reshape(-1, mesh.dimension)
    mirrored = images.of(around)
    shell = np.concatenate([image.reshape(*own.shape, mesh.dimension) for image, _ in mirrored])
    signs = np.repeat([-1.0 if turned else 1.0 for _, turned in mirrored], len(own))
    found = list(sides)
    for name, facets in mesh.surfaces.items():
        if not facets.outer or name in sides:
            continue
        corners = mesh.points[looking_facets(mesh, [name]).corners]
        places = _in_front(corners[:: max(1, len(corners) // _LOOKED_AT)])
        winding = _turns(places, shell, signs) if mesh.dimension == 2 else _solid_angles(places, shell, signs)
        if (np.abs(winding) > 0.5).all():
            found.append(name)
    return found


def _in_front(corners: Floats) -> Floats:
    """Places (m, d) in m a little in front of facets (m, c, d)."""
    if corners.shape[2] == 2:
        along = corners[:, 1] - corners[:, 0]
        return corners[:, :2].mean(axis=1) + _OFF * np.column_stack([-along[:, 1], along[:, 0]])
    # Across both diagonals, as a facet at the axis of a turned body has two of its corners in one place.
    front = np.cross(corners[:, 2] - corners[:, 0], corners[:, -1] - corners[:, 1])
    return corners.mean(axis=1) + _OFF * front / np.sqrt(np.linalg.norm(front, axis=1, keepdims=True))


def _turns(places: Floats, shell: Floats, signs: Floats) -> Floats:
    """By which share (p,) of a full turn edges (m, 2, 2) surround places (p, 2)."""
    first, last = (shell[None, :, end] - places[:, None] for end in (0, 1))
    across = first[..., 0] * last[..., 1] - first[..., 1] * last[..., 0]
    return (signs * np.arctan2(across, (first * last).sum(axis=2))).sum(axis=1) / (2 * np.pi)


def _solid_angles(places: Floats, shell: Floats, signs: Floats) -> Floats:
    """By which share (p,) of all directions facets (m, 3 or 4, 3) surround places (p, 3).

    A. van Oosterom & J. Strackee, The solid angle of a plane triangle, IEEE Trans. Biomed. Eng. 30 (1983) 125.
    """
    total = np.zeros(len(places))
    for second in range(1, shell.shape[1] - 1):
        way = [shell[None, :, corner] - places[:, None] for corner in (0, second, second + 1)]
        far = [np.linalg.norm(each, axis=2) for each in way]
        volume = np.einsum("pmk,pmk->pm", way[0], np.cross(way[1], way[2]))
        dots = [np.einsum("pmk,pmk->pm", way[i], way[j]) * far[k] for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1))]
        total += (signs * 2 * np.arctan2(volume, far[0] * far[1] * far[2] + sum(dots))).sum(axis=1)
    return total / (4 * np.pi)
