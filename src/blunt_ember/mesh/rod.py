"""Line cells along a rod."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.mesh.grading import halved, places_between
from blunt_ember.mesh.local_sizes import require_few
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.mesh.planar.mapped import divided_edges, refined_counts
from blunt_ember.mesh.planar.size_field import LocalSizes

#: Cells that "auto" aims at along a rod.
_AUTO_CELLS = 40


def rod_mesh(geometry: RodGeometry, request: MeshRequest) -> Mesh:
    """Mesh a rod; raises :class:`CaseError` for too many cells."""
    across, order = request.across(1), request.wish.order
    if request.finer:
        return graded_rod_mesh(geometry, request.finer, across, order)
    size = request.size(geometry.length / _AUTO_CELLS)
    require_few(geometry.length / size * request.refinement)
    return _even(geometry, size, across, order, request.refinement)


def _even(geometry: RodGeometry, size: float, across: int, order: int, refinement: float) -> Mesh:
    """Divide every piece evenly: no cell longer than ``size`` (m), at least ``across`` of them."""
    widths = np.diff(geometry.stations)
    each = [np.arange(len(widths)) == piece for piece in range(len(widths))]
    counts = refined_counts(divided_edges(widths, each, size, across), refinement)
    return _of_ends(geometry, places_between(geometry.stations, counts), counts, order)


def graded_rod_mesh(geometry: RodGeometry, sizes: LocalSizes, across: int, order: int) -> Mesh:
    """Divide every piece so that cells have about the size (m) wanted at the nearest of its places (p, 1), ``across``
    of them at least."""
    places = np.concatenate([at[:, 0] for at, _ in sizes])
    density = np.concatenate([np.full(len(at), 1 / size) for at, size in sizes])
    order_of = np.argsort(places)
    places, density = places[order_of], density[order_of]
    borders = (places[1:] + places[:-1]) / 2
    ends, counts = [geometry.stations[:1]], []
    for low, high in pairwise(geometry.stations.tolist()):
        x = np.concatenate([[low], borders[(borders > low) & (borders < high)], [high]])
        dense = density[np.searchsorted(borders, (x[1:] + x[:-1]) / 2)]
        passed = np.concatenate([[0.0], np.cumsum(dense * np.diff(x))])
        count = max(int(np.ceil(passed[-1] - 1e-9)), across)
        ends.append(np.interp(np.linspace(0, passed[-1], count + 1)[1:], passed, x))
        counts.append(count)
    return _of_ends(geometry, np.concatenate(ends), np.array(counts), order)


def _of_ends(geometry: RodGeometry, ends: Floats, counts: Ints, order: int) -> Mesh:
    """The mesh with cells between ``ends`` (c + 1,) in m, ``counts`` (p,) of them in every piece."""
    region = np.repeat(np.arange(len(counts)), counts)
    points = halved(ends, order)
    first = np.arange(len(region)) * order
    nodes = first[:, None] + (np.array([0, 1]) if order == 1 else np.array([0, 2, 1]))
    family = "line2" if order == 1 else "line3"
    joints = np.concatenate([[0], np.cumsum(counts * order)])
    surfaces = {}
    for name, surface in geometry.surfaces.items():
        if name.endswith(".side"):
            own = FacetBlock(family, nodes[region == surface.regions[0]])
        elif surface.outer:
            own = FacetBlock("point1", joints[[0 if name.endswith(".start") else -1]][:, None])
        else:
            own = FacetBlock("point1", joints[[surface.regions[1]]][:, None])
        surfaces[name] = FacetSet((own,), surface.regions)
    names = tuple(known.name for known in geometry.regions)
    return Mesh(points[:, None], (CellBlock(family, nodes, region),), surfaces, names, order, geometry.space)
