"""Meshes and temperatures written to open formats, with the names of regions and surfaces."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

import meshio
import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import BluntEmberError
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.files.xdmf_file import XdmfWriter
from blunt_ember.mesh.imported import TYPES
from blunt_ember.mesh.mesh import Mesh


class MeshFileError(BluntEmberError):
    """A mesh cannot be written as asked."""


def write_mesh(mesh: Mesh, path: Path, fields: Mapping[str, Floats] = MappingProxyType({})) -> None:
    """Write cells and surfaces with a mask (0 or 1) for each name, and fields (n,) by their names; lengths are in m.

    Raises :class:`MeshFileError` for a suffix no writer knows, and :class:`OSError` when the file cannot be written.
    """
    names = {family: name for name, family in TYPES.items()} | {"point1": "vertex"}
    blocks = [(names[block.family], block.nodes) for block in mesh.blocks]
    facets = [
        (name, names[block.family], block.nodes)
        for name, surface in mesh.surfaces.items()
        for block in surface.blocks
        if CELL_FAMILIES[block.family].dimension == mesh.dimension - 1
    ]
    data: dict[str, list[Any]] = {}
    for number, region in enumerate(mesh.regions):
        own = [(block.region == number).astype(np.int32) for block in mesh.blocks]
        data[region] = [*own, *(np.zeros(len(nodes), dtype=np.int32) for _, _, nodes in facets)]
    for name in mesh.surfaces:
        data[name] = [np.zeros(len(nodes), dtype=np.int32) for _, nodes in blocks]
        data[name] += [np.full(len(nodes), int(own == name), dtype=np.int32) for own, _, nodes in facets]
    points = np.column_stack([mesh.points, np.zeros((mesh.node_count, 3 - mesh.dimension))])
    cells = [*blocks, *((kind, nodes) for _, kind, nodes in facets)]
    if path.suffix.lower() == ".xdmf":
        XdmfWriter(points, cells, data).write(path, fields)
    elif path.suffix.lower() == ".vtk":  # its names are single words
        _write(meshio.Mesh(points, cells, point_data=_single_words(fields), cell_data=_single_words(data)), path)
    else:
        _write(meshio.Mesh(points, cells, point_data=dict(fields), cell_data=data), path)


def _single_words(named: Mapping[str, Any]) -> dict[str, Any]:
    """What is named, with other signs in the place of spaces, each name still its own."""
    found: dict[str, Any] = {}
    for name, what in named.items():
        word = name.replace(" ", "_")
        while word in found:
            word += "_"
        found[word] = what
    return found


def write_skin(mesh: Mesh, path: Path) -> None:
    """Write the outer skin of a solid as triangles (STL); lengths are in m.

    Raises :class:`MeshFileError` for a body that has no skin, and :class:`OSError` when the file cannot be written.
    """
    if mesh.dimension != 3:
        raise MeshFileError("only a solid has a skin of triangles; write a section as .svg")
    pieces = []
    for part in mesh.skin.parts:
        pieces.append(part.nodes[:, CELL_FAMILIES[part.family].triangles].reshape(-1, 3))
    triangles = np.concatenate(pieces)
    # Facets that are drawn together about an axis leave triangles without an area.
    corners = mesh.points[triangles]
    size = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    _write(meshio.Mesh(mesh.points, [("triangle", triangles[size > 1e-12 * size.max()])]), path)


def _write(data: Any, path: Path) -> None:
    try:
        data.write(path)
    except OSError:
        raise
    except (Exception, SystemExit) as error:  # its writers let anything through
        raise MeshFileError(f"{path.name} cannot be written: {error}") from error
