"""Facets of the cells of a mesh, and the outer skin they make, with the surfaces they lie on."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components, depth_first_order

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES

if TYPE_CHECKING:
    from blunt_ember.mesh.mesh import FacetBlock, Mesh


@immutable
class FacetPart:
    """Outer facets of one family, counter-clockwise seen from outside.

    ``nodes`` (f, k) are numbers of mesh nodes, ``places`` (f, k) those of the same nodes among the nodes of all cells
    written one after the other, ``region`` (f,) that of the cell behind, ``surface`` (f,) a place in the names, −1 for
    none.
    """

    family: str
    nodes: Ints
    places: Ints
    region: Ints
    surface: Ints

    @property
    def corners(self) -> Ints:
        """Numbers of the nodes at the corners, (f, 3 or 4)."""
        return self.nodes[:, : CELL_FAMILIES[self.family].corners]


@immutable
class Skin:
    """Parts by facet family, and the names of the outer surfaces."""

    parts: tuple[FacetPart, ...]
    names: tuple[str, ...]


#: Odd numbers without a pattern, one for each corner of a facet in order.
_MIXING = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9, 0xD6E8FEB86659FD93], dtype=np.uint64)


def facet_keys(corners: Ints) -> NDArray[np.uint64]:
    """Return one number for each facet with ``corners`` (f, 2 to 4), the same from both sides.

    All corners count, as those of facets that are drawn together about an axis may differ in one alone.
    """
    ordered = np.sort(corners, axis=1).astype(np.uint64) + np.uint64(1)
    key = (ordered * _MIXING[: corners.shape[1]]).sum(axis=1, dtype=np.uint64)
    return key ^ (key >> np.uint64(31))


def all_facets(mesh: Mesh) -> list[FacetPart]:
    """Return the facets of all cells, those inside the body twice, without those drawn together to a line."""
    return _facets(mesh, None)


def _facets(mesh: Mesh, open_sides: list[Flags] | None) -> list[FacetPart]:
    """Those of all cells, or of those alone whose sides are open."""
    found: dict[str, list[tuple[Ints, Ints, Ints]]] = {}
    start = 0
    for block in mesh.blocks:
        width = block.nodes.shape[1]
        for side, (family, local) in enumerate(CELL_FAMILIES[block.family].facets):
            cells = np.arange(len(block.nodes)) if open_sides is None else np.flatnonzero(open_sides[side])
            nodes = block.nodes[cells[:, None], local]
            corners = np.sort(nodes[:, : CELL_FAMILIES[family].corners], axis=1)
            flat = (np.diff(corners, axis=1) > 0).sum(axis=1) >= CELL_FAMILIES[family].dimension
            places = start + cells[:, None] * width + np.array(local)
            found.setdefault(family, []).append((nodes[flat], places[flat], block.region[cells[flat]]))
        start += block.nodes.size
    parts = []
    for family, pieces in found.items():
        nodes, places, region = (np.concatenate(each) for each in zip(*pieces, strict=True))
        parts.append(FacetPart(family, nodes, places, region, np.full(len(nodes), -1)))
    return parts


def _open_sides(mesh: Mesh) -> list[Flags] | None:
    """For each side of the cells of a lattice those (m,) with nothing behind it; None where cells lie on no lattice, or
    nodes on one place, so that cells side by side need not be joined."""
    lattice = mesh.lattice
    if lattice is None or mesh.neighbours is None:
        return None
    (block,) = mesh.blocks
    steps, at = lattice.steps(block), lattice.cells + 1
    taken = np.zeros(at.max(axis=0) + 2, dtype=bool)
    places = np.ravel_multi_index(tuple(at.T), taken.shape)
    there = taken.ravel()
    there[places] = True
    across = np.concatenate([np.cumprod(taken.shape[:0:-1])[::-1], [1]])
    found = []
    for _, local in CELL_FAMILIES[block.family].facets:
        own = steps[list(local)]
        behind = np.where((own == 0).all(axis=0), -1, np.where((own == mesh.order).all(axis=0), 1, 0))
        found.append(~there[places + int(behind @ across)])
    return found


def skin_of(mesh: Mesh) -> Skin:
    """Return the skin of a mesh of a section or a solid."""
    names = tuple(name for name, facets in mesh.surfaces.items() if facets.outer)
    open_sides = _open_sides(mesh)
    parts = []
    for part in _facets(mesh, open_sides):
        keys = facet_keys(part.corners)
        outer = np.arange(len(keys))
        if open_sides is None:
            _, first, count = np.unique(keys, return_index=True, return_counts=True)
            outer = np.sort(first[count == 1])
        # The two sides of a joint have nodes of their own, but the body goes on behind them.
        joints = [block for facets in mesh.surfaces.values() if facets.far for block in (*facets.blocks, *facets.far)]
        inner = [facet_keys(_corners(block)) for block in joints if block.family == part.family]
        if inner:
            outer = outer[~np.isin(keys[outer], np.concatenate(inner))]
        surface = np.full(len(outer), -1)
        for number, name in enumerate(names):
            blocks = [block for block in mesh.surfaces[name].blocks if block.family == part.family]
            own = [facet_keys(_corners(block)) for block in blocks]
            if own:
                surface[np.isin(keys[outer], np.concatenate(own))] = number
        parts.append(FacetPart(part.family, part.nodes[outer], part.places[outer], part.region[outer], surface))
    return Skin(tuple(parts), names)


def some_of(part: FacetPart, chosen: NDArray[np.bool_]) -> FacetPart:
    """Return some of the facets."""
    return FacetPart(part.family, part.nodes[chosen], part.places[chosen], part.region[chosen], part.surface[chosen])


def cells_of(mesh: Mesh, part: FacetPart) -> Ints:
    """Return the number of the cell behind each facet, (f,), counted block after block."""
    result, start, cells = np.zeros(len(part.places), dtype=np.int64), 0, 0
    for block in mesh.blocks:
        own = (part.places[:, 0] >= start) & (part.places[:, 0] < start + block.nodes.size)
        result[own] = cells + (part.places[own, 0] - start) // block.nodes.shape[1]
        start, cells = start + block.nodes.size, cells + len(block.nodes)
    return result


def borders(skin: Skin) -> Ints:
    """Return the node numbers (b, 2) of the edges between facets that lie on different surfaces."""
    ends, surfaces = [], []
    for part in skin.parts:
        corners = part.corners
        ends.append(np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2))
        surfaces.append(np.repeat(part.surface, corners.shape[1]))
    edges, surface = np.sort(np.concatenate(ends), axis=1), np.concatenate(surfaces)
    order = np.lexsort([edges[:, 1], edges[:, 0]])
    edges, surface = edges[order], surface[order]
    same = (edges[1:] == edges[:-1]).all(axis=1) & (surface[1:] != surface[:-1])
    return edges[1:][same]


def _corners(block: FacetBlock) -> Ints:
    return block.nodes[:, : CELL_FAMILIES[block.family].corners]


def normals(part: FacetPart | FacetBlock, points: Floats) -> Floats:
    """Return unit normals (f, k, 3) pointing out of the body at the nodes of each facet; zero where it has no area."""
    family = CELL_FAMILIES[part.family]
    slopes = np.einsum("qki,fkj->fqij", family.gradients(family.just_inside), points[part.nodes])
    cross = np.cross(slopes[:, :, 0], slopes[:, :, 1])
    return cross / np.maximum(np.linalg.norm(cross, axis=-1, keepdims=True), 1e-300)


def chained(corners: Ints) -> tuple[Ints, NDArray[np.bool_]]:
    """Return the order (f,) in which pieces (f, 2) between nodes follow each other, chain after chain, and which run
    against it."""
    nodes, local = np.unique(corners, return_inverse=True)
    local = local.reshape(corners.shape)
    graph = coo_array((np.ones(len(local)), (local[:, 0], local[:, 1])), shape=(len(nodes),) * 2).tocsr()
    _, chain = connected_components(graph, directed=False)
    degree = np.bincount(local.ravel(), minlength=len(nodes))
    turn = np.zeros(len(nodes), dtype=np.int64)
    for number in range(chain.max() + 1):
        members = np.flatnonzero(chain == number)
        ends = members[degree[members] == 1]  # an open chain begins at one of its ends
        first_node = ends[0] if len(ends) else members[0]
        met = depth_first_order(graph, first_node, directed=False, return_predecessors=False)
        turn[met] = np.arange(len(met))
    first, last = np.sort(turn[local], axis=1).T
    closing = last - first > 1  # the piece that closes a loop joins its first node and its last
    order: Ints = np.lexsort([np.where(closing, last, first), chain[local[:, 0]]])
    return order, (turn[local[:, 0]] > turn[local[:, 1]]) ^ closing
