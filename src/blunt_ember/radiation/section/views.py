"""What the facets of a plane or turned section see of each other and of their mirror images."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import LookingFacets
from blunt_ember.radiation.mirrors import Mirror, images
from blunt_ember.radiation.section.rings import exchange_areas
from blunt_ember.radiation.section.skin import coarsened, looked_from, round_ones_apart, skin_about, straight_skin
from blunt_ember.radiation.section.strings import exchange_lengths
from blunt_ember.radiation.views import Views

#: Share of what a chamber sees in all that is no opening: round-off, and what sampling misses.
_OPEN_IN_PLANE, _OPEN_TURNED = 1e-5, 1e-3
#: An edge this near the axis, as a share of the largest radius, lies on it and hides nothing.
_ON_AXIS = 1e-9


def section_views(mesh: Mesh, facets: LookingFacets, mirrors: Sequence[Mirror]) -> Views:
    """Return the views of facets of a section, every facet a patch of its own."""
    count = len(facets.surface)
    start, end = _mirrored(mesh.points[facets.corners[:, :2]].swapaxes(0, 1), mirrors)
    skin = skin_about(mesh.points, straight_skin(mesh), looked_from(mesh, facets))
    straight = np.linalg.norm(end - start, axis=1)
    depth = mesh.space.depth
    if depth is not None:
        edges, round_ones = round_ones_apart(mesh.points, skin)
        edges = _mirrored(edges.swapaxes(0, 1), mirrors).swapaxes(0, 1)
        bodies = [image[::-1] if turned else image for body in round_ones for image, turned in images(body, mirrors)]
        exchange = exchange_lengths(start, end, edges, bodies) * depth
        size, least = straight * depth, _OPEN_IN_PLANE
    else:
        skin = coarsened(mesh.points, skin, np.concatenate([start[:count], end[:count]]))
        off_axis = mesh.points[skin][..., 0].max(axis=1) > _ON_AXIS * mesh.points[:, 0].max()
        edges = _mirrored(mesh.points[skin[off_axis]].swapaxes(0, 1), mirrors).swapaxes(0, 1)
        exchange = exchange_areas(start, end, edges[:, ::-1])
        size, least = np.pi * (start[:, 0] + end[:, 0]) * straight, _OPEN_TURNED
    seen = exchange[:count].reshape(count, -1, count).sum(axis=1)
    return Views(seen, size[:count], np.arange(count), least, _ends_meet(start, end, mesh))


def _mirrored(ends: Floats, mirrors: Sequence[Mirror]) -> Floats:
    """Edges (2, n, 2) in m from their first to their last ends with their images, the body on the same side."""
    pairs = zip(images(ends[0], mirrors), images(ends[1], mirrors), strict=True)
    return np.concatenate([np.stack([b, a] if turned else [a, b]) for (a, turned), (b, _) in pairs], axis=1)


def _ends_meet(start: Floats, end: Floats, mesh: Mesh) -> bool:
    """Whether facets follow each other all round, or to the axis: what does not is open, however small the opening."""
    if mesh.space.axisymmetric:
        reach = float(np.ptp(mesh.points, axis=0).max())
        start, end = (each[each[:, 0] > _ON_AXIS * reach] for each in (start, end))
    first, last = (each[np.lexsort(each.T)] for each in (start, end))  # nodes have the same digits on both sides
    return np.array_equal(first, last)
