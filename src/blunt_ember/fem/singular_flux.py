"""Whether the heat flux grows without bounds somewhere: then answers settle slowly, and by leaps, as cells shrink.

That is so at edges that are turned inwards, where materials meet, and where a held surface ends (R. B. Kellogg,
Singular perturbations by discontinuous coefficients, in Numerical Solution of PDEs II (1971); G. Strang & G. Fix, An
Analysis of the Finite Element Method (1973), ch. 8).
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: Sine of half the angle by which a surface is turned inwards at an edge, and cosine of that by which it goes on.
_INWARDS, _GOES_ON = 0.35, 0.5
#: Cosines of the angle by which an interface may bend, and of that at which it meets a surface of the body.
_STRAIGHT, _UPRIGHT = 0.77, 0.3


@immutable
class _Facets:
    """Facets with their ``corners`` (f, c) by node numbers, ``middle`` (f, d), unit ``normal`` (f, d), out of the body
    on its skin, and the number of the surface that is held, ``stated`` (f,), −1 where none is."""

    corners: Ints
    middle: Floats
    normal: Floats
    stated: Ints


def flux_is_singular(problem: Problem) -> bool:
    """Return whether the flux has a singularity in a plane or in space: also where heat arises at a point or along a
    line."""
    if problem.mesh.dimension < 2:
        return False
    return bool(problem.points) or settles_slowly(problem) or _held_ones_differ(problem, _skin(problem))


def settles_slowly(problem: Problem) -> bool:
    """Return whether answers settle with less than the order of the cells: not so where two held surfaces that differ
    meet, whose jump is felt nearby alone."""
    if problem.mesh.dimension < 2:
        return False
    skin = _skin(problem)
    return _edges_are_singular(problem.mesh, skin) or _interfaces_are_singular(problem.mesh, skin, _interfaces(problem))


def _skin(problem: Problem) -> list[_Facets]:
    skin = problem.mesh.skin
    held = {name: number for number, name in enumerate(problem.held)}
    kind = np.array([held.get(name, -1) for name in skin.names] + [-1])
    return [_facets(problem.mesh, part.corners, kind[part.surface]) for part in skin.parts]


def _interfaces(problem: Problem) -> list[_Facets]:
    """The facets at which regions of different conductivity touch."""
    found = []
    for facets in problem.mesh.surfaces.values():
        if facets.outer or problem.conductors[facets.regions[0]] == problem.conductors[facets.regions[1]]:
            continue
        for block in facets.blocks:
            corners = block.nodes[:, : CELL_FAMILIES[block.family].corners]
            found.append(_facets(problem.mesh, corners, np.full(len(corners), -1)))
    return found


def _facets(mesh: Mesh, corners: Ints, stated: Ints) -> _Facets:
    places = mesh.points[corners]
    if mesh.dimension == 2:
        along = places[:, 1] - places[:, 0]
        out = np.column_stack([along[:, 1], -along[:, 0]])
    else:
        # Across both diagonals, as a facet at the axis of a turned body has two of its corners in one place.
        out = np.cross(places[:, 2] - places[:, 0], places[:, -1] - places[:, 1])
    size = np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-300)
    return _Facets(corners, places.mean(axis=1), out / size, stated)


def _edges_are_singular(mesh: Mesh, skin: list[_Facets]) -> bool:
    """Whether the skin is turned inwards, or a held surface ends on a flat side."""
    middle, normal, stated = (
        np.concatenate(each) for each in zip(*((f.middle, f.normal, f.stated) for f in skin), strict=True)
    )
    first, second = _neighbours(mesh, skin)
    way = middle[second] - middle[first]
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-300)
    inwards = np.einsum("rk,rk->r", way, normal[first]) > _INWARDS
    goes_on = np.einsum("rk,rk->r", normal[first], normal[second]) > _GOES_ON
    one_held = (stated[first] >= 0) ^ (stated[second] >= 0)
    return bool((inwards | (one_held & goes_on)).any())


def _held_ones_differ(problem: Problem, skin: list[_Facets]) -> bool:
    """Whether two held surfaces meet that differ, or may differ."""
    stated = np.concatenate([each.stated for each in skin])
    first, second = _neighbours(problem.mesh, skin)
    both_held = (stated[first] >= 0) & (stated[second] >= 0) & (stated[first] != stated[second])
    pairs = np.unique(np.column_stack([stated[first], stated[second]])[both_held], axis=0).tolist()
    laws = list(problem.held.values())
    return any(laws[one].constant is None or laws[one].constant != laws[other].constant for one, other in pairs)


def _interfaces_are_singular(mesh: Mesh, skin: list[_Facets], between: list[_Facets]) -> bool:
    """Whether interfaces bend, branch, or meet a surface of the body aslant; layers do none of that."""
    if not between:
        return False
    ridges = np.concatenate([_ridges(mesh, each.corners).ravel() for each in between])
    if (np.unique(ridges, return_counts=True)[1] > 2).any():
        return True
    together = [*between, *skin]
    inner = sum(len(each.corners) for each in between)
    normal = np.concatenate([each.normal for each in together])
    first, second = _neighbours(mesh, together)
    turn = np.abs(np.einsum("rk,rk->r", normal[first], normal[second]))
    both, mixed = (first < inner) & (second < inner), (first < inner) & (second >= inner)
    return bool((both & (turn < _STRAIGHT)).any() or (mixed & (turn > _UPRIGHT)).any())


def _ridges(mesh: Mesh, corners: Ints) -> Ints:
    """One number for each node of facets in a plane, for each edge of facets in space, (f, c)."""
    if mesh.dimension == 2:
        return corners
    after = np.roll(corners, -1, axis=1)
    return np.minimum(corners, after) * mesh.node_count + np.maximum(corners, after)


def _neighbours(mesh: Mesh, facets: list[_Facets]) -> tuple[Ints, Ints]:
    """Facets (r,) and the ones beside them (r,), across the nodes of a plane or the edges of a solid."""
    keys, owner, count = [], [], 0
    for each in facets:
        ridges = _ridges(mesh, each.corners)
        keys.append(ridges.ravel())
        owner.append(np.repeat(count + np.arange(len(ridges)), ridges.shape[1]))
        count += len(ridges)
    key, own = np.concatenate(keys), np.concatenate(owner)
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(key[order[1:]] == key[order[:-1]])
    first, second = own[order[same]], own[order[same + 1]]
    return np.concatenate([first, second]), np.concatenate([second, first])
