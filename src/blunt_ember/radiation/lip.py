"""The lip of an enclosure: what is drawn of its opening."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import looking_facets

#: What is closer than this share of the body is together.
_TOGETHER = 1e-6


def lip(mesh: Mesh, surfaces: Sequence[str], owner_at: Callable[[Floats], Ints]) -> Floats:
    """Return the lip of the space that ``surfaces`` look into, as straight lines (n, 2, d) in m.

    Of a section it is what closes the convex hull of the surfaces and lies in no region, as ``owner_at`` tells them; of
    a solid the edges where the surfaces end.
    """
    import shapely  # which only an open enclosure needs

    corners = looking_facets(mesh, surfaces).corners
    if mesh.dimension == 3:
        return mesh.points[_single_edges(corners)]
    ends = mesh.points[corners[:, :2]]
    turned = mesh.space.axisymmetric
    if turned:
        ends = np.concatenate([ends, ends * [-1, 1]])
    near = _TOGETHER * float(np.ptp(mesh.points, axis=0).max())
    closing = shapely.MultiLineString(list(ends)).convex_hull.boundary
    left = closing.difference(shapely.MultiLineString(list(ends)).buffer(near))
    lines = [np.array(part.coords) for part in shapely.get_parts(left) if part.length > 10 * near]
    pieces = np.array([piece for line in lines for piece in pairwise(line)]).reshape(-1, 2, 2)
    if turned:  # the half that is drawn
        pieces = np.clip(pieces[pieces[:, :, 0].max(axis=1) > near], [0, -np.inf], np.inf)
    return pieces[owner_at(pieces.mean(axis=1)) == VOID]


def _single_edges(corners: Ints) -> Ints:
    """The edges (n, 2) that one facet of ``corners`` (m, c) has alone."""
    following = np.roll(corners, -1, axis=1)
    edges = np.stack([corners, following], axis=2).reshape(-1, 2)
    edges = np.sort(edges[edges[:, 0] != edges[:, 1]], axis=1)
    single, count = np.unique(edges, axis=0, return_counts=True)
    return np.asarray(single[count == 1])
