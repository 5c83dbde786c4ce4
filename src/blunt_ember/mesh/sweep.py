"""Plane meshes swept through stations into hexahedra and wedges.

About an axis the cells that touch it are drawn together there: nodes that fall on one place are one node, and the
isoparametric map stays what it is. Source for such cells: Hughes, *The Finite Element Method* (2000), 3.6.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.grading import halved
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.mesh.planar.mapped import divided_edges

SWEPT = {"line2": "quad4", "line3": "quad9", "tri3": "wedge6", "tri6": "wedge18", "quad4": "hex8", "quad9": "hex27"}
#: Cells round a full turn at least.
_ROUND = 16


def levels(geometry: SolidGeometry, size: float, across: int) -> Ints:
    """Return the cells between the stations of the path: none longer than ``size`` (m), ``across`` in every region."""
    stations, path = geometry.path.stations, geometry.path
    if not path.straight:
        angle = float(stations[-1])
        farthest = geometry.plan.high[0]
        return np.array([max(int(np.ceil(angle / (2 * np.pi) * _ROUND - 1e-9)), int(np.ceil(angle * farthest / size)))])
    held = [region for region in np.unique(geometry.holds).tolist() if region != VOID]
    return divided_edges(np.diff(stations), [(geometry.holds == region).any(axis=0) for region in held], size, across)


def swept_mesh(geometry: SolidGeometry, plan: Mesh, counts: Ints, ends: Floats) -> Mesh:
    """Sweep a mesh of the plan, with ``counts`` (slabs,) cells between the stations, whose ``ends`` lie there along
    the path."""
    order, path = plan.order, geometry.path
    along = halved(ends, order)
    if path.closed:
        along = along[:-1]
    slab = np.repeat(np.arange(len(counts)), counts)  # of every layer of cells
    numbers = node_numbers(plan.points, len(along), not path.straight)
    blocks = []
    for flat in plan.blocks:
        region = geometry.holds[flat.region][:, slab]
        cell, layer = np.nonzero(region != VOID)
        blocks.append(
            (SWEPT[flat.family], swept_nodes(flat.family, flat.nodes[cell], layer, order, numbers), region[cell, layer])
        )
    facets = _sides(geometry, plan, slab, numbers)
    for name, closing in _ends(geometry, plan, counts, numbers).items():
        facets.setdefault(name, []).extend(closing)

    met = np.zeros(numbers.size, dtype=bool)
    for _, nodes, _ in blocks:
        met[nodes] = True
    used = np.flatnonzero(met)
    compact = np.full(numbers.size, -1, dtype=np.int64)
    compact[used] = np.arange(len(used))
    level, place = np.divmod(used, len(plan.points))
    return Mesh(
        path.places(plan.points[place], along[level]),
        tuple(CellBlock(family, compact[nodes], region) for family, nodes, region in blocks),
        {
            name: FacetSet(tuple(FacetBlock(f, compact[nodes]) for f, nodes in facets[name]), surface.regions)
            for name, surface in geometry.surfaces.items()
        },
        tuple(region.name for region in geometry.regions),
        order,
        geometry.space,
    )


def node_numbers(plan: Floats, count: int, turned: bool) -> Ints:
    """Return the numbers (levels, n) of the nodes of all levels; those on the axis of a turn are one on every level."""
    numbers = np.arange(count * len(plan)).reshape(count, len(plan))
    if turned:
        on_axis = plan[:, 0] <= 1e-9 * plan[:, 0].max()
        numbers[:, on_axis] = numbers[0, on_axis]
    return numbers


def plan_places(family: str) -> tuple[Ints, Floats]:
    """Return for each node of what a flat cell sweeps the node (k,) of that cell, and its height (k,) from 0 to 1."""
    flat, solid = CELL_FAMILIES[family], CELL_FAMILIES[SWEPT[family]]
    bottom = flat.nodes[:, None] == solid.nodes[None, :, : flat.dimension]
    return bottom.all(axis=2).argmax(axis=0), (solid.nodes[:, -1] + 1) / 2


def swept_nodes(family: str, nodes: Ints, layer: Ints, order: int, numbers: Ints) -> Ints:
    """Return the nodes (m, k) of what cells with plan ``nodes`` (m, j) sweep in their ``layer`` (m,)."""
    of_plan, height = plan_places(family)
    level = np.rint(height * order).astype(np.int64)
    around = np.concatenate([numbers, numbers[:order]])  # above the last level of a closed path is the first
    return around[layer[:, None] * order + level, nodes[:, of_plan]]


def _sides(geometry: SolidGeometry, plan: Mesh, slab: Ints, numbers: Ints) -> dict[str, list[tuple[str, Ints]]]:
    found: dict[str, list[tuple[str, Ints]]] = {}
    for (group, own), name in geometry.sides.items():
        layers = np.flatnonzero(slab == own)
        for block in plan.surfaces[group].blocks:
            nodes = np.repeat(block.nodes, len(layers), axis=0)
            layer = np.tile(layers, len(block.nodes))
            found.setdefault(name, []).append(
                (SWEPT[block.family], swept_nodes(block.family, nodes, layer, plan.order, numbers))
            )
    return _joined(found)


def _ends(geometry: SolidGeometry, plan: Mesh, counts: Ints, numbers: Ints) -> dict[str, list[tuple[str, Ints]]]:
    level = np.concatenate([[0], np.cumsum(counts)]) * plan.order
    found: dict[str, list[tuple[str, Ints]]] = {}
    for (column, station), name in geometry.ends.items():
        for block in plan.blocks:
            nodes = block.nodes[block.region == column]
            if len(nodes):
                found.setdefault(name, []).append((block.family, numbers[level[station]][nodes]))
    return _joined(found)


def _joined(found: dict[str, list[tuple[str, Ints]]]) -> dict[str, list[tuple[str, Ints]]]:
    return {
        name: [
            (family, np.concatenate([nodes for own, nodes in parts if own == family]))
            for family in dict.fromkeys(family for family, _ in parts)
        ]
        for name, parts in found.items()
    }
