"""A steady solution and a run, as questions read them."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.clock import Condition
from blunt_ember.case.document.places import SurfaceNames
from blunt_ember.case.document.questions.question import Question, RadiatedHow, Reading
from blunt_ember.checks.environments import UncoupledError, surface_humidity, temperature_factor
from blunt_ember.checks.questions.enclosed import exchanged_of, radiation_of, view_factor_of
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.probes import Probe, probe_of
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.transmittance import Sides
from blunt_ember.errors import DataPath
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.immutable import immutable


@immutable
class MeshReader:
    """Reads a steady solution; ``path`` is the place of the question, for faults."""

    solved: SolvedField
    path: DataPath

    def temperature(self, reading: Reading) -> Floats:
        """Return a temperature, K, (1,)."""
        solved = self.solved
        probe = probe_of(reading, solved.document, solved.mesh, solved.geometry, self.path)
        value = probe(solved.temperature)
        extreme = reading.how in ("highest", "lowest")
        return np.array([solved.reached(value, reading.how == "highest") if extreme else value])

    def heat_flow(self, surface: SurfaceNames) -> Floats:
        """Return the heat through a surface, W, (1,)."""
        return np.array([sum(self.solved.heat[name] for name in self.solved.document.members_of(surface))])

    def heat_passed(self, surface: SurfaceNames) -> Floats:
        """Nothing is summed where no clock runs."""
        return np.array([np.nan])

    def heat_stored(self, region: str) -> Floats:
        """Nothing is stored where no clock runs."""
        return np.array([np.nan])

    def radiation(self, surface: SurfaceNames, how: RadiatedHow) -> Floats:
        """Return what a surface emits, receives …, W, (1,)."""
        return radiation_of(self.solved, surface, how)

    def view_factor(self, first: str, second: str) -> Floats:
        """Return a view factor, (1,)."""
        return view_factor_of(self.solved, first, second)

    def exchanged(self, first: str, second: str) -> Floats:
        """Return the net heat radiated from one surface to another, W, (1,)."""
        return exchanged_of(self.solved, first, second)

    def coupling(self, first: str, second: str, as_it_stands: bool) -> Floats:
        """Return the coupling coefficient of two environments, W/K, (1,); NaN where there is none."""
        found = self.solved.coupling_now if as_it_stands else self.solved.coupling
        return np.array([np.nan if isinstance(found, UncoupledError) else found.between(first, second)])

    def undisturbed(self, first: str, to: str, sides: Sides) -> Floats:
        """Return what the walls between two environments would pass, W/(m K), (1,); NaN where none are found."""
        found = self.solved.walls(first, to, sides)
        return np.array([np.nan if isinstance(found, UncoupledError) else sum(wall.passed for wall in found)])

    def undisturbed_flat(self, first: str, to: str) -> Floats:
        """Return what the flat wall between two environments would pass, W/K, (1,); NaN where none is found."""
        found = self.solved.flat_wall(first, to)
        return np.array([np.nan if isinstance(found, UncoupledError) else found.passed])

    def temperature_factor(self, room: str) -> Floats:
        """Return the least temperature factor of the surfaces that face an environment, (1,)."""
        problem = self.solved.problem
        return np.array([np.nan if problem is None else temperature_factor(problem, self.solved.temperature, room)])

    def surface_humidity(self, room: str, humidity: float) -> Floats:
        """Return the humidity at the coldest place of the surfaces that face an environment, (1,)."""
        problem, temperature = self.solved.problem, self.solved.temperature
        return np.array([np.nan if problem is None else surface_humidity(problem, temperature, room, humidity)])

    def depth(self) -> float:
        """Return what a section stands for, m."""
        return self.solved.depth

    def answer(self, question: str) -> Floats:
        """Return the answer to another question, (1,)."""
        place = self.solved.document.place_of_question(question)
        other = self.solved.document.questions[place]
        return other.read(MeshReader(self.solved, ("questions", place, other.asks)))

    def area(self, surface: SurfaceNames) -> float:
        """Return the area of a surface, m²."""
        return self.solved.area(surface)

    def time_of(self, condition: Condition) -> float:
        """There is no time."""
        return float("nan")


@immutable
class AllHeatReader(MeshReader):
    """Reads, of any heat, all that moves in the body, however little of it passes what is asked about."""

    def heat_flow(self, surface: SurfaceNames) -> Floats:
        """Return all heat that flows through surfaces and out of sources, or from place to place, W, (1,)."""
        run = self.solved.run
        if run is None:
            return np.array([float(np.abs(list(self.solved.heat.values())).sum())])
        return np.array([run.moved[1] + float(np.abs(run.power).sum(axis=1).max())])

    def heat_passed(self, surface: SurfaceNames) -> Floats:
        """Return the same of a whole run, J, (1,)."""
        run = self.solved.run
        return np.array([np.nan if run is None else run.moved[0] + float(np.abs(run.passed[-1]).sum())])

    def heat_stored(self, region: str) -> Floats:
        """Return the same, J, (1,)."""
        return self.heat_passed(())


@immutable
class RunReader:
    """Reads every instant (k,) of a run for the question at a ``place``."""

    solved: SolvedField
    run: Run
    question: Question
    place: int

    def temperature(self, reading: Reading) -> Floats:
        """Return a temperature, K, that was read step by step."""
        assert self.solved.columns is not None
        number = self.question.readings.index(reading)
        return np.asarray(self.run.readings[:, self.solved.columns.readings[self.place, number]])

    def heat_flow(self, surface: SurfaceNames) -> Floats:
        """Return the heat through a surface, W."""
        return self._summed(self.run.power, surface)

    def heat_passed(self, surface: SurfaceNames) -> Floats:
        """Return the heat that has passed a surface, J."""
        return self._summed(self.run.passed, surface)

    def heat_stored(self, region: str) -> Floats:
        """Return the heat stored in a region, J."""
        return np.asarray(self.run.stored[:, self.solved.regions(region)].sum(axis=1))

    def radiation(self, surface: SurfaceNames, how: RadiatedHow) -> Floats:
        """Return what a surface emits, receives …, W."""
        return self._between(radiation_of(self.solved, surface, how))

    def view_factor(self, first: str, second: str) -> Floats:
        """Return a view factor."""
        return self._between(view_factor_of(self.solved, first, second))

    def exchanged(self, first: str, second: str) -> Floats:
        """Return the net heat radiated from one surface to another, W."""
        return self._between(exchanged_of(self.solved, first, second))

    def coupling(self, first: str, second: str, as_it_stands: bool) -> Floats:
        """It is one of what is steady."""
        return np.full(len(self.run.times), np.nan)

    def undisturbed(self, first: str, to: str, sides: Sides) -> Floats:
        """It is one of what is steady."""
        return np.full(len(self.run.times), np.nan)

    def undisturbed_flat(self, first: str, to: str) -> Floats:
        """It is one of what is steady."""
        return np.full(len(self.run.times), np.nan)

    def temperature_factor(self, room: str) -> Floats:
        """It is one of what is steady."""
        return np.full(len(self.run.times), np.nan)

    def surface_humidity(self, room: str, humidity: float) -> Floats:
        """It is one of what is steady."""
        return np.full(len(self.run.times), np.nan)

    def depth(self) -> float:
        """Return what a section stands for, m."""
        return self.solved.depth

    def answer(self, question: str) -> Floats:
        """Return the answer to another question; one that is asked for a time has it at every instant."""
        place = self.solved.document.place_of_question(question)
        other = self.solved.document.questions[place]
        values = other.read(RunReader(self.solved, self.run, other, place))
        if other.asked_time is not None:
            instant = self.run.instant(other.asked_time.si)
            values = np.array([np.nan]) if instant is None else values[[instant]]
        return np.broadcast_to(values, self.run.times.shape)

    def area(self, surface: SurfaceNames) -> float:
        """Return the area of a surface, m²."""
        return self.solved.area(surface)

    def time_of(self, condition: Condition) -> float:
        """Return when a condition was met, s; NaN where it did not."""
        assert self.solved.columns is not None
        true_at = self.run.came_true[self.solved.columns.conditions[self.place]]
        return float("nan") if true_at is None else true_at

    def _between(self, kept: Floats) -> Floats:
        """Values at the instants of the run from those whose fields were kept."""
        return np.asarray(np.interp(self.run.times, self.run.fields.times, kept))

    def _summed(self, heat: Floats, surface: SurfaceNames) -> Floats:
        columns = [self.run.column(name) for name in self.solved.document.members_of(surface)]
        return np.asarray(heat[:, columns].sum(axis=1))


def question_probes(question: Question, place: int, solved: SolvedField) -> tuple[Probe | ExtremeProbe, ...]:
    """Return what a question reads of temperatures."""
    path = ("questions", place, question.asks)
    return tuple(
        probe_of(reading, solved.document, solved.mesh, solved.geometry, path) for reading in question.readings
    )
