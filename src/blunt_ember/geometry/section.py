"""The geometry of a plane or turned section: regions and surfaces with names a person would use.

Surfaces are named after the region and the side a person would point at (``brick.left``, ``pipe.bore``), the meeting
of two regions ``brick|blanket``, and what a void leaves open after both (``plate.hole``, ``plate.slot left``), so
names stay when dimensions change.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from functools import cached_property
from types import MappingProxyType

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.bodies import Section as BodySection
from blunt_ember.case.document.bodies import TurnedSection
from blunt_ember.case.document.case_document import SurfacePart
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID, Arrangement, bounded, owners, split_outlines
from blunt_ember.geometry.body_geometry import BodyGeometry, thirds
from blunt_ember.geometry.curves import Curves, crossings, joined
from blunt_ember.geometry.placing import box_of, placed_regions
from blunt_ember.geometry.primitives import Shape
from blunt_ember.geometry.regions import RegionGeometry, Surface
from blunt_ember.geometry.section_lattice import Lattice, lattice_of, rings_of
from blunt_ember.geometry.space import Plane, Turned
from blunt_ember.geometry.surface_parts import PartsByName, cut_at, part_fault, require_surface
from blunt_ember.immutable import immutable

#: Straight pieces that stand for a quarter turn where a surface is drawn or sampled.
_PIECES = 24
_NO_PARTS: Mapping[str, SurfacePart] = MappingProxyType({})
_GAUSS = np.polynomial.legendre.leggauss(12)


@immutable
class SectionSurface(Surface):
    """A named piece of the outline: ``edges`` of the arrangement.

    ``segments`` (n, 2, 2) in m are straight pieces for drawing and sampling, ``length`` is in m. The area is for the
    depth of the section, or for the full turn.
    """

    edges: Ints
    segments: Floats
    length: float


@immutable
class SectionGeometry(BodyGeometry):
    """Regions, the arrangement of their outlines, and surfaces by name, in a :class:`Plane` or :class:`Turned`."""

    space: Plane | Turned
    regions: tuple[RegionGeometry, ...]
    arrangement: Arrangement
    surfaces: dict[str, SectionSurface]
    low: tuple[float, ...]
    high: tuple[float, ...]
    owning: Callable[[Floats], Ints] = field(repr=False, compare=False)
    shapes: Sequence[Sequence[Shape]] = field(default=(), repr=False, compare=False)

    @property
    def depth(self) -> float | None:
        """What the plane stands for, m; None for a turned section."""
        return self.space.depth

    @property
    def turned(self) -> bool:
        """Whether the section is turned about the y axis, x being the radius."""
        return self.space.turned

    @property
    def plan(self) -> SectionGeometry:
        """The section itself, as it stands in a plane already."""
        return self

    @cached_property
    def lattice(self) -> Lattice | None:
        """The lattice its edges all lie on, if there is one."""
        return lattice_of(self)

    @cached_property
    def rings(self) -> Lattice | None:
        """The rings about one centre that it is made of, if it is."""
        return rings_of(self)

    @property
    def outer_surfaces(self) -> tuple[SectionSurface, ...]:
        """Surfaces on which something can surround the body."""
        return tuple(surface for surface in self.surfaces.values() if surface.outer)

    @property
    def interfaces(self) -> tuple[SectionSurface, ...]:
        """Surfaces where two regions touch."""
        return tuple(surface for surface in self.surfaces.values() if not surface.outer)

    def owner_at(self, points: Floats) -> Ints:
        """Return the region of the body each of ``points`` (p, 2) lies in, ``VOID`` where there is none."""
        return self.owning(points)

    def plan_of(self, places: Floats) -> tuple[Floats, None]:
        """Return ``places`` (p, 2), and no way along any path."""
        return places, None

    def levels_at(self, places: Floats) -> None:
        """Return no heights: a section has no levels."""

    def levels_of(self, surface: str) -> None:
        """Return no levels of a surface: a section has none."""

    def in_plan(self, surface: str) -> list[str]:
        """Return the surfaces of the plan that a surface stands on: itself, none for a name there is not."""
        return [surface] if surface in self.surfaces else []

    def middle_third(self, surface: str) -> tuple[Floats, Floats]:
        """The middle third of the pieces it is drawn by."""
        return thirds(self.surfaces[surface].segments)

    def curves_of(self, surface: str) -> Curves:
        """Return the edges of a surface."""
        return self.arrangement.curves.take(self.surfaces[surface].edges)

    def along(self, surface: str, pieces: int = 1) -> tuple[Floats, Floats]:
        """Return places (p, 2) in m along a surface, on its true curve, and the area (p,) in m² each stands for: by
        Gauss's rule on so many ``pieces`` of every edge.
        """
        curves = self.curves_of(surface)
        within = (np.arange(pieces)[:, None] + (_GAUSS[0] + 1) / 2).ravel() / pieces
        weights = np.tile(_GAUSS[1], pieces) / (2 * pieces)
        places = np.stack([curves.at(np.full(len(curves), share)) for share in within], axis=1)
        measure = self.space.of_facets((0,), 1, places)
        return places.reshape(-1, 2), (curves.length[:, None] * weights * measure).ravel()

    def cuts(self, start: Floats, end: Floats) -> Floats:
        """Return the shares, in order, at which a straight line from ``start`` to ``end`` (2,) meets an outline."""
        line = Curves(start[None], end[None], np.zeros((1, 2)), np.zeros(1))
        number, share = crossings(joined([line, self.arrangement.curves]), 1e-9 * self.extent)
        found = np.sort(share[number == 0])
        return found[np.concatenate([[True], np.diff(found) > 1e-9])] if len(found) else found


def outlines_of(geometry: BodyGeometry | None) -> SectionGeometry | None:
    """Return the section a body is itself, whose outlines can be drawn on and moved; None for any other body."""
    return geometry if isinstance(geometry, SectionGeometry) else None


def drawing_plane_of(geometry: BodyGeometry | None) -> SectionGeometry | None:
    """Return the section that outlines are drawn on: the body itself, or the plan of a solid; None where there is
    none."""
    plan = getattr(geometry, "plan", None)
    return plan if isinstance(plan, SectionGeometry) else None


@immutable
class _Owning:
    """Tells which region places lie in."""

    shapes: Sequence[Sequence[Shape]]
    voids: Sequence[int]

    def __call__(self, points: Floats) -> Ints:
        owner = owners(self.shapes, points)
        return np.where(np.isin(owner, self.voids), VOID, owner)


def section_geometry(body: BodySection | TurnedSection, parts: PartsByName = _NO_PARTS) -> SectionGeometry:
    """Place, cut and name; raise :class:`CaseError` for a region nothing is left of or that crosses the axis."""
    shapes = placed_regions(body.regions)
    regions = tuple(
        RegionGeometry(name, box_of(pieces), bool(region.void))
        for (name, region), pieces in zip(body.regions.items(), shapes, strict=True)
    )
    boxes = np.array([region.box for region in regions])
    extent = float((boxes[:, 2:].max(axis=0) - boxes[:, :2].min(axis=0)).max())
    turned = isinstance(body, TurnedSection)
    if turned:
        require_right_of_axis(regions, extent)
    owning = _Owning(shapes, [index for index, region in enumerate(regions) if region.void])
    pieces = split_outlines(shapes, extent)
    plan = bounded(pieces, owning(pieces.beside_left), owning(pieces.beside_right))
    require_something_left(regions, plan)
    space: Plane | Turned = Plane(body.depth.si) if isinstance(body, BodySection) else Turned()
    surfaces = _surfaces(regions, plan, space, extent)
    for name, part in parts.items():
        plan, surfaces = _with_part(name, part, plan, surfaces, space, extent)
    low, high = reach(plan)
    return SectionGeometry(space, regions, plan, surfaces, low, high, owning, shapes)


def _with_part(
    name: str,
    part: SurfacePart,
    plan: Arrangement,
    known: dict[str, SectionSurface],
    space: Plane | Turned,
    extent: float,
) -> tuple[Arrangement, dict[str, SectionSurface]]:
    """Cut a part out of a surface; parts that were cut out before stay what they are."""
    require_surface(name, part, list(known))
    if part.start is None or part.end is None:
        raise part_fault(name, "within", "a shape is stated on an end of a solid; here say 'start' and 'end'")
    ends = {key: np.array([c.si for c in place]) for key, place in (("start", part.start), ("end", part.end))}
    whole = known[part.on]
    cut, within = cut_at(plan, whole.edges, name, ends, extent)
    # Pieces that the cuts add come last; they belong to the surface that is cut.
    added = np.arange(len(plan.start), len(cut.start))
    rest = np.setdiff1d(np.concatenate([whole.edges, added]), within)
    made = {}
    for other, surface in known.items():
        edges = rest if other == part.on else surface.edges
        if len(edges):
            made[other] = _surface(other, surface.regions, edges, cut, space)
    made[name] = _surface(name, whole.regions, within, cut, space)
    return cut, made


def _surface(
    name: str, owners: tuple[int, ...], edges: Ints, plan: Arrangement, space: Plane | Turned
) -> SectionSurface:
    curves = plan.curves.take(edges)
    length = float(curves.length.sum())
    area = length * space.depth if space.depth is not None else turned_area(curves)
    return SectionSurface(name, owners, area, edges, straight_pieces(curves), length)


def reach(plan: Arrangement) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Return the lower and upper corner of the box about an arrangement, m, exact for arcs."""
    low, high = plan.points.min(axis=0), plan.points.max(axis=0)
    for angle in (0.0, np.pi / 2, np.pi, -np.pi / 2):
        arcs = plan.curves.take(plan.curves.is_arc)
        extreme = arcs.centre + arcs.radius[:, None] * np.array([np.cos(angle), np.sin(angle)])
        share = arcs.share_of(extreme)
        on = extreme[(share > 0) & (share < 1)]
        low, high = np.minimum(low, on.min(axis=0, initial=np.inf)), np.maximum(high, on.max(axis=0, initial=-np.inf))
    return tuple(low.tolist()), tuple(high.tolist())


def require_right_of_axis(regions: tuple[RegionGeometry, ...], extent: float) -> None:
    """Raise :class:`CaseError` for regions that reach across the axis."""
    crossing = [region.name for region in regions if region.box[0] < -1e-9 * extent and not region.void]
    if crossing:
        what = "it reaches across the axis (x below 0), about which the section is turned; move it to the right"
        raise CaseError(tuple(Fault(("body", "regions", name), what) for name in crossing))


def require_something_left(regions: tuple[RegionGeometry, ...], plan: Arrangement) -> None:
    """Raise :class:`CaseError` for regions that later ones cover, and for a body of voids."""
    seen = set(plan.left.tolist()) | set(plan.right.tolist())
    covered = [r.name for index, r in enumerate(regions) if index not in seen and not r.void]
    if covered:
        what = "nothing is left of it: later regions cover all of it, or its outline has no area; move or mend it"
        raise CaseError(tuple(Fault(("body", "regions", name), what) for name in covered))
    if all(region.void for region in regions):
        raise CaseError((Fault(("body", "regions"), "every region is void, so there is no body"),))


def _surfaces(
    regions: tuple[RegionGeometry, ...], plan: Arrangement, space: Plane | Turned, extent: float
) -> dict[str, SectionSurface]:
    found: dict[tuple[int, int, int, str], list[int]] = {}
    order: dict[str, int] = {}
    for edge, (left, right) in enumerate(zip(plan.left.tolist(), plan.right.tolist(), strict=True)):
        if space.turned and max(abs(plan.points[[plan.start[edge], plan.end[edge]], 0])) <= 1e-9 * extent:
            continue  # the axis of a turned section is no surface
        if VOID in (left, right):
            region = max(left, right)
            side = side_name(region, plan.side[edge], [known.name for known in regions])
            key = (0, region, order.setdefault(side, len(order)), f"{regions[region].name}.{side}")
        else:
            a, b = sorted((left, right))
            key = (1, a, b, f"{regions[a].name}|{regions[b].name}")
        found.setdefault(key, []).append(edge)
    surfaces = {}
    for key in sorted(found):
        owners_ = (key[1],) if key[0] == 0 else (key[1], key[2])
        surfaces[key[3]] = _surface(key[3], owners_, np.array(found[key]), plan, space)
    return surfaces


def side_name(region: int, sources: Sequence[tuple[int, str]], names: Sequence[str]) -> str:
    """Name an outer side after the region's own outline, or after the void that cut it open.

    ``sources`` are the (region, side) pairs whose outlines run there, ``names`` those of all regions.
    """
    for source, side in sources:
        if source == region:
            return side
    source, side = sources[-1]
    sides_of_source = "" if side == "rim" else f" {side}"
    return f"{names[source]}{sides_of_source}"


def straight_pieces(curves: Curves) -> Floats:
    """Return curves as straight lines (n, 2, 2) in m, a line whole and an arc in short pieces."""
    pieces = np.where(curves.is_arc, np.ceil(np.abs(curves.sweep) / (np.pi / 2) * _PIECES), 1).astype(int)
    owner = np.repeat(np.arange(len(curves)), pieces)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    many = curves.take(owner)
    return np.stack([many.at(place / pieces[owner]), many.at((place + 1) / pieces[owner])], axis=1)


def turned_area(curves: Curves) -> float:
    """Return the area in m² that curves sweep in a full turn about the y axis."""
    nodes, weights = _GAUSS
    radius = np.stack([curves.at(np.full(len(curves), (node + 1) / 2))[:, 0] for node in nodes], axis=1)
    return float(2 * np.pi * (radius @ weights / 2 * curves.length).sum())
