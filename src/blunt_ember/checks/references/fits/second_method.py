"""Where nothing is known exactly: plane bodies of one material by another method than meshes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.values.laws import Law
from blunt_ember.checks.references.fits.field import ExactField, generation_of, plain_conductivity
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
from blunt_ember.reference.rational import RATIONAL_SOURCE, Complexes, Edge, Outline, RationalField, fitted

#: The share of the span of temperatures that the method may err by.
_NEAR = 1e-4


@dataclass(frozen=True)
class SecondField:
    """What the method finds in a section, and by how much it errs, K."""

    rational: RationalField
    depth: float
    error: float
    name: str = "second-method"

    @property
    def source(self) -> str:
        """Where it comes from, and how near it is."""
        return f"{RATIONAL_SOURCE}, to {self.error:.1g} K"

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 2) in m."""
        return self.rational.temperature_at(points)

    def heat(self, surface: str) -> float:
        """Heat in W through a surface; NaN where it grows without bound at a corner."""
        edges = [edge for loop in self.rational.outline.loops for edge in loop if edge.name == surface]
        return sum(self.rational.heat_in(edge) for edge in edges) * self.depth if edges else float("nan")


def second_field(geometry: BodyGeometry, problem: Problem, span: float) -> ExactField | None:
    """Return what the method finds, of a section or of a solid in which heat flows as in one; None where it does not
    hold, or comes no nearer than a small share of the ``span`` of temperatures, K."""
    for section, stated, reduction in sections_of(geometry, problem):
        try:
            require_understood(stated, _UNDERSTOOD)
            outline = _outline(section, stated)
            rational, error = fitted(outline, _NEAR * span)
        except ReferenceRefusedError:
            continue
        found = SecondField(rational, section.depth or 0.0, error)
        return found if reduction is None else SolidField(found, reduction)
    return None


def _outline(geometry: SectionGeometry, problem: Problem) -> Outline:
    """The outline of a section of one material with what is stated on it."""
    arrangement = geometry.arrangement
    owners = {*arrangement.left.tolist(), *arrangement.right.tolist()} - {VOID}
    if geometry.turned or len(owners) > 1:
        raise ReferenceRefusedError("the body is no plane section of one region")
    (region,) = owners
    k, heat = plain_conductivity(problem, region), generation_of(problem).get(region, 0.0)
    named = {edge: surface.name for surface in geometry.outer_surfaces for edge in surface.edges.tolist()}
    edges: dict[int, list[tuple[int, Edge]]] = {}
    for number in range(len(arrangement.start)):
        left, right = int(arrangement.left[number]), int(arrangement.right[number])
        if (left == VOID) == (right == VOID):
            continue
        forward = right == VOID
        begin, end = (int(each[number]) for each in (arrangement.start, arrangement.end))
        made = _edge(arrangement.curves.take(np.array([number])), forward, named[number], geometry, problem)
        edges.setdefault(begin if forward else end, []).append((end if forward else begin, made))
    if any(len(each) > 1 for each in edges.values()):
        raise ReferenceRefusedError("the outline touches itself")
    loops = sorted(_loops({start: each[0] for start, each in edges.items()}), key=_extent, reverse=True)
    if not any(
        edge.held is not None or float(edge.h(edge.at(np.array([0.5])))[0]) > 0 for loop in loops for edge in loop
    ):
        raise ReferenceRefusedError("no edge is held or meets a fluid, so any temperature would do")
    return Outline(tuple(loops), k, heat)


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


def _edge(curve: Curves, forward: bool, name: str, geometry: SectionGeometry, problem: Problem) -> Edge:
    """An edge with the body on its left."""

    def share(given: Floats) -> Floats:
        return given if forward else 1 - given

    def many(count: int) -> Curves:
        return curve.take(np.zeros(count, dtype=np.int64))

    def at(given: Floats) -> Complexes:
        places = many(len(given)).at(share(given))
        return np.asarray(places[:, 0] + 1j * places[:, 1])

    def way(given: Floats) -> Complexes:
        along = many(len(given)).direction(share(given)) * (1 if forward else -1)
        return np.asarray(along[:, 0] + 1j * along[:, 1])

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
        return sum((h(z) for h, _ in films), np.zeros(len(z)))

    def drive(z: Complexes) -> Floats:
        return sum((h(z) * fluid(z) for h, fluid in films), sum((flux(z) for flux in fluxes), np.zeros(len(z))))

    return Edge(name, at, way, float(curve.length[0]), held, conductance, drive)


_UNDERSTOOD: Fit[Callable[..., object]] = fit(second_field, "sources")
