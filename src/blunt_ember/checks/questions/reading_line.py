"""Lines laid through a mesh to be read along: straight, along an edge, round a circle, or between two surfaces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.sparse import csr_array, vstack

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.places import Line
from blunt_ember.errors import CaseError, DataPath, Fault
from blunt_ember.fem.reading import surface_places, weights_at
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.changes import changes
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.facets import chained
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import FacetSet, Mesh
from blunt_ember.mesh.nearest import nearest_on_surface

#: Places at which a line is read, and on each facet of an edge at least.
SAMPLES, _ON_FACET = 401, 5
_GAUSS = np.polynomial.legendre.leggauss(3)


@immutable
class ReadingLine:
    """A line laid through a mesh, to be read again and again.

    ``distance`` (p,) in m of its ``places`` (p, d) in m, its direction ``along`` (p, d) there, the ``region`` (p,) each
    lies in, −1 for none, and the ``weights`` (p, n) of the nodes in what is read there; ``pieces`` (p,) number what
    lies within one region. ``joints`` are (distance, region) pairs where pieces begin.

    What meets at a joint is there twice, as the temperature may jump.
    """

    title: str
    distance: Floats
    places: Floats
    along: Floats
    region: Ints
    weights: csr_array
    pieces: Ints
    joints: tuple[tuple[float, str], ...]
    #: Those it runs along, if any.
    surfaces: tuple[str, ...] = ()

    @property
    def inside(self) -> Ints:
        """Numbers of the places that lie in the body."""
        return np.flatnonzero(np.diff(self.weights.indptr) > 0)

    def read(self, values: Floats) -> Floats:
        """Return what values (n,) or (n, c) at the nodes are along the line, (p,) or (p, c); NaN outside the body."""
        found = self.weights @ values
        found[np.diff(self.weights.indptr) == 0] = np.nan
        return np.asarray(found, dtype=np.float64)

    def of_each_region(self, values: Callable[[Floats, int | None], Floats]) -> Floats:
        """Return what a function of places and their region is along the line, (p,) or (p, c)."""
        parts = [
            (own := self.region == region, values(self.places[own], region if region >= 0 else None))
            for region in np.unique(self.region).tolist()
        ]
        result = np.empty((len(self.places), *parts[0][1].shape[1:]))
        for own, part in parts:
            result[own] = part
        return result

    @property
    def shares(self) -> Floats:
        """What each place counts in a mean over what of the line lies in the body, (p,): trapezoids, in all 1."""
        known = np.diff(self.weights.indptr) > 0
        step = np.diff(self.distance) * (known[1:] & known[:-1] & (np.diff(self.pieces) == 0))
        share = np.zeros(len(self.distance))
        share[1:] += step / 2
        share[:-1] += step / 2
        total = float(share.sum())
        if total <= 0:  # the line only touches the body
            share = known.astype(float)
            total = float(known.sum())
        return share / max(total, 1e-300)


def laid(
    line: Line,
    title: str,
    members: tuple[str, ...],
    geometry: BodyGeometry,
    mesh: Mesh,
    path: DataPath,
    side: int | None = None,
    samples: int = SAMPLES,
) -> ReadingLine:
    """Lay a line of the case.

    ``members`` are the surfaces it is laid by, ``side`` is the region from which an edge is read where two meet. Raises
    :class:`CaseError` at ``path`` for a line that cannot be laid here.
    """
    if line.edge is not None:
        found = _along_edge(line, title, members, mesh, path, side)
    elif line.between is not None:
        start, end = _ends_between(members, mesh, path)
        found = straight_line(title, start, end, geometry, mesh, samples, side)
    elif line.centre is not None and line.radius is not None:
        centre = np.array([place.si for place in line.centre])
        found = _circle(title, centre, line.radius.si, line.across or "z", geometry, mesh, samples, side)
    else:
        assert line.start is not None and line.end is not None
        start, end = (np.array([place.si for place in point]) for point in (line.start, line.end))
        found = straight_line(title, start, end, geometry, mesh, samples, side)
    if not len(found.inside):
        raise CaseError((Fault(path, "no part of the line lies in the body"),))
    return found


def straight_line(
    title: str,
    start: Floats,
    end: Floats,
    geometry: BodyGeometry,
    mesh: Mesh,
    samples: int = SAMPLES,
    side: int | None = None,
) -> ReadingLine:
    """Lay a line from ``start`` to ``end`` (d,) in m, with every joint sampled exactly."""
    length = float(np.linalg.norm(end - start))
    if length <= 0:
        end = start + 1e-300
    along = (end - start) / max(length, 1e-300)

    def places(share: Floats) -> Floats:
        return start + share[:, None] * (end - start)

    cuts = geometry.cuts(start, end) if length > 0 else np.zeros(0)
    return _curve(
        title, length, places, lambda share: np.tile(along, (len(share), 1)), cuts, geometry, mesh, samples, side
    )


def through_middle(axis: int, geometry: BodyGeometry, mesh: Mesh, samples: int = SAMPLES) -> ReadingLine:
    """Lay a line along x (``axis`` 0), y (1) or z (2) through the middle of the body."""
    low, high = np.array(geometry.low), np.array(geometry.high)
    start, end = (low + high) / 2, (low + high) / 2
    start[axis], end[axis] = low[axis], high[axis]
    return straight_line(f"Along {'xyz'[axis]}, through the middle", start, end, geometry, mesh, samples)


def _circle(
    title: str,
    centre: Floats,
    radius: float,
    across: str,
    geometry: BodyGeometry,
    mesh: Mesh,
    samples: int,
    side: int | None,
) -> ReadingLine:
    first = ("xyz".index(across) + 1) % 3
    axes = np.eye(3)[[first, (first + 1) % 3]][:, : mesh.dimension]

    def turned(share: Floats, quarter: int) -> Floats:
        angle = 2 * np.pi * share + quarter * np.pi / 2
        return np.stack([np.cos(angle), np.sin(angle)], axis=-1) @ axes

    def places(share: Floats) -> Floats:
        return centre + radius * turned(share, 0)

    cuts = changes(lambda share: geometry.owner_at(places(share)))
    return _curve(
        title, 2 * np.pi * radius, places, lambda share: turned(share, 1), cuts, geometry, mesh, samples, side
    )


def _curve(
    title: str,
    length: float,
    places: Callable[[Floats], Floats],
    along: Callable[[Floats], Floats],
    cuts: Floats,
    geometry: BodyGeometry,
    mesh: Mesh,
    samples: int,
    side: int | None,
) -> ReadingLine:
    """Lay a line whose places and directions follow the share of its length, entering regions at ``cuts``."""
    even = np.linspace(0, 1, samples)
    clear = np.abs(even[:, None] - cuts).min(axis=1, initial=1.0) > 1e-9
    ends = np.concatenate([[0.0], cuts, [1.0]])
    owners = geometry.owner_at(places((ends[:-1] + ends[1:]) / 2)).tolist()
    joints = [
        (float(ends[place]) * length, geometry.regions[owner].name if owner >= 0 else "")
        for place, owner in enumerate(owners)
        if place == 0 or owner != owners[place - 1]
    ]
    # Each piece has its own ends, as the temperature may jump where two meet.
    shares, weights = [], []
    for low_end, high_end, owner in zip(ends[:-1], ends[1:], owners, strict=True):
        shares.append(np.concatenate([[low_end], even[clear & (even > low_end) & (even < high_end)], [high_end]]))
        read_in = side if side is not None and owner < 0 else owner  # along an interface nothing owns the line
        weights.append(weights_at(mesh, places(shares[-1]), read_in if read_in >= 0 else None))
    counts = [len(share) for share in shares]
    share = np.concatenate(shares)
    return ReadingLine(
        title,
        share * length,
        places(share),
        along(share),
        np.repeat(owners, counts),
        csr_array(vstack(weights)),
        np.repeat(np.arange(len(counts)), counts),
        tuple(joints),
    )


def _along_edge(
    line: Line, title: str, members: tuple[str, ...], mesh: Mesh, path: DataPath, side: int | None
) -> ReadingLine:
    sets = [mesh.surfaces[name] for name in members]
    if side is not None:
        sets = [facets.side(side) for facets in sets]
    if len(line.surfaces) == 2:
        if len(sets) != 2:
            raise CaseError((Fault(path, "an edge is where two single surfaces meet; name one surface each"),))
        family, nodes = _shared_edges(sets[0], sets[1])
        if not len(nodes):
            what = f"{members[0]} and {members[1]} do not meet in an edge"
            raise CaseError((Fault(path, what),))
        lines = {family: nodes}
    else:
        lines = {}
        for block in (block for facets in sets for block in facets.blocks if len(block.nodes)):
            lines[block.family] = np.concatenate(
                [lines[block.family], block.nodes] if block.family in lines else [block.nodes]
            )
    if len(lines) != 1 or CELL_FAMILIES[next(iter(lines))].dimension != 1:
        raise CaseError((Fault(path, f"{' and '.join(members)} is no line that can be read along"),))
    ((family, nodes),) = lines.items()
    region = side if side is not None else sets[0].regions[0]
    found = _on_facets(title, family, nodes, mesh, region)
    return found if len(line.surfaces) == 2 else replace(found, surfaces=members)


def _shared_edges(first: FacetSet, second: FacetSet) -> tuple[str, Ints]:
    """The family and the nodes (e, 2 or 3) of the edges that facets of both surfaces have."""
    edges = [_edges(first), _edges(second)]
    width = min((each.shape[1] for each in edges), default=2)
    keys = [np.sort(each[:, :2], axis=1) for each in edges]
    both = (keys[0][:, None] == keys[1][None]).all(axis=2).any(axis=1) if min(map(len, keys)) else np.zeros(0, bool)
    return "line3" if width == 3 else "line2", edges[0][: len(both)][both][:, :width]


def _edges(facets: FacetSet) -> Ints:
    found = []
    for block in facets.blocks:
        corners = CELL_FAMILIES[block.family].corners
        ends = [block.nodes[:, :corners], np.roll(block.nodes[:, :corners], -1, axis=1)]
        if block.nodes.shape[1] > corners:
            ends.append(block.nodes[:, corners : 2 * corners])
        found.append(np.stack(ends, axis=-1).reshape(-1, len(ends)))
    return np.concatenate(found) if found else np.zeros((0, 2), dtype=np.int64)


def _on_facets(title: str, family_name: str, nodes: Ints, mesh: Mesh, region: int) -> ReadingLine:
    """A line along line cells with ``nodes`` (f, 2 or 3), read by their own shape functions."""
    family = CELL_FAMILIES[family_name]
    order, turned = chained(nodes[:, :2])
    swapped = nodes[:, [1, 0, *range(2, nodes.shape[1])]]
    nodes = np.where(turned[:, None], swapped, nodes)[order]
    broken = np.concatenate([[False], nodes[1:, 0] != nodes[:-1, 1]])
    count = max(_ON_FACET, -(-SAMPLES // len(nodes)))
    local = np.linspace(-1, 1, count)
    points = mesh.points[nodes]
    places = np.einsum("sk,fkd->fsd", family.values(local[:, None]), points)
    slopes = np.einsum("sk,fkd->fsd", family.gradients(local[:, None])[..., 0], points)
    half = np.diff(local) / 2
    inner = (local[:-1] + half)[:, None] + half[:, None] * _GAUSS[0]
    stretch = np.linalg.norm(
        np.einsum("sk,fkd->fsd", family.gradients(inner.reshape(-1, 1))[..., 0], points), axis=-1
    ).reshape(len(nodes), count - 1, -1)
    steps = (stretch @ _GAUSS[1]) * half
    within = np.concatenate([np.zeros((len(nodes), 1)), np.cumsum(steps, axis=1)], axis=1)
    begins = np.concatenate([[0.0], np.cumsum(within[:, -1])[:-1]])
    shape = family.values(local[:, None])
    rows = np.repeat(np.arange(len(nodes) * count), nodes.shape[1])
    columns = np.repeat(nodes, count, axis=0).ravel()
    weights = csr_array(
        (np.tile(shape, (len(nodes), 1)).ravel(), (rows, columns)), shape=(len(nodes) * count, mesh.node_count)
    )
    # The end of a facet is the beginning of the next, and is kept once.
    keep = np.ones((len(nodes), count), dtype=bool)
    keep[1:, 0] = broken[1:]
    kept = keep.ravel()
    along = slopes / np.maximum(np.linalg.norm(slopes, axis=-1, keepdims=True), 1e-300)
    pieces = np.repeat(np.cumsum(broken), count)[kept]
    return ReadingLine(
        title,
        (begins[:, None] + within).ravel()[kept],
        places.reshape(-1, mesh.dimension)[kept],
        along.reshape(-1, mesh.dimension)[kept],
        np.full(int(kept.sum()), region),
        csr_array(weights[kept]),
        pieces,
        ((0.0, mesh.regions[region]),),
    )


def _ends_between(members: tuple[str, ...], mesh: Mesh, path: DataPath) -> tuple[Floats, Floats]:
    if len(members) != 2:
        raise CaseError((Fault(path, "a line runs between two single surfaces; name one surface each"),))
    first, second = (mesh.surfaces[name] for name in members)
    places, areas = surface_places(first, mesh)
    middle = areas @ places / areas.sum()
    start = nearest_on_surface(first, mesh, middle)
    end = nearest_on_surface(second, mesh, start)
    if np.linalg.norm(end - start) < 1e-9 * float(np.ptp(mesh.points, axis=0).max()):
        raise CaseError((Fault(path, f"{members[0]} and {members[1]} touch, so there is no line between them"),))
    return start, end
