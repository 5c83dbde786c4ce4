"""Solids on a lattice that follow the error: its lines stay, and cells between them move to where the error is.

Along each axis the layers of cells lie so that all have about the same share of the error, which lets them shrink
towards a singular edge as strongly as the field wants; no fine layer is spread farther than between two lines.
Source: de Boor, *Good approximation by splines with variable knots* (1974), which equidistributes a monitor.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import Ends
from blunt_ember.refinement.sharing import shared_evenly

#: So many times as many layers each mesh has along each axis, and in place of one layer at most, and at least.
_MORE, _MOST, _LEAST = 1.26, 4.0, 0.7


def followed_lattice(geometry: SolidGeometry, wish: MeshWish) -> Lattice | None:
    """Return the lattice of the plan of a solid whose cells are mapped on it; None where they are not."""
    if wish.cells not in ("auto", "quadrilaterals"):
        return None
    return None if any(entry.size is not None for entry in wish.local) else geometry.plan.lattice


def moved_ends(geometry: SolidGeometry, lattice: Lattice, mesh: Mesh, error: Floats) -> Ends:
    """Return where the cells of the next mesh end along each axis.

    ``error`` (c, 3) is the squared error of every cell that its size along each axis is to blame for.
    """
    middles = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    places, nodes = (_coordinates(geometry, lattice, each) for each in (middles, mesh.points))
    lines = (lattice.us, lattice.vs, geometry.path.stations)
    u, v, along = (_moved(*axis, mesh.order) for axis in zip(places, nodes, lines, error.T, strict=True))
    return u, v, along


def _coordinates(geometry: SolidGeometry, lattice: Lattice, points: Floats) -> tuple[Floats, Floats, Floats]:
    """Where points (n, 3) in m lie along the axes of the lattice and along the path."""
    plan, along = geometry.path.plan_of(points)
    u, v = lattice.coordinates(plan).T
    if lattice.centre is not None:
        v = lattice.vs[0] + (v - lattice.vs[0]) % (2 * np.pi)
    return u, v, along


def _moved(places: Floats, nodes: Floats, lines: Floats, error: Floats, order: int) -> Floats:
    """Return the ends of the layers between ``lines`` (w + 1,) along an axis, told by the ``places`` (c,) of cells and
    of ``nodes`` (n,) along it."""
    ends = [_ends_today(nodes, low, high, order) for low, high in pairwise(lines.tolist())]
    today = np.concatenate([*(own[:-1] for own in ends), lines[-1:]])
    layer = np.clip(np.searchsorted(today, places, side="right") - 1, 0, len(today) - 2)
    own = np.bincount(layer, error, len(today) - 1)
    share = np.maximum(own, max(1e-12 * own.max(), 1e-300)) ** (1 / (2 * order + 1))
    wanted = _MORE * len(share)
    many = 1 / shared_evenly(share, lambda factor: float((1 / factor).sum()), wanted, 1 / _MOST, 1 / _LEAST)
    first = np.concatenate([[0], np.cumsum([len(own) - 1 for own in ends])])
    found = [_spread(own, many[first[number] : first[number + 1]]) for number, own in enumerate(ends)]
    return np.concatenate([*(own[:-1] for own in found), lines[-1:]])


def _ends_today(nodes: Floats, low: float, high: float, order: int) -> Floats:
    """Where layers between two lines end, told by the nodes that lie there."""
    reach = 1e-9 * (high - low)
    inside = np.sort(nodes[(nodes > low + reach) & (nodes < high - reach)])
    inside = inside[np.diff(inside, prepend=low) > reach]
    return np.concatenate([[low], inside[order - 1 :: order], [high]])


def _spread(ends: Floats, many: Floats) -> Floats:
    """Return the ends of so ``many`` (l,) layers in place of each of those today, which have these ``ends`` (l + 1,).

    How close they lie changes evenly from the middle of one layer of today to that of the next.
    """
    middle = (ends[1:] + ends[:-1]) / 2
    fine = np.unique(np.concatenate([np.linspace(low, high, 9) for low, high in pairwise(ends.tolist())]))
    dense = np.exp(np.interp((fine[1:] + fine[:-1]) / 2, middle, np.log(many / np.diff(ends))))
    passed = np.concatenate([[0.0], np.cumsum(dense * np.diff(fine))])
    count = max(round(float(many.sum())), 1)
    return np.concatenate([ends[:1], np.interp(np.arange(1, count) * passed[-1] / count, passed, fine), ends[-1:]])
