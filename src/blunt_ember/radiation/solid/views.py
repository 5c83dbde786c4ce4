"""What the facets of a solid see of each other and of their mirror images."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.cells.facets import skin_of
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import LookingFacets
from blunt_ember.radiation.mirrors import Mirror, images
from blunt_ember.radiation.solid.exchange import exchange_in_space
from blunt_ember.radiation.solid.patches import grouped_into_patches
from blunt_ember.radiation.solid.polygons import polygons
from blunt_ember.radiation.views import Views

#: Patches at most, share of what a chamber sees that is no opening, and how much a flat facet may bend.
MOST_PATCHES, _OPEN, _FLAT = 2_000, 2e-3, 1e-6
#: Places nearer than this share of the body are one.
_SAME = 1e-9


def solid_views(mesh: Mesh, facets: LookingFacets, mirrors: Sequence[Mirror]) -> Views:
    """Return the views of facets of a solid, gathered into patches where they are many."""
    flat = polygons(_four(mesh.points[facets.corners]))
    number = 2 ** len(mirrors)
    patch = grouped_into_patches(flat.middle, flat.normal, facets.surface, round(MOST_PATCHES / number**0.5))
    count = int(patch.max()) + 1
    corners, owner = _flat_pieces(_four(mesh.points[facets.corners]))
    around = np.concatenate([_turned(image, turned) for image, turned in _images_of(corners, mirrors)])
    pieces = polygons(around)
    own = np.concatenate([patch[owner] + place * count for place in range(number)])
    exchange = exchange_in_space(pieces, own, _skin(mesh, mirrors), count)
    size = np.bincount(own, weights=pieces.area).astype(float)[:count]
    return Views(exchange, size, patch, _OPEN, _edges_meet(around))


def _four(corners: Floats) -> Floats:
    """Corners (m, 3 or 4, 3) as four, the last one repeated."""
    return corners[:, np.minimum(np.arange(4), corners.shape[1] - 1)]


def _images_of(corners: Floats, mirrors: Sequence[Mirror]) -> list[tuple[Floats, bool]]:
    return [(each.reshape(corners.shape), turned) for each, turned in images(corners.reshape(-1, 3), mirrors)]


def _turned(corners: Floats, turned: bool) -> Floats:
    return corners[:, ::-1] if turned else corners


def _flat_pieces(corners: Floats) -> tuple[Floats, Ints]:
    """Facets (m, 4, 3) with those that bend parted into two triangles, and the facet (n,) that each piece is of."""
    first, second, third = (corners[:, k] - corners[:, 0] for k in (1, 2, 3))
    volume = np.abs(np.einsum("mk,mk->m", np.cross(first, second), third))
    bent = volume > _FLAT * np.linalg.norm(second, axis=1) ** 3
    halves = [corners[bent][:, [0, 1, 2, 2]], corners[bent][:, [0, 2, 3, 3]]]
    own = np.arange(len(corners))
    return np.concatenate([corners[~bent], *halves]), np.concatenate([own[~bent], own[bent], own[bent]])


def _skin(mesh: Mesh, mirrors: Sequence[Mirror]) -> Floats:
    """The triangles (k, 3, 3) in m of the skin of a solid and of its images."""
    parts = [_four(mesh.points[part.corners]) for part in skin_of(mesh).parts]
    corners = np.concatenate([image for part in parts for image, _ in _images_of(part, mirrors)])
    return np.concatenate([corners[:, [0, 1, 2]], corners[:, [0, 2, 3]]])


def _edges_meet(corners: Floats) -> bool:
    """Whether every edge of facets (m, 4, 3) belongs to two of them: what has another one is open."""
    size = float(np.ptp(corners, axis=(0, 1)).max())
    _, place = np.unique(np.round(corners.reshape(-1, 3) / (_SAME * size)), axis=0, return_inverse=True)
    own = place.reshape(-1, 4)
    edges = np.stack([own, np.roll(own, -1, axis=1)], axis=2).reshape(-1, 2)
    edges = np.sort(edges[edges[:, 0] != edges[:, 1]], axis=1)
    return bool((np.unique(edges, axis=0, return_counts=True)[1] % 2 == 0).all())
