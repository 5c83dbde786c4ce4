"""Solids in which heat flows as in a section, so that the exact solutions of sections hold for them.

A turned solid whose cuts pass no heat is its section, turned; a stacked body of one level whose bottom and top pass
none is its plan, as deep as it is high; a pile whose sides pass none is a wall along z.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from itertools import pairwise
from types import MappingProxyType
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.bodies import PLAN_SIDES, Section, TurnedSection
from blunt_ember.checks.references.fits.field import ExactField, InstantField, side_of, surfaces_passing_heat
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.geometry.arrangement import VOID
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.path import Path
from blunt_ember.geometry.section import SectionGeometry, outlines_of, section_geometry
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.immutable import immutable
from blunt_ember.reference.side import Side

SectionFit = Callable[[SectionGeometry, Problem], ExactField]


@immutable
class _Places:
    """Takes places of a solid (p, 3) to its plan (p, 2), or ``along`` its path to a wall along x that is 1 m high."""

    path: Path
    along: bool = False

    def __call__(self, places: Floats) -> Floats:
        plan, way = self.path.plan_of(places)
        return np.column_stack([way, np.full(len(way), 0.5)]) if self.along else plan


@immutable
class SolidReduction:
    """A section in which heat flows as in a solid: ``names`` of the section's surfaces by those of the solid,
    ``share`` of its heat, and ``places`` that takes places of the solid (p, 3) to those of the section (p, 2).
    Through surfaces in ``against`` the solid counts heat the other way."""

    section: SectionGeometry
    problem: Problem
    names: Mapping[str, str]
    share: float
    #: Regions of the solid in the order of the section's.
    order: list[int]
    places: Callable[[Floats], Floats]
    against: frozenset[str] = frozenset()


@immutable
class SolidField:
    """The exact field of a section in the coordinates of a solid."""

    flat: ExactField
    reduction: SolidReduction

    @property
    def name(self) -> str:
        """Name of the solution of the section."""
        return self.flat.name

    @property
    def source(self) -> str:
        """Where it comes from."""
        return self.flat.source

    def temperature(self, points: Floats, region: int | None = None) -> Floats:
        """Temperature in K at ``points`` (p, 3) in m."""
        order = self.reduction.order
        return self.flat.temperature(self.reduction.places(points), None if region is None else order.index(region))

    def heat(self, surface: str) -> float:
        """Heat in W through a surface of the solid; those that are none of the section pass none."""
        if surface not in self.reduction.names:
            return 0.0
        sign = -1.0 if surface in self.reduction.against else 1.0
        return sign * self.flat.heat(self.reduction.names[surface]) * self.reduction.share

    def passed(self, surface: str) -> float:
        """Heat in J that has come in through a surface of the solid; NaN where the section does not say it."""
        if surface not in self.reduction.names:
            return 0.0
        if not isinstance(self.flat, InstantField):
            return float("nan")
        return self.flat.passed(self.reduction.names[surface]) * self.reduction.share

    def stored(self) -> float:
        """Heat in J stored since the start; NaN where the section does not say it."""
        return self.flat.stored() * self.reduction.share if isinstance(self.flat, InstantField) else float("nan")


def solid_field(fit: SectionFit, geometry: SolidGeometry, problem: Problem) -> SolidField:
    """Fit a solution of sections to a solid; raise :class:`ReferenceRefusedError` with the reasons it does not hold."""
    reasons = []
    for reduction in solid_reductions(geometry, problem):
        try:
            return SolidField(fit(reduction.section, reduction.problem), reduction)
        except ReferenceRefusedError as error:
            reasons.append(str(error))
    raise ReferenceRefusedError("; ".join(reasons) or "heat does not flow as in any section of this body")


def sections_of(
    geometry: BodyGeometry, problem: Problem
) -> Iterator[tuple[SectionGeometry, Problem, SolidReduction | None]]:
    """Yield the sections in which heat flows as in a body, with what is stated on each: a section itself."""
    section = outlines_of(geometry)
    if section is not None:
        yield section, problem, None
    if type(geometry) in _REDUCTIONS:
        for each in _REDUCTIONS[type(geometry)](geometry, problem):
            yield each.section, each.problem, each


def solid_reductions(geometry: SolidGeometry, problem: Problem) -> Iterator[SolidReduction]:
    """Yield the sections in which heat flows as in a solid."""
    heated = surfaces_passing_heat(geometry, problem)
    ends = set(geometry.ends.values())
    if not geometry.path.straight:
        if not heated & ends:
            yield _meridian(geometry, problem)
        return
    if (
        geometry.holds.shape[1] == 1
        and not heated & ends
        and set(geometry.stated) == {r.name for r in geometry.regions}
    ):
        yield _plan(geometry, problem)
    if not heated & set(geometry.sides.values()) and (geometry.holds == geometry.holds[:1]).all():
        yield from _pile(geometry, problem)


#: The sections a body can be looked at as, by its geometry; others have none.
_REDUCTIONS: Mapping[type[BodyGeometry], Callable[[Any, Problem], Iterator[SolidReduction]]] = MappingProxyType(
    {SolidGeometry: solid_reductions}
)


def _stated(section: SectionGeometry, problem: Problem, names: Mapping[str, str], order: list[int]) -> Problem:
    """Put what is stated on a solid on the section that stands for it; ``order`` are the solid's regions in it."""
    if any(surface not in names for pair in problem.periodic for surface in pair):
        raise ReferenceRefusedError("surfaces across the section are periodic")
    for name in (*problem.held, *problem.exchanges):
        if name not in names and (name in problem.held or side_of(name, problem) != Side()):
            raise ReferenceRefusedError(f"heat passes through {name}, which the section has not")
    return replace(
        problem,
        conductors=tuple(problem.conductors[region] for region in order),
        capacities=tuple(problem.capacities[region] for region in order) if problem.capacities else (),
        sources=tuple(replace(source, region=order.index(source.region)) for source in problem.sources),
        joints={names[name]: joint for name, joint in problem.joints.items() if name in names},
        periodic=tuple((names[first], names[second]) for first, second in problem.periodic),
        held={names[name]: held for name, held in problem.held.items() if name in names},
        exchanges={names[name]: exchange for name, exchange in problem.exchanges.items() if name in names},
    )


def _require_whole_sides(geometry: SolidGeometry, names: Mapping[str, str]) -> None:
    """Raise :class:`ReferenceRefusedError` where a part of a side has a name of its own, which the section has not."""
    apart = set(geometry.sides.values()) - set(names)
    if apart:
        raise ReferenceRefusedError(f"{min(apart)} is part of a side, which the section has not")


def _meridian(geometry: SolidGeometry, problem: Problem) -> SolidReduction:
    section = section_geometry(TurnedSection(kind="turned section", regions=dict(geometry.stated)))
    names = {name: name for name in section.surfaces}
    _require_whole_sides(geometry, names)
    share = float(geometry.path.stations[-1] / (2 * np.pi))
    order = list(range(len(geometry.regions)))
    return SolidReduction(section, _stated(section, problem, names, order), names, share, order, _Places(geometry.path))


def _plan(geometry: SolidGeometry, problem: Problem) -> SolidReduction:
    height = float(geometry.high[2] - geometry.low[2])
    section = section_geometry(Section(kind="section", regions=dict(geometry.stated)))
    names = {}
    for name in section.surfaces:
        region, _, side = name.partition(".")
        names[f"{region}.{PLAN_SIDES.get(side, side)}" if side else name] = name
    _require_whole_sides(geometry, names)
    order = list(range(len(geometry.regions)))
    return SolidReduction(
        section, _stated(section, problem, names, order), names, height, order, _Places(geometry.path)
    )


def _pile(geometry: SolidGeometry, problem: Problem) -> Iterator[SolidReduction]:
    """A pile of layers, the same everywhere in the plan, laid down as a wall along x that is 1 m high and deep."""
    order = geometry.holds[0].tolist()
    if VOID in order or len(set(order)) < len(order):
        return
    stations = geometry.path.stations.tolist()
    layers = {
        f"layer {place}": {"shape": "rectangle", "at": [f"{low!r} m", "0 m"], "size": [f"{high - low!r} m", "1 m"]}
        for place, (low, high) in enumerate(pairwise(stations))
    }
    section = section_geometry(Section.model_validate({"kind": "section", "regions": layers}))
    solid = [region.name for region in geometry.regions]
    bottom, top = f"{solid[order[0]]}.bottom", f"{solid[order[-1]]}.top"
    names = {bottom: "layer 0.left", top: f"layer {len(order) - 1}.right"}
    against = set()
    for place, (below, above) in enumerate(pairwise(order)):
        name = "|".join(solid[region] for region in sorted((below, above)))
        names[name] = f"layer {place}|layer {place + 1}"
        if below > above:
            against.add(name)
    if set(geometry.ends.values()) - set(names):
        raise ReferenceRefusedError("a part of the bottom or top has a name of its own")
    if any(len(problem.conductors[region].k) > 1 for region in order):
        raise ReferenceRefusedError("a material conducts by directions")
    yield SolidReduction(
        section,
        _stated(section, problem, names, order),
        names,
        geometry.surfaces[bottom].area,
        order,
        _Places(geometry.path, along=True),
        frozenset(against),
    )
