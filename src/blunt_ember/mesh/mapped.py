"""Mapped quadrilaterals over a section of rectangles, linear or biquadratic."""

from __future__ import annotations

import numpy as np

from blunt_ember.case.document import MeshWish
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.section import VOID, SectionGeometry
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Floats, Ints, Mesh

#: Cells that "auto" aims at over the whole body; layers thinner than a cell add to it.
AUTO_CELLS = 400
MAX_CELLS = 4_000_000

#: Places of a cell's nodes on its lattice patch, corners counter-clockwise first, then mid-sides, then the centre.
_PATCH = {
    1: np.array([[0, 0], [1, 0], [1, 1], [0, 1]]),
    2: np.array([[0, 0], [2, 0], [2, 2], [0, 2], [1, 0], [2, 1], [1, 2], [0, 1], [1, 1]]),
}
_CELLS = {1: "quad4", 2: "quad9"}
_FACETS = {1: "line2", 2: "line3"}


def mapped_mesh(geometry: SectionGeometry, wish: MeshWish, refinement: int = 1) -> Mesh:
    """Mesh a section; ``refinement`` multiplies every division, for error estimates and convergence studies.

    Raises :class:`CaseError` when the wish asks for more cells than can be solved.
    """
    order = wish.order
    area = float(np.diff(geometry.xs) @ (geometry.owner != VOID) @ np.diff(geometry.ys))
    size = float(np.sqrt(area / AUTO_CELLS)) if wish.size == "auto" else wish.size.si
    counts_x = _divisions(geometry.xs, geometry, 0, size, wish.across) * refinement
    counts_y = _divisions(geometry.ys, geometry, 1, size, wish.across) * refinement
    cells = int(counts_x.sum()) * int(counts_y.sum())
    if cells > MAX_CELLS:
        what = f"this size gives {cells:,} cells, more than the {MAX_CELLS:,} a section may have; state a larger size"
        raise CaseError((Fault("mesh.size", what),))
    x, y = _subdivided(geometry.xs, counts_x * order), _subdivided(geometry.ys, counts_y * order)
    owner = np.repeat(np.repeat(geometry.owner, counts_x, axis=0), counts_y, axis=1)

    columns, rows = np.nonzero(owner != VOID)
    patch = _PATCH[order]
    lattice = (columns[:, None] * order + patch[:, 0]) * len(y) + (rows[:, None] * order + patch[:, 1])
    used, nodes = np.unique(lattice, return_inverse=True)
    number = np.full(len(x) * len(y), -1, dtype=np.int64)
    number[used] = np.arange(len(used))
    points = np.column_stack([x[used // len(y)], y[used % len(y)]])
    block = CellBlock(_CELLS[order], nodes.reshape(lattice.shape), owner[columns, rows])

    starts_x, starts_y = _starts(counts_x), _starts(counts_y)
    surfaces = {}
    for name, surface in geometry.surfaces.items():
        facets = [
            _facets(edge, starts_x, starts_y, counts_x, counts_y, order, len(y)) for edge in surface.edges.tolist()
        ]
        surfaces[name] = FacetSet(_FACETS[order], number[np.concatenate(facets)], surface.regions)
    return Mesh(points, (block,), surfaces, tuple(region.name for region in geometry.regions), order)


def _divisions(lines: Floats, geometry: SectionGeometry, axis: int, size: float, across: int) -> Ints:
    widths = np.diff(lines)
    counts = np.ceil(widths / size * (1 - 1e-9))
    for region in geometry.regions:
        low, high = region.box[axis], region.box[axis + 2]
        inside = (lines[:-1] > low - 1e-9 * geometry.extent) & (lines[1:] < high + 1e-9 * geometry.extent)
        counts = np.where(inside, np.maximum(counts, np.ceil(across * widths / (high - low) * (1 - 1e-9))), counts)
    return np.maximum(np.minimum(counts, MAX_CELLS), 1).astype(np.int64)


def _subdivided(lines: Floats, counts: Ints) -> Floats:
    share = np.concatenate([np.arange(n) / n for n in counts.tolist()])
    start = np.repeat(np.arange(len(counts)), counts)
    return np.append(lines[start] + share * np.diff(lines)[start], lines[-1])


def _starts(counts: Ints) -> Ints:
    return np.concatenate([[0], np.cumsum(counts)])


def _facets(
    edge: list[int], starts_x: Ints, starts_y: Ints, counts_x: Ints, counts_y: Ints, order: int, rows: int
) -> Ints:
    """Lattice numbers of the facets along one lattice edge: ends first, then the mid-side node."""
    axis, i, j = edge
    along = np.arange(counts_y[j] if axis == 0 else counts_x[i])
    steps = np.array([0, 1] if order == 1 else [0, 2, 1])
    if axis == 0:
        places = order * (starts_y[j] + along)[:, None] + steps
        numbers: Ints = order * starts_x[i] * rows + places
    else:
        places = order * (starts_x[i] + along)[:, None] + steps
        numbers = places * rows + order * starts_y[j]
    return numbers
