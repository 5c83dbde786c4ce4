"""The geometry of a plane or turned section: regions and surfaces with names a person would use.

Surfaces are named after the region and the side a person would point at (``brick.left``, ``pipe.bore``), the meeting
of two regions ``brick|blanket``, and what a void leaves open after both (``plate.hole``, ``plate.slot left``), so
names stay when dimensions change.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from blunt_ember.case.document import Body, TurnedSection
from blunt_ember.case.structure_faults import path_text
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID, Arrangement, arranged, owners
from blunt_ember.geometry.curves import Curves, Floats, Ints, crossings, joined
from blunt_ember.geometry.placing import box_of, placed
from blunt_ember.geometry.primitives import Shape

#: Straight pieces that stand for a quarter turn where a surface is drawn or sampled.
_PIECES = 24
_GAUSS = np.polynomial.legendre.leggauss(12)


@dataclass(frozen=True)
class Region:
    """A region as stated, before later ones cut it: ``box`` is (x0, y0, x1, y1) in m."""

    name: str
    box: tuple[float, float, float, float]
    void: bool = False


@dataclass(frozen=True)
class Surface:
    """A named piece of boundary: ``edges`` of the arrangement, and the owner or, for an interface, both sides.

    ``segments`` (n, 2, 2) in m are straight pieces for drawing and sampling. ``area`` in m² is for the depth of the
    section, or for the full turn.
    """

    name: str
    regions: tuple[int, ...]
    edges: Ints
    segments: Floats
    length: float
    area: float

    @property
    def outer(self) -> bool:
        """Whether nothing of the body lies behind it."""
        return len(self.regions) == 1


@dataclass(frozen=True)
class SectionGeometry:
    """Regions, the arrangement of their outlines, and surfaces by name; ``depth`` (m) is None for a turned section."""

    depth: float | None
    regions: tuple[Region, ...]
    arrangement: Arrangement
    surfaces: dict[str, Surface]
    low: tuple[float, float]
    high: tuple[float, float]
    shapes: Sequence[Sequence[Shape]] = field(repr=False, compare=False)

    @property
    def turned(self) -> bool:
        """Whether the section is turned about the y axis, x being the radius."""
        return self.depth is None

    @property
    def outer_surfaces(self) -> tuple[Surface, ...]:
        """Surfaces on which something can surround the body."""
        return tuple(surface for surface in self.surfaces.values() if surface.outer)

    @property
    def interfaces(self) -> tuple[Surface, ...]:
        """Surfaces where two regions touch."""
        return tuple(surface for surface in self.surfaces.values() if not surface.outer)

    @property
    def extent(self) -> float:
        """Larger side of the body's bounding box, m."""
        return max(self.high[0] - self.low[0], self.high[1] - self.low[1])

    def owner_at(self, points: Floats) -> Ints:
        """Return the region of the body each of ``points`` (p, 2) lies in, ``VOID`` where there is none."""
        owner = owners(self.shapes, points)
        return np.where(np.isin(owner, self.voids), VOID, owner)

    def along(self, surface: str) -> tuple[Floats, Floats]:
        """Return places (p, 2) in m along a surface, on its true curve, and the area (p,) in m² each stands for.

        Ends of the edges are among them, with no area of their own.
        """
        curves = self.arrangement.curves.take(self.surfaces[surface].edges)
        nodes, weights = np.append(_GAUSS[0], [-1.0, 1.0]), np.append(_GAUSS[1], [0.0, 0.0])
        places = np.stack([curves.at(np.full(len(curves), (node + 1) / 2)) for node in nodes], axis=1)
        measure = 2 * np.pi * places[..., 0] if self.depth is None else np.full(places.shape[:2], self.depth)
        return places.reshape(-1, 2), (curves.length[:, None] * weights / 2 * measure).ravel()

    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return the shares, in order, at which a straight line from ``start`` to ``end`` (2,) meets an outline."""
        line = Curves(start[None], end[None], np.zeros((1, 2)), np.zeros(1))
        number, share = crossings(joined([line, self.arrangement.curves]), 1e-9 * self.extent)
        found = np.sort(share[number == 0])
        return found[np.concatenate([[True], np.diff(found) > 1e-9])] if len(found) else found

    @property
    def voids(self) -> list[int]:
        """Regions that only cut."""
        return [index for index, region in enumerate(self.regions) if region.void]


def section_geometry(body: Body) -> SectionGeometry:
    """Place, cut and name; raise :class:`CaseError` for a region nothing is left of or that crosses the axis."""
    shapes = placed(body.regions)
    regions = tuple(
        Region(name, box_of(pieces), bool(region.void))
        for (name, region), pieces in zip(body.regions.items(), shapes, strict=True)
    )
    boxes = np.array([region.box for region in regions])
    extent = float((boxes[:, 2:].max(axis=0) - boxes[:, :2].min(axis=0)).max())
    turned = isinstance(body, TurnedSection)
    if turned:
        _require_right_of_axis(regions, extent)
    whole = arranged(shapes, extent)
    voids = [index for index, region in enumerate(regions) if region.void]
    plan = _without_voids(whole, voids)
    _require_something_left(regions, plan)
    depth = None if isinstance(body, TurnedSection) else body.depth.si
    surfaces = _surfaces(regions, plan, depth, extent)
    low, high = plan.points.min(axis=0), plan.points.max(axis=0)
    for angle in (0.0, np.pi / 2, np.pi, -np.pi / 2):
        arcs = plan.curves.take(plan.curves.is_arc)
        extreme = arcs.centre + arcs.radius[:, None] * np.array([np.cos(angle), np.sin(angle)])
        share = arcs.share_of(extreme)
        on = extreme[(share > 0) & (share < 1)]
        low, high = np.minimum(low, on.min(axis=0, initial=np.inf)), np.maximum(high, on.max(axis=0, initial=-np.inf))
    return SectionGeometry(
        depth, regions, plan, surfaces, (float(low[0]), float(low[1])), (float(high[0]), float(high[1])), shapes
    )


def _require_right_of_axis(regions: tuple[Region, ...], extent: float) -> None:
    crossing = [region.name for region in regions if region.box[0] < -1e-9 * extent and not region.void]
    if crossing:
        what = "it reaches across the axis (x below 0), about which the section is turned; move it to the right"
        raise CaseError(tuple(Fault(path_text(("body", "regions", name)), what) for name in crossing))


def _require_something_left(regions: tuple[Region, ...], plan: Arrangement) -> None:
    seen = set(plan.left.tolist()) | set(plan.right.tolist())
    covered = [r.name for index, r in enumerate(regions) if index not in seen and not r.void]
    if covered:
        what = "nothing is left of it: later regions cover all of it, or its outline has no area; move or mend it"
        raise CaseError(tuple(Fault(path_text(("body", "regions", name)), what) for name in covered))
    if all(region.void for region in regions):
        raise CaseError((Fault("body.regions", "every region is void, so there is no body"),))


def _without_voids(whole: Arrangement, voids: list[int]) -> Arrangement:
    """Put nothing in the place of voids, and drop edges that then have nothing on either side."""
    left = np.where(np.isin(whole.left, voids), VOID, whole.left)
    right = np.where(np.isin(whole.right, voids), VOID, whole.right)
    kept = np.flatnonzero(left != right)
    used, numbers = np.unique(np.concatenate([whole.start[kept], whole.end[kept]]), return_inverse=True)
    return Arrangement(
        whole.points[used], numbers[: len(kept)], numbers[len(kept) :], whole.curves.take(kept), left[kept],
        right[kept], tuple(whole.side[edge] for edge in kept.tolist()),
    )  # fmt: skip


def _surfaces(regions: tuple[Region, ...], plan: Arrangement, depth: float | None, extent: float) -> dict[str, Surface]:
    found: dict[tuple[int, int, int, str], list[int]] = {}
    order: dict[str, int] = {}
    for edge, (left, right) in enumerate(zip(plan.left.tolist(), plan.right.tolist(), strict=True)):
        if depth is None and max(abs(plan.points[[plan.start[edge], plan.end[edge]], 0])) <= 1e-9 * extent:
            continue  # the axis of a turned section is no surface
        if VOID in (left, right):
            region = max(left, right)
            side = _side_name(region, plan.side[edge], regions)
            key = (0, region, order.setdefault(side, len(order)), f"{regions[region].name}.{side}")
        else:
            a, b = sorted((left, right))
            key = (1, a, b, f"{regions[a].name}|{regions[b].name}")
        found.setdefault(key, []).append(edge)
    surfaces = {}
    for key in sorted(found):
        edges = np.array(found[key])
        curves = plan.curves.take(edges)
        owners_ = (key[1],) if key[0] == 0 else (key[1], key[2])
        surfaces[key[3]] = Surface(
            key[3], owners_, edges, _segments(curves), float(curves.length.sum()), _area(curves, depth)
        )
    return surfaces


def _side_name(region: int, sources: tuple[tuple[int, str], ...], regions: tuple[Region, ...]) -> str:
    """Name an outer side after the region's own outline, or after the void that cut it open."""
    for source, side in sources:
        if source == region:
            return side
    source, side = sources[-1]
    sides_of_source = "" if side == "rim" else f" {side}"
    return f"{regions[source].name}{sides_of_source}"


def _segments(curves: Curves) -> Floats:
    pieces = np.where(curves.is_arc, np.ceil(np.abs(curves.sweep) / (np.pi / 2) * _PIECES), 1).astype(int)
    owner = np.repeat(np.arange(len(curves)), pieces)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    many = curves.take(owner)
    return np.stack([many.at(place / pieces[owner]), many.at((place + 1) / pieces[owner])], axis=1)


def _area(curves: Curves, depth: float | None) -> float:
    if depth is not None:
        return float(curves.length.sum() * depth)
    nodes, weights = _GAUSS
    radius = np.stack([curves.at(np.full(len(curves), (node + 1) / 2))[:, 0] for node in nodes], axis=1)
    return float(2 * np.pi * (radius @ weights / 2 * curves.length).sum())
