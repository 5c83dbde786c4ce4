"""The geometry of whatever body a case states."""

from __future__ import annotations

from blunt_ember.case.bodies import Body, Rod, Section, Stacked, TurnedSection, TurnedSolid
from blunt_ember.errors import BluntEmberError
from blunt_ember.geometry.rod import RodGeometry, rod_geometry
from blunt_ember.geometry.section import SectionGeometry, section_geometry
from blunt_ember.geometry.solid import SolidGeometry, stacked_geometry, turned_solid_geometry

AnyGeometry = SectionGeometry | SolidGeometry | RodGeometry


def geometry_of(body: Body) -> AnyGeometry:
    """Return the geometry of a body stated by shapes or pieces; raise :class:`CaseError` where it cannot be."""
    if isinstance(body, Section | TurnedSection):
        return section_geometry(body)
    if isinstance(body, Stacked):
        return stacked_geometry(body)
    if isinstance(body, TurnedSolid):
        return turned_solid_geometry(body)
    if isinstance(body, Rod):
        return rod_geometry(body)
    raise BluntEmberError(f"a body of kind '{body.kind}' is not made of shapes")
