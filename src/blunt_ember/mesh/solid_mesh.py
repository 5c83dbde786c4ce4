"""The mesh of a solid: a mesh of its plan, swept through levels or round the axis."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh import singular_lines
from blunt_ember.mesh.grading import Axis, places_between, shrinkings, sized
from blunt_ember.mesh.local_sizes import local_cells, require_few
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.mesh.planar.mapped import counts_between, graded_axes, refined_counts
from blunt_ember.mesh.planar.section_mesh import planar_mesh
from blunt_ember.mesh.sweep import levels, swept_mesh

#: Cells that "auto" aims at over the whole of a solid, whose cells are dearer than those of a section.
_AUTO_CELLS = 600


def solid_mesh(geometry: SolidGeometry, request: MeshRequest) -> Mesh:
    """Mesh a solid; raises :class:`CaseError` for too many cells, or a plan that cannot be followed."""
    across, refinement, layers = request.across(3), request.refinement, request.layers
    size = request.size(float(np.cbrt(geometry.volume / _AUTO_CELLS)))
    require_few(geometry.volume / size**3 * refinement**3)
    held = [region for region in np.unique(geometry.holds).tolist() if region != VOID]
    lattice = geometry.plan.lattice
    graded = request.wish.size == "auto" and layers is None
    extents = None
    stations = geometry.path.stations
    counts = levels(geometry, size, across)
    axes = [Axis(np.diff(stations), singular_lines.of_path(geometry, request.stated), counts)]
    if lattice is not None:
        # A region of the body may stand on several columns of the plan.
        among = [(geometry.holds == region).any(axis=1) for region in held]
        extents = [(lattice.owner != VOID) & own[lattice.owner] for own in among]
        axes += graded_axes(lattice, singular_lines.of_plan(geometry, lattice, request.stated), size, across, extents)
    how = shrinkings(axes, size, 3) if graded else None
    local = local_cells(geometry, request)
    if request.ends is not None:
        ends = request.ends[2]
        counts = counts_between(stations, ends)
    elif layers is not None:
        counts, ends = layers, places_between(stations, layers)
    elif local.heights:
        near, sizes = np.array(local.heights).T
        counts, ends = sized(stations, near, sizes, size, request.wish.growth, counts, refinement)
    else:
        own = how[0] if how is not None else None
        counts = counts if own is None else own.counts(counts)
        counts = refined_counts(counts, refinement)
        ends = places_between(stations, counts, own)
    # Sides that are swept repeat where those of the plan do; ends along the path are alike anyway.
    repeating = tuple(
        (first[0], second[0])
        for first, second in (map(geometry.in_plan, pair) for pair in request.repeating)
        if len(first) == len(second) == 1
    )
    asked = replace(request, repeating=repeating)
    plan = planar_mesh(geometry.plan, asked, size, across, local, extents, how[1:] if how is not None else None)
    require_few(float(plan.cell_count) * float(counts.sum()))
    return swept_mesh(geometry, plan, counts, ends)
