"""A mesh for a section: mapped quadrilaterals where it lies on a lattice, free triangles elsewhere."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.case.document import MeshWish
from blunt_ember.case.structure_faults import nearest, path_text
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.lattice import Lattice, lattice_of
from blunt_ember.mesh.mapped import divisions, mapped_mesh
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Floats, Ints, Mesh
from blunt_ember.mesh.size_field import LocalSizes, size_field
from blunt_ember.mesh.triangles import MeshError, Triangulation, triangulated

Members = Callable[[str], tuple[str, ...]]

#: Cells that "auto" aims at over the whole body; layers thinner than a cell add to it.
AUTO_CELLS = 400
MAX_CELLS = 4_000_000


def section_mesh(
    geometry: SectionGeometry, wish: MeshWish, refinement: int = 1, members_of: Members = lambda name: (name,)
) -> Mesh:
    """Mesh a section; ``refinement`` divides every cell, for error estimates and convergence studies.

    ``members_of`` tells the surfaces that a name stands for.

    Raises :class:`CaseError` when the wish asks for more cells than can be solved or the outline cannot be followed.
    """
    lattice = lattice_of(geometry) if wish.cells != "triangles" and not wish.local else None
    area = _area(geometry, lattice)
    size = float(np.sqrt(area / AUTO_CELLS)) if wish.size == "auto" else wish.size.si
    if lattice is not None:
        counts_u, counts_v = (counts * refinement for counts in divisions(lattice, size, wish.across))
        _require_few(float(counts_u.sum()) * float(counts_v.sum()))
        return mapped_mesh(geometry, lattice, (counts_u, counts_v), wish.order)
    if wish.cells == "quadrilaterals":
        what = "quadrilaterals cannot be mapped on this body (a part is not four-sided, or finer places are stated)"
        raise CaseError((Fault("mesh.cells", what),))
    _require_few(2.3 * area / size**2 * refinement**2)
    local = _local_sizes(geometry, wish, members_of, refinement)
    sizes = size_field(
        geometry.arrangement, size / refinement, wish.across * refinement, wish.growth, local, refinement
    )
    try:
        return _triangle_mesh(geometry, triangulated(geometry.arrangement, geometry.owner_at, sizes), wish.order)
    except MeshError as error:
        raise CaseError((Fault("mesh.size", str(error)),)) from error


def _local_sizes(geometry: SectionGeometry, wish: MeshWish, members_of: Members, refinement: int) -> LocalSizes:
    """Return the finer places as points with a size; raise :class:`CaseError` for a surface there is not."""
    local = []
    for place, entry in enumerate(wish.local):
        size = entry.size.si / refinement
        if entry.at is not None:
            local.append((np.array([[c.si for c in entry.at]]), size))
        for surface in (member for name in entry.surfaces for member in members_of(name)):
            if surface not in geometry.surfaces:
                what = f"there is no surface '{surface}'{nearest(surface, geometry.surfaces)}"
                raise CaseError((Fault(path_text(("mesh", "local", place, "on")), what),))
            _require_few(2 * geometry.surfaces[surface].length / size)
            local.append((_along(geometry, surface, size), size))
    return local


def _along(geometry: SectionGeometry, surface: str, size: float) -> Floats:
    """Places along a surface, about two for every cell."""
    curves = geometry.arrangement.curves.take(geometry.surfaces[surface].edges)
    counts = np.ceil(2 * curves.length / size).astype(np.int64) + 1
    owner = np.repeat(np.arange(len(curves)), counts)
    number = np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts)
    return curves.take(owner).at(number / np.maximum(counts[owner] - 1, 1))


def _area(geometry: SectionGeometry, lattice: Lattice | None) -> float:
    if lattice is not None and lattice.centre is None:
        return float(np.diff(lattice.us) @ (lattice.owner != VOID) @ np.diff(lattice.vs))
    plan = geometry.arrangement
    # Green's theorem over chords is close enough to choose a size by.
    cross = plan.curves.start[:, 0] * plan.curves.end[:, 1] - plan.curves.end[:, 0] * plan.curves.start[:, 1]
    outward = np.where(plan.left == VOID, -1.0, np.where(plan.right == VOID, 1.0, 0.0))
    return abs(float((cross * outward).sum())) / 2


def _require_few(cells: float) -> None:
    if cells > MAX_CELLS:
        what = (
            f"this size gives {cells:,.0f} cells, more than the {MAX_CELLS:,} a section may have; state a larger size"
        )
        raise CaseError((Fault("mesh.size", what),))


def _triangle_mesh(geometry: SectionGeometry, made: Triangulation, order: int) -> Mesh:
    points, cells, boundary = made.points, made.cells, made.boundary
    segments = boundary.nodes
    if order == 2:
        points, cells, middle = _with_middles(geometry, made)
        segments = np.column_stack([segments, middle])
    family, facets = ("tri3", "line2") if order == 1 else ("tri6", "line3")
    surfaces = {
        name: FacetSet(facets, segments[np.isin(boundary.edge, surface.edges)], surface.regions)
        for name, surface in geometry.surfaces.items()
    }
    names = tuple(region.name for region in geometry.regions)
    return Mesh(points, (CellBlock(family, cells, made.region),), surfaces, names, order, geometry.depth)


def _with_middles(geometry: SectionGeometry, made: Triangulation) -> tuple[Floats, Ints, Ints]:
    """Add mid-side nodes, those of the boundary on the true curve; return points, cells and the segments' middles."""
    points, cells, boundary = made.points, made.cells, made.boundary
    sides = np.sort(np.concatenate([cells[:, [0, 1]], cells[:, [1, 2]], cells[:, [2, 0]]]), axis=1)
    key = sides[:, 0] * len(points) + sides[:, 1]
    edges, number = np.unique(key, return_inverse=True)
    middles = points[np.column_stack([edges // len(points), edges % len(points)])].mean(axis=1)
    ends = np.sort(boundary.nodes, axis=1)
    place = np.searchsorted(edges, ends[:, 0] * len(points) + ends[:, 1])
    own = geometry.arrangement.curves.take(boundary.edge)
    middles[place] = own.at(boundary.share.mean(axis=1))
    nodes = len(points) + number.reshape(3, -1).T
    return np.concatenate([points, middles]), np.column_stack([cells, nodes]), len(points) + place
