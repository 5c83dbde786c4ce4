"""Questions answered from a solution: the mesh value of each, in SI."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.case_document import Question
from blunt_ember.case.document.clock import WHOLE_BODY, Condition
from blunt_ember.case.document.places import Line
from blunt_ember.case.values.quantity import Quantity
from blunt_ember.case.values.units import TIME
from blunt_ember.checks.questions.probes import Probe, probe_of
from blunt_ember.checks.questions.reading_line import laid
from blunt_ember.checks.references.fits.field import ExactField, InstantField, MovingField, exact_field_at
from blunt_ember.errors import DataPath
from blunt_ember.fem.assembly import cell_places, in_runs, weighted_gradients
from blunt_ember.fem.reading import surface_places
from blunt_ember.fem.transient.run import Run
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.reference.crossing import first_crossing

#: Instants at which an exact history is looked through for a crossing.
_INSTANTS = 400


@dataclass(frozen=True)
class SolvedField:
    """A solution as the questions see it; of a clock that ran the ``run``, and where in it a question is read."""

    geometry: AnyGeometry
    mesh: Mesh
    temperature: Floats
    heat: dict[str, float]
    run: Run | None = None
    #: By the place of a question: its column among the readings of the run, or among what came true.
    columns: dict[int, int] | None = None

    @property
    def span(self) -> float:
        """By how much the highest temperature of the body is above the lowest, K; of a run, at any time."""
        if self.run is not None:
            return float(self.run.highest.max() - self.run.lowest.min())
        return float(np.ptp(self.temperature))

    def region_of(self, question: Question) -> int | None:
        """The region a question is asked on the side of, by its index."""
        return self.mesh.regions.index(question.side) if question.side is not None else None


def question_probe(
    question: Question, members: tuple[str, ...], mesh: Mesh, geometry: AnyGeometry, path: DataPath
) -> Probe | None:
    """Return what a question reads of temperatures; None where it asks for heat or a time."""
    if question.asks not in ("temperature", "highest", "lowest", "mean"):
        return None
    side = mesh.regions.index(question.side) if question.side is not None else None
    return probe_of(question, members, mesh, geometry, path, side)


def answer(question: Question, place: int, members: tuple[str, ...], solved: SolvedField, path: DataPath) -> float:
    """Return the mesh value of the question at a ``place`` in the case, in SI; NaN where the run did not get so far.

    ``members`` are the surfaces the question's target stands for, where it is a surface. Raises :class:`CaseError` when
    its place lies outside the body.
    """
    if solved.run is not None:
        return _answer_in_time(question, place, members, solved, solved.run)
    if question.asks == "heat_flow":
        return _directed(question, members, solved.geometry, sum(solved.heat[name] for name in members))
    probe = question_probe(question, members, solved.mesh, solved.geometry, path)
    assert probe is not None
    return probe(solved.temperature)


def history(question: Question, place: int, members: tuple[str, ...], solved: SolvedField) -> Floats | None:
    """Return what a question reads at every instant (k,) of a run, in SI; None for one that asks for a time."""
    run = solved.run
    assert run is not None and solved.columns is not None
    if question.asks in ("heat_flow", "heat_passed"):
        source = run.power if question.asks == "heat_flow" else run.passed
        total = np.sum([source[:, run.column(name)] for name in members], axis=0)
        return np.array(_directed(question, members, solved.geometry, total))
    if question.asks == "heat_stored":
        target = str(question.target)
        regions = range(len(solved.mesh.regions)) if target == WHOLE_BODY else [solved.mesh.regions.index(target)]
        return np.asarray(run.stored[:, list(regions)].sum(axis=1))
    return None if question.when is not None else np.asarray(run.readings[:, solved.columns[place]])


def _answer_in_time(question: Question, place: int, members: tuple[str, ...], solved: SolvedField, run: Run) -> float:
    assert solved.columns is not None
    if question.when is not None:
        true_at = run.came_true[solved.columns[place]]
        return float("nan") if true_at is None else true_at
    instant = len(run.times) - 1 if question.time is None else run.instant(question.time.si)
    values = history(question, place, members, solved)
    return float("nan") if instant is None or values is None else float(values[instant])


def exact_answer(
    question: Question, members: tuple[str, ...], field: ExactField | MovingField, solved: SolvedField
) -> float:
    """Return what an exact field answers to a question, in SI; NaN where it does not say it."""
    if question.when is not None:
        return _exact_time(question.when, members, field, solved)
    end = 0.0 if solved.run is None else float(solved.run.times[-1])
    now = exact_field_at(field, end if question.time is None else question.time.si)
    if question.asks == "heat_flow":
        return float(_directed(question, members, solved.geometry, sum(now.heat(name) for name in members)))
    if question.asks in ("heat_passed", "heat_stored"):
        if not isinstance(now, InstantField):
            return float("nan")
        if question.asks == "heat_passed":
            return float(_directed(question, members, solved.geometry, sum(now.passed(name) for name in members)))
        return now.stored() if question.target == WHOLE_BODY else float("nan")
    return _exact_reading(question, members, now, solved, solved.region_of(question))


def exact_history(
    question: Question, members: tuple[str, ...], field: ExactField | MovingField, solved: SolvedField, times: Floats
) -> Floats:
    """Return what an exact field answers to a question at ``times`` (k,) in s, in SI."""
    asked = [question.model_copy(update={"time": Quantity(f"{t!r} s", t, TIME)}) for t in times.tolist()]
    return np.array([exact_answer(each, members, field, solved) for each in asked])


def _exact_time(
    when: Condition, members: tuple[str, ...], field: ExactField | MovingField, solved: SolvedField
) -> float:
    """When an exact field passes a temperature."""
    run = solved.run
    if when.passes is None or run is None:
        return float("nan")
    goal = when.passes.si
    latest = float(run.times[-1])
    return first_crossing(
        lambda t: _exact_reading(when, members, exact_field_at(field, t), solved, None) - goal, latest, _INSTANTS
    )


def _exact_reading(
    asking: Question | Condition, members: tuple[str, ...], field: ExactField, solved: SolvedField, side: int | None
) -> float:
    target = asking.target
    if isinstance(target, str) and (target == WHOLE_BODY or members[0] not in solved.mesh.surfaces):
        return _exact_in_regions(asking.asks, target, field, solved)
    if isinstance(target, str) and side is None:
        # The side of the first region, as the mesh is read.
        side = solved.mesh.surfaces[members[0]].regions[0]
    if isinstance(target, Line):
        line = laid(target, "", members, solved.geometry, solved.mesh, (asking.asks,), side)
        values, shares = line.of_each_region(field.temperature), line.shares
        known = ~np.isnan(values)
        if asking.asks == "mean":
            return float(values[known] @ shares[known] / shares[known].sum()) if known.any() else float("nan")
        return _extreme(asking.asks, values[known]) if known.any() else float("nan")
    if isinstance(target, str):
        along = [_along(solved, name) for name in members]
        sides = [side if len(members) == 1 else solved.mesh.surfaces[name].regions[0] for name in members]
        values = np.concatenate([field.temperature(places, own) for (places, _), own in zip(along, sides, strict=True)])
        if asking.asks == "mean":
            weights = np.concatenate([weights for _, weights in along])
            return float(values @ weights / weights.sum())
        return _extreme(asking.asks, values)
    assert isinstance(target, tuple)
    return float(field.temperature(np.array([[place.si for place in target]]), side)[0])


def _exact_in_regions(asks: str, target: str, field: ExactField, solved: SolvedField) -> float:
    """Extremes of an exact field at the nodes of regions, or its mean by the quadrature of their cells."""
    mesh = solved.mesh
    regions = range(len(mesh.regions)) if target == WHOLE_BODY else [mesh.regions.index(target)]
    if asks == "mean":
        total = volume = 0.0
        for block in mesh.blocks:
            for run in in_runs(block, len(CELL_FAMILIES[block.family].points)):
                weights = weighted_gradients(block, mesh, run)[1]
                places = cell_places(block, mesh, run)
                for region in np.intersect1d(block.region[run], list(regions)).tolist():
                    own = block.region[run] == region
                    values = field.temperature(places[own].reshape(-1, mesh.dimension), region)
                    total += float(values @ weights[own].ravel())
                    volume += float(weights[own].sum())
        return total / volume
    every = [
        field.temperature(mesh.points[np.unique(block.nodes[block.region == region])], region)
        for region in regions
        for block in mesh.blocks
    ]
    return _extreme(asks, np.concatenate(every))


def _along(solved: SolvedField, surface: str) -> tuple[Floats, Floats]:
    """Return places on a surface and the area in m² each stands for: on its true curve, or by its facets."""
    if isinstance(solved.geometry, SectionGeometry):
        return solved.geometry.along(surface)
    return surface_places(solved.mesh.surfaces[surface], solved.mesh)


def _directed(question: Question, members: tuple[str, ...], geometry: AnyGeometry, heat: Any) -> Any:
    """A heat, or heats by instant, with the sign and on the basis that are asked for."""
    signed = heat if question.direction == "in" else -heat
    if question.basis == "area":
        return signed / sum(geometry.surfaces[name].area for name in members)
    return signed


def _extreme(asks: str, values: Floats) -> float:
    return float(values.max() if asks == "highest" else values.min())
