"""Points, polygons and lines handed to VTK."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
from vtkmodules.vtkCommonCore import VTK_UNSIGNED_CHAR, vtkPoints
from vtkmodules.vtkCommonDataModel import (
    VTK_HEXAHEDRON,
    VTK_TETRA,
    VTK_WEDGE,
    vtkCellArray,
    vtkPolyData,
    vtkUnstructuredGrid,
)

from blunt_ember.arrays import Floats, Ints

#: Quadratic cells as the linear ones between their nodes.
_HEX27 = [
    [0, 8, 24, 11, 16, 22, 26, 20],
    [8, 1, 9, 24, 22, 17, 21, 26],
    [24, 9, 2, 10, 26, 21, 18, 23],
    [11, 24, 10, 3, 20, 26, 23, 19],
    [16, 22, 26, 20, 4, 12, 25, 15],
    [22, 17, 21, 26, 12, 5, 13, 25],
    [26, 21, 18, 23, 25, 13, 6, 14],
    [20, 26, 23, 19, 15, 25, 14, 7],
]
_WEDGE18 = [
    [0, 6, 8, 12, 15, 17],
    [6, 1, 7, 15, 13, 16],
    [8, 7, 2, 17, 16, 14],
    [6, 7, 8, 15, 16, 17],
    [12, 15, 17, 3, 9, 11],
    [15, 13, 16, 9, 4, 10],
    [17, 16, 14, 11, 10, 5],
    [15, 16, 17, 9, 10, 11],
]
_TET10 = [
    [0, 4, 6, 7],
    [4, 1, 5, 8],
    [6, 5, 2, 9],
    [7, 8, 9, 3],
    [4, 8, 7, 6],
    [4, 5, 8, 6],
    [9, 7, 8, 6],
    [9, 8, 5, 6],
]
_LINEAR: dict[str, tuple[int, list[list[int]]]] = {
    "hex8": (VTK_HEXAHEDRON, [list(range(8))]),
    "wedge6": (VTK_WEDGE, [[0, 2, 1, 3, 5, 4]]),
    "tet4": (VTK_TETRA, [list(range(4))]),
    "hex27": (VTK_HEXAHEDRON, _HEX27),
    # VTK turns wedges the other way about.
    "wedge18": (VTK_WEDGE, [[a, c, b, d, f, e] for a, b, c, d, e, f in _WEDGE18]),
    "tet10": (VTK_TETRA, _TET10),
}


def poly_data(
    points: Floats,
    polygons: NDArray[np.int64] | Sequence[NDArray[np.int64]] | None = None,
    lines: NDArray[np.int64] | None = None,
    level: float = 0.0,
) -> vtkPolyData:
    """Return places (n, 2) at a ``level``, or in space (n, 3), with polygons (m, k), or several
    arrays of them, and lines (m, 2) between them."""
    if points.shape[1] == 2:
        points = np.column_stack([points, np.full(len(points), level)])
    data = vtkPolyData()
    places = vtkPoints()
    places.SetData(numpy_to_vtk(points, deep=True))
    data.SetPoints(places)
    if polygons is not None:
        data.SetPolys(_cell_array([polygons] if isinstance(polygons, np.ndarray) else polygons))
    if lines is not None:
        data.SetLines(_cell_array([lines]))
    return data


def polylines(lines: Sequence[Floats]) -> vtkPolyData:
    """Return lines through places (p, 2 or 3) each."""
    data = poly_data(np.concatenate(lines))
    offsets = np.concatenate([[0], np.cumsum([len(line) for line in lines])])
    cells = vtkCellArray()
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(np.arange(offsets[-1]), deep=True)
    )
    data.SetLines(cells)
    return data


def unstructured_grid(points: Floats, pieces: Sequence[tuple[int, NDArray[np.int64]]]) -> vtkUnstructuredGrid:
    """Return places (n, 2 or 3) in m with cells: kinds of VTK and the numbers (m, k) of their nodes."""
    if points.shape[1] == 2:
        points = np.column_stack([points, np.zeros(len(points))])
    grid = vtkUnstructuredGrid()
    places = vtkPoints()
    places.SetData(numpy_to_vtk(points, deep=True))
    grid.SetPoints(places)
    kinds = np.concatenate([np.full(len(nodes), kind, dtype=np.uint8) for kind, nodes in pieces])
    cells = _cell_array([nodes for _, nodes in pieces])
    grid.SetCells(numpy_to_vtk(kinds, deep=True, array_type=VTK_UNSIGNED_CHAR), cells)
    return grid


def _cell_array(kinds: Sequence[NDArray[np.int64]]) -> vtkCellArray:
    cells = vtkCellArray()
    sizes = np.concatenate([np.full(len(nodes), nodes.shape[1]) for nodes in kinds])
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    every = np.concatenate([nodes.ravel() for nodes in kinds])
    cells.SetData(numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(every, deep=True))
    return cells


def linear_pieces(family: str, nodes: Ints) -> tuple[int, Ints]:
    """Return solid cells (m, k) as linear ones between their nodes: their kind in VTK, and their nodes (p, l)."""
    kind, pieces = _LINEAR[family]
    return kind, nodes[:, np.array(pieces)].reshape(-1, len(pieces[0]))
