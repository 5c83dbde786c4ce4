"""Questions answered from a solution: the mesh value of each, in SI."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from blunt_ember.case.document import Line, Question
from blunt_ember.checks.fits.field import ExactField
from blunt_ember.errors import CaseError, Fault
from blunt_ember.fem.reading import surface_mean, surface_places, surface_samples, temperature_at
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.mesh import Floats, Mesh

#: Places at which a line is read.
LINE_SAMPLES = 201


@dataclass(frozen=True)
class SolvedField:
    """A solution as the questions see it."""

    geometry: AnyGeometry
    mesh: Mesh
    temperature: Floats
    heat: dict[str, float]

    def region_of(self, question: Question) -> int | None:
        """The region a question is asked on the side of, by its index."""
        return self.mesh.regions.index(question.side) if question.side is not None else None


def line_points(line: Line, count: int = LINE_SAMPLES) -> Floats:
    """Return ``count`` places (count, 2) in m, evenly spaced from start to end."""
    start, end = (np.array([place.si for place in point]) for point in (line.start, line.end))
    result: Floats = start + np.linspace(0, 1, count)[:, None] * (end - start)
    return result


def answer(question: Question, members: tuple[str, ...], solved: SolvedField, path: str) -> float:
    """Return the mesh value of a question in SI; raise :class:`CaseError` when its place lies outside the body.

    ``members`` are the surfaces the question's target stands for, where it is a surface.
    """
    target = question.target
    side = solved.region_of(question)
    if question.asks == "heat_flow":
        return _directed(question, members, solved.geometry, sum(solved.heat[name] for name in members))
    if isinstance(target, Line):
        values = temperature_at(solved.mesh, solved.temperature, line_points(target), side)
        values = values[~np.isnan(values)]
        if not len(values):
            raise CaseError((Fault(path, "no part of the line lies in the body"),))
        return _reduced(question.asks, values)
    if isinstance(target, str):
        facets = [solved.mesh.surfaces[name] for name in members]
        if side is not None:
            facets = [each.side(side) for each in facets]
        if question.asks == "mean":
            means = np.array([surface_mean(each, solved.mesh, solved.temperature) for each in facets])
            areas = np.array([solved.geometry.surfaces[name].area for name in members])
            return float(means @ areas / areas.sum())
        return _reduced(question.asks, np.concatenate([surface_samples(each, solved.temperature) for each in facets]))
    value = temperature_at(solved.mesh, solved.temperature, np.array([[place.si for place in target]]), side)[0]
    if np.isnan(value):
        raise CaseError(
            (Fault(path, f"the point ({', '.join(place.text for place in target)}) lies outside the body"),)
        )
    return float(value)


def exact_answer(question: Question, members: tuple[str, ...], field: ExactField, solved: SolvedField) -> float:
    """Return what an exact field answers to a question, in SI; NaN where it does not say it."""
    target = question.target
    side = solved.region_of(question)
    if isinstance(target, str) and side is None and question.asks != "heat_flow":
        # The side of the first region, as the mesh is read.
        side = solved.mesh.surfaces[members[0]].regions[0]
    if question.asks == "heat_flow":
        return _directed(question, members, solved.geometry, sum(field.heat(name) for name in members))
    if isinstance(target, Line):
        values = field.temperature(line_points(target), side)
        return _reduced(question.asks, values[~np.isnan(values)])
    if isinstance(target, str):
        along = [_along(solved, name) for name in members]
        sides = [side if len(members) == 1 else solved.mesh.surfaces[name].regions[0] for name in members]
        values = np.concatenate([field.temperature(places, own) for (places, _), own in zip(along, sides, strict=True)])
        if question.asks == "mean":
            weights = np.concatenate([weights for _, weights in along])
            return float(values @ weights / weights.sum())
        return _reduced(question.asks, values)
    return float(field.temperature(np.array([[place.si for place in target]]), side)[0])


def _along(solved: SolvedField, surface: str) -> tuple[Floats, Floats]:
    """Return places on a surface and the area in m² each stands for: on its true curve, or by its facets."""
    if isinstance(solved.geometry, SectionGeometry):
        return solved.geometry.along(surface)
    return surface_places(solved.mesh.surfaces[surface], solved.mesh)


def _directed(question: Question, members: tuple[str, ...], geometry: AnyGeometry, heat: float) -> float:
    signed = heat if question.direction == "in" else -heat
    if question.basis == "area":
        return signed / sum(geometry.surfaces[name].area for name in members)
    return signed


def _reduced(asks: str, values: Floats) -> float:
    if asks == "mean":  # along a line: even samples, ends counted half
        weights = np.ones(len(values))
        weights[[0, -1]] = 0.5 if len(values) > 1 else 1.0
        return float(values @ weights / weights.sum())
    return float(values.max() if asks == "highest" else values.min())
