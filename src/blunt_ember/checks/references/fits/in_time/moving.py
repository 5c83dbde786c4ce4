"""Exact solutions in time by name, and which of them holds for a case."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from blunt_ember.checks.references.fits.field import Idealised, MovingField
from blunt_ember.checks.references.fits.in_time.timing import Timing
from blunt_ember.checks.references.understood import Fit, fit, made_by, require_understood
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry

MOVING_SOLUTIONS: Mapping[str, Fit[Callable[[BodyGeometry, Problem, Timing], MovingField]]] = MappingProxyType(
    {
        "series-in-time": fit(made_by("in_time.layers", "series_in_time"), "sources", "joints"),
        "half-space": fit(made_by("in_time.layers", "half_space_in_time"), "sources"),
        "product-in-time": fit(made_by("in_time.products", "product_in_time")),
        "block-in-time": fit(made_by("in_time.settling", "settling_in_time"), "sources"),
        "rod-in-time": fit(made_by("in_time.rods", "rod_in_time"), "sources"),
        "lumped": fit(made_by("in_time.lumped", "lumped_in_time"), "sources"),
        "network-in-time": fit(
            made_by("networks.network_in_time", "network_in_time"), "sources", "joints", "enclosures", "isothermal"
        ),
    }
)


def moving_field(name: str, geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit the named exact solution; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    if not timing.one:
        raise ReferenceRefusedError("what surrounds the body is not the same from the start to the end")
    require_understood(problem, MOVING_SOLUTIONS[name])
    return MOVING_SOLUTIONS[name].make(geometry, problem, timing)


def recognised_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField | None:
    """Return the first exact solution in time that holds for a case, or None; what is only near the truth does not."""
    for name in MOVING_SOLUTIONS:
        try:
            found = moving_field(name, geometry, problem, timing)
        except ReferenceRefusedError:
            continue
        if not isinstance(found, Idealised):
            return found
    return None
