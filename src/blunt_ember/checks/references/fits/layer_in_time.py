"""One layer that warms or cools: series solutions and the half-space."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law, constant_law
from blunt_ember.checks.references.fits.field import InstantField, MovingField
from blunt_ember.checks.references.fits.layered import LayeredField, composite_wall, hollow_cylinder, hollow_sphere
from blunt_ember.checks.references.fits.solids import SolidField, SolidReduction, sections_of
from blunt_ember.checks.references.fits.swings import swing_of
from blunt_ember.checks.references.fits.timing import Timing, one_material
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.reference import half_space, warming
from blunt_ember.reference.half_space import HalfSpace
from blunt_ember.reference.modes import POWER
from blunt_ember.reference.side import Side
from blunt_ember.reference.warming import Swing, Warming


@dataclass(frozen=True)
class LayerMoment:
    """An instant of one layer, in the coordinates of the case."""

    layer: LayeredField
    warming: Warming | HalfSpace
    t: float
    name: str
    source: str

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        s = self.layer.distance(points)
        if isinstance(self.warming, HalfSpace):
            return self.warming.temperature_at(self._depth(s), self.t)
        return self.warming.temperature_at(np.clip(s, self.warming.start, self.warming.end), self.t)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface."""
        if surface not in self.layer.ends:
            return 0.0
        place = self.layer.ends.index(surface)
        if isinstance(self.warming, HalfSpace):
            return self.warming.flux_in(self.t) * self.layer.factor if place == self._face else 0.0
        return self.warming.flux_in(self.t)[place] * self._area(place)

    def passed(self, surface: str) -> float:
        """Heat in J that has come in through a surface; NaN where the solution does not say it."""
        if surface not in self.layer.ends:
            return 0.0
        place = self.layer.ends.index(surface)
        if isinstance(self.warming, HalfSpace):
            return self.warming.passed(self.t) * self.layer.factor if place == self._face else 0.0
        sides = self.warming.sides
        given = [
            side.flux * self.t * self._area(number) if side.held is None and side.h == 0 else None
            for number, side in enumerate(sides)
        ]
        own = given[place]
        if own is not None:
            return own
        arisen = self.warming.generation * self.warming.volume * self.layer.factor * self.t
        other = given[1 - place]
        if other is not None:
            return self.stored() - arisen - other
        if self.warming.form == "wall" and sides[0] == sides[1] and self.warming.swings == (None, None):
            return (self.stored() - arisen) / 2
        return float("nan")

    def stored(self) -> float:
        """Heat in J stored since the start."""
        if isinstance(self.warming, HalfSpace):
            return self.warming.passed(self.t) * self.layer.factor
        gained = self.warming.mean_at(self.t) - self.warming.temperature
        return gained * self.warming.volume * self.layer.factor * self.warming.k / self.warming.diffusivity

    def _area(self, place: int) -> float:
        assert isinstance(self.warming, Warming)
        s = (self.warming.start, self.warming.end)[place]
        return self.layer.factor * float(s ** POWER[self.warming.form])

    @property
    def _face(self) -> int:
        """Which end of the layer is the face of the half-space: the one at which something happens."""
        return 0 if self.layer.layers.inner != Side() else 1

    def _depth(self, s: Floats) -> Floats:
        assert isinstance(self.warming, HalfSpace)
        return s if self._face == 0 else self.warming.depth - s


@dataclass(frozen=True)
class LayerInTime:
    """One layer through time; of a solid ``reduction`` tells of which section it is."""

    layer: LayeredField
    warming: Warming | HalfSpace
    name: str
    source: str
    reduction: SolidReduction | None = None

    def at(self, t: float) -> InstantField:
        """Return the field of a time in s."""
        if isinstance(self.warming, HalfSpace):
            self.warming.require_depth(t)
        moment = LayerMoment(self.layer, self.warming, t, self.name, self.source)
        return moment if self.reduction is None else SolidField(moment, self.reduction)


def series_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit a wall, solid cylinder or sphere of one material."""
    still, swings = _without_swings(problem)
    layer, reduction = _one_layer(geometry, still)
    layers = layer.layers
    names = layer.ends
    made = Warming(
        layers.form,
        layers.start,
        layers.layers[0].end,
        *one_material(problem),
        (layers.inner, layers.outer),
        timing.temperature,
        layers.layers[0].generation,
        (_swing_at(names[0], swings, reduction), _swing_at(names[1], swings, reduction)),
    )
    return LayerInTime(layer, made, "series-in-time", warming.WARMING_SOURCE, reduction)


def half_space_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit a wall so deep that nothing reaches its far side by the end."""
    layer, reduction = _one_layer(geometry, problem)
    layers = layer.layers
    if layers.form != "wall" or layers.layers[0].generation:
        raise ReferenceRefusedError("a half-space is a deep wall in which no heat arises")
    sides = [side for side in (layers.inner, layers.outer) if side != Side()]
    if len(sides) != 1:
        raise ReferenceRefusedError("one side of the wall is its face; the other one must be insulated")
    depth = layers.layers[0].end - layers.start
    made = HalfSpace(*one_material(problem), sides[0], timing.temperature, depth)
    made.require_depth(timing.end)
    return LayerInTime(layer, made, "half-space", half_space.HALF_SPACE_SOURCE, reduction)


def _one_layer(geometry: BodyGeometry, problem: Problem) -> tuple[LayeredField, SolidReduction | None]:
    """The one layer through which heat flows in a section or solid."""
    reasons: list[str] = []
    for section, stated, reduction in sections_of(geometry, problem):
        for fitted in (composite_wall, hollow_cylinder, hollow_sphere):
            try:
                layer = fitted(section, stated)
                if len(layer.layers.layers) > 1:
                    raise ReferenceRefusedError("the body has more than one layer")
                return layer, reduction
            except ReferenceRefusedError as error:
                reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(dict.fromkeys(reasons)) or "the body is no wall, cylinder or sphere")


def _without_swings(problem: Problem) -> tuple[Problem, dict[str, Swing]]:
    """The problem with temperatures that swing put to their means, and the swings by surface."""
    swings: dict[str, Swing] = {}

    def still(name: str, law: Law) -> Law:
        if not law.follows_time:
            return law
        mean, swings[name] = swing_of(law)
        return constant_law(mean, law.kind)

    held = {name: still(name, law) for name, law in problem.held.items()}
    exchanges = {}
    for name, laws in problem.exchanges.items():
        exchanges[name] = tuple(
            replace(law, fluid=still(name, law.fluid)) if isinstance(law, FilmLaw) else law for law in laws
        )
        if name in swings and sum(isinstance(law, FilmLaw) for law in laws) > 1:
            raise ReferenceRefusedError(f"{name} meets more than one fluid")
    return replace(problem, held=held, exchanges=exchanges), swings


def _swing_at(end: str, swings: Mapping[str, Swing], reduction: SolidReduction | None) -> Swing | None:
    """The swing at an end of the layer, which may have another name in a solid."""
    if reduction is None:
        return swings.get(end)
    return next((swing for name, swing in swings.items() if reduction.names.get(name) == end), None)
