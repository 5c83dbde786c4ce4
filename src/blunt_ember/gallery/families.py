"""Families of cases that ``blunt-ember new`` writes: parameters with demo values and the case around them."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from blunt_ember.case.case import Case
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.gallery.enclosing import ENCLOSING_FAMILIES
from blunt_ember.gallery.environments import ENVIRONMENT_FAMILIES
from blunt_ember.gallery.family import Family, FamilyError
from blunt_ember.gallery.generating import GENERATING_FAMILIES
from blunt_ember.gallery.networks import NETWORK_FAMILIES
from blunt_ember.gallery.plates import PLATE_FAMILIES
from blunt_ember.gallery.radiating import RADIATING_FAMILIES
from blunt_ember.gallery.rods import ROD_FAMILIES
from blunt_ember.gallery.sections import SECTION_FAMILIES
from blunt_ember.gallery.shape_factors import SHAPE_FACTOR_FAMILIES
from blunt_ember.gallery.solids import SOLID_FAMILIES
from blunt_ember.gallery.warming_up import WARMING_FAMILIES

#: Families by what they are about.
GROUPS: Mapping[str, tuple[Family, ...]] = MappingProxyType(
    {
        "Walls, pipes, plates, fins": SECTION_FAMILIES,
        "Heat inside": GENERATING_FAMILIES,
        "Following temperature, contact": RADIATING_FAMILIES,
        "Surfaces that see each other": (*ENCLOSING_FAMILIES, *NETWORK_FAMILIES),
        "Between environments": ENVIRONMENT_FAMILIES,
        "Plates, strips, spots": PLATE_FAMILIES,
        "Rods": ROD_FAMILIES,
        "Shape factors": SHAPE_FACTOR_FAMILIES,
        "Solids": SOLID_FAMILIES,
        "Heating up, cooling down": WARMING_FAMILIES,
    }
)
#: Every family by name.
FAMILIES: Mapping[str, Family] = MappingProxyType(
    {family.name: family for group in GROUPS.values() for family in group}
)


def family(name: str) -> Family:
    """Return a family by name; raises :class:`FamilyError` with the nearest name when there is none."""
    if name not in FAMILIES:
        raise FamilyError(f"there is no family '{name}'{nearest(name, FAMILIES)}")
    return FAMILIES[name]


def demo_case() -> Case:
    """The case that ``make demo`` opens: the kiln wall."""
    return family("composite-wall").case()
