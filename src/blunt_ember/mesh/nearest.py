"""The place on a surface, or on a joint, that is nearest to another."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.mesh.cells.families import CELL_FAMILIES, CellFamily
from blunt_ember.mesh.mesh import FacetSet, Mesh

#: Straight pieces that stand for a facet of a section while it is looked for.
_PIECES = 8
#: Sine of the angle to a surface over which the way to a joint goes beneath it; and the share of the reach within which
#: the joint is taken to be on the surface anyway.
_BENEATH, _ON = 0.3, 0.05


def nearest_on_surface(facets: FacetSet, mesh: Mesh, point: Floats) -> Floats:
    """Return the place (d,) in m on a surface nearest to a ``point`` (d,) in m.

    It is found on straight pieces between places of each facet, and then lies on the curved facet itself.
    """
    best, found = np.inf, point
    for block in facets.blocks:
        family, nodes = CELL_FAMILIES[block.family], mesh.points[block.nodes]
        if family.dimension == 0:
            places = nodes[:, 0]
        else:
            local = _pieces(family)
            corners = np.einsum(
                "pck,fkd->fpcd", family.values(local.reshape(-1, family.dimension)).reshape(*local.shape[:2], -1), nodes
            )
            shares = _on_simplices(corners, point)
            gap = np.linalg.norm(np.einsum("fpc,fpcd->fpd", shares, corners) - point, axis=-1)
            facet, piece = np.unravel_index(gap.argmin(), gap.shape)
            at = shares[facet, piece] @ local[piece]
            places = family.values(at[None]) @ nodes[facet]
        gaps = np.linalg.norm(places - point, axis=1)
        if gaps.min() < best:
            best, found = float(gaps.min()), places[gaps.argmin()]
    return found


def parted_near(
    mesh: Mesh, point: Floats, reach: float, normal: Floats | None = None
) -> tuple[FacetSet, Floats] | None:
    """Return the joint that parts the mesh within ``reach`` in m of a point (d,), with the place (d,) on it.

    With a ``normal`` (d,) of the surface that the point is seen on, only what is beside it there: a joint beneath the
    surface is not seen. None where there is none.
    """
    best: tuple[FacetSet, Floats] | None = None
    for facets in mesh.surfaces.values():
        if not facets.far:
            continue
        at = nearest_on_surface(facets, mesh, point)
        away = at - point
        gap = float(np.linalg.norm(away))
        beneath = normal is not None and abs(float(away @ normal)) > max(_BENEATH * gap, _ON * reach)
        if gap <= reach and not beneath:
            best, reach = (facets, at), gap
    return best


def _pieces(family: CellFamily) -> Floats:
    """The corners (p, 2 or 3, dim), in the facet's own coordinates, of the straight pieces that stand for it."""
    if family.dimension == 1:
        ends = np.linspace(-1, 1, _PIECES + 1)[:, None]
        return np.stack([ends[:-1], ends[1:]], axis=1)
    return family.nodes[family.triangles]


def _on_simplices(corners: Floats, point: Floats) -> Floats:
    """Return the shares (…, c) of the corners (…, c, d) of segments or triangles in their place nearest to a point."""
    if corners.shape[-2] == 2:
        along = corners[..., 1, :] - corners[..., 0, :]
        away = point - corners[..., 0, :]
        share = np.clip((away * along).sum(-1) / np.maximum((along**2).sum(-1), 1e-300), 0, 1)
        return np.stack([1 - share, share], axis=-1)
    first, second = corners[..., 1, :] - corners[..., 0, :], corners[..., 2, :] - corners[..., 0, :]
    away = point - corners[..., 0, :]
    a, b, c = (first**2).sum(-1), (first * second).sum(-1), (second**2).sum(-1)
    u, v = (away * first).sum(-1), (away * second).sum(-1)
    flat = np.maximum(a * c - b * b, 1e-300)
    inner = np.stack([(c * u - b * v) / flat, (a * v - b * u) / flat], axis=-1)
    candidates = [np.concatenate([1 - inner.sum(-1, keepdims=True), inner], axis=-1)]
    inside = (candidates[0] >= 0).all(axis=-1)
    for one, other in ((0, 1), (1, 2), (2, 0)):
        ends = _on_simplices(corners[..., [one, other], :], point)
        shares = np.zeros(candidates[0].shape)
        shares[..., one], shares[..., other] = ends[..., 0], ends[..., 1]
        candidates.append(shares)
    gaps = [np.linalg.norm((each[..., None] * corners).sum(-2) - point, axis=-1) for each in candidates]
    gaps[0] = np.where(inside, gaps[0], np.inf)
    chosen = np.argmin(gaps, axis=0)
    return np.take_along_axis(np.stack(candidates), chosen[None, ..., None], axis=0)[0]
