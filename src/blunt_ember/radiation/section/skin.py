"""The skin of a section, which stands in the way of views: its straight edges, and the empty spaces they bound."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.radiation.facets import LookingFacets, looking_facets
from blunt_ember.tree_of_places import tree_of

#: Pieces of skin whose directions differ by less than this run straight on, radians.
_STRAIGHT = 1e-9
#: How much edges may bend that are drawn together, radians.
_ROUND = 0.1
#: How far they may draw back, as a share of the nearest gap, and what is no gap, as a share of the body.
_CLOSE, _SAME = 0.02, 1e-12
#: A convex body with more straight edges is looked past as a whole.
_MANY = 8


def straight_skin(mesh: Mesh) -> Ints:
    """Return the skin of a mesh in a plane as straight edges, as long as they can be, by nodes (k, 2), the body on
    their left."""
    skin = np.concatenate([part.corners for part in mesh.skin.parts])
    along = mesh.points[skin[:, 1]] - mesh.points[skin[:, 0]]
    angle = np.arctan2(along[:, 1], along[:, 0])
    count = mesh.node_count
    leaving, arriving = np.bincount(skin[:, 0], minlength=count), np.bincount(skin[:, 1], minlength=count)
    out, into = np.full(count, np.nan), np.full(count, np.nan)
    out[skin[:, 0]], into[skin[:, 1]] = angle, angle
    turn = np.abs((out - into + np.pi) % (2 * np.pi) - np.pi)
    passed = (leaving == 1) & (arriving == 1) & (turn < _STRAIGHT)
    before, after = np.full(count, -1), np.full(count, -1)
    before[skin[:, 1]], after[skin[:, 0]] = np.arange(len(skin)), np.arange(len(skin))
    joined = np.flatnonzero(passed)
    graph = coo_array((np.ones(len(joined)), (before[joined], after[joined])), shape=(len(skin),) * 2)
    number, edge = connected_components(graph, directed=False)
    ends = np.full((number, 2), -1)
    begins, stops = ~passed[skin[:, 0]], ~passed[skin[:, 1]]
    ends[edge[begins], 0], ends[edge[stops], 1] = skin[begins, 0], skin[stops, 1]
    return ends


def skin_about(points: Floats, ends: Ints, places: Floats) -> Ints:
    """Return the straight edges (k, 2) of skin that bound the same empty spaces as ``places`` (p, 2) in m on it.

    What is behind solid walls is never seen: a hole bounds what lies in it, a body what lies about it.
    """
    loops = _loops(points, ends)
    corners = [points[ends[loop, 0]] for loop in loops]
    spaces = set(_spaces(corners, places).tolist())
    kept = []
    for place, loop in enumerate(loops):
        hole = _enclosed_area(corners[place]) < 0
        space = place if hole else int(_spaces(corners, corners[place][:1])[0])
        kept += loop if space in spaces else []
    return ends[sorted(kept)]


def surfaces_about(mesh: Mesh, surfaces: Sequence[str]) -> list[str]:
    """Return the outer surfaces that bound the same closed empty spaces as some do, these among them."""
    if mesh.dimension != 2:
        return list(surfaces)
    ends = straight_skin(mesh)
    corners = [mesh.points[ends[loop, 0]] for loop in _loops(mesh.points, ends)]
    outer = [name for name, facets in mesh.surfaces.items() if facets.outer]
    facets = looking_facets(mesh, outer)
    found = _spaces(corners, looked_from(mesh, facets))
    spaces = {name: set(found[facets.surface == place].tolist()) - {-1} for place, name in enumerate(outer)}
    wanted = {space for name in surfaces for space in spaces[name]}
    return [name for name in outer if name in surfaces or spaces[name] & wanted]


def looked_from(mesh: Mesh, facets: LookingFacets) -> Floats:
    """Return a place (m, 2) in m a little way into the space that each facet looks into."""
    first, last = mesh.points[facets.corners[:, 0]], mesh.points[facets.corners[:, 1]]
    along = last - first
    return (first + last) / 2 + 1e-6 * np.column_stack([-along[:, 1], along[:, 0]])


def _spaces(corners: Sequence[Floats], places: Floats) -> Ints:
    """The smallest hole among loops that holds each place (p,), −1 where none does."""
    held, size = np.full(len(places), -1), np.full(len(places), np.inf)
    for number, loop in enumerate(corners):
        area = -_enclosed_area(loop)
        if area > 0:
            own = _inside(loop, places) & (area < size)
            held[own], size[own] = number, area
    return held


def coarsened(points: Floats, ends: Ints, seen: Floats) -> Ints:
    """Return edges (k, 2); those that bend only a little round a body are drawn together: so fine are shadows.

    They keep to the body as closely as the places ``seen`` (p, 2) in m ask for that lie about it.
    """
    kept: list[tuple[int, int]] = []
    for loop in _loops(points, ends):
        gaps = np.asarray(tree_of(points[ends[loop].ravel()]).query(seen)[0])
        others = gaps[gaps > _SAME * float(np.ptp(points, axis=0).max())]
        deep = _CLOSE * float(others.min(initial=np.inf))
        along = points[ends[loop, 1]] - points[ends[loop, 0]]
        angle = np.arctan2(along[:, 1], along[:, 0])
        begin, turned = int(ends[loop[0], 0]), 0.0
        for place, edge in enumerate(loop):
            last = place + 1 == len(loop)
            turn = 0.0 if last else float((angle[place + 1] - angle[place] + np.pi) % (2 * np.pi) - np.pi)
            turned += turn
            chord = points[ends[loop[min(place + 1, len(loop) - 1)], 1]] - points[begin]
            cut = float(np.hypot(*chord)) * turned / 8  # how far an arc lies off its chord
            # Drawn together they must not come out of the body, nor draw back far from it.
            if last or turn < 0 or turned > _ROUND or cut > deep:
                kept.append((begin, int(ends[edge, 1])))
                begin, turned = int(ends[edge, 1]), 0.0
    return np.array(kept, dtype=np.int64).reshape(-1, 2)


def _enclosed_area(corners: Floats) -> float:
    """Area of a loop, m²; below zero where it runs clockwise."""
    after = np.roll(corners, -1, axis=0)
    return float((corners[:, 0] * after[:, 1] - corners[:, 1] * after[:, 0]).sum()) / 2


def _inside(corners: Floats, places: Floats) -> Flags:
    """Whether places (p, 2) lie within a loop."""
    after = np.roll(corners, -1, axis=0)
    above = (corners[None, :, 1] > places[:, 1, None]) != (after[None, :, 1] > places[:, 1, None])
    rise = np.where(after[:, 1] == corners[:, 1], 1.0, after[:, 1] - corners[:, 1])
    crossing = corners[:, 0] + (after[:, 0] - corners[:, 0]) * (places[:, 1, None] - corners[:, 1]) / rise
    return np.asarray((above & (places[:, 0, None] < crossing)).sum(axis=1) % 2 == 1)


def _loops(points: Floats, ends: Ints) -> list[list[int]]:
    """Edges (k, 2) by their places, one after the other round every loop; where bodies meet in a point, round the same
    empty space, which lies on the right."""
    leaving: dict[int, list[int]] = {}
    for number, first in enumerate(ends[:, 0].tolist()):
        leaving.setdefault(first, []).append(number)
    along = points[ends[:, 1]] - points[ends[:, 0]]

    def rightward(edge: int) -> Callable[[int], float]:
        """How far each next edge turns to the left of one."""
        x, y = along[edge].tolist()
        return lambda after: float(np.arctan2(x * along[after, 1] - y * along[after, 0], along[after] @ along[edge]))

    left, loops = set(range(len(ends))), []
    while left:
        loop = [left.pop()]
        while following := [each for each in leaving.get(int(ends[loop[-1], 1]), ()) if each in left]:
            loop.append(min(following, key=rightward(loop[-1])))
            left.discard(loop[-1])
            if ends[loop[-1], 1] == ends[loop[0], 0] and len(leaving[int(ends[loop[0], 0])]) > 1:
                break  # it is closed, though another one goes through the same point
        loops.append(loop)
    return loops


def round_ones_apart(points: Floats, ends: Ints) -> tuple[Floats, list[Floats]]:
    """Return the edges (k, 2, 2) in m that are no part of a round body, and the corners (n, 2) in m of every such body.

    Bodies are round that are convex and have many edges; their corners go counter-clockwise.
    """
    straight, round_ones = [], []
    for loop in _loops(points, ends):
        corners = points[ends[loop, 0]]
        along = np.roll(corners, -1, axis=0) - corners
        turn = along[:, 0] * np.roll(along[:, 1], -1) - along[:, 1] * np.roll(along[:, 0], -1)
        closed = ends[loop[-1], 1] == ends[loop[0], 0]
        if closed and len(loop) > _MANY and (turn >= 0).all():
            round_ones.append(corners)
        else:
            straight += loop
    return points[ends[sorted(straight)]], round_ones
