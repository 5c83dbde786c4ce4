"""The facets of surfaces that radiate, turned to the space they look into."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from blunt_ember.arrays import Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.facets import facet_keys
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetBlock, Mesh


@immutable
class LookingFacets:
    """Facets of surfaces in their order, block by block: the ``corners`` (m, c) as node numbers, the last one repeated
    where there are fewer, and the place (m,) of the ``surface`` of each.

    In a plane they have the space on their left, in space they are counter-clockwise seen from it.
    """

    corners: Ints
    surface: Ints


def looking_facets(mesh: Mesh, surfaces: Sequence[str]) -> LookingFacets:
    """Return the facets of outer surfaces of a mesh, turned to what they look into."""
    skin = {part.family: part.corners for part in mesh.skin.parts}
    width = max(corners.shape[1] for corners in skin.values())
    order = {family: np.argsort(facet_keys(corners)) for family, corners in skin.items()}

    def turned(block: FacetBlock) -> Ints:
        own, by_key = skin[block.family], order[block.family]
        wanted = facet_keys(block.nodes[:, : CELL_FAMILIES[block.family].corners])
        corners = own[by_key[np.searchsorted(facet_keys(own), wanted, sorter=by_key)]]
        # In a plane the skin has the body on its left.
        corners = corners[:, ::-1] if mesh.dimension == 2 else corners
        return corners[:, np.minimum(np.arange(width), corners.shape[1] - 1)]

    blocks = [(place, block) for place, name in enumerate(surfaces) for block in mesh.surfaces[name].blocks]
    owner = np.repeat([place for place, _ in blocks], [len(block.nodes) for _, block in blocks])
    return LookingFacets(np.concatenate([turned(block) for _, block in blocks]), owner)
