"""The numbers behind curves: along every line that is asked about, and over the time of a run."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.places import Line
from blunt_ember.case.values.units import LENGTH, TEMPERATURE, TIME
from blunt_ember.checks.questions.profile import Profile, main_axis, profile_on, profile_through
from blunt_ember.checks.questions.reading_line import laid
from blunt_ember.checks.references.working_field import source_of
from blunt_ember.flow.outcome import Outcome
from blunt_ember.report.tables.radiation import Values, Words


def line_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return what is read, and what is exact, along the middle of the body and every line that is asked about."""
    geometry, mesh, solution = outcome.geometry, outcome.mesh, outcome.solution
    assert geometry is not None and mesh is not None and solution is not None
    exact, temperature = outcome.exact_now, solution.temperature
    profiles: list[tuple[str, Profile]] = []
    axis = main_axis(geometry, mesh, temperature)
    profiles.append(("through the middle", profile_through(axis, geometry, mesh, temperature, exact)))
    for place, question in enumerate(outcome.case.document.questions):
        target = question.target
        if isinstance(target, Line):
            members, path = outcome.case.document.members_asked(target), ("questions", place, question.asks)
            line = laid(target, question.name, members, geometry, mesh, path)
            profiles.append((question.name, profile_on(line, temperature, exact)))
    names = [name for name, profile in profiles for _ in profile.distance]
    values: list[Values] = [
        ("distance", LENGTH, np.concatenate([profile.distance for _, profile in profiles])),
        ("temperature", TEMPERATURE, np.concatenate([profile.mesh for _, profile in profiles])),
    ]
    if exact is not None:
        known = [np.full(len(each.mesh), np.nan) if each.exact is None else each.exact for _, each in profiles]
        values.append((source_of(exact).provenance.value, TEMPERATURE, np.concatenate(known)))
    return [("line", names)], values


def history_rows(outcome: Outcome) -> tuple[list[Words], list[Values]]:
    """Return every instant of a run with what is asked then, and what is exact at those it was looked at."""
    run = outcome.run
    assert run is not None
    values: list[Values] = [("time", TIME, run.times)]
    for history in outcome.histories:
        values.append((history.name, history.kind, history.values))
        if history.exact is not None:
            known = _at_instants(run.times, history.exact_times, history.exact)
            values.append((f"{history.name} exact", history.kind, known))
    for name, extreme in (("lowest", run.lowest), ("mean", run.mean), ("highest", run.highest)):
        values.append((name, TEMPERATURE, extreme))
    return [], values


def _at_instants(times: Floats, known_at: Floats, known: Floats) -> Floats:
    """Values at those of the instants at which they are known, NaN at others."""
    found = np.full(len(times), np.nan)
    found[np.searchsorted(times, known_at)] = known
    return found
