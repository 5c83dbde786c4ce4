"""The geometry of whatever body a case states."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

from blunt_ember.case.document.bodies import Body, BodyPart, Imported, Rod, Section, Stacked, TurnedSection, TurnedSolid
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import rod_geometry
from blunt_ember.geometry.section import section_geometry
from blunt_ember.geometry.solid import stacked_geometry, turned_solid_geometry
from blunt_ember.geometry.surface_parts import PartsByName, part_fault
from blunt_ember.mesh.imported import imported_geometry

_NO_PARTS: PartsByName = MappingProxyType({})


#: What makes the geometry of a body, by its kind; others are made from the folder of the case, or with parts.
GEOMETRIES: Mapping[type[BodyPart], Callable[[Any, str, PartsByName], BodyGeometry]] = MappingProxyType(
    {
        Section: lambda body, folder, parts: section_geometry(body, parts),
        TurnedSection: lambda body, folder, parts: section_geometry(body, parts),
        Stacked: lambda body, folder, parts: stacked_geometry(body, parts),
        TurnedSolid: lambda body, folder, parts: turned_solid_geometry(body, parts),
        Rod: lambda body, folder, parts: rod_geometry(body),
        Imported: lambda body, folder, parts: imported_geometry(body, folder),
    }
)


def geometry_of(body: Body, folder: str = "", parts: PartsByName = _NO_PARTS) -> BodyGeometry:
    """Return the geometry of a body, files named from a ``folder``, with ``parts`` cut out of its surfaces.

    Raises :class:`CaseError` where it cannot be.
    """
    for name in parts if not body.partable else ():
        raise part_fault(name, "on", f"a {body.kind} body has no surfaces that can be parted; name a whole one")
    return GEOMETRIES[type(body)](body, folder, parts)
