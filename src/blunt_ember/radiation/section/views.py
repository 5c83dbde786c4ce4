"""What the facets of a plane or turned section see of each other and of their images."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import LookingFacets
from blunt_ember.radiation.images import Images
from blunt_ember.radiation.section.into import Into
from blunt_ember.radiation.section.rings import exchange_areas
from blunt_ember.radiation.section.runs import gathered
from blunt_ember.radiation.section.skin import coarsened, looked_from, round_ones_apart, skin_about, straight_skin
from blunt_ember.radiation.section.strings import exchange_lengths
from blunt_ember.radiation.views import Views, seen_beyond

#: Patches at most.
MOST_PATCHES = 1_000
#: Share of what a chamber sees in all that is no opening: round-off, and what sampling misses.
_OPEN_IN_PLANE, _OPEN_TURNED = 1e-5, 1e-3
#: An edge this near the axis, as a share of the largest radius, lies on it and hides nothing.
_ON_AXIS = 1e-9
#: Places nearer than this share of the body are one.
_ONE_PLACE = 1e-9


def section_views(mesh: Mesh, facets: LookingFacets, images: Images, finer: int = 1) -> Views:
    """Return the views of facets of a section, gathered into patches where they are many, so many times ``finer``."""
    most = round(finer * MOST_PATCHES / images.count**0.5)
    runs = gathered(mesh.points, facets.corners[:, :2], facets.surface, most)
    count, pieces = int(runs.patch.max()) + 1, len(runs.owner)
    start, end = _imaged(np.stack([runs.start, runs.end]), images)
    skin = skin_about(mesh.points, straight_skin(mesh), looked_from(mesh, facets))
    straight = np.linalg.norm(runs.end - runs.start, axis=1)
    faces = images.ends(mesh.points, mesh.space.axisymmetric)
    first, last = np.concatenate([start, faces[:, 0]]), np.concatenate([end, faces[:, 1]])
    into = _summed(runs.owner, count, images, len(faces))
    depth = mesh.space.depth
    if depth is not None:
        edges, round_ones = round_ones_apart(mesh.points, skin)
        edges = _imaged(edges.swapaxes(0, 1), images).swapaxes(0, 1)
        bodies = [image[::-1] if turned else image for body in round_ones for image, turned in images.of(body)]
        exchange = exchange_lengths(first, last, edges, bodies, into) * depth
        size, least = straight * depth, _OPEN_IN_PLANE
    else:
        skin = coarsened(mesh.points, skin, np.concatenate([runs.start, runs.end]))
        off_axis = mesh.points[skin][..., 0].max(axis=1) > _ON_AXIS * mesh.points[:, 0].max()
        edges = _imaged(mesh.points[skin[off_axis]].swapaxes(0, 1), images).swapaxes(0, 1)
        exchange = exchange_areas(first, last, edges[:, ::-1], into)
        size, least = np.pi * (runs.start[:, 0] + runs.end[:, 0]) * straight, _OPEN_TURNED
    seen, far, ends = np.split(exchange, [count, exchange.shape[1] - len(faces)], axis=1)
    if len(faces):
        seen = seen + far + seen_beyond(ends, far)
    return Views(
        seen, np.bincount(runs.owner, size).astype(float), runs.patch, least, _ends_meet(start, end, pieces, mesh)
    )


def _summed(owner: Ints, count: int, images: Images, faces: int) -> Into:
    """What images of pieces see counts as seen of their patches; of the last ones of a row, and of its ends, apart."""
    beyond = images.last if faces else 0
    near = np.tile(owner, images.count - beyond)
    far = np.tile(count + owner, beyond)
    wide = count * (2 if faces else 1)
    return Into(owner, np.concatenate([near, far, wide + np.arange(faces)]), (count, wide + faces))


def _imaged(ends: Floats, images: Images) -> Floats:
    """Edges (2, n, 2) in m from their first to their last ends with their images, the body on the same side."""
    pairs = zip(images.of(ends[0]), images.of(ends[1]), strict=True)
    return np.concatenate([np.stack([b, a] if turned else [a, b]) for (a, turned), (b, _) in pairs], axis=1)


def _ends_meet(start: Floats, end: Floats, count: int, mesh: Mesh) -> bool:
    """Whether the first ``count`` facets have others at both ends, or end at the axis: what does not is open, however
    small the opening."""
    reach = float(np.ptp(mesh.points, axis=0).max())
    number = np.unique(np.round(np.concatenate([start, end]) / (_ONE_PLACE * reach)), axis=0, return_inverse=True)[1]
    first, last = np.split(number.ravel(), 2)
    inner = [
        places[:count][each[:count, 0] > _ON_AXIS * reach] if mesh.space.axisymmetric else places[:count]
        for places, each in ((first, start), (last, end))
    ]
    return bool(np.isin(inner[0], last).all() and np.isin(inner[1], first).all())
