"""What a run of the clock leaves behind: fields on disk, and in memory what was read from them instant by instant."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.transient.recorded.field_store import FieldStore
from blunt_ember.fem.transient.stepwise.time_step import SAME_INSTANT
from blunt_ember.immutable import immutable

if TYPE_CHECKING:
    from blunt_ember.fem.transient.stepwise.stepping import Work


#: Share of the heat that a body holds below which the heat that moves is no more than its last digits.
AS_NOTHING = 1e-7


@immutable
class Progress:
    """How far a run has got: time ``t`` in s of the ``end`` that is expected, ``steps`` taken, and how many ``seconds``
    it will go on, None where that is not known yet.

    ``again`` marks a run that only tells how far the answers of another may be off.
    """

    t: float
    end: float
    steps: int
    seconds_left: float | None = None
    again: bool = False


@immutable
class Run:
    """Histories at ``times`` (k,) in s, the first of them 0.

    ``power`` (k, s) in W and ``passed`` (k, s) in J, since the start, by the ``names`` of surfaces and sources; heat
    ``stored`` (k, r) in J since the start by region and ``storing`` (k,) in W; ``lowest``, ``mean`` and ``highest``
    temperature (k,) of the body in K; ``readings`` (k, p) of what was asked to be read; ``came_true`` the times of what
    was watched for, None where it did not. ``stage_ends`` in s. ``missing`` (k,) in J is what the ledger up to an
    instant does not account for. ``moved`` is all heat that left or came to a place of the body, J, and the most of it
    at a time, W; ``held`` is the heat that the body holds in all above absolute zero, J, by what it holds per kelvin.
    """

    times: Floats
    names: tuple[str, ...]
    power: Floats
    passed: Floats
    stored: Floats
    storing: Floats
    lowest: Floats
    mean: Floats
    highest: Floats
    readings: Floats
    came_true: tuple[float | None, ...]
    stage_ends: tuple[float, ...]
    missing: Floats
    moved: tuple[float, float]
    held: float
    fields: FieldStore
    work: Work
    #: Largest gap of any single step, as a share of the heat that moved in it.
    worst_step: float
    #: Whether the last condition for an end was met; and whether the run was stopped.
    met: bool
    unfinished: bool
    #: The problem that held from each time in s on.
    pieces: tuple[tuple[float, Problem], ...] = ()

    @property
    def exact_in_time(self) -> bool:
        """Whether no step lost anything in time, so that all errors are those of the mesh."""
        return self.work.exact == self.work.steps

    def problem_at(self, t: float) -> Problem:
        """Return the problem that led to what is seen at a time in s."""
        held = [problem for begin, problem in self.pieces if begin < t]
        return held[-1] if held else self.pieces[0][1]

    def column(self, name: str) -> int:
        """Return the place of a surface or source among the names."""
        return self.names.index(name)

    def instant(self, t: float) -> int | None:
        """Return the number of the instant at a time; None where none was kept."""
        near = int(np.argmin(np.abs(self.times - t)))
        return near if abs(self.times[near] - t) <= 2 * SAME_INSTANT * max(self.times[-1], 1e-300) else None
