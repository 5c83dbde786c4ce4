"""Exact solutions by name, and which of them holds for a case."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.checks.references.fits.field import ExactField
from blunt_ember.checks.references.fits.solids import solid_field
from blunt_ember.checks.references.understood import Fit, fit, made_by, require_understood
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.imported import ImportedGeometry

#: Every exact solution of sections by the name a case refers to it.
SECTION_SOLUTIONS: Mapping[str, Fit[Callable[[SectionGeometry, Problem], ExactField]]] = MappingProxyType(
    {
        "plane-wall": fit(made_by("layered", "plane_wall"), "sources", "joints", "periodic"),
        "composite-wall": fit(made_by("layered", "composite_wall"), "sources", "joints", "periodic", "enclosures"),
        "hollow-cylinder": fit(made_by("layered", "hollow_cylinder"), "sources", "joints", "enclosures"),
        "off-centre-bore": fit(made_by("two_circles", "off_centre_bore")),
        "hollow-sphere": fit(made_by("layered", "hollow_sphere"), "sources", "joints", "enclosures"),
        "hot-edge-plate": fit(made_by("plates", "hot_edge_plate")),
        "straight-fin": fit(made_by("fins", "straight_fin")),
        "annular-fin": fit(made_by("fins", "annular_fin")),
        "rectangle": fit(made_by("followed", "rectangle"), "sources"),
        "ring-sector": fit(made_by("ring_sector", "ring_sector"), "sources"),
        "layered-rectangle": fit(made_by("followed", "layered_rectangle"), "sources", "joints"),
        "finite-cylinder": fit(made_by("followed", "finite_cylinder"), "sources", "joints"),
        "plates": fit(made_by("followed", "plates_in_section"), "sources", "joints"),
    }
)
_OF_SOLIDS: Mapping[str, Fit[Callable[[SolidGeometry, Problem], ExactField]]] = {
    "box": fit(made_by("followed", "box"), "sources"),
    "upright-cylinder": fit(made_by("followed", "upright_cylinder"), "sources"),
    "plates": fit(made_by("followed", "plates_in_space"), "sources", "joints"),
}
#: Those of solids: of the sections in which heat flows as in them, and their own.
SOLID_SOLUTIONS: Mapping[str, Fit[Callable[[SolidGeometry, Problem], ExactField]]] = MappingProxyType(
    {
        **{
            name: Fit(partial(solid_field, each.make), each.understands)
            for name, each in SECTION_SOLUTIONS.items()
            if name not in _OF_SOLIDS
        },
        **_OF_SOLIDS,
    }
)

#: Those of rods.
ROD_SOLUTIONS: Mapping[str, Fit[Callable[[RodGeometry, Problem], ExactField]]] = MappingProxyType(
    {"rod": fit(made_by("rods", "rod"), "sources", "joints")}
)
#: Those of surfaces that see each other, in every body; they say nothing of what lies behind the surfaces.
RADIATION_SOLUTIONS: Mapping[str, Fit[Callable[[BodyGeometry, Problem], ExactField]]] = MappingProxyType(
    {
        "view-factors": fit(
            made_by("networks.seen_views", "view_factors"),
            "sources",
            "points",
            "joints",
            "periodic",
            "enclosures",
            "isothermal",
        ),
        "grey-network": fit(
            made_by("networks.grey_network", "grey_network"), "sources", "joints", "enclosures", "isothermal"
        ),
    }
)
SOLUTIONS = (*SOLID_SOLUTIONS, *ROD_SOLUTIONS, *RADIATION_SOLUTIONS)
Make = Callable[[Any, Problem], ExactField]


@immutable
class Offered:
    """The exact solutions of a kind of body by name, and why others do not hold."""

    solutions: Mapping[str, Fit[Make]]
    otherwise: str


_FOR_RODS = "it is for rods, and this body is none"
#: What is offered for a body, by its geometry.
OFFERED: Mapping[type[BodyGeometry], Offered] = MappingProxyType(
    {
        SectionGeometry: Offered(SECTION_SOLUTIONS, _FOR_RODS),
        SolidGeometry: Offered(SOLID_SOLUTIONS, _FOR_RODS),
        RodGeometry: Offered(ROD_SOLUTIONS, "it is for sections and solids; the exact solution of a rod is 'rod'"),
        ImportedGeometry: Offered({}, "the body was read from a mesh, so its shape is not known"),
    }
)


def exact_field(name: str, geometry: BodyGeometry, problem: Problem) -> ExactField:
    """Fit the named exact solution to a case; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    field = _fitted(name, geometry, problem)
    field.temperature(
        np.array([geometry.low])
    )  # so that a balance without a root is refused here, not when it is drawn
    return field


def _fitted(name: str, geometry: BodyGeometry, problem: Problem) -> ExactField:
    if name not in SOLUTIONS:
        known = ", ".join(repr(known) for known in SOLUTIONS)
        raise ReferenceRefusedError(f"there is no exact solution '{name}'; there is {known}")
    if name in RADIATION_SOLUTIONS:
        require_understood(problem, RADIATION_SOLUTIONS[name])
        return RADIATION_SOLUTIONS[name].make(geometry, problem)
    offered = OFFERED[type(geometry)]
    if name not in offered.solutions:
        raise ReferenceRefusedError(offered.otherwise)
    require_understood(problem, offered.solutions[name])
    return offered.solutions[name].make(geometry, problem)


def recognised(geometry: BodyGeometry, problem: Problem) -> ExactField | None:
    """Return the first exact solution that holds for a case, or None."""
    for name in OFFERED[type(geometry)].solutions:
        try:
            return exact_field(name, geometry, problem)
        except ReferenceRefusedError:
            continue
    return None
