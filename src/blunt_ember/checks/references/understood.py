"""What an exact solution understands of a case: all that is stated must be on its list, or it does not hold."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from importlib import import_module
from typing import Any, Generic, TypeVar

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.laws.radiation import RadiationLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable

MadeBy = TypeVar("MadeBy", bound=Callable[..., object])

#: The laws of surfaces that can be made the side of an exact solution.
KNOWN_LAWS = (FluxLaw, FilmLaw, RadiationLaw)
#: What every fit looks at itself, or what says nothing of the heat that flows.
_ALWAYS = frozenset({"mesh", "conductors", "notes", "capacities", "lumped", "facing"})
_WORDS = {
    "held": "a surface is held at a temperature",
    "exchanges": "a surface exchanges heat",
    "sources": "heat arises inside the body",
    "points": "heat arises at a point or along a line",
    "joints": "a joint is not perfect",
    "periodic": "surfaces are periodic",
    "enclosures": "surfaces see each other",
    "isothermal": "a part is said to have one temperature",
}


@immutable
class Fit(Generic[MadeBy]):
    """How an exact solution is fitted to a case, and which statements of a problem it understands, by their fields."""

    make: MadeBy
    understands: frozenset[str]


def made_by(module: str, name: str) -> Callable[..., Any]:
    """Return a maker of this folder's ``fits`` that is imported when it first is called: a start needs few of them."""

    def make(*given: object) -> Any:
        return getattr(import_module(f"blunt_ember.checks.references.fits.{module}"), name)(*given)

    return make


def fit(make: MadeBy, *understands: str) -> Fit[MadeBy]:
    """Return a fit that understands held surfaces, what acts on others, and the ``understands`` besides."""
    return Fit(make, frozenset({"held", "exchanges", *understands}))


def require_understood(problem: Problem, known: Fit[MadeBy]) -> None:
    """Raise :class:`ReferenceRefusedError` where something is stated that a fit does not understand."""
    for field in fields(problem):
        if field.name not in _ALWAYS | known.understands and getattr(problem, field.name):
            words = _WORDS.get(field.name, field.name.replace("_", " "))
            raise ReferenceRefusedError(f"{words}, of which this exact solution knows nothing")
    for surface, laws in problem.exchanges.items():
        for law in laws:
            if not isinstance(law, KNOWN_LAWS):
                raise ReferenceRefusedError(f"no exact solution knows what '{law.label}' does on {surface}")
