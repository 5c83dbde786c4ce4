"""Meshes and series of fields in XDMF, whatever cells they mix (XDMF 2 and 3, https://www.xdmf.org)."""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import h5py
import meshio
import numpy as np
from meshio.xdmf.common import (
    meshio_to_xdmf_type,
    meshio_type_to_xdmf_index,
    xdmf_idx_to_meshio_type,
    xdmf_to_meshio_type,
)

from blunt_ember.errors import BluntEmberError

#: Cells whose number of nodes stands before them where cells are mixed.
_COUNTED = ("vertex", "line")
#: Kinds of numbers, by those of NumPy.
_NUMBERS = {"f": "Float", "i": "Int", "u": "UInt"}


class XdmfError(BluntEmberError):
    """What a file holds is no mesh that can be read."""


def read_xdmf(path: Path) -> Any:
    """Return the first grid of a file as :class:`meshio.Mesh`.

    Raises :class:`XdmfError` for what it lacks; what is broken ends in the errors of its parsers.
    """
    grid = ElementTree.parse(path).getroot().find(".//Grid[Topology]")
    topology, geometry = (None if grid is None else grid.find(name) for name in ("Topology", "Geometry"))
    if grid is None or topology is None or geometry is None:
        raise XdmfError("it holds no grid with a topology and a geometry")
    points = _numbers(geometry, path)
    kind = topology.get("TopologyType") or topology.get("Type") or ""
    numbers = _numbers(topology, path).astype(np.int64)
    if kind == "Mixed":
        cells = _mixed(numbers.ravel())
    elif kind in xdmf_to_meshio_type:
        cells = [(xdmf_to_meshio_type[kind], numbers)]
    else:
        raise XdmfError(f"its cells of type '{kind}' are not known")
    ends = np.cumsum([len(nodes) for _, nodes in cells])[:-1]
    data = {
        str(each.get("Name")): np.split(_numbers(each, path), ends)
        for each in grid.findall("Attribute")
        if each.get("Center") == "Cell"
    }
    return meshio.Mesh(points.reshape(-1, points.shape[-1]), cells, cell_data=data)


def _numbers(owner: ElementTree.Element, path: Path) -> Any:
    """The numbers of the one item an element has."""
    item = owner.find("DataItem")
    if item is None or item.text is None:
        raise XdmfError(f"a {owner.tag.lower()} has no numbers")
    shape = [int(each) for each in str(item.get("Dimensions", "-1")).split()]
    if item.get("Format", "XML") == "HDF":
        name, _, place = item.text.strip().rpartition(":")
        with h5py.File(path.resolve().parent / name, "r") as opened:
            return np.asarray(opened[place.strip("/")]).reshape(shape)
    return np.array(item.text.split(), dtype=float).reshape(shape)


def _mixed(numbers: Any) -> list[tuple[str, Any]]:
    """Runs of cells of one kind, each told by its number before its nodes."""
    cells, place = [], 0
    while place < len(numbers):
        kind = xdmf_idx_to_meshio_type.get(int(numbers[place]))
        count = meshio._mesh.num_nodes_per_cell.get(kind)
        if kind is None or count is None:
            raise XdmfError(f"its cells of type {int(numbers[place])} are not known")
        ahead = 2 if kind in _COUNTED else 1
        if ahead == 2 and numbers[place + 1] != count:
            raise XdmfError("it holds lines of more than two points")
        stride = ahead + count
        rows = numbers[place : place + (len(numbers) - place) // stride * stride].reshape(-1, stride)
        other = np.flatnonzero((rows[:, :ahead] != rows[0, :ahead]).any(axis=1))
        own = rows[: other[0]] if len(other) else rows
        if not len(own):
            raise XdmfError("its last cell has not all of its points")
        cells.append((kind, own[:, ahead:]))
        place += own.size
    return cells


class XdmfWriter:
    """A mesh and its fields, with all numbers in one HDF5 file beside.

    That is made in memory: its library would not say that a disk is full.
    """

    def __init__(self, points: Any, cells: Sequence[tuple[str, Any]], cell_data: Mapping[str, Any]) -> None:
        self._beside = io.BytesIO()
        self._numbers_beside = h5py.File(self._beside, "w")
        self._count = 0
        self._name = ""
        self._points, self._cells, self._cell_data = points, cells, cell_data

    def write(self, path: Path, fields: Mapping[str, Any]) -> None:
        """Write the mesh with fields (n,) by name; raise :class:`OSError` where that fails."""
        self._name = path.with_suffix(".h5").name
        grid = ElementTree.Element("Grid", Name="mesh", GridType="Uniform")
        self._mesh_into(grid)
        self._fields_into(grid, fields, "Node")
        self._close(path, grid)

    def write_series(self, path: Path, series: Iterable[tuple[float, Mapping[str, Any]]]) -> None:
        """Write the mesh once, and fields (n,) by name at every time in s; raise as :meth:`write`."""
        self._name = path.with_suffix(".h5").name
        whole = ElementTree.Element("Grid", Name="series", GridType="Collection", CollectionType="Temporal")
        shared: list[ElementTree.Element] = []
        for t, fields in series:
            grid = ElementTree.SubElement(whole, "Grid", Name="mesh", GridType="Uniform")
            if not shared:
                self._mesh_into(grid)
                shared = list(grid)
            else:
                grid.extend(shared)
            ElementTree.SubElement(grid, "Time", Value=repr(t))
            self._fields_into(grid, fields, "Node")
        self._close(path, whole)

    def _mesh_into(self, grid: ElementTree.Element) -> None:
        count = str(sum(len(nodes) for _, nodes in self._cells))
        if len(self._cells) == 1:
            kind, numbers = self._cells[0]
            told = meshio_to_xdmf_type[kind][0]
        else:
            rows = [_told(kind, nodes) for kind, nodes in self._cells]
            told, numbers = "Mixed", np.concatenate([each.ravel() for each in rows])
        self._item(ElementTree.SubElement(grid, "Topology", TopologyType=told, NumberOfElements=count), numbers)
        self._item(ElementTree.SubElement(grid, "Geometry", GeometryType="XYZ"), self._points)
        self._fields_into(grid, {name: np.concatenate(each) for name, each in self._cell_data.items()}, "Cell")

    def _fields_into(self, grid: ElementTree.Element, fields: Mapping[str, Any], centre: str) -> None:
        for name, values in fields.items():
            self._item(
                ElementTree.SubElement(grid, "Attribute", Name=name, AttributeType="Scalar", Center=centre), values
            )

    def _item(self, owner: ElementTree.Element, numbers: Any) -> None:
        place = f"data{self._count}"
        self._count += 1
        self._numbers_beside.create_dataset(place, data=numbers)
        item = ElementTree.SubElement(
            owner,
            "DataItem",
            DataType=_NUMBERS[numbers.dtype.kind],
            Precision=str(numbers.dtype.itemsize),
            Dimensions=" ".join(str(each) for each in numbers.shape),
            Format="HDF",
        )
        item.text = f"{self._name}:/{place}"

    def _close(self, path: Path, grid: ElementTree.Element) -> None:
        root = ElementTree.Element("Xdmf", Version="3.0")
        ElementTree.SubElement(root, "Domain").append(grid)
        self._numbers_beside.close()
        (path.parent / self._name).write_bytes(self._beside.getbuffer())
        path.write_bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def _told(kind: str, nodes: Any) -> Any:
    """Cells among others: the number of their kind before the nodes of each."""
    ahead = [meshio_type_to_xdmf_index[kind], *([nodes.shape[1]] if kind in _COUNTED else [])]
    return np.column_stack([np.tile(ahead, (len(nodes), 1)), nodes])
