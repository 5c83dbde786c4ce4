"""What is seen inside a solid: the part of it within a range of values, and planes laid through it."""

from __future__ import annotations

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonDataModel import vtkPlane, vtkPolyData, vtkUnstructuredGrid
from vtkmodules.vtkFiltersCore import vtkCutter
from vtkmodules.vtkFiltersGeneral import vtkTableBasedClipDataSet
from vtkmodules.vtkFiltersGeometry import vtkGeometryFilter

from blunt_ember.mesh.mesh import Mesh
from blunt_ember.picture.body.vtk_data import linear_pieces, unstructured_grid
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.look import CutPlane


def grid_of(mesh: Mesh, found: Shade) -> vtkUnstructuredGrid:
    """Return a solid as linear cells with the places on the scale of a shade at its nodes.

    Where the cells about a node have values of their own, their mean stands for them.
    """
    total, count = np.zeros(mesh.node_count), np.zeros(mesh.node_count)
    for block, own in zip(mesh.blocks, found.values, strict=True):
        np.add.at(total, block.nodes, own)
        np.add.at(count, block.nodes, 1.0)
    grid = unstructured_grid(mesh.points, [linear_pieces(block.family, block.nodes) for block in mesh.blocks])
    values = numpy_to_vtk(found.places(total / np.maximum(count, 1.0)), deep=True)
    values.SetName("place")
    grid.GetPointData().SetScalars(values)
    return grid


def within_range(grid: vtkUnstructuredGrid, found: Shade) -> vtkPolyData:
    """Return the skin of what of a solid lies in the coloured range, or of all of it where the rest is only faded."""
    skin = vtkGeometryFilter()
    skin.SetInputData(_clipped(grid, found))
    skin.Update()
    return skin.GetOutput()


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


def cut(grid: vtkUnstructuredGrid, plane: CutPlane, found: Shade) -> vtkPolyData:
    """Return the picture of a plane through what of a solid is drawn."""
    cutter = vtkCutter()
    cutter.SetInputData(_clipped(grid, found))
    cutter.SetCutFunction(plane_function(plane))
    cutter.Update()
    return cutter.GetOutput()


def plane_function(plane: CutPlane) -> vtkPlane:
    """Return a plane as VTK has it; its normal points to the side that is kept."""
    function = vtkPlane()
    normal, origin = np.zeros(3), np.zeros(3)
    normal[plane.axis], origin[plane.axis] = -1.0 if plane.flipped else 1.0, plane.at
    function.SetNormal(*normal)
    function.SetOrigin(*origin)
    return function
