"""A solution as the questions see it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field, replace
from functools import cached_property

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.places import SurfaceNames
from blunt_ember.checks.environments import EnvironmentCoupling, UncoupledError, environment_coupling
from blunt_ember.checks.point_transmittance import FlatWall, flat_wall
from blunt_ember.checks.transmittance import Sides, Wall, undisturbed_walls
from blunt_ember.fem.bounds import met_at
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.radiated import EnclosureHeat, Radiated
from blunt_ember.fem.terms.build import build_terms
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh


@immutable
class RunColumns:
    """Where a run keeps what questions read.

    ``readings`` are columns by the place of a question and the number of its reading; ``conditions`` are the places of
    questions that ask for a time among the conditions that were watched.
    """

    readings: dict[tuple[int, int], int]
    conditions: dict[int, int]


@immutable
class SolvedField:
    """Temperatures (n,) in K on a ``mesh`` and heat by surface in W; of a clock that ran the ``run`` and its columns.

    ``document`` is what was solved, whose names the questions go by.
    """

    document: CaseDocument
    geometry: BodyGeometry
    mesh: Mesh
    temperature: Floats
    heat: dict[str, float]
    run: Run | None = None
    columns: RunColumns | None = None
    #: What was solved, where no clock runs; what round-off, and the end of an iteration, make of the
    #: ``heat``, and how far they leave temperatures ``off``, K.
    problem: Problem | None = None
    round_off: dict[str, float] = field(default_factory=dict)
    off: float = 0.0
    #: Finds what round-off makes of the ``heat`` from one more correction, which costs as much as a solution.
    missed: Callable[[], dict[str, float]] | None = field(default=None, compare=False, repr=False)
    #: Finds what couples the environments, where that is kept; raises :class:`UncoupledError` where nothing does.
    coupled: Callable[[], EnvironmentCoupling] | None = field(default=None, compare=False, repr=False)

    @property
    def span(self) -> float:
        """By how much the highest temperature of the body is above the lowest, K; of a run, at any time."""
        if self.run is not None:
            return float(self.run.highest.max() - self.run.lowest.min())
        return float(np.ptp(self.temperature))

    def reached(self, value: float, highest: bool) -> float:
        """Return an extreme that was read, K, or that of what the body meets where it lies beyond.

        Cells swing beside a jump of what is held, and where conduction has a direction; heat that flows by itself does
        not (the maximum principle).
        """
        if self.problem is None:
            return value
        low, high = met_at(self.problem, (), self.temperature, 0.0, 0.0)
        if low <= value <= high:
            return value
        terms = build_terms(self.problem, 0.0)  # heat that arises may take it there
        low, high = met_at(self.problem, terms, self.temperature, 0.0, 0.0)
        if not np.isfinite(high if highest else low):  # it may go anywhere, or meets nothing
            return value
        return min(value, high) if highest else max(value, low)

    @cached_property
    def radiated(self) -> tuple[tuple[Radiated, ...], ...]:
        """The radiation in every enclosure, of a run at every instant whose field was kept."""
        if self.run is None:
            return () if self.problem is None else (EnclosureHeat(self.problem).at(self.temperature),)
        fields, found = self.run.fields, []
        readers: dict[int, EnclosureHeat] = {}
        for frame, t in enumerate(fields.times.tolist()):
            problem = self.run.problem_at(t)
            if id(problem) not in readers:
                readers[id(problem)] = EnclosureHeat(problem)
            found.append(readers[id(problem)].at(fields.field(frame), t))
        return tuple(found)

    @cached_property
    def evened(self) -> SolvedField | None:
        """The same temperatures, with every surface of the enclosures taken as one; None where the clock runs."""
        if self.problem is None or not self.problem.enclosures:
            return None
        laws = tuple(replace(law, chamber=law.chamber.evened()) for law in self.problem.enclosures)
        return replace(self, problem=replace(self.problem, enclosures=laws))

    @cached_property
    def coupling(self) -> EnvironmentCoupling | UncoupledError:
        """What couples the environments of the case, or why nothing does."""
        return self._coupling(False)

    @cached_property
    def coupling_now(self) -> EnvironmentCoupling | UncoupledError:
        """The same, with what follows temperature as it is."""
        return self._coupling(True)

    def _coupling(self, as_it_stands: bool) -> EnvironmentCoupling | UncoupledError:
        if self.problem is None:
            return UncoupledError("the clock runs")
        try:
            if self.coupled is not None and not as_it_stands:
                return self.coupled()
            return environment_coupling(self.problem, self.temperature, as_it_stands)
        except UncoupledError as error:
            return error

    def walls(self, first: str, to: str, sides: Sides) -> tuple[Wall, ...] | UncoupledError:
        """Return the walls between two environments as they would be by themselves, or why none are known."""
        if self.problem is None:
            return UncoupledError("the clock runs")
        try:
            return undisturbed_walls(self.problem, first, to, sides)
        except UncoupledError as error:
            return error

    def flat_wall(self, first: str, to: str) -> FlatWall | UncoupledError:
        """Return the flat wall between two environments as it would be by itself, or why none is known."""
        if self.problem is None:
            return UncoupledError("the clock runs")
        try:
            return flat_wall(self.problem, first, to)
        except UncoupledError as error:
            return error

    @property
    def depth(self) -> float:
        """What a section stands for, m; NaN for other bodies."""
        return self.mesh.space.depth or float("nan")

    def area(self, surface: SurfaceNames) -> float:
        """Return the area, m², of a surface or of those an analyst's name stands for."""
        return float(sum(self.geometry.surfaces[name].area for name in self.document.members_of(surface)))

    def regions(self, region: str) -> list[int]:
        """Return the numbers of a region, or of all that the whole body has."""
        return list(range(len(self.mesh.regions))) if region == "body" else [self.mesh.regions.index(region)]
