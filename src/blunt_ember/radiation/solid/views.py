"""What the facets of a solid see of each other and of their images."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import LookingFacets
from blunt_ember.radiation.images import Images
from blunt_ember.radiation.solid.exchange import exchange_in_space
from blunt_ember.radiation.solid.patches import grouped_into_patches
from blunt_ember.radiation.solid.polygons import Polygons, polygons
from blunt_ember.radiation.views import Views, seen_beyond

#: Patches at most, share of what a chamber sees that is no opening, and how much a flat facet may bend.
MOST_PATCHES, _OPEN, _FLAT = 2_000, 2e-3, 1e-6
#: Places nearer than this share of the body are one.
_SAME = 1e-9
#: Parts of an end of a row each way.
_PARTS = 4


def solid_views(mesh: Mesh, facets: LookingFacets, images: Images, finer: int = 1) -> Views:
    """Return the views of facets of a solid, gathered into patches where they are many, so many times ``finer``."""
    most = round(finer * MOST_PATCHES / images.count**0.5)
    flat = polygons(_four(mesh.points[facets.corners]))
    patch = grouped_into_patches(flat.middle, flat.normal, facets.surface, most)
    count = int(patch.max()) + 1
    corners, owner = _flat_pieces(_four(mesh.points[facets.corners]))
    around = np.concatenate([_turned(image, turned) for image, turned in _images_of(corners, images)])
    pieces, own = polygons(around), np.concatenate([patch[owner] + place * count for place in range(images.count)])
    skin = _skin(mesh, images)
    exchange = exchange_in_space(pieces, own, skin, count)
    faces = images.ends(mesh.points, False)
    if len(faces):
        with_ends = polygons(np.concatenate([corners, *(_parted(face) for face in faces)]))
        patches = np.concatenate([patch[owner], np.repeat(count + np.arange(2), _PARTS**2)])
        seen = exchange_in_space(with_ends, patches, skin, count + 2)[:count, count:]
        exchange = exchange + seen_beyond(seen, _from_afar(pieces, own, count, images.last))
    size = np.bincount(own, weights=pieces.area).astype(float)[:count]
    return Views(exchange, size, patch, _OPEN, _edges_meet(around, len(corners)))


def _from_afar(pieces: Polygons, patch: Ints, count: int, last: int) -> Floats:
    """About what patches (p, p) see of their ``last`` images, m²: as places that nothing stands between."""
    area = np.bincount(patch, pieces.area)
    middle, normal = (
        np.stack([np.bincount(patch, pieces.area * values[:, k]) for k in range(3)], axis=1) / area[:, None]
        for values in (pieces.middle, pieces.normal)
    )
    found = np.zeros((count, count))
    for begin in range(len(area) - last * count, len(area), count):
        own = slice(begin, begin + count)
        way = middle[own][None] - middle[:count, None]
        leaving = np.maximum(np.einsum("pqx,px->pq", way, normal[:count]), 0.0)
        arriving = np.maximum(-np.einsum("pqx,qx->pq", way, normal[own]), 0.0)
        square = np.einsum("pqx,pqx->pq", way, way)
        found += leaving * arriving * np.outer(area[:count], area[own]) / np.maximum(np.pi * square**2, 1e-300)
    return (found + found.T) / 2


def _parted(face: Floats) -> Floats:
    """A face (4, 3) as many smaller ones (n, 4, 3)."""
    low = np.linspace(0, 1, _PARTS, endpoint=False)
    corner = np.stack(np.meshgrid(low, low, indexing="ij"), axis=-1).reshape(-1, 1, 2)
    share = corner + np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) / _PARTS
    return np.asarray(face[0] + share @ np.stack([face[1] - face[0], face[3] - face[0]]))


def _four(corners: Floats) -> Floats:
    """Corners (m, 3 or 4, 3) as four, the last one repeated."""
    return corners[:, np.minimum(np.arange(4), corners.shape[1] - 1)]


def _images_of(corners: Floats, images: Images) -> list[tuple[Floats, bool]]:
    return [(each.reshape(corners.shape), turned) for each, turned in images.of(corners.reshape(-1, 3))]


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


def _skin(mesh: Mesh, images: Images) -> Floats:
    """The triangles (k, 3, 3) in m of the skin of a solid and of its images."""
    parts = [_four(mesh.points[part.corners]) for part in mesh.skin.parts]
    corners = np.concatenate([image for part in parts for image, _ in _images_of(part, images)])
    return np.concatenate([corners[:, [0, 1, 2]], corners[:, [0, 2, 3]]])


def _edges_meet(corners: Floats, count: int) -> bool:
    """Whether every edge of the first ``count`` of facets (m, 4, 3) belongs to two of them: what has another one is
    open."""
    size = float(np.ptp(corners, axis=(0, 1)).max())
    _, place = np.unique(np.round(corners.reshape(-1, 3) / (_SAME * size)), axis=0, return_inverse=True)
    own = place.reshape(-1, 4)
    edges = np.sort(np.stack([own, np.roll(own, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
    looked_at = np.repeat(np.arange(len(corners)) < count, 4)
    real = edges[:, 0] != edges[:, 1]
    _, number, times = np.unique(edges[real], axis=0, return_inverse=True, return_counts=True)
    return bool((times[number[looked_at[real]]] % 2 == 0).all())
