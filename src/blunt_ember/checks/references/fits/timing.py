"""How a run begins and ends, as far as exact solutions need to know, and what it is made of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from blunt_ember.case.values.laws import Law
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem


@dataclass(frozen=True)
class Timing:
    """How a case begins: its ``start``; whether ``one`` problem holds from there to the ``end``, s at the latest; and
    its Biot number, where it has one."""

    start: Law | Literal["steady"]
    one: bool
    end: float
    biot: float | None

    @property
    def temperature(self) -> float:
        """The one temperature at the start, K."""
        if not isinstance(self.start, Law) or self.start.constant is None:
            raise ReferenceRefusedError("the body does not start at one temperature")
        return self.start.constant


def one_material(problem: Problem) -> tuple[float, float]:
    """Conductivity in W/(m K) and diffusivity in m²/s; raises :class:`ReferenceRefusedError` for more than one."""
    k, capacity = problem.conductors[0].constant, problem.capacities[0]
    density, c = capacity.density.constant, capacity.c.constant
    if k is None or density is None or c is None:
        raise ReferenceRefusedError("a property of the material follows temperature, place or direction")
    return k, k / (density * c)
