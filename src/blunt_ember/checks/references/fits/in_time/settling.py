"""Rectangles, boxes and cylinders of any length between surroundings that differ, from one temperature."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cached_property
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.checks.references.fits import separable
from blunt_ember.checks.references.fits.in_time.timing import Timing, one_material
from blunt_ember.checks.references.fits.separable import SeparableField
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.settling import SETTLING_SOURCE, Settling
from blunt_ember.reference.in_layers.modes import BodyForm
from blunt_ember.reference.in_layers.warming import Warming, one_layer
from blunt_ember.reference.side import Side
from blunt_ember.sent_bare import SentBare

#: Sets of places whose temperatures in the end are known, and places of all of them.
_SETS, _PLACES = 64, 400_000


@immutable
class SettlingMoment:
    """An instant of a body that settles, at ``t`` in s."""

    whole: SettlingInTime
    t: float
    name: str = "block-in-time"
    source: str = SETTLING_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, d) in m."""
        if self.t <= 0:
            return np.full(len(points), self.whole.start)
        return self.whole.settled(points) + self.whole.settling.left_at(self.whole.still.places(points), self.t)

    def heat(self, surface: str) -> float:
        """Heat in W that enters through a whole face."""
        face = self.whole.face(surface)
        if face is None:
            return float("nan")
        return self.whole.steady_heat(surface) + self.whole.settling.inflow_at(*face, self.t) * self.whole.still.factor

    def passed(self, surface: str) -> float:
        """Heat in J that has entered through a whole face since the start."""
        face = self.whole.face(surface)
        if face is None:
            return float("nan")
        beside = self.whole.settling.passed_at(*face, self.t) * self.whole.still.factor
        return self.whole.steady_heat(surface) * self.t + beside

    def stored(self) -> float:
        """Heat in J stored since the start."""
        return self.whole.settling.gained_at(self.t) * self.whole.still.factor


@immutable
class SettlingInTime(SentBare):
    """A body from a temperature at the ``start``, K, to where it is ``still``."""

    still: SeparableField
    settling: Settling
    start: float
    name: str = "block-in-time"
    source: str = SETTLING_SOURCE

    @cached_property
    def _read(self) -> dict[bytes, Floats]:
        """Temperatures in the end, by the places they are of."""
        return {}

    @cached_property
    def _heat(self) -> dict[str, float]:
        """Heat in the end, by face."""
        return {}

    def at(self, t: float) -> SettlingMoment:
        """Return the field of a time in s."""
        return SettlingMoment(self, t)

    def settled(self, points: Floats) -> Floats:
        """Temperature in K at ``points`` (p, d) in m in the end; curves over time ask at the same ones again and
        again, and its series take far longer than what is left of them at an instant."""
        key = np.ascontiguousarray(points).tobytes()
        if key not in self._read:
            found = self.still.temperature(points)
            while self._read and (len(self._read) >= _SETS or self._known + len(found) > _PLACES):
                del self._read[next(iter(self._read))]
            self._read[key] = found
        return self._read[key]

    def steady_heat(self, surface: str) -> float:
        """Heat in W that enters through a face in the end."""
        if surface not in self._heat:
            self._heat[surface] = self.still.heat(surface)
        return self._heat[surface]

    @property
    def _known(self) -> int:
        return sum(map(len, self._read.values()))

    def face(self, surface: str) -> tuple[int, int] | None:
        """The axis and the end of it that a surface is, if it is one."""
        for number, axis in enumerate(self.still.axes):
            for end, names in enumerate(axis.names):
                if names == (surface,):
                    return number, end
        return None


def settling_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> SettlingInTime:
    """Fit a body of one material; raise :class:`ReferenceRefusedError` with the reason it does not hold."""
    start = timing.temperature
    if len(problem.conductors) > 1:
        raise ReferenceRefusedError("the body has more than one region")
    k, diffusivity = one_material(problem)
    still = _fitted(geometry, problem)
    if still.spots:
        raise ReferenceRefusedError("a part of a face is heated otherwise than the rest")
    axes = []
    for number, axis in enumerate(still.axes):
        form: BodyForm = still.form if number == 0 else "wall"
        axes.append(at_nothing(form, (axis.lines[0], axis.lines[-1]), axis.sides, k, diffusivity))
    sides = tuple((counted(axis.sides[0], start), counted(axis.sides[1], start)) for axis in still.axes)
    return SettlingInTime(still, Settling(tuple(axes), sides, still.generation[0]), start)


def _fitted(geometry: BodyGeometry, problem: Problem) -> SeparableField:
    reasons = []
    for fitted in _STILL.get(type(geometry), ()):
        try:
            return fitted(geometry, problem)
        except ReferenceRefusedError as error:
            reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(reasons) or "the body is no rectangle, box or cylinder")


#: What makes the steady answer of a body, by its geometry.
_STILL: Mapping[type[BodyGeometry], tuple[Callable[[Any, Problem], SeparableField], ...]] = MappingProxyType(
    {
        SectionGeometry: (separable.one_rectangle, separable.finite_cylinder),
        SolidGeometry: (separable.box, separable.upright_cylinder),
    }
)


def at_nothing(
    form: BodyForm, ends: tuple[float, float], sides: tuple[Side, Side], k: float, diffusivity: float
) -> Warming:
    """Return an axis whose sides are at nothing, which goes with the differences from what it settles into."""
    first, last = (Side(held=None if side.held is None else 0.0, h=side.h) for side in sides)
    return one_layer(form, *ends, k, diffusivity, (first, last), 1.0)


def counted(side: Side, start: float) -> Side:
    """Return what a side meets, counted from the temperature at the start."""
    held = None if side.held is None else side.held - start
    return replace(side, held=held, fluid=side.fluid - start if side.h else 0.0)
