"""Meshes parted at joints: where two regions do not touch perfectly, each has nodes of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.sparse import coo_array, csgraph

from blunt_ember.arrays import Ints
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh


def split_mesh(mesh: Mesh, joints: Sequence[str]) -> Mesh:
    """Return the mesh with the nodes on ``joints`` doubled, the joints' facets seen from both sides.

    About a node only those regions stay together that share a facet there on which no joint is. New nodes follow the
    old ones.
    """
    if not joints:
        return mesh
    count, regions = mesh.node_count, len(mesh.regions)
    on_joint = np.zeros(count, dtype=bool)
    for name in joints:
        on_joint[mesh.surfaces[name].nodes] = True
    # A pair of node and region is known by one number.
    pairs = np.unique(
        np.concatenate([(block.region[:, None] * count + block.nodes)[on_joint[block.nodes]] for block in mesh.blocks])
    )
    together = [
        np.stack([facets.regions[0] * count + own, facets.regions[1] * count + own])
        for name, facets in mesh.surfaces.items()
        if not facets.outer and name not in joints
        for own in [facets.nodes[on_joint[facets.nodes]]]
    ]
    first, second = np.searchsorted(pairs, np.concatenate(together, axis=1)) if together else np.zeros((2, 0), int)
    links = coo_array((np.ones(len(first)), (first, second)), shape=(len(pairs), len(pairs)))
    _, group = csgraph.connected_components(links, directed=False)
    # The first group at a node keeps it, the others take new ones.
    _, leader = np.unique(group, return_index=True)
    node_of_group = pairs[leader] % count
    order = np.lexsort([leader, node_of_group])
    keeps = np.r_[True, np.diff(node_of_group[order]) > 0]
    number = np.empty(len(order), dtype=np.int64)
    number[order] = np.where(keeps, node_of_group[order], count - 1 + np.cumsum(~keeps))
    old = node_of_group[order][~keeps]
    own = np.tile(np.arange(count), regions)
    own[pairs] = number[group]
    return _renumbered(mesh, own.reshape(regions, count), old, set(joints))


def _renumbered(mesh: Mesh, own: Ints, doubled: Ints, joints: set[str]) -> Mesh:
    """Give every region its ``own`` (regions, n) number of each node."""
    surfaces = {}
    for name, facets in mesh.surfaces.items():
        near = _seen_from(facets, own[facets.regions[0]])
        far = _seen_from(facets, own[facets.regions[1]]) if name in joints else ()
        surfaces[name] = replace(facets, blocks=near, far=far)
    return replace(
        mesh,
        points=np.concatenate([mesh.points, mesh.points[doubled]]),
        blocks=tuple(
            CellBlock(block.family, own[block.region[:, None], block.nodes], block.region) for block in mesh.blocks
        ),
        surfaces=surfaces,
    )


def _seen_from(facets: FacetSet, own: Ints) -> tuple[FacetBlock, ...]:
    return tuple(FacetBlock(block.family, own[block.nodes]) for block in facets.blocks)
