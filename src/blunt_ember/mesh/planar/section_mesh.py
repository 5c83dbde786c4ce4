"""The mesh of a plane section: mapped quadrilaterals where it lies on a lattice, free triangles elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.mesh import singular_lines
from blunt_ember.mesh.grading import Shrinking, places_between, shrinkings
from blunt_ember.mesh.local_sizes import LocalCells, local_cells, require_few, shared_out
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.mesh.planar.mapped import Extents, divided_by_hand, divisions, graded_axes, mapped_mesh, refined_counts
from blunt_ember.mesh.planar.pairing import paired
from blunt_ember.mesh.planar.repeats import repeats_of
from blunt_ember.mesh.planar.size_field import size_field
from blunt_ember.mesh.planar.strip_layers import StripError
from blunt_ember.mesh.planar.strip_triangles import Thin
from blunt_ember.mesh.planar.symmetry import symmetric_triangles
from blunt_ember.mesh.planar.thin_parts import thinner_than
from blunt_ember.mesh.planar.triangles import MeshError, Triangulation

#: Cells that "auto" aims at over the whole of a section; layers thinner than a cell add to it.
_AUTO_CELLS = 400
#: Cells along what is longest, where a body is so slender that it would have more of them.
_ALONG = 400


def section_mesh(geometry: SectionGeometry, request: MeshRequest) -> Mesh:
    """Mesh a section; raises :class:`CaseError` for too many cells, or an outline that cannot be followed."""
    across, lattice = request.across(2), geometry.lattice
    size = request.size(max(float(np.sqrt(_area(geometry, lattice) / _AUTO_CELLS)), geometry.extent / _ALONG))
    local = local_cells(geometry, request)
    how = None
    if lattice is not None and request.wish.size == "auto":
        singular = singular_lines.of_section(geometry, lattice, request.stated)
        how = shrinkings(graded_axes(lattice, singular, size, across), size, 2)
    return planar_mesh(geometry, request, size, across, local, None, how)


def planar_mesh(
    geometry: SectionGeometry,
    request: MeshRequest,
    size: float,
    across: int,
    local: LocalCells,
    extents: Extents | None = None,
    how: Sequence[Shrinking] | None = None,
) -> Mesh:
    """Mesh a section, or the plan of a solid, with cells of a ``size`` in m and at least so many ``across``.

    ``extents`` are those of the regions of a solid on the plan, ``how`` is the way cells shrink along both axes.
    """
    wish, refinement = request.wish, request.refinement
    lattice = geometry.lattice if wish.cells in ("auto", "quadrilaterals") and not local.free else None
    if lattice is not None and request.ends is not None:
        return mapped_mesh(geometry, lattice, request.ends[:2], wish.order)
    if lattice is not None:
        made = divisions(lattice, size, across, extents)
        if how is not None:
            made = (how[0].counts(made[0]), how[1].counts(made[1]))
        for name, count in local.by_hand.items():
            segments = lattice.coordinates(geometry.surfaces[name].segments.reshape(-1, 2))
            made = divided_by_hand(lattice, made, segments, count, name)
        counts_u, counts_v = (refined_counts(counts, refinement) for counts in made)
        require_few(float(counts_u.sum()) * float(counts_v.sum()))
        shrinking_u, shrinking_v = (None, None) if how is None else (how[0], how[1])
        u = places_between(lattice.us, counts_u, shrinking_u)
        v = places_between(lattice.vs, counts_v, shrinking_v)
        return mapped_mesh(geometry, lattice, (u, v), wish.order)
    if wish.cells == "quadrilaterals":
        what = "quadrilaterals cannot be mapped on this body (a part is not four-sided, or finer places are stated)"
        raise CaseError((Fault(("mesh", "cells"), what),))
    require_few(2.3 * _area(geometry, None) / size**2 * refinement**2)
    wide = 0.0 if wish.cells == "triangles" else thinner_than(size / refinement, across * refinement)
    try:
        try:
            return _free_mesh(geometry, request, size, across, local, wide)
        except StripError:  # then by cells as wide as it is thin after all
            return _free_mesh(geometry, request, size, across, local, 0.0)
    except MeshError as error:
        names = " and ".join(f"'{geometry.regions[region].name}'" for region in error.regions)
        raise CaseError((Fault(("mesh", "size"), f"{names}: {error}" if names else str(error)),)) from error


def _free_mesh(
    geometry: SectionGeometry, request: MeshRequest, size: float, across: int, local: LocalCells, wide: float
) -> Mesh:
    """Triangles, and long cells in strips that are thinner than ``wide`` in m."""
    wish, refinement = request.wish, request.refinement
    plan, through = geometry.arrangement, across * refinement
    thin = Thin(wide, max(1, round(through)))
    strips = thin.regions(plan)
    finer = [*local.sizes, *((places, tip / refinement) for places, tip in thin.tips(plan))]
    sizes = size_field(
        plan, size / refinement, through, wish.growth / refinement, finer, refinement, local.dense, strips
    )
    sizes = replace(sizes, repeats=repeats_of(geometry, request.repeating))
    fixed: dict[int, int] = {}
    for name, count in local.by_hand.items():
        edges = geometry.surfaces[name].edges
        lengths = dict(zip(edges.tolist(), plan.curves.length[edges].tolist(), strict=True))
        fixed.update(shared_out(max(1, int(count * refinement)), lengths))
    filled = symmetric_triangles(plan, geometry.owner_at, sizes, fixed, thin)
    every = np.arange(len(geometry.regions))
    return _triangle_mesh(geometry, filled, wish.order, every if wish.cells == "mostly quadrilaterals" else strips)


def _area(geometry: SectionGeometry, lattice: Lattice | None) -> float:
    if lattice is not None and lattice.centre is None:
        return float(np.diff(lattice.us) @ (lattice.owner != VOID) @ np.diff(lattice.vs))
    plan = geometry.arrangement
    # Green's theorem over chords is close enough to choose a size by.
    cross = plan.curves.start[:, 0] * plan.curves.end[:, 1] - plan.curves.end[:, 0] * plan.curves.start[:, 1]
    outward = np.where(plan.left == VOID, -1.0, np.where(plan.right == VOID, 1.0, 0.0))
    return abs(float((cross * outward).sum())) / 2


def _triangle_mesh(geometry: SectionGeometry, made: Triangulation, order: int, pair: Ints) -> Mesh:
    """The mesh of triangles, those of regions to ``pair`` made quadrilaterals where they can."""
    segments = made.boundary.nodes
    kinds = [(made.cells, made.region)]
    own = np.flatnonzero(np.isin(made.region, pair))
    if len(own):
        quads, both = paired(made.points, made.cells[own], made.region[own])
        pairs = own[both]
        lone = np.setdiff1d(np.arange(len(made.cells)), pairs)
        kinds = [(quads, made.region[pairs[:, 0]]), (made.cells[lone], made.region[lone])]
    kinds = [(cells, region) for cells, region in kinds if len(cells)]
    points, shapes = made.points, [cells for cells, _ in kinds]
    if order == 2:
        points, shapes, middle = _with_middles(geometry, made, shapes)
        segments = np.column_stack([segments, middle])
    facets = "line2" if order == 1 else "line3"
    families = {3: "tri3", 4: "quad4", 6: "tri6", 9: "quad9"}
    blocks = tuple(
        CellBlock(families[cells.shape[1]], cells, region) for cells, (_, region) in zip(shapes, kinds, strict=True)
    )
    boundary = made.boundary
    surfaces = {
        name: FacetSet((FacetBlock(facets, segments[np.isin(boundary.edge, surface.edges)]),), surface.regions)
        for name, surface in geometry.surfaces.items()
    }
    names = tuple(region.name for region in geometry.regions)
    return Mesh(points, blocks, surfaces, names, order, geometry.space)


def _with_middles(
    geometry: SectionGeometry, made: Triangulation, shapes: list[Ints]
) -> tuple[Floats, list[Ints], Ints]:
    """Add mid-side nodes, those of the boundary on the true curve, and centres of quadrilaterals.

    Return points, cells and the middles of the boundary's segments.
    """
    points, boundary = made.points, made.boundary
    sides = [np.sort(np.stack([cells, np.roll(cells, -1, axis=1)], axis=-1), axis=-1) for cells in shapes]
    keys = [side[..., 0] * len(points) + side[..., 1] for side in sides]
    edges, number = np.unique(np.concatenate([key.ravel() for key in keys]), return_inverse=True)
    middles = points[np.column_stack([edges // len(points), edges % len(points)])].mean(axis=1)
    ends = np.sort(boundary.nodes, axis=1)
    place = np.searchsorted(edges, ends[:, 0] * len(points) + ends[:, 1])
    own = geometry.arrangement.curves.take(boundary.edge)
    middles[place] = own.at(boundary.share.mean(axis=1))
    every = np.concatenate([points, middles])
    whole, start = [], 0
    for cells, key in zip(shapes, keys, strict=True):
        nodes = np.column_stack([cells, len(points) + number[start : start + key.size].reshape(key.shape)])
        start += key.size
        if cells.shape[1] == 4:  # the centre lies where the curved sides put it
            centre = every[nodes[:, 4:]].sum(axis=1) / 2 - every[nodes[:, :4]].sum(axis=1) / 4
            nodes = np.column_stack([nodes, len(every) + np.arange(len(nodes))])
            every = np.concatenate([every, centre])
        whole.append(nodes)
    return every, whole, len(points) + place
