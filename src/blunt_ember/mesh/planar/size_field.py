"""How large cells may be, place by place: small where the body is thin or bends, growing gently away from there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.geometry.curves import Curves
from blunt_ember.immutable import immutable
from blunt_ember.mesh.motion import Motion
from blunt_ember.tree_of_places import tree_of

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

#: Cells along a quarter turn at least.
ALONG_QUARTER = 6
#: Places that are looked at along one curve at most, at first and where the body is thin.
_SAMPLES, _SAMPLES_THIN = 400, 2_000
#: Rays that are cast in one go.
_AT_ONCE = 50_000


@immutable
class SizeField:
    """Least of ``largest`` and, from every source, its size plus ``growth`` times the distance to it (m).

    Where a body ``repeats`` it is as small as it would be if its next piece were there.
    """

    largest: float
    growth: float
    places: tuple[cKDTree, ...]
    sizes: tuple[Floats, ...]
    repeats: tuple[Motion, ...] = ()

    def at(self, points: Floats) -> Floats:
        """Return the size in m at ``points`` (p, 2)."""
        size = self._of_sources(points)
        for moved in self.repeats:
            size = np.minimum(size, self._of_sources(moved(points)))
        return size

    def _of_sources(self, points: Floats) -> Floats:
        size = np.full(len(points), self.largest)
        for tree, sizes in zip(self.places, self.sizes, strict=True):
            reach = (self.largest - sizes.min()) / self.growth
            found = tree.query(points, distance_upper_bound=max(reach, 1e-300))
            distance, nearest = np.asarray(found[0]), np.asarray(found[1])
            near = np.isfinite(distance)
            size[near] = np.minimum(size[near], sizes[nearest[near]] + self.growth * distance[near])
        return size


#: Places that are to have cells of their own size: (p, 2) in m, and that size in m.
LocalSizes = Sequence[tuple[Floats, float]]


def size_field(
    plan: Arrangement,
    largest: float,
    across: float,
    growth: float,
    local: LocalSizes = (),
    refinement: float = 1,
    dense: LocalSizes = (),
    thin: Ints | None = None,
) -> SizeField:
    """Return the size field of an arrangement: never more than ``largest``, ``across`` cells through thin places.

    ``local`` are finer places, and so are ``dense`` ones, which lie all over the body as the cells of a mesh do;
    ``refinement`` multiplies the cells along an arc. How narrow regions are that are ``thin`` tells nothing.
    """
    thin = np.zeros(0, dtype=np.int64) if thin is None else thin
    curves = plan.curves
    quarter = np.abs(curves.sweep) / (np.pi / 2)
    by_bend = np.where(curves.is_arc, curves.length / np.maximum(quarter, 1e-12) / (ALONG_QUARTER * refinement), np.inf)
    size = np.minimum(largest, by_bend)
    owner, share = _sampled(curves, size, _SAMPLES)
    # A place through which it is farther than this is as wide as it needs to be.
    reach = across * size
    width = _widths(plan, owner, share, thin, reach)
    # Where a body is thin it is looked at again, so closely that no place between two is thought to be wider.
    narrow = size.copy()
    np.minimum.at(narrow, owner, width / across)
    if (narrow < size).any():
        owner, share = _sampled(curves, narrow, _SAMPLES_THIN)
        width = _widths(plan, owner, share, thin, reach)
    points = [curves.take(owner).at(share), *(places for places, _ in local)]
    sizes = [np.minimum(size[owner], width / across), *(np.full(len(places), s) for places, s in local)]
    field = _grouped(np.concatenate(points), np.concatenate(sizes), largest, growth)
    if not dense:
        return field
    # Once what each asks for is spread to the others, the nearest one tells.
    every = np.concatenate([places for places, _ in dense])
    own = _grouped(every, np.concatenate([np.full(len(places), s) for places, s in dense]), largest, growth)
    return replace(field, places=(*field.places, tree_of(every)), sizes=(*field.sizes, own.at(every)))


def _sampled(curves: Curves, size: Floats, most: int) -> tuple[Ints, Floats]:
    """Places along curves, two for every ``size`` (n,) in m, ``most`` on one at most: the curve and share of each."""
    counts = np.clip(np.ceil(curves.length / size * 2), 3, most).astype(int)
    owner = np.repeat(np.arange(len(curves)), counts)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts)
    return owner, (place + 0.5) / counts[owner]


def _grouped(points: Floats, sizes: Floats, largest: float, growth: float) -> SizeField:
    """Sources of about one size share a tree, so that the nearest of each tree is the one that counts."""
    octave = np.floor(np.log2(sizes / largest) * 2).astype(int)
    levels = [level for level in np.unique(octave).tolist() if level < 0]
    trees = tuple(tree_of(points[octave == level]) for level in levels)
    return SizeField(largest, growth, trees, tuple(sizes[octave == level] for level in levels))


def _widths(plan: Arrangement, owner: Ints, share: Floats, thin: Ints, reach: Floats) -> Floats:
    """Return how far it is through the body to the next edge, along the normals of each place; ∞ for none within the
    ``reach`` (n,) in m of its curve.

    Edges that share a corner with the place's own are passed over: towards a sharp corner the body is thin by shape.
    """
    import shapely  # which mapped cells do without

    own = plan.curves.take(owner)
    points, along = own.at(share), own.direction(share)
    normal = np.column_stack([-along[:, 1], along[:, 0]])
    width = np.full(len(owner), np.inf)
    corners = np.stack([plan.start, plan.end], axis=1)
    edges = shapely.STRtree(shapely.box(*(side for ends in plan.curves.boxes() for side in ends.T)))
    for sign, side in ((1.0, plan.left), (-1.0, plan.right)):
        looking = np.flatnonzero((side[owner] != VOID) & ~np.isin(side[owner], thin))
        for begin in range(0, len(looking), _AT_ONCE):
            part = looking[begin : begin + _AT_ONCE]
            ends = np.stack([points[part], points[part] + reach[owner[part], None] * sign * normal[part]], axis=1)
            ray, edge = edges.query(shapely.linestrings(ends))
            apart = (corners[edge][:, :, None] != corners[owner[part[ray]]][:, None]).all(axis=(1, 2))
            ray, edge = part[ray[apart]], edge[apart]
            np.minimum.at(width, ray, _first_hits(points[ray], sign * normal[ray], plan.curves.take(edge)))
    return width


def _first_hits(points: Floats, direction: Floats, curves: Curves) -> Floats:
    """Return the distance (n,) along each ray to its curve, ∞ where it is not met."""
    with np.errstate(divide="ignore", invalid="ignore"):
        chord, away = curves.end - curves.start, curves.start - points
        cross = direction[:, 0] * chord[:, 1] - direction[:, 1] * chord[:, 0]
        far = (away[:, 0] * chord[:, 1] - away[:, 1] * chord[:, 0]) / cross
        on = (away[:, 0] * direction[:, 1] - away[:, 1] * direction[:, 0]) / cross
        found = np.where((on >= 0) & (on <= 1) & (far > 0), far, np.inf)
    arcs = np.flatnonzero(curves.is_arc)
    bows, points, direction = curves.take(arcs), points[arcs], direction[arcs]
    to_centre = bows.centre - points
    along = (to_centre * direction).sum(axis=1)
    square = bows.radius**2 - ((to_centre**2).sum(axis=1) - along**2)
    half = np.sqrt(np.maximum(square, 0))
    best = np.full(len(arcs), np.inf)
    for root in (along - half, along + half):
        hit = points + root[:, None] * direction - bows.centre
        turned = np.arctan2(hit[:, 1], hit[:, 0]) - bows.start_angle - bows.sweep / 2
        turned = (turned + np.pi) % (2 * np.pi) - np.pi
        met = (square > 0) & (root > 1e-9 * bows.radius) & (np.abs(turned) <= np.abs(bows.sweep) / 2)
        best = np.minimum(best, np.where(met, root, np.inf))
    found[arcs] = best
    return found
