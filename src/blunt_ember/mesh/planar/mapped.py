"""Mapped quadrilaterals over a section that lies on a lattice, linear or biquadratic."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.curves import Curves
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.mesh.grading import Axis, halved
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.tree_of_places import boxed

#: Places of a cell's nodes on its lattice patch, corners counter-clockwise first, then mid-sides, then the centre.
_PATCH = {
    1: np.array([[0, 0], [1, 0], [1, 1], [0, 1]]),
    2: np.array([[0, 0], [2, 0], [2, 2], [0, 2], [1, 0], [2, 1], [1, 2], [0, 1], [1, 1]]),
}
_CELLS = {1: "quad4", 2: "quad9"}
_FACETS = {1: "line2", 2: "line3"}


#: Where a region lies between the lines of a lattice, as an array like its owners.
Extents = Sequence[NDArray[np.bool_]]


def divisions(lattice: Lattice, size: float, across: int, extents: Extents | None = None) -> tuple[Ints, Ints]:
    """Return the cells between the lines of a lattice: none longer than ``size``, ``across`` through every region.

    ``extents`` are where regions lie when they are not simply the owners of the lattice.
    """
    if extents is None:
        held = np.unique(lattice.owner[lattice.owner != VOID])
        extents = [np.asarray(lattice.owner == region) for region in held.tolist()]
    widths_u, widths_v = lattice.widths()
    counts = [
        divided_edges(widths_u, [np.asarray(extent.any(axis=1)) for extent in extents], size, across),
        divided_edges(widths_v, [np.asarray(extent.any(axis=0)) for extent in extents], size, across),
    ]
    if lattice.centre is not None:  # round: enough pieces for every quarter turn to look and measure round
        counts[1] = np.maximum(counts[1], np.ceil(np.diff(lattice.vs) / (np.pi / 16) * (1 - 1e-9)).astype(np.int64))
    return counts[0], counts[1]


def graded_axes(
    lattice: Lattice, singular: tuple[Flags, Flags], size: float, across: int, extents: Extents | None = None
) -> list[Axis]:
    """Return both axes of a lattice with their ``singular`` lines and even divisions, along which cells may shrink."""
    even = divisions(lattice, size, across, extents)
    return [Axis(*axis) for axis in zip(lattice.widths(), singular, even, strict=True)]


def divided_edges(widths: Floats, extents: Extents, size: float, across: int) -> Ints:
    """Return the cells in each of ``widths`` (w,): none longer than ``size``, ``across`` through every extent (w,)."""
    wanted = np.ceil(widths / size * (1 - 1e-9))
    for rows in extents:
        share = np.ceil(across * widths / max(widths[rows].sum(), 1e-300) * (1 - 1e-9))
        wanted = np.where(rows, np.maximum(wanted, share), wanted)
    return np.maximum(np.minimum(wanted, 1e7), 1).astype(np.int64)


def counts_between(lines: Floats, ends: Floats) -> Ints:
    """Return how many cells (w,) lie between ``lines`` (w + 1,), which are among their ``ends`` (c + 1,)."""
    reach = 1e-12 * max(abs(float(lines[0])), abs(float(lines[-1])))
    return np.diff(np.searchsorted(ends, lines - reach))


def refined_counts(counts: Ints, refinement: float) -> Ints:
    """Return so many times the cells (n,), rounded down, and one at least."""
    return np.maximum(counts * refinement, 1).astype(np.int64)


def divided_by_hand(
    lattice: Lattice, counts: tuple[Ints, Ints], along: Floats, count: int, name: str
) -> tuple[Ints, Ints]:
    """Return the cells between the lines with ``count`` of them along a surface, given by places (n, 2) on it.

    Raises :class:`CaseError` when the lines of the lattice part the surface into more pieces than that.
    """
    axis = int(np.ptp(along[:, 1]) * (lattice.us[-1] if lattice.centre else 1.0) > np.ptp(along[:, 0]))
    lines = (lattice.us, lattice.vs)[axis]
    middle = (lines[:-1] + lines[1:]) / 2
    turn = 2 * np.pi if lattice.centre is not None and axis == 1 else np.inf
    low, high = along[:, axis].min(), along[:, axis].max()
    within = (middle > low) & (middle < high)
    if np.isfinite(turn):
        within |= (middle - turn > low) & (middle - turn < high)
    widths = np.diff(lines)[within]
    if count < len(widths):
        what = f"'{name}' is parted into {len(widths)} by what meets it; state at least so many divisions"
        raise CaseError((Fault(("mesh", "local"), what),))
    wanted = count * widths / widths.sum()
    share = np.maximum(np.floor(wanted), 1).astype(np.int64)
    while share.sum() != count:
        gap = wanted - share
        step = 1 if share.sum() < count else -1
        share[np.where(share + step >= 1, step * gap, -np.inf).argmax()] += step
    made = [counts[0].copy(), counts[1].copy()]
    made[axis][within] = share
    return made[0], made[1]


def mapped_mesh(geometry: SectionGeometry, lattice: Lattice, ends: tuple[Floats, Floats], order: int) -> Mesh:
    """Mesh a section on its lattice with cells that have their ``ends`` along both axes, its lines among them."""
    counts_u, counts_v = counts_between(lattice.us, ends[0]), counts_between(lattice.vs, ends[1])
    u, v = halved(ends[0], order), halved(ends[1], order)
    rows = len(v) - 1 if lattice.closed else len(v)
    owner = np.repeat(np.repeat(lattice.owner, counts_u, axis=0), counts_v, axis=1)
    columns, places = np.nonzero(owner != VOID)
    patch = _PATCH[order]
    along, across = columns[:, None] * order + patch[:, 0], places[:, None] * order + patch[:, 1]
    number = along * rows + (across % rows if lattice.closed else across)
    named = np.zeros(len(u) * rows, dtype=bool)
    named[number] = True
    used = np.flatnonzero(named)
    compact = np.full(len(named), -1, dtype=np.int64)
    compact[used] = np.arange(len(used))
    points = lattice.places(u[used // rows], v[used % rows])
    block = CellBlock(_CELLS[order], compact[number], owner[columns, places])
    surfaces = {}
    facets, middle = _bounding_facets(owner, order, rows, lattice, u, v)
    for name, edge in surfaces_of(geometry, middle, geometry.surfaces).items():
        own = FacetBlock(_FACETS[order], compact[facets[edge]])
        surfaces[name] = FacetSet((own,), geometry.surfaces[name].regions)
    return Mesh(points, (block,), surfaces, tuple(region.name for region in geometry.regions), order, geometry.space)


def _bounding_facets(owner: Ints, order: int, rows: int, lattice: Lattice, u: Floats, v: Floats) -> tuple[Ints, Floats]:
    """Return lattice numbers (f, order + 1) of every facet between different owners, and their middles (f, 2)."""
    steps = np.array([0, 1] if order == 1 else [0, 2, 1])
    framed_u = np.pad(owner, ((1, 1), (0, 0)), constant_values=VOID)
    i, j = np.nonzero(framed_u[:-1] != framed_u[1:])
    across_u = (i * order)[:, None] * rows + (j[:, None] * order + steps) % rows
    middle_u = lattice.places(u[i * order], (v[j * order] + v[(j + 1) * order]) / 2)
    framed_v = np.pad(owner, ((0, 0), (1, 1)), constant_values=VOID)
    if lattice.closed:
        framed_v[:, 0], framed_v[:, -1] = owner[:, -1], VOID
        framed_v = framed_v[:, :-1]
    k, m = np.nonzero(framed_v[:, :-1] != framed_v[:, 1:])
    across_v = (k[:, None] * order + steps) * rows + (m * order % rows)[:, None]
    middle_v = lattice.places((u[k * order] + u[(k + 1) * order]) / 2, v[m * order])
    return np.concatenate([across_u, across_v]), np.concatenate([middle_u, middle_v])


def surfaces_of(geometry: SectionGeometry, middle: Floats, names: Iterable[str]) -> dict[str, Ints]:
    """Return the numbers of the facets on each of the surfaces: their ``middle`` (f, 2) in m lies on an edge of it."""
    curves, tolerance = geometry.arrangement.curves, 1e-7 * geometry.extent
    chosen = list(names)
    edge = np.concatenate([np.zeros(0, dtype=np.int64), *(geometry.surfaces[name].edges for name in chosen)])
    owner = np.repeat(np.arange(len(chosen)), [len(geometry.surfaces[name].edges) for name in chosen])
    low, high = curves.take(edge).boxes()
    facet, near = boxed(middle, low - tolerance, high + tolerance)
    on = _on_curve(curves.take(edge[near]), middle[facet], tolerance)
    near, facet = owner[near[on]], facet[on]
    order = np.argsort(near, kind="stable")
    ends = np.searchsorted(near[order], np.arange(len(chosen) + 1))
    return {
        name: np.unique(facet[order[begin:end]])
        for name, (begin, end) in zip(chosen, pairwise(ends.tolist()), strict=True)
    }


def _on_curve(curves: Curves, points: Floats, tolerance: float) -> np.typing.NDArray[np.bool_]:
    share = curves.share_of(points)
    return (curves.distance(points) <= tolerance) & (share > 0) & (share < 1)
