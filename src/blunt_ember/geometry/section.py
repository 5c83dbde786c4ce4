"""Plane sections: regions placed, cut by later ones, and their surfaces named.

A section of rectangles is an arrangement on the lattice of all their edges; every lattice cell belongs to the last
region that covers it. Surfaces are named after the region and the side a person would point at (``brick.left``), the
meeting of two regions ``brick|blanket``, so names stay when dimensions change.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from blunt_ember.case.document import Rectangle, Section
from blunt_ember.case.structure_faults import path_text
from blunt_ember.errors import CaseError, Fault

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
VOID = -1
SIDES = ("left", "right", "bottom", "top")


@dataclass(frozen=True)
class Region:
    """A region as stated, before later ones cut it: ``box`` is (x0, y0, x1, y1) in m."""

    name: str
    box: tuple[float, float, float, float]


@dataclass(frozen=True)
class Surface:
    """A named piece of boundary.

    ``regions`` holds the owner, or for an interface both sides in the order of its name. ``edges`` (n, 3) are lattice
    edges as (axis, i, j): axis 0 is the vertical edge at ``xs[i]`` from ``ys[j]`` to ``ys[j + 1]``, axis 1 the
    horizontal edge at ``ys[j]`` from ``xs[i]`` to ``xs[i + 1]``. ``segments`` (n, 2, 2) are their end points in m.
    """

    name: str
    regions: tuple[int, ...]
    edges: Ints
    segments: Floats

    @property
    def outer(self) -> bool:
        """Whether nothing of the body lies behind it."""
        return len(self.regions) == 1

    @property
    def length(self) -> float:
        """Length in m."""
        return float(np.linalg.norm(self.segments[:, 1] - self.segments[:, 0], axis=1).sum())


@dataclass(frozen=True)
class SectionGeometry:
    """Regions on the lattice ``xs`` × ``ys`` (m); ``owner[i, j]`` is the region of a lattice cell or ``VOID``."""

    depth: float
    regions: tuple[Region, ...]
    xs: Floats
    ys: Floats
    owner: Ints
    surfaces: dict[str, Surface]

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
        return float(max(np.ptp(self.xs), np.ptp(self.ys)))


def section_geometry(body: Section) -> SectionGeometry:
    """Place and cut the regions of a section; raise :class:`CaseError` for a region that nothing is left of."""
    boxes = _placed(body.regions)
    regions = tuple(Region(name, boxes[name]) for name in body.regions)
    edges = np.array([region.box for region in regions])
    extent = float(max(np.ptp(edges[:, [0, 2]]), np.ptp(edges[:, [1, 3]])))
    xs, ys = _merged(edges[:, [0, 2]], extent), _merged(edges[:, [1, 3]], extent)
    owner = np.full((len(xs) - 1, len(ys) - 1), VOID, dtype=np.int64)
    for index, (x0, y0, x1, y1) in enumerate(edges):
        owner[_place(xs, x0):_place(xs, x1), _place(ys, y0):_place(ys, y1)] = index  # fmt: skip
    covered = [region.name for index, region in enumerate(regions) if not (owner == index).any()]
    if covered:
        what = "later regions cover all of it; move it behind them in the list, or remove it"
        raise CaseError(tuple(Fault(path_text(("body", "regions", name)), what) for name in covered))
    return SectionGeometry(body.depth.si, regions, xs, ys, owner, _surfaces(regions, xs, ys, owner))


def _placed(stated: dict[str, Rectangle]) -> dict[str, tuple[float, float, float, float]]:
    boxes: dict[str, tuple[float, float, float, float]] = {}

    def box(name: str) -> tuple[float, float, float, float]:
        if name not in boxes:
            entry = stated[name]
            width, height = entry.size[0].si, entry.size[1].si
            x, y = (entry.at[0].si, entry.at[1].si) if entry.at else (0.0, 0.0)
            if entry.beside:
                relation, other = entry.beside
                x0, y0, x1, y1 = box(other)
                x, y = {"right_of": (x1, y0), "left_of": (x0 - width, y0), "above": (x0, y1),
                        "below": (x0, y0 - height)}[relation]  # fmt: skip
            boxes[name] = (x, y, x + width, y + height)
        return boxes[name]

    return {name: box(name) for name in stated}


def _merged(values: Floats, extent: float) -> Floats:
    """Sorted values, those closer than round-off of the extent taken as one."""
    ordered = np.unique(values)
    keep = np.concatenate([[True], np.diff(ordered) > 1e-9 * extent])
    return ordered[keep]


def _place(values: Floats, value: float) -> int:
    return int(np.argmin(np.abs(values - value)))


def _surfaces(regions: tuple[Region, ...], xs: Floats, ys: Floats, owner: Ints) -> dict[str, Surface]:
    framed = np.pad(owner, 1, constant_values=VOID)
    found: dict[tuple[int, ...], list[Ints]] = {}
    sides: dict[tuple[int, ...], tuple[str, tuple[int, ...]]] = {}
    for axis in (0, 1):
        before, behind = (framed[:-1, 1:-1], framed[1:, 1:-1]) if axis == 0 else (framed[1:-1, :-1], framed[1:-1, 1:])
        i, j = np.nonzero(before != behind)
        pairs = np.column_stack([before[i, j], behind[i, j]])
        for first, second in np.unique(pairs, axis=0).tolist():
            chosen = (pairs == (first, second)).all(axis=1)
            edges = np.column_stack([np.full(chosen.sum(), axis), i[chosen], j[chosen]])
            if VOID in (first, second):
                region = max(first, second)
                side = SIDES[2 * axis + (1 if second == VOID else 0)]
                key: tuple[int, ...] = (region, SIDES.index(side))
                sides[key] = (f"{regions[region].name}.{side}", (region,))
            else:
                a, b = sorted((first, second))
                key = (len(regions), a, b)
                sides[key] = (f"{regions[a].name}|{regions[b].name}", (a, b))
            found.setdefault(key, []).append(edges)
    surfaces = {}
    for key in sorted(found):
        name, owners = sides[key]
        edges = np.concatenate(found[key])
        surfaces[name] = Surface(name, owners, edges, _segments(edges, xs, ys))
    return surfaces


def _segments(edges: Ints, xs: Floats, ys: Floats) -> Floats:
    axis, i, j = edges.T
    start = np.column_stack([xs[i], ys[j]])
    end = np.column_stack([xs[i + (axis == 1)], ys[j + (axis == 0)]])
    return np.stack([start, end], axis=1)
