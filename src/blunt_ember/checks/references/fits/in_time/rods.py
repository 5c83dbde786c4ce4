"""A rod that settles into what surrounds it, even across, from one temperature."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits.in_time.settling import at_nothing, counted
from blunt_ember.checks.references.fits.in_time.timing import Timing, one_material
from blunt_ember.checks.references.fits.rods import RodField, rod
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.rod import RodGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.along.rod_chain import RodChain, RodPiece
from blunt_ember.reference.crosswise.settling import Settling

ROD_IN_TIME_SOURCE = "series along a rod that loses heat, Carslaw & Jaeger (1959), sections 4.3 and 4.10"


@immutable
class RodMoment:
    """An instant of a rod, at ``t`` in s."""

    whole: RodInTime
    t: float
    name: str = "rod-in-time"
    source: str = ROD_IN_TIME_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 1) in m."""
        if self.t <= 0:
            return np.full(len(points), self.whole.start)
        return self.whole.still.temperature(points) + self.whole.settling.left_at(points, self.t)

    def heat(self, surface: str) -> float:
        """Heat in W that enters through an end or the side."""
        rod, piece, steady = self.whole, self.whole.piece, self.whole.still.heat(surface)
        end = rod.end_of(surface)
        if end is not None:
            return steady + rod.settling.inflow_at(0, end, self.t) * piece.area
        return steady - piece.side.h * piece.perimeter * rod.settling.excess_at(self.t)

    def passed(self, surface: str) -> float:
        """Heat in J that has entered through an end, or, as the balance has it, through the side."""
        rod, end = self.whole, self.whole.end_of(surface)
        if end is not None:
            return rod.still.heat(surface) * self.t + rod.settling.passed_at(0, end, self.t) * rod.piece.area
        if np.isnan(rod.still.heat(surface)):
            return float("nan")
        name = rod.still.names[0]
        made = rod.piece.generation * rod.piece.area * rod.piece.length * self.t
        return self.stored() - made - self.passed(f"{name}.start") - self.passed(f"{name}.end")

    def stored(self) -> float:
        """Heat in J stored since the start."""
        return self.whole.settling.gained_at(self.t) * self.whole.piece.area


@immutable
class RodInTime:
    """A rod of one ``piece`` from a temperature at the ``start``, K, to where it is ``still``."""

    still: RodField
    piece: RodPiece
    settling: Settling
    start: float
    name: str = "rod-in-time"
    source: str = ROD_IN_TIME_SOURCE

    def at(self, t: float) -> RodMoment:
        """Return the field of a time in s."""
        return RodMoment(self, t)

    def end_of(self, surface: str) -> int | None:
        """Which end a surface is, 0 or 1, if it is one."""
        ends = (f"{self.still.names[0]}.start", f"{self.still.names[0]}.end")
        return ends.index(surface) if surface in ends else None


#: What makes the steady answer of a rod, by its geometry.
_STILL: Mapping[type[BodyGeometry], Callable[[Any, Problem], RodField]] = MappingProxyType({RodGeometry: rod})


def rod_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> RodInTime:
    """Fit a rod of one piece; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    still_of = _STILL.get(type(geometry))
    if still_of is None:
        raise ReferenceRefusedError("the body is no rod")
    start = timing.temperature
    if len(problem.conductors) > 1:
        raise ReferenceRefusedError("the rod has more than one piece")
    k, diffusivity = one_material(problem)
    still = still_of(geometry, problem)
    if not isinstance(still.chain, RodChain) or any(end.radiation for end in (still.chain.start, still.chain.end)):
        raise ReferenceRefusedError("a surface radiates")
    (piece,), ends = still.chain.pieces, (still.chain.start, still.chain.end)
    spread = piece.perimeter / piece.area
    brings = piece.side.flux + piece.side.h * counted(piece.side, start).fluid
    settling = Settling(
        (at_nothing("wall", (0.0, piece.length), ends, k, diffusivity),),
        ((counted(ends[0], start), counted(ends[1], start)),),
        piece.generation + spread * brings,
        spread * piece.side.h,
    )
    return RodInTime(still, piece, settling, start)
