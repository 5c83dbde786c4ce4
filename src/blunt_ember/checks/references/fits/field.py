"""What an exact solution offers once it is fitted to a case, and what a case must be for one to hold."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from itertools import pairwise
from typing import Protocol, runtime_checkable

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law, constant_law
from blunt_ember.case.values.units import CONDUCTIVITY
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.laws.radiation import RadiationLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.section_lattice import Lattice
from blunt_ember.reference.side import Side


class ExactField(Protocol):
    """An exact solution in the coordinates of the case."""

    @property
    def name(self) -> str:
        """Name of the solution, as a case refers to it."""

    @property
    def source(self) -> str:
        """Where it comes from."""

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m, in one region if one is given."""

    def heat(self, surface: str) -> float:
        """Heat in W through a surface, with the sign of the ledger; NaN where the solution does not say it."""


@runtime_checkable
class InstantField(ExactField, Protocol):
    """An instant of an exact solution in time."""

    def passed(self, surface: str) -> float:
        """Heat in J that has come in through a surface since the start; NaN where the solution does not say it."""

    def stored(self) -> float:
        """Heat in J stored in the body since the start; NaN where the solution does not say it."""


class Idealised:
    """Marks the solution of an idealised body, such as a fin of one temperature across: a right answer may be off it by
    what the ideal leaves out, so that nothing is compared with it that was not asked to be."""


class Unsaid:
    """What an instant does not say of heat."""

    def heat(self, surface: str) -> float:
        """Not said."""
        return float("nan")

    def passed(self, surface: str) -> float:
        """Not said."""
        return float("nan")

    def stored(self) -> float:
        """Not said."""
        return float("nan")


@runtime_checkable
class MovingField(Protocol):
    """An exact solution that changes with time."""

    @property
    def name(self) -> str:
        """Name of the solution, as a case refers to it."""

    @property
    def source(self) -> str:
        """Where it comes from."""

    def at(self, t: float) -> InstantField:
        """Return the field of a time in s.

        Raises :class:`ReferenceRefusedError` for a time at which it does not hold.
        """


def exact_field_at(field: ExactField | MovingField, t: float) -> ExactField:
    """Return the field of a time in s; one that does not change is its own."""
    return field.at(t) if _moves(type(field)) else field  # type: ignore[union-attr, return-value]


@cache
def _moves(kind: type[ExactField] | type[MovingField]) -> bool:
    """Whether fields of a kind change; it takes long to see, and curves ask for thousands of instants."""
    return hasattr(kind, "at")


def side_of(surface: str, problem: Problem) -> Side:
    """Return what a surface meets, as a side of an exact solution.

    Raises :class:`ReferenceRefusedError` where a value on it is no constant, or a law is none of those known here.
    """
    if surface in problem.held:
        return Side(held=_even(problem.held[surface], surface))
    flux, conductance, drive = 0.0, 0.0, 0.0
    radiation: list[tuple[float, float]] = []
    for law in problem.exchanges.get(surface, ()):
        match law:
            case FluxLaw(stated):
                flux += _even(stated, surface)
            case FilmLaw(h, fluid):
                conductance += _even(h, surface)
                drive += _even(h, surface) * _even(fluid, surface)
            case RadiationLaw(emissivity, surroundings):
                radiation.append((_even(emissivity, surface), _even(surroundings, surface)))
            case _:
                raise ReferenceRefusedError(f"no exact solution knows what '{law.label}' does on {surface}")
    return Side(flux=flux, h=conductance, fluid=drive / conductance if conductance else 0.0, radiation=tuple(radiation))


def _even(law: Law, surface: str) -> float:
    if law.constant is None:
        raise ReferenceRefusedError(f"what is stated on {surface} is not the same everywhere ('{law.text}')")
    return law.constant


def single_rectangle(geometry: SectionGeometry) -> Lattice:
    """Return the lattice of a section that is one rectangle; raise :class:`ReferenceRefusedError` for any other."""
    lattice = geometry.lattice
    if lattice is None or lattice.centre is not None or lattice.owner.size != 1:
        raise ReferenceRefusedError("the body is no single rectangle")
    return lattice


def require_whole(geometry: BodyGeometry, named: Iterable[str]) -> None:
    """Raise :class:`ReferenceRefusedError` where there is more outside than the ``named`` faces: a part of one."""
    apart = {surface.name for surface in geometry.outer_surfaces} - set(named)
    if apart:
        raise ReferenceRefusedError(f"{min(apart)} is part of a face, or another one")


def surfaces_passing_heat(geometry: BodyGeometry, problem: Problem) -> set[str]:
    """Return the outer surfaces through which heat may pass; those of a periodic pair or an enclosure too."""
    told = {name for pair in problem.periodic for name in pair} | set(problem.enclosed)
    return told | {surface.name for surface in geometry.outer_surfaces if side_of(surface.name, problem) != Side()}


def generation_of(problem: Problem) -> dict[int, float]:
    """Return the even heat per volume, W/m³, in each region that has some.

    Raises :class:`ReferenceRefusedError` where heat arises in another way.
    """
    if problem.points:
        raise ReferenceRefusedError("heat arises at a point or along a line")
    found: dict[int, float] = {}
    for source in problem.sources:
        if source.per_volume.constant is None:
            raise ReferenceRefusedError(f"{source.name} is not the same everywhere ('{source.per_volume.text}')")
        found[source.region] = found.get(source.region, 0.0) + source.per_volume.constant
    return found


def contact_of(problem: Problem, interface: str) -> float:
    """Return the contact resistance of an interface, m² K/W; 0 where it is perfect."""
    if interface not in problem.joints:
        return 0.0
    conductance = problem.joints[interface].conductance
    if conductance is None or conductance.constant is None or conductance.constant <= 0:
        raise ReferenceRefusedError(f"the joint {interface} is open, or not the same everywhere")
    return 1 / conductance.constant


def plain_conductivity(problem: Problem, region: int) -> float:
    """Return the one constant conductivity of a region; raise :class:`ReferenceRefusedError` where there is none."""
    constant = problem.conductors[region].constant
    if constant is None:
        raise ReferenceRefusedError("a conductivity is no constant, or differs with the direction")
    return constant


def conductivity_towards(problem: Problem, region: int, axis: int, slanted: bool) -> Law:
    """Return the conductivity of a region along x (``axis`` 0) or y (1), a law of temperature at most.

    A material that conducts aslant is refused, unless heat may drift sideways without end (``slanted``).
    """
    conductor = problem.conductors[region]
    if any(law.variables - {"T"} for law in conductor.k):
        raise ReferenceRefusedError("a conductivity differs from place to place")
    if len(conductor.k) == 1:
        return conductor.k[0]
    if conductor.centre is not None:
        raise ReferenceRefusedError("a material conducts by directions from a centre")
    share = np.cos(conductor.angle - axis * np.pi / 2) ** 2
    if share > 1 - 1e-12 or share < 1e-12:
        return conductor.k[0 if share > 0.5 else 1]
    along, across = (law.constant for law in conductor.k[:2])
    if not slanted or along is None or across is None:
        raise ReferenceRefusedError("a material conducts aslant, so heat does not flow straight")
    return constant_law(along * share + across * (1 - share), CONDUCTIVITY)


def require_no_radiation(*sides: Side) -> None:
    """Raise :class:`ReferenceRefusedError` where a side radiates."""
    if any(side.radiation for side in sides):
        raise ReferenceRefusedError("a surface radiates")


def crossings_of(order: list[int], geometry: BodyGeometry) -> dict[str, list[tuple[int, float]]]:
    """Return for each interface that layers in ``order`` make the layers before it and the signs of heat through it."""
    names = [region.name for region in geometry.regions]
    crossing: dict[str, list[tuple[int, float]]] = {}
    for place, (a, b) in enumerate(pairwise(order)):
        if a != b and VOID not in (a, b):
            i, j = sorted((a, b))
            key = f"{names[i]}|{names[j]}"
            crossing.setdefault(key, []).append((place, 1.0 if a == i else -1.0))
    return crossing
