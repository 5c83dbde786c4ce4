"""Exact solutions by name, and which of them holds for a case."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from blunt_ember.checks.fits.field import ExactField
from blunt_ember.checks.fits.fins import annular_fin, straight_fin
from blunt_ember.checks.fits.plates import hot_edge_plate
from blunt_ember.checks.fits.radial import hollow_cylinder, hollow_sphere
from blunt_ember.checks.fits.walls import composite_wall, plane_wall
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem import Problem
from blunt_ember.geometry.section import SectionGeometry

#: Every exact solution by the name a case refers to it.
SOLUTIONS: Mapping[str, Callable[[SectionGeometry, Problem], ExactField]] = MappingProxyType({
    "plane-wall": plane_wall, "composite-wall": composite_wall, "hollow-cylinder": hollow_cylinder,
    "hollow-sphere": hollow_sphere, "hot-edge-plate": hot_edge_plate, "straight-fin": straight_fin,
    "annular-fin": annular_fin,
})  # fmt: skip


def exact_field(name: str, geometry: SectionGeometry, problem: Problem) -> ExactField:
    """Fit the named exact solution to a case; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    if name not in SOLUTIONS:
        known = ", ".join(repr(known) for known in SOLUTIONS)
        raise ReferenceRefusedError(f"there is no exact solution '{name}'; there is {known}")
    return SOLUTIONS[name](geometry, problem)


def recognised(geometry: SectionGeometry, problem: Problem) -> ExactField | None:
    """Return the first exact solution that holds for a case, or None."""
    for fit in SOLUTIONS.values():
        try:
            return fit(geometry, problem)
        except ReferenceRefusedError:
            continue
    return None
