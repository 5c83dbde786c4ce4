"""What a case states, put on the regions and surfaces of its mesh."""

from __future__ import annotations

from blunt_ember.case.case import place_faults
from blunt_ember.case.document.bodies import Filling
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.materials import Directional
from blunt_ember.case.document.surroundings import holds_at
from blunt_ember.case.values.laws import constant_law
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.units import CONDUCTIVITY, DENSITY, HEAT_CAPACITY
from blunt_ember.errors import CaseError, OpenCaseError
from blunt_ember.fem.problem.case_faults import (
    basis_faults,
    law_faults,
    name_faults,
    open_properties,
    own_name_faults,
    require_groups,
)
from blunt_ember.fem.problem.conductors import Conductor
from blunt_ember.fem.problem.enclosures import Chambers, StatedEnclosures
from blunt_ember.fem.problem.isothermal import StatedIsothermal
from blunt_ember.fem.problem.joints import joints
from blunt_ember.fem.problem.problem import Capacity, Problem
from blunt_ember.fem.problem.statements import Stated
from blunt_ember.mesh.mesh import Mesh


def problem_from_case(
    document: CaseDocument, mesh: Mesh, stage: int = 0, t: float = 0.0, chambers: Chambers | None = None
) -> Problem:
    """Put what the case states on the regions and surfaces of its mesh, parted at joints already.

    Of a clock that runs, what holds right after the time ``t`` in s, in a ``stage`` by its place. ``chambers`` makes
    what surfaces see of each other, where it is known already.

    Raises :class:`OpenCaseError` for what is not stated yet, :class:`CaseError` for surfaces that do not exist or lie
    inside the body.
    """
    open_items = open_properties(document)
    if open_items:
        raise OpenCaseError(open_items)
    require_groups(document, mesh)
    stated = Stated(document, mesh)
    clock = document.running_clock
    stages = clock.stages if clock is not None else []
    own = stages[stage].surroundings if stage < len(stages) else []
    aside = {member for entry in own for name in entry.surfaces for member in document.members_of(name)}
    for place, entry in enumerate(document.surroundings):
        if holds_at(entry, t):
            stated.surround(("surroundings", place), entry, aside)
    for place, entry in enumerate(own):
        if holds_at(entry, t):
            stated.surround(("clock", "stages", stage, "surroundings", place), entry)
    for place, source in enumerate(document.heat_inside):
        if holds_at(source, t):
            stated.heat(place, source)
    stated.faults += name_faults(document, mesh) + law_faults(document, mesh) + basis_faults(document, mesh)
    stated.faults += own_name_faults(document, mesh) + place_faults(document, "xyz"[: mesh.dimension])
    stated.shared_corners()
    enclosures = StatedEnclosures(document, mesh, chambers or Chambers(mesh))
    enclosures.gather()
    if not enclosures.faults and not enclosures.open_items:
        enclosures.ask()
        enclosures.look_between(stated.exchanges)
    isothermal = StatedIsothermal(document, mesh)
    isothermal.gather()
    if stated.faults or enclosures.faults or isothermal.faults:
        raise CaseError((*stated.faults, *enclosures.faults, *isothermal.faults))
    if stated.open_items or enclosures.open_items:
        raise OpenCaseError((*stated.open_items, *enclosures.open_items))
    fillings = document.body.fillings
    return Problem(
        mesh,
        tuple(_conductor(document, region, fillings[region]) for region in mesh.regions),
        stated.held,
        stated.exchanges,
        tuple(stated.sources),
        tuple(stated.points),
        joints(document),
        tuple(stated.periodic),
        (*stated.notes, *enclosures.notes),
        () if clock is None else tuple(_capacity(document, fillings[region]) for region in mesh.regions),
        clock is not None and clock.capacity == "lumped",
        tuple(enclosures.found),
        tuple(isothermal.found),
        tuple(enclosures.facing),
    )


def _capacity(document: CaseDocument, filling: Filling) -> Capacity:
    if filling.void:
        return Capacity(constant_law(1.0, DENSITY), constant_law(1.0, HEAT_CAPACITY))
    material = document.materials[str(filling.material)]
    assert material.density is not None and material.c is not None  # open_properties asked for them
    return Capacity(material.density, material.c)


def _conductor(document: CaseDocument, region: str, filling: Filling) -> Conductor:
    if region in document.even_regions:
        return Conductor((constant_law(1.0, CONDUCTIVITY),))  # nothing is conducted in what has one temperature
    k = document.materials[str(filling.material)].k if not filling.void else None
    if k is None:
        return Conductor(())
    laws = (k.along, k.across, k.through or k.across) if isinstance(k, Directional) else (k,)
    if filling.direction is None:
        return Conductor(laws)
    if isinstance(filling.direction, Quantity):
        return Conductor(laws, filling.direction.si)
    x, y = filling.direction.radial_from
    return Conductor(laws, centre=(x.si, y.si))
