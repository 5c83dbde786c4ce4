"""A mesh made of the pieces that the cells of another were divided into; what two of these shared stays shared."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES, CellFamily
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh

#: Numbers that tell places apart by the corners they lie between.
PieceKeys = NDArray[np.uint64]

#: Shares of corners are multiples of one part in so many.
_PARTS = 64
#: Constants of a generator whose numbers have no pattern (Steele, Lea & Flood, OOPSLA 2014: splitmix64).
_MIXING = (np.uint64(0x9E3779B97F4A7C15), np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB))


@immutable
class Pieces:
    """Pieces of the cells of a block: ``places`` (m, k, d) in m and ``keys`` (m, k) of their nodes; ``region`` (m,)."""

    family: str
    places: Floats
    keys: PieceKeys
    region: Ints


def mesh_of_pieces(mesh: Mesh, pieces: Sequence[Pieces], of_facets: Callable[[FacetBlock], PieceKeys]) -> Mesh:
    """Return the mesh whose cells are ``pieces`` of those of ``mesh``; ``of_facets`` gives the keys (m, k) of the nodes
    of the pieces of its facets."""
    places = np.concatenate([each.places.reshape(-1, mesh.dimension) for each in pieces])
    known, first, number = np.unique(
        np.concatenate([each.keys.ravel() for each in pieces]), return_index=True, return_inverse=True
    )
    start, made = 0, []
    for each in pieces:
        nodes = number[start : start + each.keys.size].reshape(each.keys.shape)
        made.append(CellBlock(each.family, nodes.astype(np.int64), each.region))
        start += each.keys.size

    def divided(blocks: Sequence[FacetBlock]) -> tuple[FacetBlock, ...]:
        return tuple(FacetBlock(block.family, np.searchsorted(known, of_facets(block))) for block in blocks)

    surfaces: dict[str, FacetSet] = {
        name: replace(facets, blocks=divided(facets.blocks), far=divided(facets.far))
        for name, facets in mesh.surfaces.items()
    }
    return replace(mesh, points=places[first], blocks=tuple(made), surfaces=surfaces)


def place_keys(corners: Ints, shares: Floats) -> PieceKeys:
    """Return one number (m, q) for each place by the corners (m, c) it lies between and its shares of them, (q, c) or
    (m, q, c)."""
    parts = np.rint(shares * _PARTS).astype(np.uint64)
    mixed = (corners.astype(np.uint64) + np.uint64(1)) * _MIXING[0]
    for shift, factor in ((30, _MIXING[1]), (27, _MIXING[2])):
        mixed = (mixed ^ (mixed >> np.uint64(shift))) * factor
    mixed ^= mixed >> np.uint64(31)
    # A sum does not depend on the order in which a cell has its corners.
    return (parts * mixed[:, None]).sum(axis=2, dtype=np.uint64)


def linear_family(family: str) -> CellFamily:
    """Return the family of the same shape with straight sides."""
    kind = CELL_FAMILIES[family]
    if kind.order == 1:
        return kind
    return next(
        each
        for each in CELL_FAMILIES.values()
        if each.order == 1
        and each.corners == kind.corners
        and each.dimension == kind.dimension
        and each.name.rstrip("0123456789") == kind.name.rstrip("0123456789")
    )
