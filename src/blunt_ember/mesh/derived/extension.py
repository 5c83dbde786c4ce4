"""Meshes grown for pictures from what is solved: a section with its depth or turned, a half mirrored to the whole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.space import Solid
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.mesh.sweep import SWEPT, node_numbers, plan_places, swept_nodes

#: Cells round a full turn, and cells of a grown mesh at most: it is there to be looked at.
_ROUND, _MOST = 48, 150_000


@immutable
class ExtensionSource:
    """Where a block of a grown mesh comes from: ``block`` of the mesh before, which of its ``cells`` (m,) each cell is
    an image of, the node (k,) of that cell ``local`` that each node is one of, and whether it is ``mirrored``."""

    block: int
    cells: Ints
    local: Ints
    mirrored: bool = False


@immutable
class Grown:
    """A ``mesh``, the ``nodes`` (n,) of the one before that its nodes are images of, and the source of each block."""

    mesh: Mesh
    nodes: Ints
    sources: tuple[ExtensionSource, ...]

    def spread(self, values: tuple[Floats, ...], against: float = 1.0) -> tuple[Floats, ...]:
        """Return values (m, k, …) at the nodes of the cells before as those of the grown mesh; mirrored ones are
        multiplied by ``against``."""
        return tuple(
            values[each.block][each.cells][:, each.local] * (against if each.mirrored else 1.0) for each in self.sources
        )


def deepened(mesh: Mesh, depth: float) -> Grown:
    """Return a flat mesh as deep as ``depth`` m along z, its places at z = ``depth`` the nearest to the eye."""

    def places(points: Floats, share: Floats) -> Floats:
        return np.column_stack([points, share * depth])

    return _swept(mesh, 1, places, False)


def turned(mesh: Mesh, angle: float) -> Grown:
    """Return a mesh of a half plane turned about the y axis by an ``angle`` of less than a full turn, which ends where
    it began to be: at z = 0. What is left open lies between x and z."""
    cells = int(np.clip(round(_ROUND * angle / (2 * np.pi)), 4, max(4, _MOST // max(mesh.cell_count, 1))))

    def places(points: Floats, share: Floats) -> Floats:
        way = (share - 1) * angle
        return np.column_stack([points[:, 0] * np.cos(way), points[:, 1], points[:, 0] * np.sin(way)])

    return _swept(mesh, cells, places, True)


def _swept(mesh: Mesh, count: int, places: Callable[[Floats, Floats], Floats], about_axis: bool) -> Grown:
    order, cells = mesh.order, count
    levels = cells * order + 1
    numbers = node_numbers(mesh.points, levels, about_axis)

    def swept(family: str, nodes: Ints) -> Ints:
        layer = np.repeat(np.arange(cells), len(nodes))
        return swept_nodes(family, np.tile(nodes, (cells, 1)), layer, order, numbers)

    blocks, sources = [], []
    for number, flat in enumerate(mesh.blocks):
        blocks.append(CellBlock(SWEPT[flat.family], swept(flat.family, flat.nodes), np.tile(flat.region, cells)))
        sources.append(ExtensionSource(number, np.tile(np.arange(len(flat.nodes)), cells), plan_places(flat.family)[0]))
    used = np.unique(numbers)
    compact = np.full(numbers.size, -1, dtype=np.int64)
    compact[used] = np.arange(len(used))
    level, node = np.divmod(used, len(mesh.points))
    surfaces = {
        name: replace(
            facets,
            blocks=tuple(FacetBlock(SWEPT[b.family], compact[swept(b.family, b.nodes)]) for b in facets.blocks),
            far=tuple(FacetBlock(SWEPT[b.family], compact[swept(b.family, b.nodes)]) for b in facets.far),
        )
        for name, facets in mesh.surfaces.items()
    }
    grown = Mesh(
        places(mesh.points[node], level / (levels - 1)),
        tuple(replace(block, nodes=compact[block.nodes]) for block in blocks),
        surfaces,
        mesh.regions,
        order,
        Solid(about_axis),
    )
    return Grown(grown, node, tuple(sources))


def mirrored(mesh: Mesh, axis: int, at: float) -> Grown:
    """Return a mesh and its mirror image across ``axis`` at ``at`` m, grown together where they meet."""
    reach = 1e-9 * float(np.ptp(mesh.points, axis=0).max())
    on_plane = np.abs(mesh.points[:, axis] - at) <= reach
    images = np.full(mesh.node_count, -1, dtype=np.int64)
    images[on_plane] = np.flatnonzero(on_plane)
    images[~on_plane] = mesh.node_count + np.arange(int((~on_plane).sum()))
    beyond = mesh.points[~on_plane].copy()
    beyond[:, axis] = 2 * at - beyond[:, axis]

    def image(family: str, nodes: Ints) -> Ints:
        return images[nodes[:, _reflected(family)]]

    own = tuple(
        ExtensionSource(number, np.arange(len(block.nodes)), np.arange(block.nodes.shape[1]))
        for number, block in enumerate(mesh.blocks)
    )
    other = tuple(
        ExtensionSource(number, np.arange(len(block.nodes)), _reflected(block.family), True)
        for number, block in enumerate(mesh.blocks)
    )
    images_of = tuple(CellBlock(block.family, image(block.family, block.nodes), block.region) for block in mesh.blocks)
    surfaces = {}
    for name, facets in mesh.surfaces.items():
        near = _off_plane(facets, on_plane)
        if near.blocks or not facets.blocks:
            surfaces[name] = replace(
                near,
                blocks=(*near.blocks, *(FacetBlock(b.family, image(b.family, b.nodes)) for b in near.blocks)),
                far=(*near.far, *(FacetBlock(b.family, image(b.family, b.nodes)) for b in near.far)),
            )
    whole = Mesh(
        np.concatenate([mesh.points, beyond]),
        (*mesh.blocks, *images_of),
        surfaces,
        mesh.regions,
        mesh.order,
        mesh.space,
    )
    return Grown(whole, np.concatenate([np.arange(mesh.node_count), np.flatnonzero(~on_plane)]), (*own, *other))


def _off_plane(facets: FacetSet, on_plane: np.ndarray) -> FacetSet:
    """The facets that do not lie in the plane itself."""

    def kept(blocks: tuple[FacetBlock, ...]) -> tuple[FacetBlock, ...]:
        some = [FacetBlock(b.family, b.nodes[~on_plane[b.nodes].all(axis=1)]) for b in blocks]
        return tuple(block for block in some if len(block.nodes))

    return replace(facets, blocks=kept(facets.blocks), far=kept(facets.far))


def _reflected(family: str) -> Ints:
    """The node (k,) of a cell each node becomes when the cell is turned over, so that its image stays right-handed."""
    nodes = CELL_FAMILIES[family].nodes
    if not nodes.shape[1]:
        return np.arange(len(nodes))
    image = nodes.copy()
    if family.startswith(("tri", "tet", "wedge")):
        image[:, [0, 1]] = nodes[:, [1, 0]]
    else:
        image[:, 0] = -nodes[:, 0]
    return np.abs(image[:, None] - nodes[None]).max(axis=2).argmin(axis=1)
