"""Layers that warm or cool: series solutions and the half-space."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import TypeVar

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law, constant_law
from blunt_ember.checks.references.fits.field import InstantField, MovingField
from blunt_ember.checks.references.fits.in_time.changing_sides import change_of
from blunt_ember.checks.references.fits.in_time.timing import Timing, material_of, one_material
from blunt_ember.checks.references.fits.layered import LayeredField, composite_wall, hollow_cylinder, hollow_sphere
from blunt_ember.checks.references.fits.solids import SolidField, SolidReduction, sections_of
from blunt_ember.errors import ExpressionError, ReferenceRefusedError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.space import Space
from blunt_ember.immutable import immutable
from blunt_ember.reference.in_layers import half_space
from blunt_ember.reference.in_layers.changing import Course, Swing, Swinging, Unsteady
from blunt_ember.reference.in_layers.fluxed import Fluxed, InLayers
from blunt_ember.reference.in_layers.half_space import HalfSpace
from blunt_ember.reference.in_layers.warming import WARMING_SOURCE, Start, Warming, WarmingLayer
from blunt_ember.reference.side import Side

_Change = TypeVar("_Change", bound=Unsteady)
#: Places at which a start is held against itself elsewhere across the layers.
_ASIDE = 41


@immutable
class LayersMoment:
    """An instant of layers, in the coordinates of the case."""

    layer: LayeredField
    warming: InLayers
    t: float
    name: str = "series-in-time"
    source: str = WARMING_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        s, order = self.layer.distance(points), self.layer.order
        own = None if region is None or order.count(region) != 1 else order.index(region)
        return self.warming.temperature_at(np.clip(s, self.warming.start, self.warming.end), self.t, own)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; those along the flow pass none."""
        if surface in self.layer.ends:
            place = self.layer.ends.index(surface)
            line = len(self.warming.layers) if place else 0
            return self.warming.flux_in(self.t)[place] * self.warming.stack.area(line) * self.layer.factor
        through = (
            sign * self.warming.flow_at(place + 1, self.t) for place, sign in self.layer.crossing.get(surface, ())
        )
        return sum(through) * self.layer.factor

    def passed(self, surface: str) -> float:
        """Heat in J that has come in through a surface; NaN where the solution does not say it."""
        if surface in self.layer.ends:
            return self.warming.passed_at(self.layer.ends.index(surface), self.t) * self.layer.factor
        return float("nan") if surface in self.layer.crossing else 0.0

    def stored(self) -> float:
        """Heat in J stored since the start."""
        return self.warming.gained_at(self.t) * self.layer.factor


@immutable
class HalfSpaceMoment:
    """An instant of a half-space, in the coordinates of the case."""

    layer: LayeredField
    deep: HalfSpace
    t: float
    name: str = "half-space"
    source: str = half_space.HALF_SPACE_SOURCE

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        s = self.layer.distance(points)
        return self.deep.temperature_at(s if self._face == 0 else self.deep.depth - s, self.t)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface."""
        at_face = surface == self.layer.ends[self._face]
        return self.deep.flux_in(self.t) * self.layer.factor if at_face else 0.0

    def passed(self, surface: str) -> float:
        """Heat in J that has come in through a surface."""
        return self.stored() if surface == self.layer.ends[self._face] else 0.0

    def stored(self) -> float:
        """Heat in J stored since the start."""
        return self.deep.passed(self.t) * self.layer.factor

    @property
    def _face(self) -> int:
        """Which end of the layer is the face of the half-space: the one at which something happens."""
        return 0 if self.layer.layers.inner != Side() else 1


@immutable
class LayersInTime:
    """Layers, or a half-space, through time; of a solid ``reduction`` tells of which section it is."""

    layer: LayeredField
    warming: InLayers | HalfSpace
    name: str
    source: str
    reduction: SolidReduction | None = None

    @property
    def swings(self) -> tuple[Swinging, ...]:
        """How what swings at an end comes through to the other one, where it is a face."""
        if not isinstance(self.warming, Warming) or self.warming.stack.solid:
            return ()
        named = {own: name for name, own in self.reduction.names.items()} if self.reduction is not None else {}
        ends = [named.get(end, end) for end in self.layer.ends]
        found = []
        for place in (0, 1):
            through = self.warming.swing_through(place)
            if through is not None and self.warming.sides[1 - place].held is None:
                found.append(Swinging(ends[place], ends[1 - place], *through))
        return tuple(found)

    def at(self, t: float) -> InstantField:
        """Return the field of a time in s."""
        moment: InstantField
        if isinstance(self.warming, HalfSpace):
            self.warming.require_depth(t)
            moment = HalfSpaceMoment(self.layer, self.warming, t)
        else:
            moment = LayersMoment(self.layer, self.warming, t)
        return moment if self.reduction is None else SolidField(moment, self.reduction)


def series_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit a wall, cylinder or sphere of any layers."""
    still, changes, fluxes = _without_changes(problem, timing.end)
    layer, section, reduction = _layered(geometry, still)
    if any(each.gap for each in layer.layers.layers):
        raise ReferenceRefusedError("there is a gap between two layers")
    own = (_change_at(layer.ends[0], changes, reduction), _change_at(layer.ends[1], changes, reduction))
    starts = _starts(layer, problem.mesh.space, timing, own, reduction)
    layers = tuple(
        WarmingLayer(each.end, *material_of(section, region), start, each.generation, each.contact)
        for each, region, start in zip(layer.layers.layers, layer.order, starts, strict=True)
    )
    stated = layer.layers
    made: InLayers = Warming(stated.form, stated.start, layers, (stated.inner, stated.outer), own)
    for place in (0, 1):
        course = _change_at(layer.ends[place], fluxes, reduction)
        if course is not None:
            made = Fluxed(made, place, course)
    return LayersInTime(layer, made, "series-in-time", WARMING_SOURCE, reduction)


def half_space_in_time(geometry: BodyGeometry, problem: Problem, timing: Timing) -> MovingField:
    """Fit a wall so deep that nothing reaches its far side by the end."""
    layer, _, reduction = _layered(geometry, problem)
    layers = layer.layers
    if len(layers.layers) > 1:
        raise ReferenceRefusedError("the body has more than one layer")
    if layers.form != "wall" or layers.layers[0].generation:
        raise ReferenceRefusedError("a half-space is a deep wall in which no heat arises")
    sides = [side for side in (layers.inner, layers.outer) if side != Side()]
    if len(sides) != 1:
        raise ReferenceRefusedError("one side of the wall is its face; the other one must be insulated")
    depth = layers.layers[0].end - layers.start
    made = HalfSpace(*one_material(problem), sides[0], timing.temperature, depth)
    made.require_depth(timing.end)
    return LayersInTime(layer, made, "half-space", half_space.HALF_SPACE_SOURCE, reduction)


def _layered(geometry: BodyGeometry, problem: Problem) -> tuple[LayeredField, Problem, SolidReduction | None]:
    """The layers through which heat flows in a section or solid, and what is stated on that section."""
    reasons: list[str] = []
    for section, stated, reduction in sections_of(geometry, problem):
        for fitted in (composite_wall, hollow_cylinder, hollow_sphere):
            try:
                return fitted(section, stated), stated, reduction
            except ReferenceRefusedError as error:
                reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(dict.fromkeys(reasons)) or "the body is no wall, cylinder or sphere")


def _starts(
    layer: LayeredField,
    space: Space,
    timing: Timing,
    changes: tuple[Unsteady | None, Unsteady | None],
    reduction: SolidReduction | None,
) -> list[Start]:
    """At what each layer starts: one temperature, a formula of places along the layers, or the steady answer of what
    the sides meet at first."""
    order = layer.order if reduction is None else [reduction.order[region] for region in layer.order]
    if timing.start == "steady":
        inner, outer = (
            _at_first(side, change)
            for side, change in zip((layer.layers.inner, layer.layers.outer), changes, strict=True)
        )
        steady = replace(layer.layers, inner=inner, outer=outer)
        found: list[Start] = [partial(steady.temperature_at, layer=place) for place in range(len(order))]
    else:
        found = [_start_along(timing.start, layer, space, reduction)] * len(order)
    return [
        _start_along(timing.start_in[region], layer, space, reduction) if region in timing.start_in else start
        for region, start in zip(order, found, strict=True)
    ]


def _at_first(side: Side, change: Unsteady | None) -> Side:
    """What a side meets at first."""
    if change is None:
        return side
    off = change.at(0.0)
    return replace(side, held=side.held + off) if side.held is not None else replace(side, fluid=side.fluid + off)


def _start_along(law: Law, layer: LayeredField, space: Space, reduction: SolidReduction | None) -> Start:
    """A start as layers know it; raises :class:`ReferenceRefusedError` where it differs across them."""
    if law.constant is not None:
        return law.constant
    refusal = ReferenceRefusedError(f"the start '{law.text}' is not the same all along each layer")
    if reduction is not None:
        raise refusal

    places = np.linspace(layer.layers.start, float(layer.layers.ends[-1]), _ASIDE)
    start = _StartAlong(law, layer, space)
    try:
        first, second = start(places), replace(start, aside=0.7)(places)
    except ExpressionError as error:
        raise refusal from error
    if np.abs(first - second).max() > 1e-12 * np.abs(first).max():
        raise refusal
    return start


@immutable
class _StartAlong:
    """A law of places read along layers, so far ``aside``: m across a wall, radians about a centre."""

    law: Law
    layer: LayeredField
    space: Space
    aside: float = 0.3

    def __call__(self, s: Floats) -> Floats:
        if self.layer.centre is None:
            points = np.full((len(s), 2), self.aside)
            points[:, self.layer.axis] = self.layer.origin + s
        else:
            way = np.array([np.cos(self.aside), np.sin(self.aside)])
            points = np.array(self.layer.centre) + s[:, None] * way
        return self.law.at(self.space.variables(points))


def _without_changes(problem: Problem, end: float) -> tuple[Problem, dict[str, Unsteady], dict[str, Course]]:
    """The problem with what follows time put to one value each, how temperatures go about it, by surface, and fluxes.

    A flux beside a film is as good as another temperature of the fluid.
    """
    changes: dict[str, Unsteady] = {}
    fluxes: dict[str, Course] = {}

    def still(name: str, law: Law) -> Law:
        if not law.follows_time:
            return law
        if name in changes:
            raise ReferenceRefusedError(f"more than one thing goes on at {name}")
        mean, changes[name] = change_of(law, end)
        return constant_law(mean, law.kind)

    def still_flux(name: str, law: FluxLaw, films: list[FilmLaw]) -> FluxLaw:
        if not law.stated.follows_time:
            return law
        if name in changes or name in fluxes:
            raise ReferenceRefusedError(f"more than one thing goes on at {name}")
        first, change = change_of(law.stated, end)
        if films:
            if films[0].h.constant is None:
                raise ReferenceRefusedError(f"the film coefficient on {name} is not the same everywhere")
            changes[name] = _divided(change, films[0].h.constant)
        elif isinstance(change, Course):
            fluxes[name] = change
        else:
            raise ReferenceRefusedError(f"the flux on {name} swings")
        return replace(law, stated=constant_law(first, law.stated.kind))

    held = {name: still(name, law) for name, law in problem.held.items()}
    exchanges = {}
    for name, laws in problem.exchanges.items():
        films = [law for law in laws if isinstance(law, FilmLaw)]
        made = [replace(law, fluid=still(name, law.fluid)) if isinstance(law, FilmLaw) else law for law in laws]
        exchanges[name] = tuple(still_flux(name, law, films) if isinstance(law, FluxLaw) else law for law in made)
        if name in changes and len(films) > 1:
            raise ReferenceRefusedError(f"{name} meets more than one fluid")
    return replace(problem, held=held, exchanges=exchanges), changes, fluxes


def _divided(change: Unsteady, by: float) -> Unsteady:
    if isinstance(change, Swing):
        return replace(change, amplitude=change.amplitude / by)
    return replace(change, rises=tuple(rise / by for rise in change.rises))


def _change_at(end: str, changes: Mapping[str, _Change], reduction: SolidReduction | None) -> _Change | None:
    """The change at an end of the layers, which may have another name in a solid."""
    if reduction is None:
        return changes.get(end)
    return next((change for name, change in changes.items() if reduction.names.get(name) == end), None)
