"""Free triangles: conforming Delaunay refinement in batches, then smoothing.

Every batch triangulates all points anew (qhull through SciPy) and inserts the circumcentres of many triangles that are
too large or too flat at once, far enough apart not to disturb each other. Source of the criteria: Shewchuk,
"Delaunay refinement algorithms for triangular mesh generation", Computational Geometry 22 (2002) 21-74.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.arrangement import VOID, Arrangement
from blunt_ember.immutable import immutable
from blunt_ember.mesh.planar.boundary import SAME_PLACE, Boundary, divided_boundary, edge_divisions, halved_boundary
from blunt_ember.mesh.planar.size_field import SizeField
from blunt_ember.tree_of_places import tree_of

Owners = Callable[[Floats], Ints]

#: A triangle is too large when its circumradius exceeds this share of the size (an even one has 0.577).
LARGE = 0.72
#: Circumradius over shortest side above which a triangle is too flat; 1.15 is a smallest angle of 25.8°.
FLAT = 1.15
#: The share of what is wanted that makes a round worth while which leaves the outline as it is.
FEW = 0.1
FIRST_ROUNDS, LAST_ROUNDS = 12, 60
SMOOTHINGS = 1
#: Sweeps of smoothing on one triangulation.
SWEEPS = 3


class MeshError(BluntEmberError):
    """A body cannot be meshed; the text says where and why, ``regions`` which regions meet there."""

    def __init__(self, what: str, regions: tuple[int, ...] = ()) -> None:
        super().__init__(what)
        self.regions = regions


#: Segments of one edge at most where another is so many of them away, and rows of triangles beside it.
_MOST_ALONG, _NEAR, _BESIDE = 6_000, 12.0, 4
_NOT_BY_HAND: Mapping[int, int] = MappingProxyType({})


@immutable
class Triangulation:
    """``points`` (n, 2) in m, among them the boundary's, ``cells`` (m, 3) counter-clockwise, ``region`` (m,)."""

    points: Floats
    cells: Ints
    region: Ints
    boundary: Boundary


def smallest_angle(made: Triangulation, aside: Ints) -> float:
    """Return the smallest angle of a triangulation in degrees, but for regions that are set ``aside``."""
    corners = made.points[made.cells[~np.isin(made.region, aside)]]
    ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    cross = ahead[..., 0] * behind[..., 1] - ahead[..., 1] * behind[..., 0]
    return float(np.degrees(np.arctan2(cross, (ahead * behind).sum(axis=-1))).min(initial=180.0))


def triangulated(
    plan: Arrangement, owner_at: Owners, sizes: SizeField, by_hand: Mapping[int, int] = _NOT_BY_HAND
) -> Triangulation:
    """Fill an arrangement with triangles of the sizes asked for; raise :class:`MeshError` when that fails.

    ``by_hand`` are divisions by edge; where triangles would be too sharp an edge gets more.
    """
    boundary = divided_boundary(plan, edge_divisions(plan, sizes, by_hand))
    return without_spares(triangles_within(plan, boundary, owner_at, sizes))


def triangles_within(plan: Arrangement, boundary: Boundary, owner_at: Owners, sizes: SizeField) -> Triangulation:
    """Fill an arrangement from a first ``boundary``; points that no cell uses are still there, its corners first.

    Raises :class:`MeshError` where the outline cannot be followed.
    """
    _require_short(plan, boundary)
    boundary = _conforming(plan, boundary, sizes)
    inner = _seeds(boundary, owner_at, sizes)
    boundary, inner, cells, region = _refined(plan, boundary, inner, owner_at, sizes, FIRST_ROUNDS)
    for smoothing in range(1, SMOOTHINGS + 1):
        inner = _smoothed(boundary, inner, cells, region, owner_at)
        rounds = LAST_ROUNDS if smoothing == SMOOTHINGS else 2
        boundary, inner, cells, region = _refined(plan, boundary, inner, owner_at, sizes, rounds)
    missing = _missing(boundary, cells)
    if len(missing):
        x, y = boundary.points[boundary.nodes[missing[0]]].mean(axis=0)
        edge = boundary.edge[missing[0]]
        where = tuple(region for region in (int(plan.left[edge]), int(plan.right[edge])) if region != VOID)
        what = f"no mesh follows the outline near x {x:.4g} m, y {y:.4g} m; state a smaller size"
        raise MeshError(what, where)
    return Triangulation(np.concatenate([boundary.points, inner]), cells, region, boundary)


def _require_short(plan: Arrangement, boundary: Boundary) -> None:
    """Raise :class:`MeshError` where a part is so long and thin that triangles as small as it is thin would not do."""
    along = np.bincount(boundary.edge, minlength=1)
    worst = int(along.argmax())
    if along[worst] > _MOST_ALONG and _lies_beside_another(boundary, worst):
        cells = f"{2 * _BESIDE * int(along[worst]):,}".replace(",", "\u2009")
        (x, y), where = plan.points[plan.start[worst]], (int(plan.left[worst]), int(plan.right[worst]))
        raise MeshError(
            f"beside the edge from x {x:.4g} m, y {y:.4g} m it is so thin that it would take about {cells} triangles; "
            "make the thin part a region of its own, which is filled with long cells",
            tuple(region for region in where if region != VOID),
        )


def _lies_beside_another(boundary: Boundary, edge: int) -> bool:
    """Tell whether most of an edge runs within a few of its own segments of another one."""
    ends = boundary.points[boundary.nodes]
    middles, length = ends.mean(axis=1), np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    own = boundary.edge == edge
    if own.all():
        return False
    distance = _nearest(middles[~own], middles[own], 1)[0][:, 0]
    return bool((distance < _NEAR * length[own]).mean() > 0.5)


def without_spares(made: Triangulation) -> Triangulation:
    """Drop points that no cell uses, and number the rest anew."""
    points, cells, boundary = made.points, made.cells, made.boundary
    used = np.unique(cells)
    number = np.full(len(points), -1, dtype=np.int64)
    number[used] = np.arange(len(used))
    kept = np.flatnonzero((number[boundary.nodes] >= 0).all(axis=1))
    renumbered = Boundary(points[used], number[boundary.nodes[kept]], boundary.edge[kept], boundary.share[kept])
    return Triangulation(points[used], number[cells], made.region, renumbered)


def _conforming(plan: Arrangement, boundary: Boundary, sizes: SizeField) -> Boundary:
    """Cut segments until each is an edge of the triangulation of the boundary nodes alone."""
    for _ in range(LAST_ROUNDS):
        missing = _missing(boundary, _delaunay(boundary.points))
        if not len(missing):
            return boundary
        boundary = _cut(plan, boundary, missing, sizes)
    return boundary


def _cut(plan: Arrangement, boundary: Boundary, chosen: Ints, sizes: SizeField) -> Boundary:
    """Cut segments in two, and where the body repeats those that lie upon them."""
    if not sizes.repeats:
        return halved_boundary(plan, boundary, chosen)
    middles = plan.curves.take(boundary.edge).at(boundary.share.mean(axis=1))
    own = middles[chosen]
    for moved in sizes.repeats:
        far, nearest = tree_of(middles).query(moved(own))
        chosen = np.concatenate([chosen, np.asarray(nearest)[np.asarray(far) < SAME_PLACE * sizes.largest]])
    return halved_boundary(plan, boundary, np.unique(chosen))


def _delaunay(points: Floats) -> Ints:
    from scipy.spatial import Delaunay, QhullError  # which mapped cells do without

    try:
        cells = Delaunay(points).simplices.astype(np.int64)
    except (QhullError, ValueError) as error:
        raise MeshError(f"the outline cannot be triangulated ({str(error).splitlines()[0]})") from error
    a, b, c = (points[cells[:, i]] for i in range(3))
    cross = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    cells[cross < 0] = cells[cross < 0][:, [0, 2, 1]]
    longest = np.maximum(((b - a) ** 2).sum(axis=1), ((c - a) ** 2).sum(axis=1))
    return cells[np.abs(cross) > 1e-12 * longest]


def _cells(points: Floats, owner_at: Owners) -> tuple[Ints, Ints]:
    """Triangulate and keep what lies in a region."""
    cells = _delaunay(points)
    region = owner_at(points[cells].mean(axis=1))
    return cells[region != VOID], region[region != VOID]


def _missing(boundary: Boundary, cells: Ints) -> Ints:
    """Return the segments that are no edge of the cells."""
    count = int(boundary.nodes.max()) + 1
    edges = np.concatenate([cells[:, [0, 1]], cells[:, [1, 2]], cells[:, [2, 0]]])
    edges = np.sort(edges[(edges < count).all(axis=1)], axis=1)  # most run between points inside
    wanted = np.sort(boundary.nodes, axis=1)
    return np.flatnonzero(~np.isin(wanted[:, 0] * count + wanted[:, 1], edges[:, 0] * count + edges[:, 1]))


def _seeds(boundary: Boundary, owner_at: Owners, sizes: SizeField) -> Floats:
    """Start from an even triangular lattice where the largest size is allowed, and from the middles of squares halved
    down to the size asked for elsewhere; refinement and smoothing do the rest."""
    low, high = boundary.points.min(axis=0), boundary.points.max(axis=0)
    step = sizes.largest
    columns = np.arange(np.ceil((high[0] - low[0]) / step) + 1)
    rows = np.arange(np.ceil((high[1] - low[1]) / (step * np.sqrt(0.75))) + 1)
    x, y = np.meshgrid(columns, rows)
    lattice = np.column_stack([((x + (y % 2) / 2) * step).ravel(), (y * step * np.sqrt(0.75)).ravel()])
    lattice += (low + high) / 2 - (lattice.max(axis=0) + lattice.min(axis=0)) / 2
    seeds = [lattice[sizes.at(lattice) > 0.97 * step]]

    x, y = np.meshgrid(columns, np.arange(np.ceil((high[1] - low[1]) / step) + 1))
    squares = np.column_stack([x.ravel(), y.ravel()]) * step + low
    quarters = np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]]) / 4
    while len(squares) and step > 1e-9 * sizes.largest:
        size = sizes.at(squares)
        fine = step <= 1.35 * size
        seeds.append(squares[fine & (size <= 0.97 * sizes.largest)])
        # A square may hold finer places away from its middle, within half its diagonal.
        coarse = squares[~fine & (size - 0.7 * step < step)]
        squares = (coarse[:, None] + quarters * step).reshape(-1, 2)
        squares = squares[((squares >= low - step / 2) & (squares <= high + step / 2)).all(axis=1)]
        step /= 2
    points = np.concatenate(seeds)
    # Exactly even points are the slow case of qhull: many of them lie on one circle.
    unlike = np.modf(np.arange(1, len(points) + 1)[:, None] * np.array([0.7548776662466927, 0.5698402909980532]))[0]
    points += 0.04 * sizes.at(points)[:, None] * (unlike - 0.5)
    points = points[owner_at(points) != VOID]
    return points[_clear_of(points, boundary, 0.75)]


def _clear_of(points: Floats, boundary: Boundary, share: float) -> Flags:
    """Tell which points stay out of the circles over the segments, widened to ``share`` of their length."""
    ends = boundary.points[boundary.nodes]
    middle, length = ends.mean(axis=1), np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    if not len(points):
        return np.zeros(0, dtype=bool)
    distance, nearest = _nearest(middle, points, 6)
    return (distance > share * length[nearest]).all(axis=1)


def _nearest(places: Floats, points: Floats, count: int) -> tuple[Floats, Ints]:
    """Return distances and numbers (p, count) of the places nearest to each point."""
    found = tree_of(places).query(points, k=min(count, len(places)))
    return np.reshape(found[0], (len(points), -1)), np.reshape(found[1], (len(points), -1))


def _refined(
    plan: Arrangement, boundary: Boundary, inner: Floats, owner_at: Owners, sizes: SizeField, rounds: int
) -> tuple[Boundary, Floats, Ints, Ints]:
    """Insert circumcentres until no triangle is too large or, where the outline allows it, too flat.

    A segment that has gone missing is always mended, so the rounds may be exceeded for that.

    Returns boundary, inner points and the cells and regions of their triangulation.
    """
    for round_ in range(rounds + LAST_ROUNDS):
        points = np.concatenate([boundary.points, inner])
        cells, region = _cells(points, owner_at)
        missing = _missing(boundary, cells)
        if len(missing):
            boundary = _cut(plan, boundary, missing, sizes)
            continue
        centre, radius, shortest = _circles(points, cells)
        size = sizes.at(points[cells].mean(axis=1))
        wish = np.maximum(radius / (LARGE * size), np.where(shortest > 0.15 * size, radius / shortest / FLAT, 0.0))
        wanted = np.flatnonzero(wish > 1)
        if not len(wanted) or round_ >= rounds:
            break
        before = len(boundary.points), len(inner)
        boundary, added = _inserted(
            plan, boundary, centre[wanted], radius[wanted], wish[wanted], region[wanted], owner_at, sizes
        )
        inner = np.concatenate([inner, added])
        if (len(boundary.points), len(inner)) == before:
            break
    return boundary, inner, cells, region


def _circles(points: Floats, cells: Ints) -> tuple[Floats, Floats, Floats]:
    """Return circumcentres (m, 2), circumradii (m,) and shortest sides (m,)."""
    a, b, c = (points[cells[:, i]] for i in range(3))
    u, v = b - a, c - a
    u2, v2, w2 = (u**2).sum(axis=1), (v**2).sum(axis=1), ((c - b) ** 2).sum(axis=1)
    twice = 2 * (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])
    away = np.column_stack([v[:, 1] * u2 - u[:, 1] * v2, u[:, 0] * v2 - v[:, 0] * u2]) / twice[:, None]
    return a + away, np.linalg.norm(away, axis=1), np.sqrt(np.minimum(np.minimum(u2, v2), w2))


def _inserted(
    plan: Arrangement,
    boundary: Boundary,
    centre: Floats,
    radius: Floats,
    wish: Floats,
    region: Ints,
    owner_at: Owners,
    sizes: SizeField,
) -> tuple[Boundary, Floats]:
    """Take a spread-out choice of the circumcentres; where nearly all lie too near the outline, cut it where it is
    long."""
    low, high = boundary.points.min(axis=0), boundary.points.max(axis=0)
    within = ((centre >= low) & (centre <= high)).all(axis=1)
    order = np.argsort(-wish, kind="stable")
    centre, radius, region, within = centre[order], radius[order], region[order], within[order]
    inside = np.zeros(len(centre), dtype=bool)
    inside[within] = owner_at(centre[within]) == region[within]
    clear = inside & _clear_of(centre, boundary, 0.5)
    added = centre[clear][_spread(centre[clear], 0.9 * radius[clear])]
    if len(added) > FEW * len(centre):
        return boundary, added
    cut = _encroached(boundary, centre[~clear], radius[~clear])
    return (_cut(plan, boundary, cut, sizes) if len(cut) else boundary), added


def _spread(points: Floats, apart: Floats) -> Flags:
    """Choose points in order of their places so that none is nearer to an earlier one than ``apart`` allows."""
    keep = np.ones(len(points), dtype=bool)
    if not len(points):
        return keep
    pairs = tree_of(points).query_pairs(float(apart.max()), output_type="ndarray")
    first, second = np.sort(pairs, axis=1).T
    near = np.linalg.norm(points[first] - points[second], axis=1) < np.maximum(apart[first], apart[second])
    keep[second[near]] = False
    return keep


def _encroached(boundary: Boundary, centre: Floats, radius: Floats) -> Ints:
    """Return segments whose circle holds a centre and that are long beside the triangle that asks."""
    if not len(centre):
        return np.zeros(0, dtype=np.int64)
    ends = boundary.points[boundary.nodes]
    middle, length = ends.mean(axis=1), np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    distance, nearest = _nearest(middle, centre, 4)
    held = (distance < 0.5 * length[nearest]) & (length[nearest] > 1.2 * radius[:, None])
    return np.unique(nearest[held])


def _smoothed(boundary: Boundary, inner: Floats, cells: Ints, region: Ints, owner_at: Owners) -> Floats:
    """Move inner points to the mean of the middles of the cells about them, weighted by area, where that is clear."""
    points = np.concatenate([boundary.points, inner])
    first = len(boundary.points)
    home = np.full(len(points), VOID)
    home[cells.ravel()] = np.repeat(region, 3)
    for _ in range(SWEEPS):
        a, b, c = (points[cells[:, i]] for i in range(3))
        area = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
        middle = (a + b + c) / 3
        weight = np.bincount(cells.ravel(), np.repeat(area, 3), minlength=len(points))
        pulled = np.column_stack(
            [np.bincount(cells.ravel(), np.repeat(area * middle[:, axis], 3), minlength=len(points)) for axis in (0, 1)]
        )
        held = weight[first:] > 0
        points[first:][held] = pulled[first:][held] / weight[first:][held, None]
    target = points[first:]
    clear = _clear_of(target, boundary, 0.55)
    clear &= owner_at(target) == home[first:]
    return np.where(clear[:, None], target, inner)
