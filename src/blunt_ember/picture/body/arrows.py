"""Arrows of the heat flux in space: on the skin of a solid, and on the planes laid through it."""

from __future__ import annotations

from typing import Any

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkFiltersCore import vtkGlyph3D, vtkTriangleFilter
from vtkmodules.vtkFiltersSources import vtkArrowSource

from blunt_ember.arrays import Floats, Ints
from blunt_ember.picture.body.vtk_data import poly_data
from blunt_ember.tree_of_places import tree_of

#: Arrows at about so many places across the body, the longest so long as a share of the way between two.
_ACROSS, _LONGEST, _SHORTEST = 9, 0.8, 0.08
#: How near, as a share of the way between two, another one may stand, and how far the way a surface faces counts there:
#: the two sides of a thin wall have their own.
_NEAREST, _FACING = 0.8, 0.7
#: How fine a surface is looked at, as a share of the way between two.
_FINE = 0.4
_USUAL = 0.9


def even_places(corners: Floats, spacing: float) -> tuple[Floats, Floats]:
    """Return places (p, 3) about ``spacing`` m apart on triangles (t, 3, 3) in m, and the unit normals (p, 3) there.

    Those nearest to the points of a lattice come first; then whatever still has room, so that no gap stays open.
    """
    # Large triangles are divided until none is longer than a part of the spacing: whatever has room has a candidate.
    fine = spacing * _FINE
    while (long := np.ptp(corners, axis=1).max(axis=1) > fine).any():
        a, b, c = np.moveaxis(corners[long], 1, 0)
        ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
        parts = [np.stack(each, axis=1) for each in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
        corners = np.concatenate([corners[~long], *parts])
    middles = corners.mean(axis=1)
    away = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(away, axis=1, keepdims=True)
    normal = away / np.maximum(size, 1e-300)
    beside = (middles - middles.min(axis=0)) / spacing
    gap = np.linalg.norm(beside - np.round(beside), axis=1)
    cube = np.floor(beside / _FINE).astype(np.int64)
    facing = np.round(normal * 1.2).astype(np.int64)  # the two sides of a thin wall and of an edge count apart
    order = np.lexsort([gap, *cube.T, *facing.T])
    key = np.column_stack([cube, facing])[order]
    first = np.concatenate([[True], (key[1:] != key[:-1]).any(axis=1)])
    chosen = order[first]
    chosen = chosen[np.argsort(gap[chosen], kind="stable")]
    chosen = chosen[_apart(np.hstack([middles[chosen] / spacing, _FACING * normal[chosen]]), _NEAREST)]
    return middles[chosen], normal[chosen]


def _apart(places: Floats, least: float) -> Ints:
    """Return which of places (p, d) are kept so that no two are nearer than ``least``, the first ones before others."""
    near: Any = tree_of(places).query_ball_point(places, least)
    kept = np.ones(len(places), dtype=bool)
    for place, around in enumerate(near):
        if kept[place]:
            kept[[other for other in around if other > place]] = False
    return np.flatnonzero(kept)


def arrow_shapes(
    places: Floats, normals: Floats, flux: Floats, largest: float, spacing: float, rim: float = 0.0
) -> vtkPolyData:
    """Return arrows along fluxes (p, 3) in W/m² at places (p, 3) in m on a surface, standing clear of it.

    Their length goes with the flux, up to a share of the ``spacing`` for the ``largest`` and what is beyond; they are
    thicker by a ``rim``, a share of their length.
    """
    size = np.linalg.norm(flux, axis=1)
    seen = size > 1e-6 * max(largest, 1e-300)
    length = np.clip(size[seen] / max(largest, 1e-300), _SHORTEST, 1.0) * _LONGEST * spacing
    along = flux[seen] / size[seen, None]
    lift = np.abs((along * normals[seen]).sum(axis=1)) * length / 2 + 0.06 * spacing
    tail = places[seen] - along * length[:, None] / 2 + normals[seen] * lift[:, None]
    data = poly_data(tail)
    vectors = numpy_to_vtk(along * length[:, None], deep=True)
    vectors.SetName("flux")
    data.GetPointData().SetVectors(vectors)
    source = vtkArrowSource()
    source.SetTipResolution(12)
    source.SetShaftResolution(8)
    source.SetShaftRadius(0.03 + rim)
    source.SetTipRadius(0.1 + 1.6 * rim)
    glyphs = vtkGlyph3D()
    glyphs.SetInputData(data)
    glyphs.SetSourceConnection(source.GetOutputPort())
    glyphs.SetVectorModeToUseVector()
    glyphs.SetScaleModeToScaleByVector()
    glyphs.SetColorModeToColorByScale()
    glyphs.Update()
    return glyphs.GetOutput()


def usual_most(sizes: Floats) -> float:
    """Return what nearly all of sizes (p,) stay below: the flux at an edge is large without end."""
    return float(np.quantile(sizes, _USUAL)) if len(sizes) else 0.0


def triangles_of(drawn: vtkPolyData) -> Floats:
    """Return the corners (t, 3, 3) in m of what is drawn, cut into triangles."""
    cut = vtkTriangleFilter()
    cut.SetInputData(drawn)
    cut.Update()
    found = cut.GetOutput()
    if not found.GetNumberOfPolys():
        return np.zeros((0, 3, 3))
    points = vtk_to_numpy(found.GetPoints().GetData()).astype(np.float64)
    return points[vtk_to_numpy(found.GetPolys().GetConnectivityArray()).reshape(-1, 3)]


def spacing_of(points: Floats) -> float:
    """Return how far apart arrows stand, m, in a body with ``points`` (n, 3) in m."""
    return float(np.ptp(points, axis=0).max()) / _ACROSS
