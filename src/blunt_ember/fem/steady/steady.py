"""Steady conduction: assemble, anchor, solve; by Newton's method where something depends on temperature."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import Note, SolverError
from blunt_ember.fem.constraints import Constraints
from blunt_ember.fem.linear import Solved
from blunt_ember.fem.memory import require_memory
from blunt_ember.fem.prepared import Prepared
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.problem.well_posedness import require_anchor, separate_parts, separate_parts_of
from blunt_ember.fem.steady.balance import Balance, Given, NewtonStep
from blunt_ember.immutable import immutable


@immutable
class NodalHeat:
    """What terms and constraints give to the nodes of a solution: ``given`` are all terms with their heat, and
    ``reaction`` (n,) in W is what ``constraints`` give."""

    given: tuple[Given, ...]
    reaction: Floats
    constraints: Constraints
    #: What round-off of temperatures makes of heat at every node (n,), W.
    noise: Floats
    #: Sum of the sizes of what is left over at nodes, W; and how far that, and last digits, may take temperatures, K.
    left_over: float
    off: float


@immutable
class Solution:
    """Nodal temperatures (n,) in K, and how they were found; ``steps`` are those of Newton's method, none for a linear
    problem."""

    temperature: Floats
    method: str
    steps: tuple[NewtonStep, ...] = ()
    notes: tuple[Note, ...] = ()
    #: Heat in W that the round-off of temperatures makes by itself.
    noise: float = 0.0
    #: Not kept of an instant of a run, whose histories say it, nor sent to the window.
    heat: NodalHeat | None = None

    @property
    def off(self) -> float:
        """How far the end of an iteration, and last digits, may leave temperatures off, K; 0 where that is not kept."""
        return 0.0 if self.heat is None else self.heat.off


def solve_steady(
    problem: Problem,
    start: float | None = None,
    on_progress: Callable[[NewtonStep], None] = lambda step: None,
    t: float = 0.0,
    prepared: Prepared | None = None,
    near: Solved | None = None,
) -> Solution:
    """Solve ∇·(k ∇T) + q = 0 with the stated surfaces; ``start`` (K) is where Newton's method begins.

    What follows time is taken at ``t`` in s. ``on_progress`` hears of each step of Newton's method. What is
    ``prepared`` for solutions on the same mesh is taken again where it fits; ``near`` is what the solution (n,) in K
    of a linear problem is thought to be, and is tried before an iteration. Raises :class:`OpenCaseError` when no
    temperature can settle, and :class:`SolverError` when the equations have no finite solution.
    """
    require_memory(problem.mesh)
    balance = Balance(problem, t)
    parts = separate_parts_of(problem, balance.terms, balance.constraints)
    require_anchor(problem, balance.terms, balance.constraints, parts)
    if all(term.linear for term in balance.terms):
        solved = balance.linear_excess(prepared, near)
        steps: tuple[NewtonStep, ...] = ()
    else:
        with np.errstate(over="ignore", invalid="ignore"):  # what is not finite is told below, in words
            solved, steps = balance.newton(start, on_progress, prepared)
    excess = solved.x
    given = balance.given(excess)
    reaction = -balance.residual(excess)
    temperature = excess + balance.reference_temperature
    if not np.isfinite(temperature).all():
        raise SolverError("the equations gave no finite temperatures; look for values far out of scale")
    noise = balance.noise(excess)
    with np.errstate(over="ignore"):  # of heat that goes beyond all numbers the ledger tells
        left_over = float(np.abs(balance.constraints.collected(reaction)).sum())
    reaction[balance.untied] = 0.0
    heat = NodalHeat(given, reaction, balance.constraints, noise, left_over, solved.off)
    in_all = float(noise.sum() / np.sqrt(len(noise)))
    return Solution(temperature, solved.method, steps, separate_parts(problem, parts), in_all, heat)
