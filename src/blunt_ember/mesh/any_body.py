"""The geometry of whatever body a case states."""

from __future__ import annotations

from blunt_ember.case.bodies import Body, Rod, Section, Stacked, TurnedSection, TurnedSolid
from blunt_ember.geometry.rod import RodGeometry, rod_geometry
from blunt_ember.geometry.section import SectionGeometry, section_geometry
from blunt_ember.geometry.solid import SolidGeometry, stacked_geometry, turned_solid_geometry
from blunt_ember.mesh.imported import ImportedGeometry, imported_geometry

AnyGeometry = SectionGeometry | SolidGeometry | RodGeometry | ImportedGeometry


def geometry_of(body: Body, folder: str = "") -> AnyGeometry:
    """Return the geometry of a body, files named from a ``folder``; raise :class:`CaseError` where it cannot be."""
    if isinstance(body, Section | TurnedSection):
        return section_geometry(body)
    if isinstance(body, Stacked):
        return stacked_geometry(body)
    if isinstance(body, TurnedSolid):
        return turned_solid_geometry(body)
    if isinstance(body, Rod):
        return rod_geometry(body)
    return imported_geometry(body, folder)
