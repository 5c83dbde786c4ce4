"""What is known on surfaces alone, brought to the cells behind them for the renderer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.cells.facets import facet_keys
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh


class OnFacets(Protocol):
    """Values (m, k) at the nodes (m, k) of facets of one ``family`` of a ``surface``."""

    @property
    def surface(self) -> str:
        """Its name."""

    @property
    def family(self) -> str:
        """The family of its facets."""

    @property
    def nodes(self) -> Ints:
        """Their nodes."""

    @property
    def values(self) -> Floats:
        """What is known there."""


def in_cells(mesh: Mesh, fluxes: Sequence[OnFacets]) -> tuple[Floats, ...]:
    """Return values (m, k) at the nodes of the cells of every block, in those behind the facets; NaN elsewhere.

    Where a cell has several of the facets, each node has the mean of them.
    """
    skin = mesh.skin
    total = np.zeros(sum(block.nodes.size for block in mesh.blocks))
    count = np.zeros(len(total))
    for flux in fluxes:
        corners = CELL_FAMILIES[flux.family].corners
        keys = facet_keys(flux.nodes[:, :corners])
        order = np.argsort(keys)
        for part in (part for part in skin.parts if part.family == flux.family):
            chosen = np.flatnonzero(part.surface == skin.names.index(flux.surface))
            known = facet_keys(part.corners[chosen])
            own = order[np.minimum(np.searchsorted(keys[order], known), len(order) - 1)]
            met = keys[own] == known
            chosen, own = chosen[met], own[met]
            # The same nodes may stand in another order there.
            asked, stated = np.argsort(part.nodes[chosen], axis=1), np.argsort(flux.nodes[own], axis=1)
            places = np.take_along_axis(part.places[chosen], asked, axis=1)
            np.add.at(total, places, np.take_along_axis(flux.values[own], stated, axis=1))
            np.add.at(count, places, 1.0)
    with np.errstate(invalid="ignore"):
        every = total / np.where(count > 0, count, np.nan)
    ends = np.cumsum([block.nodes.size for block in mesh.blocks])[:-1]
    return tuple(own.reshape(block.nodes.shape) for own, block in zip(np.split(every, ends), mesh.blocks, strict=True))
