"""How heat at nodes that surfaces share is divided among them, by the mesh and by which of them are held."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.division import Division, division, share_of
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Cosine of the angle at which an interface meets a held surface upright.
_UPRIGHT = 0.3


@immutable
class Sharing:
    """Nodes (m,) of the held surfaces and of both sides of interfaces that are no joints, each of a ``surface`` (m,) by
    its number; the ``pairs`` (g,) of a node and a region that they have, as node + region × nodes, and the nodes
    ``of_pairs`` (g,).

    Of the heat at the pairs ``taken`` (m, g) is what each held surface has where ``is_held`` (g,), and ``by_area`` (m,)
    its share of all that is held at its node; ``held_area`` (n,) in m² stands at each node of the mesh. ``across``
    (g, g) is what regions draw in less by interfaces between held surfaces of both. ``passed`` (i, g) passes through
    each of the ``inner`` surfaces (i,), + from its first region to its second.
    """

    surface: Ints
    nodes: Ints
    pairs: Ints
    of_pairs: Ints
    is_held: Flags
    held_area: Floats
    taken: csr_array
    by_area: Floats
    across: csr_array
    inner: tuple[str, ...]
    passed: csr_array


def sharing_of(problem: Problem) -> Sharing:
    """Return how the surfaces of a problem share heat, which follows from its mesh and from which of them are held, are
    joints, or of regions of one temperature."""
    mesh = problem.mesh
    # A region of one temperature conducts nothing inside: what passes into it is what the other side draws.
    even = {region for each in problem.isothermal for region in each.regions}
    inner = {name: int(facets.regions[0] in even) for name, facets in mesh.surfaces.items() if not facets.outer}
    sides = [
        *((name, mesh.surfaces[name].regions[0]) for name in problem.held),
        *(
            (name, region)
            for name in inner
            if name not in problem.joints
            for region in dict.fromkeys(mesh.surfaces[name].regions)
        ),
    ]
    at = division(mesh, sides)
    numbers = {name: number for number, name in enumerate(mesh.surfaces)}
    held = at.side < len(problem.held)
    area = np.where(held, at.area, 0.0)
    is_held = np.bincount(at.group, area, minlength=len(at.pairs)) > 0
    read = _read(mesh, sides, inner, at)
    return Sharing(
        np.array([numbers[name] for name, _ in sides], dtype=np.int64)[at.side],
        at.nodes,
        at.pairs,
        at.of_pairs,
        is_held,
        np.bincount(at.nodes, area, minlength=mesh.node_count).astype(float),
        at.among(held),
        share_of(area, at.nodes),
        _across(mesh, sides, read, held, is_held, at),
        tuple(inner),
        _through(sides, inner, read, at.among(~held), at),
    )


def _read(mesh: Mesh, sides: Sequence[tuple[str, int]], inner: dict[str, int], at: Division) -> Ints:
    """The entries of the sides from which interfaces are read; what the other one draws in there is that with another
    sign."""
    read = [name in inner and mesh.surfaces[name].regions[inner[name]] == region for name, region in sides]
    return np.flatnonzero(np.array(read, dtype=bool)[at.side])


def _through(
    sides: Sequence[tuple[str, int]], inner: dict[str, int], read: Ints, among: csr_array, at: Division
) -> csr_array:
    """What passes through every interface (i, g) of what is drawn in at the pairs."""
    place = {name: number for number, name in enumerate(inner)}
    own = at.side[read]
    row = np.array([place.get(name, 0) for name, _ in sides], dtype=np.int64)[own]
    sign = np.array([1.0 if inner.get(name) else -1.0 for name, _ in sides])[own]
    return csr_array(csr_array((sign, (row, read)), shape=(len(inner), len(at.nodes))) @ among)


def _across(
    mesh: Mesh, sides: Sequence[tuple[str, int]], read: Ints, held: Flags, is_held: Flags, at: Division
) -> csr_array:
    """What regions draw in less by interfaces (g, g) where they stand upright on held surfaces of both, of what is
    drawn in beside: it comes through none of these. Aslant fluxes grow without bounds, and nothing is foreseen."""
    if not at.foreseen.nnz:
        return csr_array((len(at.pairs), len(at.pairs)))
    beyond = np.array([sum(mesh.surfaces[name].regions) - region for name, region in sides], dtype=np.int64)
    smooth = is_held & _upright(held, at)
    own = at.group[read]
    other = np.minimum(
        np.searchsorted(at.pairs, at.nodes[read] + beyond[at.side[read]] * mesh.node_count), len(at.pairs) - 1
    )
    both = smooth[own] & smooth[other]
    entries, own, other = read[both], own[both], other[both]
    signs = np.repeat([-1.0, 1.0], len(entries))
    where = np.concatenate([own, other]), np.tile(entries, 2)
    return csr_array(csr_array((signs, where), shape=(len(at.pairs), len(at.nodes))) @ at.foreseen)


def _upright(held: Flags, at: Division) -> Flags:
    """Whether at a pair (g,) the interfaces stand upright on all that is ``held`` (m,)."""
    along = np.zeros((len(at.pairs), at.ways.shape[1], at.ways.shape[1]))
    np.add.at(along, at.group[held], at.ways[held][:, :, None] * at.ways[held][:, None, :])
    leans = np.einsum("mi,mij,mj->m", at.ways, along[at.group], at.ways)
    return np.bincount(at.group, ~held & (leans >= _UPRIGHT**2), minlength=len(at.pairs)) == 0
