"""What is known of a case after the flow."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.checks.hints import hint
from blunt_ember.checks.ledger import Ledger
from blunt_ember.checks.questions.history import History
from blunt_ember.checks.references.fits.field import ExactField, MovingField, exact_field_at
from blunt_ember.checks.verdict import Check
from blunt_ember.errors import BluntEmberError, Note, ReferenceRefusedError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.reading import temperature_at
from blunt_ember.fem.steady.steady import Solution
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.fem.transient.time_constants import TimeScales
from blunt_ember.flow.answering.error_estimate import STOPPED, Errors
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.reference.in_layers.changing import Swinging


@immutable
class Kept:
    """An earlier answer, to set later ones beside: temperatures (n,) in K on its mesh, and what it is called."""

    name: str
    mesh: Mesh
    temperature: Floats

    def less(self, mesh: Mesh, temperature: Floats) -> tuple[Floats, ...]:
        """Return by how much temperatures (n,) in K of a ``mesh`` exceed the kept ones, K, at the nodes of each cell
        (m, k), for each block; NaN where the kept body has no region of the name, or does not reach."""
        gaps = []
        for block in mesh.blocks:
            known = np.full(block.nodes.shape, np.nan)
            for region in block.present:
                name = mesh.regions[region]
                if name not in self.mesh.regions or mesh.dimension != self.mesh.dimension:
                    continue
                own = block.region == region
                nodes, back = np.unique(block.nodes[own], return_inverse=True)
                was = temperature_at(self.mesh, self.temperature, mesh.points[nodes], self.mesh.regions.index(name))
                known[own] = was[back].reshape(known[own].shape)
            gaps.append(temperature[block.nodes] - known)
        return tuple(gaps)


@immutable
class Outcome:
    """What is known of a case after the flow; what could not be reached is None, and ``trouble`` says why."""

    case: Case
    geometry: BodyGeometry | None = None
    mesh: Mesh | None = None
    problem: Problem | None = None
    solution: Solution | None = None
    exact: ExactField | MovingField | None = None
    checks: tuple[Check, ...] = ()
    ledger: Ledger | None = None
    #: Heat, W, through every surface and of every source of a steady answer, + into the body.
    heat: Mapping[str, float] = field(default_factory=dict)
    seconds: float = 0.0
    #: Whether the errors of the answers have been estimated, or are known not to be.
    final: bool = False
    #: How the errors of the answers were estimated, and why one is missing.
    errors: Errors | None = None
    #: What the analyst should know of how the case was understood.
    notes: tuple[Note, ...] = ()
    #: Of a clock that runs: what physics says beforehand, the first step, and what the run left behind.
    scales: TimeScales | None = None
    run: Run | None = None
    histories: tuple[History, ...] = ()
    #: The time in s of the temperatures, where they are not those at the end of the run.
    instant: float | None = None
    #: An earlier answer that this one is set beside.
    kept: Kept | None = None
    trouble: BluntEmberError | None = None

    @property
    def t(self) -> float:
        """The time, s, of its temperatures; 0 where the clock is steady."""
        if self.instant is not None or self.run is None:
            return self.instant or 0.0
        return float(self.run.times[-1])

    @property
    def heat_now(self) -> Mapping[str, float]:
        """Heat, W, through every surface at the time of its temperatures; nothing where a run did not get so far."""
        if self.run is None:
            return self.heat
        instant = self.run.instant(self.t)
        return {} if instant is None else dict(zip(self.run.names, self.run.power[instant].tolist(), strict=True))

    @property
    def exact_now(self) -> ExactField | None:
        """The exact solution at the time of its temperatures, if one holds."""
        try:
            return None if self.exact is None else exact_field_at(self.exact, self.t)
        except ReferenceRefusedError:
            return None

    def at_frame(self, frame: int) -> Outcome:
        """Return what is seen at one of the instants whose fields were kept, by its number."""
        assert self.run is not None and self.solution is not None
        fields = self.run.fields
        seen = replace(self.solution, temperature=fields.field(frame))
        t = float(fields.times[frame])
        return replace(self, solution=seen, instant=t, problem=self.run.problem_at(t))

    @property
    def swings(self) -> tuple[Swinging, ...]:
        """How what swings at a side comes through, where an exact solution tells it."""
        return getattr(self.exact, "swings", ())

    @property
    def unstated(self) -> tuple[str, ...]:
        """Outer surfaces on which nothing is stated, so they are insulated."""
        if self.geometry is None:
            return ()
        said = self.case.document.stated_surfaces
        if self.problem is not None:
            said |= self.problem.enclosed.keys()
        return tuple(surface.name for surface in self.geometry.outer_surfaces if surface.name not in said)


def with_errors(outcome: Outcome, errors: Errors) -> Outcome:
    """Return an outcome with the estimated errors of its answers, which makes it final."""
    checks = []
    for check, amount in zip(outcome.checks, errors.amounts, strict=True):
        error = None if np.isnan(amount) or check.unbounded else amount
        said = (check.note, hint(check, error, outcome.run is not None and not outcome.run.exact_in_time))
        checks.append(replace(check, error=error, note="; ".join(each for each in said if each)))
    return replace(outcome, checks=tuple(checks), errors=errors, final=True)


def without_errors(outcome: Outcome, why: str = STOPPED) -> Outcome:
    """Return an outcome whose errors were not estimated to the end."""
    return with_errors(outcome, Errors((np.nan,) * len(outcome.checks), missing=why))
