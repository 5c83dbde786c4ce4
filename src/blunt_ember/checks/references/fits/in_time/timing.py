"""How a run begins and ends, as far as exact solutions need to know, and what it is made of."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.immutable import immutable


@immutable
class Timing:
    """How a case begins: its ``start``, ``start_in`` regions (by index) that start otherwise; whether ``one`` problem
    holds from there to the ``end``, s at the latest; and its Biot number, where it has one."""

    start: Law | Literal["steady"]
    start_in: Mapping[int, Law]
    one: bool
    end: float
    biot: float | None

    @property
    def temperature(self) -> float:
        """The one temperature at the start, K."""
        if not isinstance(self.start, Law) or self.start.constant is None or self.start_in:
            raise ReferenceRefusedError("the body does not start at one temperature")
        return self.start.constant


def one_material(problem: Problem) -> tuple[float, float]:
    """Conductivity in W/(m K) and diffusivity in m²/s of a body of one material; raises :class:`ReferenceRefusedError`
    as :func:`material_of` does."""
    return material_of(problem, 0)


def material_of(problem: Problem, region: int) -> tuple[float, float]:
    """Conductivity in W/(m K) and diffusivity in m²/s of a region.

    Raises :class:`ReferenceRefusedError` where a property is no constant.
    """
    k, capacity = problem.conductors[region].constant, problem.capacities[region]
    density, c = capacity.density.constant, capacity.c.constant
    if k is None or density is None or c is None:
        raise ReferenceRefusedError("a property of the material follows temperature, place or direction")
    return k, k / (density * c)
