"""Writes a run down while it marches: fields to disk, and what is read of them instant by instant."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats, Ints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.marching import March, Marched, Watch, Watched, came_true
from blunt_ember.fem.transient.recorded.field_store import FieldStore
from blunt_ember.fem.transient.recorded.run import AS_NOTHING, Progress, Run
from blunt_ember.fem.transient.recorded.surface_heat import Moment
from blunt_ember.fem.transient.start import Start
from blunt_ember.fem.transient.stepwise.stepping import Work
from blunt_ember.fem.transient.stepwise.time_left import TimeLeft
from blunt_ember.fem.transient.stepwise.time_step import SAME_INSTANT, StepForm
from blunt_ember.fem.transient.storage import Storage
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Fields kept of a run that says nothing about it; of a longer one every second step is left out, then every fourth.
_MOST_STEPS_KEPT = 1000
#: Instants that are read within one step at most.
_MOST_BETWEEN = 40


#: Seconds between two reports of how far a run has got.
_REPORT_EVERY = 0.1


@immutable
class Keeping:
    """Which instants are kept: ``every`` so many s by stage, where that is said, and those ``at`` times in s."""

    every: tuple[float | None, ...]
    at: tuple[float, ...]
    #: Times that are read but of which no field is kept.
    also: tuple[float, ...] = ()
    #: Where every step is kept: how far two instants in s lie apart at most, so that longer steps are read in between.
    apart: float = np.inf
    #: Times whose fields are kept whatever else is.
    besides: tuple[float, ...] = ()

    @property
    def every_step(self) -> bool:
        """Whether nothing was said, so that every step is kept."""
        return not self.at and not any(self.every)

    def due(self, stage: int, stage_begin: float, step: StepForm) -> list[tuple[float, bool]]:
        """Return the times within a step, its end among them, and whether their fields are kept."""
        low, high = step.before.t, step.after.t
        kept = [t for t in (*self.at, *self.besides) if low < t <= high]
        if (every := self.every[stage]) is not None:
            first = int(np.floor((low - stage_begin) / every * (1 + SAME_INSTANT))) + 1
            last = int(np.floor((high - stage_begin) / every * (1 + SAME_INSTANT)))
            kept += [min(stage_begin + number * every, high) for number in range(first, last + 1)]
        if self.every_step and step.length > self.apart:
            count = int(np.ceil(min(step.length / self.apart, _MOST_BETWEEN)))
            between = np.linspace(low, high, count + 1)
            kept += between[1:-1].tolist()
        found = dict.fromkeys([t for t in self.also if low < t <= high], False) | dict.fromkeys(kept, True)
        ordered = sorted(found.items())
        if not ordered or ordered[-1][0] < high - SAME_INSTANT * step.length:
            ordered.append((high, False))
        return ordered


@dataclass
class Recorder:
    """Reads every step of a march as it is taken.

    ``probes`` read numbers from temperatures (n,) in K; ``watched`` tell when a condition is met.
    """

    mesh: Mesh
    start: Start
    reference_temperature: float
    probes: Sequence[Callable[[Floats], float]]
    watched: Sequence[Watched]
    keeping: Keeping
    fields: FieldStore
    _rows: list[tuple[float, ...]] = field(default_factory=list)
    _flows: list[tuple[dict[str, float], dict[str, float]]] = field(default_factory=list)
    _stored: list[Floats] = field(default_factory=list)
    _readings: list[list[float]] = field(default_factory=list)
    _stage_ends: list[float] = field(default_factory=list)

    def record(
        self, march: March, end: float, on_progress: Callable[[Progress], None], stopped: Callable[[], bool]
    ) -> tuple[Run, Marched]:
        """Take a march to its end, or to where it is ``stopped``; return what was kept, and the last step."""
        began, reported, left = time.perf_counter(), 0.0, TimeLeft()
        self._passed: dict[str, float] = {}
        self._came_true: list[float | None] = [None] * len(self.watched)
        self._stage, self._stage_begin = -1, 0.0
        self._heating: Heating | None = None
        self._pieces: list[tuple[float, Problem]] = []
        self._worst = 0.0
        self._moved, self._held = (0.0, 0.0), 0.0
        self._stride, self._count = 1, 0
        marched: Marched | None = None
        for marched in march.steps():
            self._take(marched)
            now = time.perf_counter() - began
            left.took(marched.step.after.t, now)
            if now - reported > _REPORT_EVERY:
                on_progress(Progress(marched.step.after.t, end, march.work.steps, left.seconds(end)))
                reported = now
            if stopped():
                break
        assert marched is not None
        if reported:  # what it takes to answer is no longer part of the run
            on_progress(Progress(marched.step.after.t, marched.step.after.t, march.work.steps))
        finished = marched.ends_stage and marched.stage == len(march.stages) - 1
        return self._run(march.work, marched.met, not finished), marched

    def _take(self, marched: Marched) -> None:
        step = marched.step
        if marched.stage != self._stage:
            self._stage, self._stage_begin = marched.stage, step.before.t
        if marched.heating is not self._heating:
            self._heating = marched.heating
            problem, begin = marched.heating.problem, step.before.excess + self.reference_temperature
            self._pieces.append((step.before.t, problem))
            self._watches = [each.make(problem, step.before.t, begin) for each in self.watched]
            self._amounts = _amounts(marched.heating)
            per_kelvin = sum(float(each.slope(np.zeros(each.nodes.shape)).sum()) for each in marched.heating.storage)
            self._held = max(self._held, per_kelvin * self.reference_temperature)
            if not self._rows:
                self._at_start = self._by_region(self.start.temperature - self.reference_temperature)
                for each, gained in zip(
                    marched.heating.storage,
                    self.start.gained(marched.heating.storage, self.reference_temperature),
                    strict=True,
                ):
                    np.add.at(self._at_start, each.regions, -gained.sum(axis=1))
                self._passed = marched.passing.evened(self.start)
        moments = marched.passing.moments(step)
        for name, heat in marched.jumped.items():
            self._passed[name] = self._passed.get(name, 0.0) + heat
        if not self._rows:
            self._note(marched, moments, 0.0, step.before.t, keep=True)
        self._watch(step)
        due = self.keeping.due(marched.stage, self._stage_begin, step)
        for t, keep in due[:-1]:
            self._note(marched, moments, step.share(t), t, keep)
        self._count += 1
        t, keep = due[-1]
        if self.keeping.every_step:
            keep = self._count % self._stride == 0
            if self._count // self._stride >= _MOST_STEPS_KEPT:
                self._stride *= 2
        self._note(marched, moments, 1.0, t, keep or marched.ends_stage)
        whole = marched.passing.heat_in(step, moments, 1.0)
        for name, heat in whole.items():
            self._passed[name] = self._passed.get(name, 0.0) + heat
        self._weigh(marched, whole)
        if marched.ends_stage:
            self._stage_ends.append(step.after.t)

    def _weigh(self, marched: Marched, whole: dict[str, float]) -> None:
        """Hold what passed in a step against what is stored by it."""
        step = marched.step
        rows = self._of_rows(whole)
        stored = float((step.after.content - step.before.content).sum())
        inside = float(np.abs(step.after.content - step.before.content).sum())
        self._moved = self._moved[0] + inside, max(self._moved[1], inside / step.length)
        moved = max(float(np.abs(rows).sum()), inside)
        self._worst = max(self._worst, abs(float(rows.sum()) - stored) / max(moved, AS_NOTHING * self._held, 1e-300))

    def _watch(self, step: StepForm) -> None:
        for place, watch in enumerate(self._watches):
            if self._came_true[place] is not None:
                continue

            def value(share: float, watch: Watch = watch) -> float:
                t = step.before.t + share * step.length
                return watch(step.excess_at(share) + self.reference_temperature, step.rate_at(share), t)

            true_already = self.watched[place].at_once and not self._rows[1:] and value(0.0) <= 0
            share = 0.0 if true_already else came_true(value)
            if share is not None:
                self._came_true[place] = step.before.t + share * step.length

    def _note(self, marched: Marched, moments: Sequence[Moment], share: float, t: float, keep: bool) -> None:
        """Read an instant within a step."""
        step, share = marched.step.seen(share)
        if step is not marched.step:
            moments = marched.passing.moments(step)
        excess = step.excess_at(share) if 0 < share < 1 else (step.after.excess if share else step.before.excess)
        passed = dict(self._passed)
        if share:
            for name, heat in marched.passing.heat_in(step, moments, share).items():
                passed[name] = passed.get(name, 0.0) + heat
        self._flows.append((marched.passing.power(step, moments, share), passed))
        if self._heating is not None and all(each.linear for each in self._heating.storage):
            stored = self._by_region(excess)
        else:  # what is stored follows the balance, not the parabola of the temperatures
            blend = step.blend(share)
            stored = sum(
                weight * self._by_region(state.excess)
                for weight, state in zip(blend, step.states, strict=True)
                if weight
            )
        stored = np.asarray(stored) - self._at_start
        self._stored.append(stored)
        contents = [float(state.content.sum()) for state in step.states]
        storing = float(step.slopes(share) @ np.array(contents))
        temperature = excess + self.reference_temperature
        lowest, highest = float(temperature.min()), float(temperature.max())
        self._rows.append((t, storing, lowest, float(self._volumes @ temperature), highest))
        self._readings.append([probe(temperature) for probe in self.probes])
        if keep:
            self.fields.add(t, excess)

    @property
    def _volumes(self) -> Floats:
        return self._amounts[1]

    def _by_region(self, excess: Floats) -> Floats:
        """Heat (r,) in J held by each region, from that at the reference temperature on."""
        if self._amounts[0] is not None:
            return np.asarray(self._amounts[0] @ excess)
        assert self._heating is not None
        total = np.zeros(len(self.mesh.regions))
        for each in self._heating.storage:
            total += np.bincount(each.regions, each.content(excess[each.nodes]).sum(axis=1), minlength=len(total))
        return total

    def _of_rows(self, flows: dict[str, float]) -> Floats:
        """What takes part in the balance: outer surfaces and sources."""
        inner = {name for name, facets in self.mesh.surfaces.items() if not facets.outer}
        return np.array([heat for name, heat in flows.items() if name not in inner])

    def _run(self, work: Work, met: bool, unfinished: bool) -> Run:
        names = tuple(dict.fromkeys(name for _, passed in self._flows for name in passed))
        times, storing, lowest, mean, highest = np.array(self._rows).T
        power = np.array([[now.get(name, 0.0) for name in names] for now, _ in self._flows])
        passed = np.array([[passed.get(name, 0.0) for name in names] for _, passed in self._flows])
        stored = np.array(self._stored)
        inner = {name for name, facets in self.mesh.surfaces.items() if not facets.outer}
        rows = [place for place, name in enumerate(names) if name not in inner]
        missing = passed[:, rows].sum(axis=1) - stored.sum(axis=1)
        return Run(
            times,
            names,
            power,
            passed,
            stored,
            storing,
            lowest,
            mean,
            highest,
            np.array(self._readings),
            tuple(self._came_true),
            tuple(self._stage_ends),
            missing,
            self._moved,
            self._held,
            self.fields,
            work,
            self._worst,
            met,
            unfinished,
            tuple(self._pieces),
        )


def _amounts(heating: Heating) -> tuple[csr_array | None, Floats]:
    """Heat per kelvin (r, n) in J/K by region and node, None where it depends on temperature; shares (n,) of volume."""
    mesh, volume = heating.problem.mesh, np.zeros(heating.count)
    for each in heating.storage:
        volume += np.bincount(each.nodes.ravel(), each.volumes.ravel(), minlength=heating.count)
    shares = volume / volume.sum()
    if not all(each.linear for each in heating.storage):
        return None, shares
    rows, columns, values = zip(*_entries(heating.storage), strict=True)
    every = np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))
    return csr_array(every, shape=(len(mesh.regions), heating.count)), shares


def _entries(storage: Sequence[Storage]) -> Iterator[tuple[Ints, Ints, Floats]]:
    for each in storage:
        per_kelvin = each.slope(np.zeros(each.nodes.shape)).sum(axis=1)
        yield np.repeat(each.regions, each.nodes.shape[1]), each.nodes.ravel(), per_kelvin.ravel()
