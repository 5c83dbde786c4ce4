"""Lines that follow the heat, spaced so that each stands for the same heat flow."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonDataModel import VTK_TRIANGLE
from vtkmodules.vtkFiltersFlowPaths import vtkStreamTracer

from blunt_ember.arrays import Floats, Ints
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.facets import FacetPart, chained
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.vtk_data import linear_pieces, poly_data, unstructured_grid

#: So many lines are begun in a flat body and in a solid.
_LINES = {2: 24, 3: 64}
#: How far inside its facet a line begins, as a share of the size of the facet.
_INWARD = 0.03
#: A line is followed for so many times the size of the body, to so small a share of the usual flux, in so many steps.
_FARTHEST, _FAINTEST, _STEPS = 4.0, 0.01, 2_000
#: Size of a step in cells: a line ends at most so far before the skin.
_STEP = 0.1
_BITS = 10


@immutable
class FlowLines:
    """``lines``, places (p, d) in m each, from where heat comes to where it goes; ``each`` W pass along one of them."""

    lines: tuple[Floats, ...]
    each: float


@immutable
class _Passing:
    """Facets of the skin in an order in which neighbours follow each other: ``ends`` (f, 2, d) in m of flat ones, the
    ``middle`` (f, d), the unit vector (f, d) ``inward``, the ``size`` (f,) in m, and the heat ``out`` (f,) in W."""

    ends: Floats
    middle: Floats
    inward: Floats
    size: Floats
    out: Floats


def flow_lines(mesh: Mesh, fluxes: tuple[Floats, ...]) -> FlowLines:
    """Return lines along fluxes (m, k, d) in W/m² at the nodes of the cells of each block, of a flat body or a solid.

    They begin where the greater part of the heat crosses the skin, the one that comes in or the one that goes out,
    with the same share of it between each and the next, and end where the heat leaves the body or comes to nothing.
    """
    parts = [_passing(mesh, part, fluxes) for part in mesh.skin.parts if len(part.nodes)]
    passing = _Passing(
        *(
            np.concatenate([getattr(part, name) for part in parts])
            for name in ("ends", "middle", "inward", "size", "out")
        )
    )
    leaving, coming = np.maximum(passing.out, 0.0), np.maximum(-passing.out, 0.0)
    backward = leaving.sum() > coming.sum()
    heat = leaving if backward else coming
    total = float(heat.sum())
    usual = float(np.median(np.concatenate([np.linalg.norm(flux, axis=-1).ravel() for flux in fluxes])))
    if total <= 0 or usual <= 0:
        return FlowLines((), 0.0)
    count = _LINES[mesh.dimension]
    lines = _traced(mesh, fluxes, _seeds(passing, heat, count), usual, backward)
    return FlowLines(lines, total / count)


def _passing(mesh: Mesh, part: FacetPart, fluxes: tuple[Floats, ...]) -> _Passing:
    family, points = CELL_FAMILIES[part.family], mesh.points[part.nodes]
    slopes = np.einsum("qki,fkj->fqij", family.gradients(family.points), points)
    if mesh.dimension == 2:
        away = np.stack([slopes[:, :, 0, 1], -slopes[:, :, 0, 0]], axis=-1)
    else:
        away = np.cross(slopes[:, :, 0], slopes[:, :, 1])
    flux = np.concatenate([block.reshape(-1, mesh.dimension) for block in fluxes])[part.places]
    places = np.einsum("qk,fkj->fqj", family.at_points, points)
    factor = mesh.space.of_facets((0,), mesh.dimension - 1, places)
    through = np.einsum("qk,fkj,fqj->fq", family.at_points, flux, away) * factor
    normal = away.mean(axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    ends, middle = points[:, :2], family.values(family.middle[None])[0] @ points
    if mesh.dimension == 2:
        order, turned = chained(part.corners)
        ends = np.where(turned[:, None, None], ends[:, ::-1], ends)
    else:
        order = _near_by(middle)
    size = np.linalg.norm(np.ptp(points, axis=1), axis=1)
    return _Passing(ends[order], middle[order], -normal[order], size[order], (through @ family.weights)[order])


def _near_by(places: Floats) -> Ints:
    """An order of places (f, 3) in which those that follow each other are near: by their bits taken in turn."""
    low, size = places.min(axis=0), np.ptp(places, axis=0).max()
    cells = ((places - low) / max(float(size), 1e-300) * (2**_BITS - 1)).astype(np.int64)
    key = np.zeros(len(places), dtype=np.int64)
    for bit in range(_BITS):
        for axis in range(3):
            key |= ((cells[:, axis] >> bit) & 1) << (3 * bit + axis)
    return np.argsort(key, kind="stable")


def _seeds(passing: _Passing, heat: Floats, count: int) -> Floats:
    """Places (count, d) just inside the skin with the same heat between each and the next."""
    ends = np.cumsum(heat)
    wanted = (np.arange(count) + 0.5) / count * ends[-1]
    facet = np.minimum(np.searchsorted(ends, wanted), len(ends) - 1)
    if passing.middle.shape[1] == 2:
        share = (wanted - ends[facet]) / heat[facet] + 1.0
        first, last = passing.ends[facet, 0], passing.ends[facet, 1]
        bulge = passing.middle[facet] - (first + last) / 2  # the middle of an arc lies beside its chord
        at = first + share[:, None] * (last - first) + (4 * share * (1 - share))[:, None] * bulge
    else:
        at = passing.middle[facet]
    return at + _INWARD * passing.size[facet, None] * passing.inward[facet]


def _traced(mesh: Mesh, fluxes: tuple[Floats, ...], seeds: Floats, usual: float, backward: bool) -> tuple[Floats, ...]:
    """Follow fluxes from places; every region has nodes of its own, as the flux along a joint may jump there."""
    dimension = mesh.dimension
    keys = np.concatenate([(block.region[:, None] * mesh.node_count + block.nodes).ravel() for block in mesh.blocks])
    nodes, first, own = np.unique(keys, return_index=True, return_inverse=True)
    every = np.concatenate([flux.reshape(-1, dimension) for flux in fluxes])[first] / usual
    pieces, start = [], 0
    for block in mesh.blocks:
        numbers = own[start : start + block.nodes.size].reshape(block.nodes.shape)
        start += block.nodes.size
        if dimension == 2:
            pieces.append((VTK_TRIANGLE, numbers[:, CELL_FAMILIES[block.family].triangles].reshape(-1, 3)))
        else:
            pieces.append(linear_pieces(block.family, numbers))
    grid = unstructured_grid(mesh.points[nodes % mesh.node_count], pieces)
    vectors = numpy_to_vtk(np.column_stack([every, np.zeros((len(every), 3 - dimension))]), deep=True)
    vectors.SetName("flux")
    grid.GetPointData().SetVectors(vectors)
    tracer = vtkStreamTracer()
    tracer.SetInputData(grid)
    tracer.SetSourceData(poly_data(seeds))
    tracer.SetCellLocatorToStaticCellLocator()
    tracer.SetIntegratorTypeToRungeKutta45()
    tracer.SetInitialIntegrationStep(_STEP)
    tracer.SetMaximumIntegrationStep(_STEP)
    tracer.SetMaximumNumberOfSteps(_STEPS)
    tracer.SetMaximumPropagation(_FARTHEST * float(np.linalg.norm(np.ptp(mesh.points, axis=0))))
    tracer.SetTerminalSpeed(_FAINTEST)
    tracer.SetComputeVorticity(False)
    (tracer.SetIntegrationDirectionToBackward if backward else tracer.SetIntegrationDirectionToForward)()
    tracer.Update()
    found = tracer.GetOutput()
    if not found.GetNumberOfLines():
        return ()
    places = vtk_to_numpy(found.GetPoints().GetData()).astype(np.float64)[:, :dimension]
    lines = found.GetLines()
    offsets = vtk_to_numpy(lines.GetOffsetsArray())
    numbers = vtk_to_numpy(lines.GetConnectivityArray())
    each = [places[numbers[a:b]] for a, b in pairwise(offsets.tolist()) if b - a > 1]
    return tuple(line[::-1] for line in each) if backward else tuple(each)
