"""The lattice that the cells of a mesh lie on, found from where their nodes are."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints, ShortInts
from blunt_ember.immutable import immutable
from blunt_ember.in_threads import each_in_threads
from blunt_ember.mesh.cells.families import CELL_FAMILIES

if TYPE_CHECKING:
    from blunt_ember.mesh.mesh import CellBlock, Mesh

_LINEAR = {2: "quad4", 3: "hex8"}
_FAMILIES = {"quad4", "quad9", "hex8", "hex27"}
#: Share of the largest coordinate by which lines are apart at least, and coordinates on one line at most.
_APART = 1e-14
#: Share of the width of a cell by which its nodes may lie beside their places.
_BENT = 1e-9
#: How many times as many places as cells the box of lines may have.
_SPARSE = 8
#: Nodes of all cells from which on more threads than one look at them.
_LARGE = 500_000


@immutable
class CellLattice:
    """Cells between lines.

    ``lines`` are the places of the lines of each axis, ``kept`` those at which regions end. ``cells`` (m, d) are the
    numbers of the lines below the cells, ``corners`` (m, 2ᵈ) their nodes; the bits of the place in a row say on which
    axes a corner lies above, and they are numbered among corners alone, in the order of the mesh. ``at`` (n, d) are the
    numbers of the lines that corners lie on. ``axes`` (d,) are those along which the directions of a reference cell
    lie.
    """

    lines: tuple[Floats, ...]
    kept: tuple[Flags, ...]
    cells: ShortInts
    corners: ShortInts
    at: ShortInts
    axes: tuple[int, ...]

    @property
    def count(self) -> int:
        """How many corners there are."""
        return len(self.at)

    def widths(self, run: slice) -> Floats:
        """Return how wide (r, d) in m a run of cells is along each axis."""
        return np.stack([np.diff(lines)[self.cells[run, axis]] for axis, lines in enumerate(self.lines)], axis=1)

    def steps(self, block: CellBlock) -> ShortInts:
        """Return how far (k, d) the nodes of a cell lie above its lowest corner, in half cells where it is quadratic;
        ``block`` has all cells."""
        family = CELL_FAMILIES[block.family]
        place = np.empty(self.corners.shape[1], dtype=np.int64)
        place[np.argsort(block.nodes[0, : len(place)])] = np.argsort(self.corners[0])
        above = place[:, None] >> np.arange(self.cells.shape[1]) & 1
        corners = CELL_FAMILIES[_LINEAR[family.dimension]]
        return np.rint(family.order * corners.values(family.nodes) @ above).astype(np.int32)

    def of_nodes(self, block: CellBlock) -> CellLattice:
        """Return the lattice that has all nodes of quadratic cells at its corners, of cells half as wide."""
        dimension = self.cells.shape[1]
        node_at = {tuple(step): node for node, step in enumerate(self.steps(block).tolist())}
        bits = [[corner >> axis & 1 for axis in range(dimension)] for corner in range(2**dimension)]
        halves = [
            block.nodes[:, [node_at[tuple(np.add(low, high).tolist())] for high in bits]].astype(np.int32)
            for low in bits
        ]
        cells = np.concatenate([self.cells * 2 + np.array(low, dtype=np.int32) for low in bits])
        corners = np.concatenate(halves)
        return CellLattice(
            tuple(np.sort(np.concatenate([lines, (lines[1:] + lines[:-1]) / 2])) for lines in self.lines),
            tuple(np.insert(kept, np.arange(1, len(kept)), False) for kept in self.kept),
            cells,
            corners,
            places_of(cells, corners, np.array(bits), int(block.nodes.max()) + 1),
            self.axes,
        )


def places_of(cells: ShortInts, nodes: Ints | ShortInts, steps: Ints | ShortInts, count: int) -> ShortInts:
    """Return the places (count, d) of the nodes (m, k) of cells, which lie ``steps`` (k, d) above those of the
    ``cells`` (m, d)."""
    at = np.empty((count, cells.shape[1]), dtype=np.int32)
    known = np.zeros(count, dtype=bool)
    for node, step in enumerate(steps):
        # Most nodes are the lowest of some cell, so that few are met a second time.
        rows = np.flatnonzero(~known[nodes[:, node]])
        at[nodes[rows, node]] = cells[rows] + step.astype(np.int32)
        known[nodes[rows, node]] = True
    return at


def lattice_of(mesh: Mesh) -> CellLattice | None:
    """Return the lattice that all cells of a mesh lie on; None where there is none."""
    if len(mesh.blocks) != 1 or mesh.blocks[0].family not in _FAMILIES:
        return None
    (block,) = mesh.blocks
    dimension = mesh.points.shape[1]
    width = 2**dimension
    if CELL_FAMILIES[block.family].dimension != dimension:
        return None
    used = np.zeros(mesh.node_count, dtype=bool)
    used[block.nodes[:, :width]] = True
    own = np.flatnonzero(used)
    number = np.full(mesh.node_count, -1, dtype=np.int32)
    number[own] = np.arange(len(own), dtype=np.int32)
    large = block.nodes.size >= _LARGE
    lines, places = _lines(mesh.points if len(own) == mesh.node_count else mesh.points[own], large)
    if mesh.order == 1 and len(own) < mesh.node_count:
        return None
    if np.prod([float(len(axis)) for axis in lines]) > _SPARSE * len(own):
        return None
    nodes = number[block.nodes[:, :width]]
    first = np.array([place[nodes[0]] for place in places])
    above = ((first > first.min(axis=1, keepdims=True)) << np.arange(dimension)[:, None]).sum(axis=0)
    if len(set(above.tolist())) < width:
        return None
    corners = nodes.take(np.argsort(above), axis=1)
    low = np.ascontiguousarray(corners[:, 0])
    cells = np.stack([place[low] for place in places], axis=1)
    shape = [len(axis) for axis in lines]
    flat = np.ravel_multi_index(tuple(places), shape).astype(np.int32)
    lowest = flat[low]
    strides = np.concatenate([np.cumprod(shape[:0:-1])[::-1], [1]]).astype(np.int64)
    beside = np.zeros(width, dtype=bool)

    def look(corner: int) -> None:
        step = np.int32(strides @ (corner >> np.arange(dimension) & 1))
        beside[corner] = not np.array_equal(flat[corners[:, corner]], lowest + step)

    each_in_threads(look, width, large)
    if beside.any():
        return None
    if any((own + 1 >= count).any() for own, count in zip(cells.T, shape, strict=True)):
        return None
    region = np.full([len(axis) - 1 for axis in lines], -1, dtype=np.int32)
    region[tuple(cells.T)] = block.region
    directions = (above >> np.arange(dimension)[:, None] & 1) @ CELL_FAMILIES[block.family].nodes[:width]
    axes = tuple(np.abs(directions).argmax(axis=0).tolist())
    ends = tuple(_ends(region, axis) for axis in range(dimension))
    found = CellLattice(lines, ends, cells, corners, np.stack(places, axis=1), axes)
    return found if mesh.order == 1 or _straight(mesh, block, found) else None


def _straight(mesh: Mesh, block: CellBlock, lattice: CellLattice) -> bool:
    """Tell whether the nodes of quadratic cells lie half way between their corners."""
    widths = lattice.widths(slice(None))
    steps = lattice.steps(block)
    low = mesh.points[block.nodes[:, steps.sum(axis=1).argmin()]]
    beside = np.zeros(len(steps), dtype=bool)

    def look(node: int) -> None:
        off = mesh.points[block.nodes[:, node]] - low - widths * (steps[node] / 2)
        beside[node] = not bool((np.abs(off) <= _BENT * widths).all())

    each_in_threads(look, len(steps), block.nodes.size >= _LARGE)
    return not beside.any()


def _lines(points: Floats, large: bool) -> tuple[tuple[Floats, ...], list[ShortInts]]:
    """The lines of every axis that ``points`` (n, d) lie on, and on which of them each lies (n,)."""
    dimension, found = points.shape[1], dict[int, tuple[Floats, ShortInts]]()

    def look(axis: int) -> None:
        found[axis] = _lines_of(np.ascontiguousarray(points[:, axis]))

    each_in_threads(look, dimension, large)
    return tuple(found[axis][0] for axis in range(dimension)), [found[axis][1] for axis in range(dimension)]


def _lines_of(coordinates: Floats) -> tuple[Floats, ShortInts]:
    """The different ones (l,) of coordinates (n,), and which of them each is (n,)."""
    ordered = np.sort(coordinates)
    apart = np.diff(ordered, prepend=-np.inf) > _APART * max(abs(ordered[0]), abs(ordered[-1]))
    lines = ordered[apart]
    middles = (lines[1:] + lines[:-1]) / 2
    return lines, np.searchsorted(middles, coordinates).astype(np.int32)


def _ends(region: ShortInts, axis: int) -> Flags:
    """The lines (l,) of an axis at which a region ends, or begins."""
    ahead = np.moveaxis(region, axis, 0)
    changes = (ahead[1:] != ahead[:-1]).any(axis=tuple(range(1, ahead.ndim)))
    return np.concatenate([[True], changes, [True]])
