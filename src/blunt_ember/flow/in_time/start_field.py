"""Temperatures at the start of a run, as a case states them."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.clock import Clock
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import CaseError, Fault
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.fem.terms.term import sampled
from blunt_ember.fem.transient.start import Start, start_of


def start_field(case: Case, clock: Clock, problem: Problem) -> Start:
    """Return how a run begins; raises :class:`CaseError` where it goes below absolute zero."""
    mesh = problem.mesh
    if isinstance(clock.start, Law):
        field = sampled(clock.start, mesh.space.variables(mesh.points)).copy()
    else:
        field = solve_steady(problem).temperature.copy()
    own = {mesh.regions.index(name): law for name, law in clock.start_in.items()}
    start = start_of(problem, field, own) if own else Start(field, mesh.blocks[0].region[:0], field[:0])
    if min(start.temperature.min(), start.begins.min(initial=0.0)) < 0:
        raise CaseError((Fault(("clock", "start"), f"'{clock.start}' goes below absolute zero in the body"),))
    return start
