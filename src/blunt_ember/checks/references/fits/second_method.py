"""Where nothing is known exactly: plane bodies by another method than meshes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.checks.references.fits.field import ExactField, contact_of, generation_of, plain_conductivity
from blunt_ember.checks.references.fits.solids import SolidField, sections_of
from blunt_ember.checks.references.understood import Fit, fit, require_understood
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.laws.heat_flux import FluxLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.curves import Curves
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.crosswise.rational import RATIONAL_SOURCE, Complexes, Edge, Outline, RationalField, fitted

#: The share of the span of temperatures that the method may err by.
_NEAR = 3e-4


@immutable
class SecondField:
    """What the method finds in a section, and by how much it errs, K; ``regions`` are those of its outlines, ``fewer``
    is what it finds with fewer poles."""

    rational: RationalField
    fewer: RationalField
    regions: tuple[int, ...]
    depth: float
    error: float
    name: str = "second-method"

    def by_fewer(self) -> SecondField:
        """Return what is found with fewer poles."""
        return replace(self, rational=self.fewer)

    @property
    def source(self) -> str:
        """Where it comes from, and how near it is."""
        return f"{RATIONAL_SOURCE}, to {self.error:.1g} K"

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m, in one region if one is given."""
        number = self.regions.index(region) if region in self.regions else None
        return self.rational.temperature_at(points, number)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface, between regions from the one that is named first; NaN where it grows without
        bound at a corner."""
        found = [
            self.rational.heat_in(number, edge)
            for number, outline in enumerate(self.rational.outlines)
            for loop in outline.loops
            for edge in loop
            if edge.name == surface and (edge.beyond is None or self.regions[number] < self.regions[edge.beyond])
        ]
        return sum(found) * self.depth * (-1 if "|" in surface else 1) if found else float("nan")


def second_field(
    geometry: BodyGeometry, problem: Problem, span: float, go_on: Callable[[], None] = lambda: None
) -> ExactField | None:
    """Return what the method finds, of a section or of a solid in which heat flows as in one; None where it does not
    hold, or comes no nearer than a small share of the ``span`` of temperatures, K. ``go_on`` may raise to end it."""
    try:
        for section, stated, reduction in sections_of(geometry, problem):
            require_understood(stated, _UNDERSTOOD)
            regions, outlines = _outlines(section, stated)
            rational, fewer, error = fitted(outlines, _NEAR * span, go_on)
            found = SecondField(rational, fewer, regions, section.depth or 0.0, error)
            return found if reduction is None else SolidField(found, reduction)
    except ReferenceRefusedError:
        pass
    return None


def _outlines(geometry: SectionGeometry, problem: Problem) -> tuple[tuple[int, ...], tuple[Outline, ...]]:
    """The regions of a section, and the outline of each with what is stated on it."""
    if geometry.turned:
        raise ReferenceRefusedError("the body is no plane section")
    arrangement = geometry.arrangement
    sides = np.stack([arrangement.left, arrangement.right])
    regions = tuple(sorted(set(sides.ravel().tolist()) - {VOID}))
    heat = generation_of(problem)
    named = {edge: surface.name for surface in geometry.surfaces.values() for edge in surface.edges.tolist()}
    outlines = []
    for region in regions:
        edges: dict[int, list[tuple[int, Edge]]] = {}
        for number in np.flatnonzero((sides == region).sum(axis=0) == 1).tolist():
            forward = int(arrangement.left[number]) == region
            other = int(sides[1 if forward else 0, number])
            begin, end = (int(each[number]) for each in (arrangement.start, arrangement.end))
            curve = _Curve(arrangement.curves.take(np.array([number])), forward)
            if other == VOID:
                made = _outer_edge(curve, named[number], geometry, problem)
            else:
                made = _inner_edge(curve, named[number], regions.index(other), problem)
            edges.setdefault(begin if forward else end, []).append((end if forward else begin, made))
        if any(len(each) > 1 for each in edges.values()):
            raise ReferenceRefusedError("an outline touches itself")
        loops = sorted(_loops({start: each[0] for start, each in edges.items()}), key=_extent, reverse=True)
        outlines.append(Outline(tuple(loops), plain_conductivity(problem, region), heat.get(region, 0.0)))
    middle = np.array([0.5])
    every = [edge for outline in outlines for loop in outline.loops for edge in loop]
    if not any(edge.held or edge.h(edge.at(middle))[0] > 0 for edge in every):
        raise ReferenceRefusedError("no edge is held or meets a fluid, so any temperature would do")
    return regions, tuple(outlines)


def _loops(edges: dict[int, tuple[int, Edge]]) -> Iterator[tuple[Edge, ...]]:
    left = dict(edges)
    while left:
        at = next(iter(left))
        loop = []
        while at in left:
            at, edge = left.pop(at)
            loop.append(edge)
        yield tuple(loop)


def _extent(loop: tuple[Edge, ...]) -> float:
    places = np.concatenate([edge.at(np.linspace(0, 1, 9)) for edge in loop])
    return float(np.ptp(places.real) + np.ptp(places.imag))


@immutable
class _Curve:
    """One curve, run along ``forward`` or back."""

    curve: Curves
    forward: bool

    def at(self, share: Floats) -> Complexes:
        """Return places (p,) at shares of it."""
        places = self._many(len(share)).at(share if self.forward else 1 - share)
        return np.asarray(places[:, 0] + 1j * places[:, 1])

    def way(self, share: Floats) -> Complexes:
        """Return its directions (p,) at shares of it."""
        along = self._many(len(share)).direction(share if self.forward else 1 - share) * (1 if self.forward else -1)
        return np.asarray(along[:, 0] + 1j * along[:, 1])

    @property
    def length(self) -> float:
        """Its length, m."""
        return float(self.curve.length[0])

    def _many(self, count: int) -> Curves:
        return self.curve.take(np.zeros(count, dtype=np.int64))


def _nothing(z: Complexes) -> Floats:
    return np.zeros(len(z))


def _inner_edge(curve: _Curve, name: str, beyond: int, problem: Problem) -> Edge:
    """An edge at which another region begins."""
    if name in problem.held or name in problem.exchanges:
        raise ReferenceRefusedError(f"something is stated on {name}, inside the body")
    resistance = contact_of(problem, name)
    return Edge(name, curve.at, curve.way, curve.length, None, _nothing, _nothing, beyond, resistance)


def _outer_edge(curve: _Curve, name: str, geometry: SectionGeometry, problem: Problem) -> Edge:
    """An edge with what is stated on it."""

    def read(law: Law) -> Callable[[Complexes], Floats]:
        if law.variables & {"T", "t"}:
            raise ReferenceRefusedError(f"what is stated on {name} follows the temperature")
        return lambda z: law.at(geometry.space.variables(np.column_stack([z.real, z.imag])))

    held = read(problem.held[name]) if name in problem.held else None
    films: list[tuple[Callable[[Complexes], Floats], Callable[[Complexes], Floats]]] = []
    fluxes: list[Callable[[Complexes], Floats]] = []
    for law in problem.exchanges.get(name, ()) if held is None else ():
        match law:
            case FluxLaw(stated):
                fluxes.append(read(stated))
            case FilmLaw(h, fluid):
                films.append((read(h), read(fluid)))
            case _:
                raise ReferenceRefusedError(f"{name} radiates")

    def conductance(z: Complexes) -> Floats:
        return sum((h(z) for h, _ in films), _nothing(z))

    def drive(z: Complexes) -> Floats:
        return sum((h(z) * fluid(z) for h, fluid in films), sum((flux(z) for flux in fluxes), _nothing(z)))

    return Edge(name, curve.at, curve.way, curve.length, held, conductance, drive)


_UNDERSTOOD: Fit[Callable[..., object]] = fit(second_field, "sources", "joints")
