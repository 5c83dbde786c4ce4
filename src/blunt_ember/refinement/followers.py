"""How the cells of each kind of body follow an error: each mesh has about twice the cells, where they are wanted."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import Any, Protocol

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.derived.bisection import bisected, require_simplices
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.mesh.planar.size_field import LocalSizes
from blunt_ember.mesh.singular_lines import NOTHING_STATED
from blunt_ember.refinement.lattice_spaces import followed_lattice, moved_ends
from blunt_ember.refinement.sharing import shared_evenly

#: Each mesh has so many times the cells of the one before; a cell may shrink and grow so much.
MORE = 2.0
_SHRINK, _GROW = 0.2, 1.6
#: What cells shrink by at most where others follow them: neighbours of those cut in two are cut, a column of a solid is
#: as fine as its finest cell wants, and a layer runs through all columns.
_SHRINK_GENTLY = 0.5
#: The share of a slab that may want more layers than it gets.
_WANTING = 0.1


class Follower(Protocol):
    """Makes meshes of one body, each from the one before."""

    def first(self) -> Mesh:
        """Return the mesh to begin with; raises :class:`BluntEmberError` for cells that cannot follow."""

    def finer(self, mesh: Mesh, error: Floats) -> Mesh:
        """Return a finer mesh, after the squared ``error`` (c, d) of every cell of the one before, along each of the
        directions of its reference cell."""


class _Asked:
    """Begins with the mesh of a body as it is asked for."""

    def __init__(self, geometry: Any, request: MeshRequest) -> None:
        self._geometry, self._request = geometry, request

    def first(self) -> Mesh:
        """The mesh as it is asked for."""
        return generate_mesh(self._geometry, self._request)


class _Anew(_Asked):
    """A rod that is divided, or a section that is filled with triangles, anew."""

    def finer(self, mesh: Mesh, error: Floats) -> Mesh:
        """Cells of the sizes that are wanted, by the places of today's."""
        middles, size = _middles_and_sizes(mesh)
        factor = _factors(error.sum(axis=1), mesh.order, mesh.dimension, _SHRINK)
        return generate_mesh(self._geometry, _finer(self._request, _by_size(middles, size * factor)))


class _SweptAnew(_Asked):
    """A solid whose plan is filled with triangles anew, and gets more layers where they are wanted."""

    def finer(self, mesh: Mesh, error: Floats) -> Mesh:
        """Cells of the plan by those above each other, and layers by the cells beside each other."""
        middles, _ = _middles_and_sizes(mesh)
        factor = _factors(error.sum(axis=1), mesh.order, mesh.dimension, _SHRINK_GENTLY)
        plan, along = self._geometry.path.plan_of(middles)
        sizes = _by_size(plan, _sizes_in_plan(self._geometry, mesh) * factor)
        layers = _layers(self._geometry.path.stations, along, factor)
        return generate_mesh(self._geometry, _finer(self._request, sizes, layers))


class _OnLattice(_Asked):
    """A solid whose lattice stays, with other cells between its lines."""

    def __init__(self, geometry: SolidGeometry, request: MeshRequest, lattice: Lattice) -> None:
        super().__init__(geometry, request)
        self._lattice = lattice

    def finer(self, mesh: Mesh, error: Floats) -> Mesh:
        """More cells between the lines, and where the error is."""
        ends = moved_ends(self._geometry, self._lattice, mesh, error)
        return generate_mesh(self._geometry, replace(self._request, ends=ends))


class _CutInTwo(_Asked):
    """A mesh that was read, whose cells are cut in two."""

    def first(self) -> Mesh:
        """The mesh as it was read, if its cells can be cut."""
        mesh = super().first()
        require_simplices(mesh)
        return mesh

    def finer(self, mesh: Mesh, error: Floats) -> Mesh:
        """Cells cut until they have shrunk by their factor, as near as that comes."""
        factor = _factors(error.sum(axis=1), mesh.order, mesh.dimension, _SHRINK_GENTLY, 1.0)
        wanted = np.rint(-mesh.dimension * np.log2(factor))
        while (wanted > 0).any():
            mesh, parent, times = bisected(mesh, wanted > 0)
            wanted = wanted[parent] - times
        return mesh


def _of_solid(geometry: SolidGeometry, request: MeshRequest) -> Follower:
    lattice = followed_lattice(geometry, request.wish)
    return _SweptAnew(geometry, request) if lattice is None else _OnLattice(geometry, request, lattice)


#: How the cells of a body follow, by its geometry.
FOLLOWERS: Mapping[type[BodyGeometry], Callable[[Any, MeshRequest], Follower]] = MappingProxyType(
    {RodGeometry: _Anew, SectionGeometry: _Anew, SolidGeometry: _of_solid, ImportedGeometry: _CutInTwo}
)


def follower_of(geometry: BodyGeometry, request: MeshRequest) -> Follower:
    """Return what makes the meshes of a body follow an error."""
    return FOLLOWERS[type(geometry)](geometry, request)


def _finer(request: MeshRequest, finer: LocalSizes, layers: Ints | None = None) -> MeshRequest:
    """What is asked of a mesh whose sizes are all told; nothing has to be graded by itself then."""
    return replace(request, finer=finer, layers=layers, stated=NOTHING_STATED)


def _middles_and_sizes(mesh: Mesh) -> tuple[Floats, Floats]:
    """The middles (c, d) of cells in m and the length (c,) of a side of an even cell about as large."""
    middles = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    return middles, np.concatenate([_sizes(block.family, mesh.points[block.nodes]) for block in mesh.blocks])


def _layers(stations: Floats, along: Floats, factor: Floats) -> Ints:
    """The layers between ``stations`` (s,) of a path for cells ``along`` (c,) it that are to shrink by a factor."""
    slab = np.clip(np.searchsorted(stations, along, side="right") - 1, 0, len(stations) - 2)
    layers = np.ones(len(stations) - 1, dtype=np.int64)
    for number in np.unique(slab).tolist():
        own = slab == number
        today = len(np.unique(np.round(along[own], 12)))
        # Layers run through the whole slab, so they follow the cells that need them most, but for a few.
        layers[number] = max(1, int(np.ceil(today / float(np.quantile(factor[own], _WANTING)))))
    return layers


def _by_size(places: Floats, wanted: Floats) -> LocalSizes:
    octave = np.floor(np.log2(wanted) * 4).astype(int)
    return [(places[octave == number], float(2 ** (number / 4))) for number in np.unique(octave).tolist()]


def _factors(error: Floats, order: int, dimension: int, least: float, most: float = _GROW) -> Floats:
    """By how much each cell is to shrink or grow so that the error is shared out evenly among about twice as many;
    none shrinks below the share ``least`` or grows beyond the share ``most``.

    The squared error of a cell goes with the power 2 p + d of its size where the field is smooth.
    """
    floor = max(float(error.max()), 1e-300) * 1e-12
    share = np.maximum(error, floor) ** (1 / (2 * order + dimension))
    return shared_evenly(share, lambda factor: float((factor**-dimension).sum()), MORE * len(share), least, most)


def _sizes(family: str, corners: Floats) -> Floats:
    """The length (m,) of a side of an even cell about as large."""
    if CELL_FAMILIES[family].dimension == 1:
        return np.asarray(np.abs(corners[:, 1, 0] - corners[:, 0, 0]))
    three = corners[:, :3]
    first, second = three[:, 1] - three[:, 0], three[:, 2] - three[:, 0]
    area = (
        np.linalg.norm(np.cross(first, second), axis=1)
        if corners.shape[2] == 3
        else np.abs(first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0])
    )
    return np.asarray(np.sqrt(area if family.startswith("quad") else area * 2 / np.sqrt(3)))


def _sizes_in_plan(geometry: SolidGeometry, mesh: Mesh) -> Floats:
    """The size (c,) in m of every cell of a solid in its plan, that of the face it was swept from."""
    found = []
    for block in mesh.blocks:
        count = 3 if block.family.startswith("wedge") else 4
        below = geometry.path.plan_of(mesh.points[block.nodes[:, :count]].reshape(-1, 3))[0].reshape(-1, count, 2)
        found.append(_sizes("tri3" if count == 3 else "quad4", below))
    return np.concatenate(found)
