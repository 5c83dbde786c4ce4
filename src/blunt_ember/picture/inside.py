"""What is seen inside a solid: the part of it within a range of values, and planes laid through it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
from vtkmodules.vtkCommonCore import VTK_UNSIGNED_CHAR, vtkPoints
from vtkmodules.vtkCommonDataModel import (
    VTK_HEXAHEDRON,
    VTK_TETRA,
    VTK_WEDGE,
    vtkCellArray,
    vtkPlane,
    vtkPolyData,
    vtkUnstructuredGrid,
)
from vtkmodules.vtkFiltersCore import vtkCutter
from vtkmodules.vtkFiltersGeneral import vtkTableBasedClipDataSet
from vtkmodules.vtkFiltersGeometry import vtkGeometryFilter

from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.lenses import Plane, Shade

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

#: Quadratic cells as the linear ones between their nodes.
_HEX27 = [
    [0, 8, 24, 11, 16, 22, 26, 20], [8, 1, 9, 24, 22, 17, 21, 26], [24, 9, 2, 10, 26, 21, 18, 23],
    [11, 24, 10, 3, 20, 26, 23, 19], [16, 22, 26, 20, 4, 12, 25, 15], [22, 17, 21, 26, 12, 5, 13, 25],
    [26, 21, 18, 23, 25, 13, 6, 14], [20, 26, 23, 19, 15, 25, 14, 7],
]  # fmt: skip
_WEDGE18 = [
    [0, 6, 8, 12, 15, 17], [6, 1, 7, 15, 13, 16], [8, 7, 2, 17, 16, 14], [6, 7, 8, 15, 16, 17],
    [12, 15, 17, 3, 9, 11], [15, 13, 16, 9, 4, 10], [17, 16, 14, 11, 10, 5], [15, 16, 17, 9, 10, 11],
]  # fmt: skip
_TET10 = [
    [0, 4, 6, 7], [4, 1, 5, 8], [6, 5, 2, 9], [7, 8, 9, 3],
    [4, 8, 7, 6], [4, 5, 8, 6], [9, 7, 8, 6], [9, 8, 5, 6],
]  # fmt: skip
_LINEAR: dict[str, tuple[int, list[list[int]]]] = {
    "hex8": (VTK_HEXAHEDRON, [list(range(8))]), "wedge6": (VTK_WEDGE, [[0, 2, 1, 3, 5, 4]]),
    "tet4": (VTK_TETRA, [list(range(4))]), "hex27": (VTK_HEXAHEDRON, _HEX27),
    # VTK turns wedges the other way about.
    "wedge18": (VTK_WEDGE, [[a, c, b, d, f, e] for a, b, c, d, e, f in _WEDGE18]), "tet10": (VTK_TETRA, _TET10),
}  # fmt: skip


def grid_of(mesh: Mesh, found: Shade) -> vtkUnstructuredGrid:
    """Return a solid as linear cells with the places on the scale of a shade at its nodes.

    Where the cells about a node have values of their own, their mean stands for them.
    """
    total, count = np.zeros(mesh.node_count), np.zeros(mesh.node_count)
    cells, kinds = [], []
    for block, own in zip(mesh.blocks, found.values, strict=True):
        np.add.at(total, block.nodes, own)
        np.add.at(count, block.nodes, 1.0)
        kind, pieces = _LINEAR[block.family]
        nodes: Ints = block.nodes[:, np.array(pieces)].reshape(-1, len(pieces[0]))
        cells.append(nodes)
        kinds.append(np.full(len(nodes), kind, dtype=np.uint8))
    grid = vtkUnstructuredGrid()
    places = vtkPoints()
    places.SetData(numpy_to_vtk(mesh.points, deep=True))
    grid.SetPoints(places)
    array = vtkCellArray()
    offsets = np.concatenate([[0], np.cumsum(np.concatenate([np.full(len(each), each.shape[1]) for each in cells]))])
    array.SetData(numpy_to_vtkIdTypeArray(offsets, deep=True),
                  numpy_to_vtkIdTypeArray(np.concatenate([each.ravel() for each in cells]), deep=True))  # fmt: skip
    grid.SetCells(numpy_to_vtk(np.concatenate(kinds), deep=True, array_type=VTK_UNSIGNED_CHAR), array)
    values = numpy_to_vtk(found.places(total / np.maximum(count, 1.0)), deep=True)
    values.SetName("place")
    grid.GetPointData().SetScalars(values)
    return grid


def within_range(grid: vtkUnstructuredGrid, found: Shade) -> vtkPolyData:
    """Return the skin of what of a solid lies in the coloured range, or of all of it where the rest is only faded."""
    skin = vtkGeometryFilter()
    skin.SetInputData(_clipped(grid, found))
    skin.Update()
    result: vtkPolyData = skin.GetOutput()
    return result


def _clipped(grid: vtkUnstructuredGrid, found: Shade) -> vtkUnstructuredGrid:
    data = grid
    for narrowed, value, inside_out in ((found.narrowed[0], 0.0, False), (found.narrowed[1], 1.0, True)):
        if narrowed and found.vanish:
            clip = vtkTableBasedClipDataSet()
            clip.SetInputData(data)
            clip.SetValue(value)
            clip.SetInsideOut(inside_out)
            clip.Update()
            data = clip.GetOutput()
    return data


def cut(grid: vtkUnstructuredGrid, plane: Plane, found: Shade) -> vtkPolyData:
    """Return the picture of a plane through what of a solid is drawn."""
    cutter = vtkCutter()
    cutter.SetInputData(_clipped(grid, found))
    cutter.SetCutFunction(plane_function(plane))
    cutter.Update()
    result: vtkPolyData = cutter.GetOutput()
    return result


def plane_function(plane: Plane) -> vtkPlane:
    """Return a plane as VTK has it; its normal points to the side that is kept."""
    function = vtkPlane()
    normal, origin = np.zeros(3), np.zeros(3)
    normal[plane.axis], origin[plane.axis] = -1.0 if plane.flipped else 1.0, plane.at
    function.SetNormal(*normal)
    function.SetOrigin(*origin)
    return function
