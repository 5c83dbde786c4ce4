"""A mesh for a body: mapped quadrilaterals where it lies on a lattice, free triangles elsewhere; solids are swept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.case.document.case_document import MeshWish
from blunt_ember.errors import CaseError, Fault
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh import singular_lines
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.derived.uniform_refinement import uniformly_refined
from blunt_ember.mesh.grading import Axis, Shrinking, placed, shrinkings, sized
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.local_sizes import LocalCells, Members, local_cells, require_few, shared_out
from blunt_ember.mesh.mesh import CellBlock, FacetBlock, FacetSet, Mesh
from blunt_ember.mesh.planar.lattice import Lattice, lattice_of
from blunt_ember.mesh.planar.mapped import Extents, divided_by_hand, divisions, mapped_mesh, refined_counts
from blunt_ember.mesh.planar.pairing import paired
from blunt_ember.mesh.planar.size_field import LocalSizes, size_field
from blunt_ember.mesh.planar.symmetry import symmetric_triangles
from blunt_ember.mesh.planar.triangles import MeshError, Triangulation
from blunt_ember.mesh.rod import graded_rod_mesh, rod_mesh
from blunt_ember.mesh.singular_lines import NOTHING_STATED, StatedSurfaces
from blunt_ember.mesh.sweep import levels, swept_mesh

#: Cells that "auto" aims at over the whole of a section, over a solid, whose cells are dearer, and along a rod; layers
#: thinner than a cell add to it.
AUTO_CELLS = 400
SOLID_CELLS = 600
ROD_CELLS = 40
#: How many times as many cells there are between the lines of a lattice along u and v, and between stations.
Times = tuple[Floats, Floats, Floats]
#: Cells across every region at least, by the dimensions of the body.
ACROSS = {1: 4, 2: 4, 3: 2}


def generate_mesh(
    geometry: AnyGeometry,
    wish: MeshWish,
    refinement: float = 1,
    members_of: Members = lambda name: (name,),
    finer: LocalSizes = (),
    layers: Ints | None = None,
    stated: StatedSurfaces = NOTHING_STATED,
    times: Times | None = None,
) -> Mesh:
    """Mesh a body; ``refinement`` divides every cell, for error estimates and convergence studies.

    A half makes mapped cells of twice the size, as far as a part keeps one cell across it.

    ``members_of`` tells the surfaces that a name stands for; ``finer`` are places of a rod, a section, or the plan of a
    solid that are to have cells of their own size, which takes free triangles; ``layers`` are the cells of a solid
    between the stations of its path.

    Of a mesh that was read ``refinement`` is a power of two, and no less than one. Raises :class:`CaseError` when the
    wish asks for more cells than can be solved or the outline cannot be followed.
    """
    across = wish.across if wish.across is not None else ACROSS[geometry.space.dimension]
    if isinstance(geometry, ImportedGeometry):
        return _divided_as_read(geometry.mesh, refinement)
    if isinstance(geometry, RodGeometry):
        if finer:
            return graded_rod_mesh(geometry, finer, across, wish.order)
        size = geometry.length / ROD_CELLS if wish.size == "auto" else wish.size.si
        require_few(geometry.length / size * refinement)
        return rod_mesh(geometry, size, across, wish.order, refinement)
    if isinstance(geometry, SolidGeometry):
        return _solid_mesh(geometry, wish, across, refinement, members_of, finer, layers, stated, times)
    lattice = lattice_of(geometry)
    size = float(np.sqrt(_area(geometry, lattice) / AUTO_CELLS)) if wish.size == "auto" else wish.size.si
    local = local_cells(geometry, geometry, wish, members_of, refinement)
    if finer:
        local = replace(local, dense=finer, free=True)
    how = None
    if lattice is not None and wish.size == "auto":
        how = shrinkings(_axes(lattice, singular_lines.of_section(geometry, lattice, stated), size, across), size, 2)
    return _planar_mesh(geometry, wish, size, across, refinement, local, None, how)


def _solid_mesh(
    geometry: SolidGeometry,
    wish: MeshWish,
    across: int,
    refinement: float,
    members_of: Members,
    finer: LocalSizes = (),
    layers: Ints | None = None,
    stated: StatedSurfaces = NOTHING_STATED,
    times: Times | None = None,
) -> Mesh:
    size = float(np.cbrt(geometry.volume / SOLID_CELLS)) if wish.size == "auto" else wish.size.si
    require_few(geometry.volume / size**3 * refinement**3)
    held = [region for region in np.unique(geometry.holds).tolist() if region != VOID]
    lattice = lattice_of(geometry.plan)
    graded = wish.size == "auto" and layers is None
    extents = None
    stations = geometry.path.stations
    counts = levels(geometry, size, across)
    axes = [Axis(np.diff(stations), singular_lines.of_path(geometry, stated), counts)]
    if lattice is not None:
        # A region of the body may stand on several columns of the plan.
        among = [(geometry.holds == region).any(axis=1) for region in held]
        extents = [(lattice.owner != VOID) & own[lattice.owner] for own in among]
        axes += _axes(lattice, singular_lines.of_plan(geometry, lattice, stated), size, across, extents)
    how = shrinkings(axes, size, 3) if graded else None
    local = local_cells(geometry, geometry.plan, wish, members_of, refinement)
    if finer:
        local = replace(local, dense=finer, free=True)
    if layers is not None:
        counts, ends = layers, placed(stations, layers)
    elif local.heights:
        near, sizes = np.array(local.heights).T
        counts, ends = sized(stations, near, sizes, size, wish.growth, counts, refinement)
    else:
        own = how[0] if how is not None else None
        counts = counts if own is None else own.counts(counts)
        counts = refined_counts(counts, refinement if times is None else refinement * times[2])
        ends = placed(stations, counts, own)
    plan = _planar_mesh(
        geometry.plan, wish, size, across, refinement, local, extents, how[1:] if how is not None else None, times
    )
    require_few(float(plan.cell_count) * float(counts.sum()))
    return swept_mesh(geometry, plan, counts, ends)


def _axes(
    lattice: Lattice, singular: tuple[Flags, Flags], size: float, across: int, extents: Extents | None = None
) -> list[Axis]:
    even = divisions(lattice, size, across, extents)
    return [Axis(*axis) for axis in zip(lattice.widths(), singular, even, strict=True)]


def _divided_as_read(mesh: Mesh, refinement: float) -> Mesh:
    require_few(float(mesh.cell_count) * refinement**mesh.dimension)
    while refinement > 1:
        mesh, refinement = uniformly_refined(mesh), refinement / 2
    return mesh


def _planar_mesh(
    geometry: SectionGeometry,
    wish: MeshWish,
    size: float,
    across: int,
    refinement: float,
    local: LocalCells,
    extents: Extents | None = None,
    how: Sequence[Shrinking] | None = None,
    times: Times | None = None,
) -> Mesh:
    lattice = lattice_of(geometry) if wish.cells in ("auto", "quadrilaterals") and not local.free else None
    if lattice is not None:
        made = divisions(lattice, size, across, extents)
        if how is not None:
            made = (how[0].counts(made[0]), how[1].counts(made[1]))
        for name, count in local.by_hand.items():
            segments = lattice.coordinates(geometry.surfaces[name].segments.reshape(-1, 2))
            made = divided_by_hand(lattice, made, segments, count, name)
        counts_u = refined_counts(made[0], refinement if times is None else refinement * times[0])
        counts_v = refined_counts(made[1], refinement if times is None else refinement * times[1])
        require_few(float(counts_u.sum()) * float(counts_v.sum()))
        return mapped_mesh(geometry, lattice, (counts_u, counts_v), how, wish.order)
    if wish.cells == "quadrilaterals":
        what = "quadrilaterals cannot be mapped on this body (a part is not four-sided, or finer places are stated)"
        raise CaseError((Fault(("mesh", "cells"), what),))
    require_few(2.3 * _area(geometry, None) / size**2 * refinement**2)
    sizes = size_field(
        geometry.arrangement, size / refinement, across * refinement, wish.growth, local.sizes, refinement, local.dense
    )
    try:
        fixed: dict[int, int] = {}
        for name, count in local.by_hand.items():
            edges = geometry.surfaces[name].edges
            lengths = dict(zip(edges.tolist(), geometry.arrangement.curves.length[edges].tolist(), strict=True))
            fixed.update(shared_out(max(1, int(count * refinement)), lengths))
        filled = symmetric_triangles(geometry.arrangement, geometry.owner_at, sizes, fixed)
        return _triangle_mesh(geometry, filled, wish.order, wish.cells == "mostly quadrilaterals")
    except MeshError as error:
        names = " and ".join(f"'{geometry.regions[region].name}'" for region in error.regions)
        raise CaseError((Fault(("mesh", "size"), f"{names}: {error}" if names else str(error)),)) from error


def _area(geometry: SectionGeometry, lattice: Lattice | None) -> float:
    if lattice is not None and lattice.centre is None:
        return float(np.diff(lattice.us) @ (lattice.owner != VOID) @ np.diff(lattice.vs))
    plan = geometry.arrangement
    # Green's theorem over chords is close enough to choose a size by.
    cross = plan.curves.start[:, 0] * plan.curves.end[:, 1] - plan.curves.end[:, 0] * plan.curves.start[:, 1]
    outward = np.where(plan.left == VOID, -1.0, np.where(plan.right == VOID, 1.0, 0.0))
    return abs(float((cross * outward).sum())) / 2


def _triangle_mesh(geometry: SectionGeometry, made: Triangulation, order: int, pair: bool) -> Mesh:
    segments = made.boundary.nodes
    kinds = [(made.cells, made.region)]
    if pair:
        quads, pairs = paired(made.points, made.cells, made.region)
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
