"""Which statement on a surface makes which law: the registry of laws."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field
from types import MappingProxyType
from typing import Any

from blunt_ember.case.document.materials import Material
from blunt_ember.case.document.surroundings import Surrounding
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.units import HEAT_FLUX
from blunt_ember.errors import DataPath, Fault, OpenCaseError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.laws.radiation import RadiationLaw
from blunt_ember.fem.laws.surface_law import SurfaceLaw
from blunt_ember.immutable import immutable


@immutable
class StatedOn:
    """The surface that a statement is made on: its name, the ``material`` behind it by name and as stated, and the
    ``area``, m², of all surfaces of the statement together."""

    surface: str
    material: str
    properties: Material | None
    area: float
    #: Temperatures of the environments of the case by their names.
    environments: Mapping[str, Law] = field(default_factory=dict)


def _radiation(stated: Any, on: StatedOn) -> SurfaceLaw:
    emissivity = stated.emissivity or (on.properties.emissivity if on.properties is not None else None)
    if emissivity is None:
        what = f"state the emissivity of '{on.surface}' here, or that of the material '{on.material}'"
        raise OpenCaseError((Fault(("emissivity",), what),))
    return RadiationLaw(emissivity, stated.temperature)


def _film(stated: Any, on: StatedOn) -> SurfaceLaw:
    if stated.environment is None:
        return FilmLaw(stated.coefficient, stated.temperature)
    return FilmLaw(stated.coefficient, on.environments[stated.environment], stated.environment)


#: By the key of a statement, the law it makes; one raises :class:`OpenCaseError` for what it lacks, at its own path.
LAWS: Mapping[str, Callable[[Any, StatedOn], SurfaceLaw]] = MappingProxyType(
    {
        "flux": lambda stated, on: FluxLaw(stated),
        "heat": lambda stated, on: FluxLaw(stated.over_amount(on.area, HEAT_FLUX)),
        "film": _film,
        "radiation": _radiation,
    }
)


def stated_laws(entry: Surrounding, on: StatedOn, place: DataPath) -> tuple[SurfaceLaw, ...]:
    """Return the laws that a statement at a ``place`` of the document puts on a surface.

    Raises :class:`OpenCaseError` for what is not stated yet.
    """
    made, open_items = [], list[Fault]()
    for key, law in LAWS.items():
        stated = getattr(entry, key)
        if stated is None:
            continue
        try:
            made.append(law(stated, on))
        except OpenCaseError as error:
            open_items += [Fault((*place, key, *fault.at), fault.message) for fault in error.faults]
    if open_items:
        raise OpenCaseError(tuple(open_items))
    return tuple(made)
