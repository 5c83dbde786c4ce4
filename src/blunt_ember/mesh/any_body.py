"""The geometry of whatever body a case states."""

from __future__ import annotations

from types import MappingProxyType

from blunt_ember.case.document.bodies import Body, Rod, Section, Stacked, TurnedSection, TurnedSolid
from blunt_ember.geometry.rod import RodGeometry, rod_geometry
from blunt_ember.geometry.section import SectionGeometry, section_geometry
from blunt_ember.geometry.solid import SolidGeometry, stacked_geometry, turned_solid_geometry
from blunt_ember.geometry.surface_parts import PartsByName, part_fault
from blunt_ember.mesh.imported import ImportedGeometry, imported_geometry

_NO_PARTS: PartsByName = MappingProxyType({})
AnyGeometry = SectionGeometry | SolidGeometry | RodGeometry | ImportedGeometry


def geometry_of(body: Body, folder: str = "", parts: PartsByName = _NO_PARTS) -> AnyGeometry:
    """Return the geometry of a body, files named from a ``folder``, with ``parts`` cut out of its surfaces.

    Raises :class:`CaseError` where it cannot be.
    """
    if isinstance(body, Section | TurnedSection):
        return section_geometry(body, parts)
    if isinstance(body, Stacked):
        return stacked_geometry(body, parts)
    if isinstance(body, TurnedSolid):
        return turned_solid_geometry(body, parts)
    for name in parts:
        raise part_fault(name, "on", f"a {body.kind} body has no surfaces that can be parted; name a whole one")
    if isinstance(body, Rod):
        return rod_geometry(body)
    return imported_geometry(body, folder)
