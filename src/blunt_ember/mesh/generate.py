"""A mesh for any body, by what meshes its kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.imported import ImportedGeometry, mesh_as_read
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.mesh.planar.section_mesh import section_mesh
from blunt_ember.mesh.rod import rod_mesh
from blunt_ember.mesh.solid_mesh import solid_mesh

#: What meshes a body, by its geometry.
MESHERS: Mapping[type[BodyGeometry], Callable[[Any, MeshRequest], Mesh]] = MappingProxyType(
    {RodGeometry: rod_mesh, SectionGeometry: section_mesh, SolidGeometry: solid_mesh, ImportedGeometry: mesh_as_read}
)


def generate_mesh(geometry: BodyGeometry, request: MeshRequest) -> Mesh:
    """Mesh a body: mapped quadrilaterals where it lies on a lattice, free triangles elsewhere; solids are swept.

    Of a mesh that was read the refinement is a power of two, and no less than one. Raises :class:`CaseError` when the
    wish asks for more cells than can be solved or the outline cannot be followed.
    """
    return MESHERS[type(geometry)](geometry, request)
