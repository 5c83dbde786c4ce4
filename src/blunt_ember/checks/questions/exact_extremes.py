"""The highest and lowest temperatures of an exact field, between the nodes of a mesh too."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.mesh.cells.families import CELL_FAMILIES, CellFamily
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, Mesh

#: How often it is looked closer about the best place found, each time twice as close.
_CLOSER = 8
#: How many of the pieces of a curve with the best samples are looked at closer.
_PIECES = 2

#: What temperatures in K (p,) are at places (p, d) in m.
Reading = Callable[[Floats], Floats]


def extreme_on_curves(at: Callable[[Floats, Ints], Floats], count: int, read: Reading, highest: bool) -> float:
    """Return the extreme along ``count`` curves, ``at`` (p, d) shares (p,) of those by their numbers (p,)."""
    samples = CELL_FAMILIES["line3"].samples

    def places(number: Ints, local: Floats) -> Floats:
        share = (1 + local[..., 0]) / 2
        return at(share.ravel(), np.repeat(number, share.shape[1]))

    every = np.arange(count)
    first = _valued(places(every, np.broadcast_to(samples, (count, *samples.shape))), read, highest).reshape(count, -1)
    best = np.argsort(-first.max(axis=1))[:_PIECES]
    return _closer(lambda local: places(best, local), samples, len(best), read, highest)


def extreme_near(
    node: int, blocks: Sequence[CellBlock | FacetBlock], mesh: Mesh, read: Reading, highest: bool
) -> float:
    """Return the extreme in the cells or facets of a ``mesh`` about a node, at which it is the best of all nodes."""
    found = []
    for block in blocks:
        own = block.nodes[(block.nodes == node).any(axis=1)]
        if not len(own):
            continue
        family = CELL_FAMILIES[block.family]
        corners = mesh.points[own]
        if family.dimension == 0:
            return float(read(corners[:, 0])[0])
        found.append(_closer(partial(_places, family, corners), family.samples, len(own), read, highest))
    return max(found) if highest else min(found)


def _places(family: CellFamily, corners: Floats, local: Floats) -> Floats:
    """Places (e s, d) in m of local coordinates (e, s, k) in elements with nodes at ``corners`` (e, n, d)."""
    shape = family.values(local.reshape(-1, family.dimension)).reshape(*local.shape[:2], -1)
    return np.einsum("esn,end->esd", shape, corners).reshape(-1, corners.shape[2])


def _closer(places: Callable[[Floats], Floats], samples: Floats, count: int, read: Reading, highest: bool) -> float:
    """The extreme at ``places`` of local coordinates (e, s, k) of elements, found by looking closer about the best of
    ``samples`` (s, k); what lies between two places of an element lies in it."""
    local = np.broadcast_to(samples, (count, *samples.shape))
    best = -np.inf
    for _ in range(_CLOSER):
        values = _valued(places(local), read, highest).reshape(local.shape[:2])
        best = max(best, float(values.max()))
        centre = local[np.arange(count), values.argmax(axis=1)][:, None]
        local = centre + (local - centre) / 2
    return best if highest else -best


def _valued(places: Floats, read: Reading, highest: bool) -> Floats:
    """What is the more the better; nothing where a field knows none, as beyond a curved edge."""
    values = read(places)
    return np.where(np.isnan(values), -np.inf, values if highest else -values)
