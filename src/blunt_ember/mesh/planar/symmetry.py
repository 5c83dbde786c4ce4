"""Symmetric sections meshed symmetrically: one half is filled with triangles and mirrored."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.geometry.curves import Curves, crossings, joined, lines
from blunt_ember.immutable import immutable
from blunt_ember.mesh.planar.boundary import Boundary
from blunt_ember.mesh.planar.size_field import SizeField
from blunt_ember.mesh.planar.strip_triangles import Thin, triangles_and_strips
from blunt_ember.mesh.planar.triangles import Owners, Triangulation, smallest_angle
from blunt_ember.tree_of_places import tree_of

#: A mirrored mesh is kept when no angle is sharper than this, or than in a mesh that is not mirrored, degrees.
_GOOD = 20.0


@immutable
class _Mirror:
    """The line across ``axis`` at ``at`` (m), and for every edge of an arrangement the one it is mirrored to."""

    axis: int
    at: float
    partner: Ints

    def image(self, points: Floats) -> Floats:
        """Return the mirror images of points (p, 2)."""
        result = points.copy()
        result[:, self.axis] = 2 * self.at - result[:, self.axis]
        return result


@immutable
class _HalfOwners:
    """Owners of places on the near side of a mirror."""

    owner_at: Owners
    mirror: _Mirror

    def __call__(self, points: Floats) -> Ints:
        return np.where(points[:, self.mirror.axis] < self.mirror.at, self.owner_at(points), VOID)


def symmetric_triangles(
    plan: Arrangement,
    owner_at: Owners,
    sizes: SizeField,
    by_hand: Mapping[int, int],
    thin: Thin,
    axes: tuple[int, ...] = (0, 1),
) -> Triangulation:
    """Fill an arrangement with triangles, the same on both sides of a line it is symmetric about.

    Raises :class:`MeshError` where the outline cannot be followed.
    """
    for axis in axes:
        mirror = _mirror_of(plan, axis, sizes, by_hand)
        if mirror is None:
            continue
        half, origin = _half(plan, mirror, owner_at)
        counts = {new: by_hand[old] for new, old in enumerate(origin.tolist()) if old in by_hand}
        rest = tuple(other for other in axes if other > axis)
        made = symmetric_triangles(half, _HalfOwners(owner_at, mirror), sizes, counts, thin, rest)
        made = _whole(made, plan, origin, mirror)
        aside = thin.regions(plan)
        if smallest_angle(made, aside) > _GOOD:
            return made
        plain = triangles_and_strips(plan, owner_at, sizes, by_hand, thin)
        return made if smallest_angle(made, aside) >= smallest_angle(plain, aside) else plain
    return triangles_and_strips(plan, owner_at, sizes, by_hand, thin)


def _mirror_of(plan: Arrangement, axis: int, sizes: SizeField, by_hand: Mapping[int, int]) -> _Mirror | None:
    """Return the mirror across an axis that takes an arrangement with all that is asked of it to itself."""
    low, high = plan.points[:, axis].min(), plan.points[:, axis].max()
    reach = 1e-8 * float(np.ptp(plan.points, axis=0).max())
    curves, half = plan.curves, np.full(len(plan.start), 0.5)
    middle = curves.at(half)
    low, high = min(low, middle[:, axis].min()), max(high, middle[:, axis].max())
    bare = _Mirror(axis, float(low + high) / 2, np.zeros(0, dtype=np.int64))
    far, near = tree_of(middle).query(bare.image(middle))
    corners_far = tree_of(plan.points).query(bare.image(plan.points))[0]
    partner = np.asarray(near, dtype=np.int64)
    if max(np.max(far), np.max(corners_far)) > reach:
        return None
    other = curves.take(partner)
    same_way = np.linalg.norm(bare.image(curves.start) - other.start, axis=1) <= reach
    turned = np.linalg.norm(bare.image(curves.start) - other.end, axis=1) <= reach
    if not (same_way | turned).all() or np.abs(np.abs(other.sweep) - np.abs(curves.sweep)).max() > 1e-9:
        return None
    # A mirror turns left into right, and so does going along an edge the other way.
    left = np.where(same_way, plan.right[partner], plan.left[partner])
    right = np.where(same_way, plan.left[partner], plan.right[partner])
    # An edge that crosses the mirror is its own partner, turned round by it.
    if (left != plan.left).any() or (right != plan.right).any():
        return None
    if any(by_hand.get(int(edge)) != by_hand.get(int(image)) for edge, image in enumerate(partner.tolist())):
        return None
    spans = [np.linspace(float(a), float(b), 23) for a, b in zip(middle.min(axis=0), middle.max(axis=0), strict=True)]
    places = np.concatenate([middle, np.stack(np.meshgrid(*spans), axis=-1).reshape(-1, 2)])
    here, there = sizes.at(places), sizes.at(bare.image(places))
    if np.abs(here - there).max() > 0.02 * here.min():
        return None
    return replace(bare, partner=partner)


def _half(plan: Arrangement, mirror: _Mirror, owner_at: Owners) -> tuple[Arrangement, Ints]:
    """Return what lies on the near side, closed along the mirror, and which edge each edge is part of, −1 for none."""
    axis, at = mirror.axis, mirror.at
    extent = float(np.ptp(plan.points, axis=0).max())
    low, high = plan.points.min(axis=0) - extent, plan.points.max(axis=0) + extent
    ends = np.array([low, high])
    ends[:, axis] = at
    line = lines(ends).take(np.array([0]))
    number, share = crossings(joined([plan.curves, line]), 1e-10 * extent)
    pieces, origin, left, right = [], [], [], []
    for edge in range(len(plan.start)):
        stops = np.concatenate([[0.0], np.unique(share[number == edge]), [1.0]])
        whole = plan.curves.take(np.array([edge]))
        for a, b in zip(stops[:-1].tolist(), stops[1:].tolist(), strict=True):
            middle = whole.at(np.array([(a + b) / 2]))[0, axis]
            if middle > at + 1e-9 * extent:
                continue
            start, end = whole.at(np.array([a])), whole.at(np.array([b]))
            pieces.append(Curves(start, end, whole.centre, whole.sweep * (b - a)))
            origin.append(edge)
            on_line = abs(middle - at) <= 1e-9 * extent
            up = (end - start)[0, 1 - axis] > 0
            # Of an edge on the mirror only the near side stays: left of it going up beside an upright mirror.
            near_left = up == (axis == 0)
            left.append(VOID if on_line and not near_left else int(plan.left[edge]))
            right.append(VOID if on_line and near_left else int(plan.right[edge]))
    made = joined(pieces)
    stops = np.concatenate([made.start, made.end])
    stops = np.unique(np.round(stops[np.abs(stops[:, axis] - at) <= 1e-9 * extent][:, 1 - axis], 15))
    stops = stops[np.concatenate([[True], np.diff(stops) > 1e-9 * extent])] if len(stops) else stops
    taken = [
        (min(s, e), max(s, e))
        for s, e in zip(made.start.tolist(), made.end.tolist(), strict=True)
        if abs(s[axis] - at) <= 1e-9 * extent and abs(e[axis] - at) <= 1e-9 * extent
    ]
    for a, b in zip(stops[:-1].tolist(), stops[1:].tolist(), strict=True):
        middle_place = np.empty(2)
        middle_place[axis], middle_place[1 - axis] = at - 1e-7 * extent, (a + b) / 2
        owner = int(owner_at(middle_place[None])[0])
        covered = any(s[1 - axis] - 1e-9 * extent <= (a + b) / 2 <= e[1 - axis] + 1e-9 * extent for s, e in taken)
        if owner == VOID or covered:
            continue
        ends = np.empty((2, 2))
        ends[:, axis], ends[:, 1 - axis] = at, (a, b)
        pieces.append(Curves(ends[:1], ends[1:], np.zeros((1, 2)), np.zeros(1)))
        origin.append(-1)
        left.append(owner if axis == 0 else VOID)
        right.append(VOID if axis == 0 else owner)
    return _numbered(joined(pieces), np.array(left), np.array(right), extent), np.array(origin)


def _numbered(curves: Curves, left: Ints, right: Ints, extent: float) -> Arrangement:
    """Make an arrangement of pieces whose ends meet."""
    ends = np.concatenate([curves.start, curves.end])
    keys = np.round(ends / (1e-8 * extent)).astype(np.int64)
    _, first, number = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    points, number = ends[first], number.reshape(-1)
    start, end = number[: len(curves)], number[len(curves) :]
    curves = Curves(points[start], points[end], curves.centre, curves.sweep)
    return Arrangement(points, start, end, curves, left, right, ((),) * len(curves))


def _whole(made: Triangulation, plan: Arrangement, origin: Ints, mirror: _Mirror) -> Triangulation:
    """Put a half and its mirror image together; the boundary is again that of the whole arrangement."""
    count, extent = len(made.points), float(np.ptp(plan.points, axis=0).max())
    points = made.points.copy()
    on_line = np.abs(points[:, mirror.axis] - mirror.at) <= 1e-9 * extent
    points[on_line, mirror.axis] = mirror.at
    number = np.where(on_line, np.arange(count), count + np.cumsum(~on_line) - 1)
    every = np.concatenate([points, mirror.image(points[~on_line])])
    cells = np.concatenate([made.cells, number[made.cells[:, [0, 2, 1]]]])
    boundary = made.boundary
    own = np.flatnonzero(origin[boundary.edge] >= 0)
    edge = origin[boundary.edge[own]]
    both = ((edge, boundary.nodes[own], points), (mirror.partner[edge], number[boundary.nodes[own]], every))
    edges, nodes, shares = [], [], []
    for at, ends, places in both:
        curves = plan.curves.take(at)
        share = np.column_stack([curves.share_of(places[ends[:, 0]]), curves.share_of(places[ends[:, 1]])])
        share = np.clip(share, 0.0, 1.0)
        down = share[:, 0] > share[:, 1]
        edges.append(at)
        nodes.append(np.where(down[:, None], ends[:, ::-1], ends))
        shares.append(np.where(down[:, None], share[:, ::-1], share))
    # What lies on the mirror has been met from both sides.
    lies = on_line[boundary.nodes[own]].all(axis=1)
    keep = [np.ones(len(own), dtype=bool), ~lies]
    whole = Boundary(
        every,
        np.concatenate([part[kept] for part, kept in zip(nodes, keep, strict=True)]),
        np.concatenate([part[kept] for part, kept in zip(edges, keep, strict=True)]),
        np.concatenate([part[kept] for part, kept in zip(shares, keep, strict=True)]),
    )
    return Triangulation(every, cells, np.concatenate([made.region, made.region]), whole)
