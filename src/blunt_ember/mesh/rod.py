"""Line cells along a rod."""

from __future__ import annotations

import numpy as np

from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.mesh.mapped import divided, subdivided
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh


def rod_mesh(geometry: RodGeometry, size: float, across: int, order: int, refinement: int) -> Mesh:
    """Divide every piece evenly: no cell longer than ``size`` (m), at least ``across`` of them."""
    widths = np.diff(geometry.stations)
    each = [np.arange(len(widths)) == piece for piece in range(len(widths))]
    counts = divided(widths, each, size, across) * refinement
    region = np.repeat(np.arange(len(widths)), counts)
    points = subdivided(geometry.stations, counts * order)
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
