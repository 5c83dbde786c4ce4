"""Solids on a lattice that follow the error: more cells between those of its lines where the error is.

The lattice stays, with its cells that shrink towards edges, so that a finer mesh loses nothing of what the one before
had; and no fine layer is spread farther than between two lines.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import Times
from blunt_ember.mesh.planar.lattice import Lattice, lattice_of
from blunt_ember.refinement.sharing import shared_evenly

#: So many times as many cells each mesh has along each axis, and between two lines at most.
_MORE, _MOST = 1.35, 2.0


def followed_lattice(geometry: SolidGeometry, wish: MeshWish) -> Lattice | None:
    """Return the lattice of the plan of a solid whose cells are mapped on it; None where they are not."""
    if wish.cells not in ("auto", "quadrilaterals"):
        return None
    return None if any(entry.size is not None for entry in wish.local) else lattice_of(geometry.plan)


def more_between(geometry: SolidGeometry, lattice: Lattice, mesh: Mesh, error: Floats, before: Times | None) -> Times:
    """Return how many times as many cells than at first lie between lines and stations, ``before`` being today's.

    ``error`` (c,) is the squared error of every cell. Along each axis the cells that are added are shared out so that
    the error sinks the most: it goes with the power 2 p of what the cells are divided by.
    """
    middles = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    plan, along = geometry.path.plan_of(middles)
    u, v = lattice.coordinates(plan).T
    if lattice.centre is not None:
        v = lattice.vs[0] + (v - lattice.vs[0]) % (2 * np.pi)
    axes = ((u, lattice.us), (v, lattice.vs), (along, geometry.path.stations))
    found = [_shared_out(places, lines, error, mesh.order) for places, lines in axes]
    today = before or tuple(np.ones(len(lines) - 1) for _, lines in axes)
    return found[0] * today[0], found[1] * today[1], found[2] * today[2]


def _shared_out(places: Floats, lines: Floats, error: Floats, order: int) -> Floats:
    """By how much the cells between ``lines`` are divided (w,), told by their ``places`` (c,) along that axis."""
    count = len(lines) - 1
    space = np.clip(np.searchsorted(lines, places, side="right") - 1, 0, count - 1)
    own = np.bincount(space, error, count)
    reach = 1e-9 * (lines[-1] - lines[0])
    layers = np.array([len(np.unique(np.round(places[space == number] / reach))) for number in range(count)])
    share = np.maximum(own / np.maximum(layers, 1), max(1e-12 * own.max(), 1e-300)) ** (1 / (2 * order + 1))
    wanted = _MORE * float(layers.sum())
    return 1 / shared_evenly(share, lambda factor: float((layers / factor).sum()), wanted, 1 / _MOST, 1.0)
