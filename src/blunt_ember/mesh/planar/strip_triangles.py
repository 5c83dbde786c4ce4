"""Free triangles beside thin strips, which are filled by layers of long ones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.immutable import immutable
from blunt_ember.mesh.planar.boundary import Boundary, divided_boundary, edge_divisions
from blunt_ember.mesh.planar.size_field import SizeField
from blunt_ember.mesh.planar.strip_layers import divided_alike, filled
from blunt_ember.mesh.planar.strips import Strip
from blunt_ember.mesh.planar.thin_parts import strips_of, tips_of
from blunt_ember.mesh.planar.triangles import Owners, Triangulation, triangles_within, triangulated, without_spares

#: Size of cells at the end of a strip, as a share of how thick it is.
_TIP = 0.5


@immutable
class Thin:
    """Which strips are filled by ``layers`` of long cells: those thinner than ``wide`` in m."""

    wide: float
    layers: int

    def regions(self, plan: Arrangement) -> Ints:
        """Return the regions of an arrangement that are strips."""
        return np.unique(np.array([each.region for each in strips_of(plan, self.wide)], dtype=np.int64))

    def tips(self, plan: Arrangement) -> list[tuple[Floats, float]]:
        """Return places (p, 2) in m about which cells are to be small, and how small, m: at the ends of strips."""
        return [(places, _TIP * thick) for places, thick in tips_of(plan, strips_of(plan, self.wide))]


def triangles_and_strips(
    plan: Arrangement, owner_at: Owners, sizes: SizeField, by_hand: Mapping[int, int], thin: Thin
) -> Triangulation:
    """Fill an arrangement.

    Raises :class:`MeshError` where its outline cannot be followed, and :class:`StripError` where a strip cannot be
    filled beside its neighbours.
    """
    strips = strips_of(plan, thin.wide)
    if not strips:
        return triangulated(plan, owner_at, sizes, by_hand)
    return _filled(plan, owner_at, sizes, by_hand, strips, thin.layers)


def _filled(
    plan: Arrangement,
    owner_at: Owners,
    sizes: SizeField,
    by_hand: Mapping[int, int],
    strips: Sequence[Strip],
    layers: int,
) -> Triangulation:
    regions = np.array([each.region for each in strips])
    shares = divided_alike(plan, edge_divisions(plan, sizes, by_hand), strips, layers)
    left, right = (np.where(np.isin(side, regions), VOID, side) for side in (plan.left, plan.right))
    free = (left != VOID) | (right != VOID)
    rest = _some(plan, free, left, right)

    def beside(points: Floats) -> Ints:
        owner = owner_at(points)
        return np.where(np.isin(owner, regions), VOID, owner)

    own = np.flatnonzero(free)
    boundary = divided_boundary(rest, [shares[edge] for edge in own.tolist()])
    if len(own):
        made = triangles_within(rest, boundary, beside, sizes)
    else:
        none = np.zeros(0, dtype=np.int64)
        made = Triangulation(boundary.points, np.zeros((0, 3), dtype=np.int64), none, boundary)
    others = np.flatnonzero(~free)
    more = divided_boundary(_some(plan, ~free, plan.left, plan.right), [shares[edge] for edge in others.tolist()])
    corners = len(plan.points)
    points = np.concatenate([made.points, more.points[corners:]])
    number = np.where(more.nodes < corners, more.nodes, more.nodes - corners + len(made.points))
    whole = Boundary(
        points,
        np.concatenate([made.boundary.nodes, number]),
        np.concatenate([own[made.boundary.edge], others[more.edge]]),
        np.concatenate([made.boundary.share, more.share]),
    )
    added, cells, region = filled(plan, whole, points, strips, layers)
    return without_spares(
        Triangulation(
            np.concatenate([points, added]),
            np.concatenate([made.cells, cells]),
            np.concatenate([made.region, region]),
            whole,
        )
    )


def _some(plan: Arrangement, chosen: Flags, left: Ints, right: Ints) -> Arrangement:
    """An arrangement of some of its edges, with all its corners."""
    own = np.flatnonzero(chosen)
    sides = tuple(plan.side[edge] for edge in own.tolist())
    return Arrangement(plan.points, plan.start[own], plan.end[own], plan.curves.take(own), left[own], right[own], sides)
