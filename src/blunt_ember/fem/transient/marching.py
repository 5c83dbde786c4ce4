"""A whole run: stage by stage and break by break, each end hit exactly."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import SolverError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.transient.exact.exact_in_time import ExactStepper, is_exact
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.recorded.surface_heat import SurfaceHeat
from blunt_ember.fem.transient.stepwise.stepping import Stepper, Work
from blunt_ember.fem.transient.stepwise.time_step import State, StepForm
from blunt_ember.immutable import immutable
from blunt_ember.mesh.cells.families import CELL_FAMILIES

#: Of temperatures (n,) in K, their rates (n,) in K/s and the time in s: not more than 0 once the condition is met.
Watch = Callable[[Floats, Floats, float], float]
#: What is held jumps by more than this, K, if it does.
_MOVED = 1e-9
#: Steps by which the end of a run is moved to where a condition is met, and how near it must come.
_SECANTS = 6
_MET = 1e-10


@immutable
class Watched:
    """``make`` gives what is watched while one problem holds, from it, the time and the temperatures (n,) in K then.

    What is not looked for ``at_once`` must first not be true, to be met.
    """

    make: Callable[[Problem, float, Floats], Watch]
    at_once: bool = True


@immutable
class StagePlan:
    """A stage that lasts so long in s at most; ``until`` ends it sooner."""

    lasts: float
    until: Watched | None = None


@immutable
class Control:
    """How steps are chosen: error ``tolerance`` in K for a span of temperatures in K, the ``span`` expected, how long
    errors are remembered in s, or a ``fixed`` step in s."""

    tolerance: Callable[[float], float]
    span: float
    memory: float
    fixed: float | None = None


@immutable
class Marched:
    """A step of a stage with what it was made from; ``jumped`` is heat in J that held surfaces gave at its beginning,
    where their temperatures jumped."""

    step: StepForm
    stage: int
    heating: Heating
    passing: SurfaceHeat
    jumped: dict[str, float]
    ends_stage: bool = False
    #: Whether the condition that ends the stage was met.
    met: bool = False


@dataclass
class March:
    """Goes through the stages of a clock.

    ``problem_at`` gives the problem of a stage right after a time; at ``switches`` in s another problem holds, at
    ``kinks`` what follows time bends or jumps. ``start`` are temperatures (n,) in K.
    """

    problem_at: Callable[[int, float], Problem]
    stages: Sequence[StagePlan]
    switches: Sequence[float]
    kinks: Sequence[float]
    start: Floats
    reference_temperature: float
    control: Control
    work: Work = field(default_factory=Work)

    def __post_init__(self) -> None:
        self._low, self._high = float(self.start.min()), float(self.start.max())
        self._wanted = 0.0
        self._armed = True

    def steps(self) -> Iterator[Marched]:
        """Yield every step; raise :class:`SolverError` where none can be taken."""
        t, excess = 0.0, self.start - self.reference_temperature
        for number, plan in enumerate(self.stages):
            end, met = t + plan.lasts, False
            self._armed = plan.until is None or plan.until.at_once
            while t < end and not met:
                problem = self.problem_at(number, t)
                watch = None if plan.until is None else plan.until.make(problem, t, excess + self.reference_temperature)
                piece_end = min([end, *(each for each in self.switches if each > t)])
                for marched in self._piece(problem, number, t, excess, piece_end, watch, end):
                    t, excess = marched.step.after.t, marched.step.after.excess
                    met = marched.met
                    yield marched

    def _piece(
        self,
        problem: Problem,
        stage: int,
        begin: float,
        excess: Floats,
        end: float,
        watch: Watch | None,
        stage_end: float,
    ) -> Iterator[Marched]:
        """The steps on which one problem holds."""
        heating = Heating(problem, self.reference_temperature, begin)
        plain = Stepper(heating, self._tolerance(), self.control.memory, _bounded(problem), self.work)
        stepper = ExactStepper(heating, plain) if self.control.fixed is None and is_exact(heating) else plain
        passing = SurfaceHeat(heating)
        kinks = [each for each in self.kinks if begin < each < end]
        t, before = begin, None
        for stop in (*kinks, end):
            if isinstance(stepper, ExactStepper):
                stepper.begin(t, stop)
            state = heating.state(excess, t)
            moved = np.abs(state.excess - excess).max() > _MOVED
            jumped = passing.jump(excess, state.excess) if moved else {}
            if before is None or jumped or _jumps(before, state):
                plain.begin = t
                self._wanted = stepper.first_length(state, stage_end - t)
            while t < stop:
                if self.control.fixed is not None:
                    step = stepper.fixed_step(state, self.control.fixed, stop)
                else:
                    plain.tolerance = self._tolerance()
                    step, self._wanted = stepper.step(state, self._wanted, stop)
                met = watch is not None and self._armed and self._value(watch, step, 1.0) <= 0
                if watch is not None and not self._armed:
                    self._armed = self._value(watch, step, 1.0) > 0
                if met and watch is not None:
                    step, met = self._ended(watch, stepper, step, stop)
                self._reached(step)
                t, excess, state = step.after.t, step.after.excess, step.after
                yield Marched(step, stage, heating, passing, jumped, t >= stage_end or met, met)
                jumped = {}
                if met:
                    return
            before = state

    def _tolerance(self) -> float:
        return self.control.tolerance(max(self._high - self._low, self.control.span))

    def _reached(self, step: StepForm) -> None:
        self._low = min(self._low, float(step.after.excess.min()) + self.reference_temperature)
        self._high = max(self._high, float(step.after.excess.max()) + self.reference_temperature)

    def _value(self, watch: Watch, step: StepForm, share: float) -> float:
        t = step.before.t + share * step.length
        return watch(step.excess_at(share) + self.reference_temperature, step.rate_at(share), t)

    def _ended(
        self, watch: Watch, stepper: Stepper | ExactStepper, step: StepForm, stop: float
    ) -> tuple[StepForm, bool]:
        """A step in place of one in which what is watched is met, that ends where it does (by secants).

        Where the balance does not settle over such a length, a shorter step that ends before, and False.
        """
        share = came_true(lambda share: self._value(watch, step, share))
        if share is None or share >= 1:
            return step, True
        first = self._value(watch, step, 0.0)
        lengths, values = [0.0, step.length], [first, self._value(watch, step, 1.0)]
        length = max(share, 1e-9) * step.length
        for _ in range(_SECANTS):
            try:
                made = stepper.fixed_step(step.before, length, stop)
            except SolverError:
                shorter, _ = stepper.step(step.before, length / 2, stop)
                return shorter, False
            lengths.append(made.length)
            values.append(self._value(watch, made, 1.0))
            if abs(values[-1]) <= _MET * abs(first) or values[-1] == values[-2]:
                break
            following = lengths[-1] - values[-1] * (lengths[-1] - lengths[-2]) / (values[-1] - values[-2])
            length = float(np.clip(following, 1e-9 * step.length, stop - step.before.t))
        return made, True


def came_true(value: Callable[[float], float]) -> float | None:
    """Return the share of a step at which a value falls to 0 from above; None where it does not, or began there."""
    first, last = value(0.0), value(1.0)
    if first <= 0 or last > 1e-7 * first:
        return None
    if last > 0:  # a step that was made to end here
        return 1.0
    from scipy.optimize import brentq  # here, as it takes a while and steady cases do without

    return float(brentq(value, 0.0, 1.0, xtol=1e-13, rtol=1e-12))


def _jumps(before: State, after: State) -> bool:
    """Whether the heat given to nodes is another one right after a time than right before it."""
    change = float(np.abs(after.heat - before.heat).max())
    return change > 1e-6 * float(np.abs(before.heat).max()) + 1e-300


def _bounded(problem: Problem) -> bool:
    """Whether temperatures must stay within the bounds of what the body meets: lumped, and cells linear."""
    return problem.lumped and all(
        CELL_FAMILIES[block.family].corners == block.nodes.shape[1] for block in problem.mesh.blocks
    )
