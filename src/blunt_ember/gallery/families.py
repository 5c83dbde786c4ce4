"""Families of cases that ``blunt-ember new`` writes: parameters with demo values and the case around them."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from blunt_ember.case.case import Case
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.gallery.family import Family, FamilyError
from blunt_ember.gallery.in_time.deep_walls import DEEP_WALL_FAMILIES
from blunt_ember.gallery.in_time.firing import FIRING_FAMILIES
from blunt_ember.gallery.in_time.layers import LAYERS_IN_TIME_FAMILIES
from blunt_ember.gallery.in_time.lumped_bodies import LUMPED_BODY_FAMILIES
from blunt_ember.gallery.in_time.one_layer import ONE_LAYER_FAMILIES
from blunt_ember.gallery.in_time.products import PRODUCT_FAMILIES
from blunt_ember.gallery.in_time.settling import SETTLING_FAMILIES
from blunt_ember.gallery.in_time.sources import SOURCE_FAMILIES
from blunt_ember.gallery.in_time.swinging_walls import SWINGING_WALL_FAMILIES
from blunt_ember.gallery.seen.enclosing import ENCLOSING_FAMILIES
from blunt_ember.gallery.seen.networks import NETWORK_FAMILIES
from blunt_ember.gallery.steady.corners import CORNER_FAMILIES
from blunt_ember.gallery.steady.environments import ENVIRONMENT_FAMILIES
from blunt_ember.gallery.steady.fins import FIN_FAMILIES
from blunt_ember.gallery.steady.generating import GENERATING_FAMILIES
from blunt_ember.gallery.steady.junctions import JUNCTION_FAMILIES
from blunt_ember.gallery.steady.plates import PLATE_FAMILIES
from blunt_ember.gallery.steady.radiating import RADIATING_FAMILIES
from blunt_ember.gallery.steady.rods import ROD_FAMILIES
from blunt_ember.gallery.steady.round_bodies import ROUND_FAMILIES
from blunt_ember.gallery.steady.separable import SEPARABLE_FAMILIES
from blunt_ember.gallery.steady.shape_factors import SHAPE_FACTOR_FAMILIES
from blunt_ember.gallery.steady.solids import SOLID_FAMILIES
from blunt_ember.gallery.steady.walls import WALL_FAMILIES

#: Those in which the clock runs.
WARMING_FAMILIES = (
    *ONE_LAYER_FAMILIES,
    *DEEP_WALL_FAMILIES,
    *SWINGING_WALL_FAMILIES,
    *LUMPED_BODY_FAMILIES,
    *PRODUCT_FAMILIES,
    *SETTLING_FAMILIES,
    *LAYERS_IN_TIME_FAMILIES,
    *SOURCE_FAMILIES,
    *FIRING_FAMILIES,
)
#: Families by what they are about.
GROUPS: Mapping[str, tuple[Family, ...]] = MappingProxyType(
    {
        "Walls, pipes, fins": (*WALL_FAMILIES, *ROUND_FAMILIES, *FIN_FAMILIES),
        "Heat inside": GENERATING_FAMILIES,
        "Following temperature, contact": RADIATING_FAMILIES,
        "Surfaces that see each other": (*ENCLOSING_FAMILIES, *NETWORK_FAMILIES),
        "Between environments": (*ENVIRONMENT_FAMILIES, *JUNCTION_FAMILIES),
        "Plates, strips, spots": PLATE_FAMILIES,
        "Rods": ROD_FAMILIES,
        "Shape factors, corners": (*SHAPE_FACTOR_FAMILIES, *CORNER_FAMILIES),
        "Solids": SOLID_FAMILIES,
        "Series along every axis": SEPARABLE_FAMILIES,
        "Heating up, cooling down": WARMING_FAMILIES,
    }
)
#: Every family by name.
FAMILIES: Mapping[str, Family] = MappingProxyType(
    {family.name: family for group in GROUPS.values() for family in group}
)
#: Families that are much like another one: their names and what sets them apart, by the name of that.
VARIANTS: Mapping[str, Mapping[str, str]] = MappingProxyType(
    {
        "rod-held-tip": {
            "rod-insulated-tip": "its tip in wool",
            "rod-film-tip": "film over its tip",
            "rod-very-long": "very long",
        },
        "generating-cylinder": {"generating-tube": "a tube"},
        "generating-sphere": {"generating-shell": "a shell"},
        "wall-k-of-t": {"wall-k-table": "k by a table"},
        "wall-radiation": {"wall-film-and-radiation": "with a film"},
        "plate-flux-edge": {"plate-film-edge": "film on two edges"},
        "cooling-wall": {"cooling-wall-one-sided": "on one side", "quenched-wall": "its faces held"},
        "deep-wall-held": {"deep-wall-flux": "under a flux", "deep-wall-film": "under a film"},
        "swinging-wall": {"swinging-deep-wall": "a deep one"},
        "rod-radiating-tip": {"rod-radiating-side": "along its side"},
        "bar-on-plate": {"block-on-plate": "a block", "sleeve-on-shaft": "a sleeve", "rod-in-air": "a rod"},
        "lumped-film": {"lumped-radiation": "by radiation"},
    }
)


def family(name: str) -> Family:
    """Return a family by name; raises :class:`FamilyError` with the nearest name when there is none."""
    if name not in FAMILIES:
        raise FamilyError(f"there is no family '{name}'{nearest(name, FAMILIES)}")
    return FAMILIES[name]


def demo_case() -> Case:
    """The case that ``make demo`` opens: the kiln wall."""
    return family("composite-wall").case()
