"""Answers of a solved case set beside what is expected, and their histories."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.between_environments import CouplingQuestion
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion, HeatPassedQuestion
from blunt_ember.case.document.questions.question import Question, reading_of
from blunt_ember.case.document.questions.transmittance import PointTransmittanceQuestion, TransmittanceQuestion
from blunt_ember.case.values.display import shown, time_kind, time_shown
from blunt_ember.case.values.units import Kind
from blunt_ember.checks.environments import EnvironmentCoupling, UncoupledError
from blunt_ember.checks.questions.answers import answer, as_nothing, exact_answer, exact_history, history
from blunt_ember.checks.questions.extremes import place_of_extreme
from blunt_ember.checks.questions.history import History, thinned
from blunt_ember.checks.questions.probes import locate_points, probe_of
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.references.fits.by_fewer import by_fewer
from blunt_ember.checks.references.working_field import source_of
from blunt_ember.checks.source import Provenance, Source
from blunt_ember.checks.unbounded import heated_at_a_place, meets_otherwise_held
from blunt_ember.checks.verdict import Check, allowed_of, check, scale_of
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.flow.answering.early_times import jumps_at_start
from blunt_ember.flow.answering.expected_fields import ExpectedFields, ReferenceField, field_named

#: Share of an answer that an assumption must change to be told.
_FELT = 1e-6
#: How many times the answer a change may be and still be told as a share of it.
_SHARE = 10.0


def answers_of(case: Case, solved: SolvedField) -> tuple[float, ...]:
    """Return the mesh value of every question, in SI; NaN where a run did not get so far."""
    locate_points(case.document, solved.mesh)
    return tuple(answer(question, place, solved) for place, question in enumerate(case.document.questions))


def answer_kind(question: Question, case: Case, solved: SolvedField) -> Kind:
    """Return the kind an answer is shown in: times in the unit that suits the run."""
    if question.condition is not None and solved.run is not None:
        return time_kind(float(solved.run.times[-1]), case.units)
    return case.units.of(question.kind)


def checks_of(
    case: Case, solved: SolvedField, fields: ExpectedFields, exact: ReferenceField | None
) -> tuple[Check, ...]:
    """Return a check for every question, not yet with the error of its answer.

    Where nothing is expected, the ``exact`` solution that was recognised is.
    """
    return tuple(
        _check(case, place, question, solved, fields, exact) for place, question in enumerate(case.document.questions)
    )


def histories_of(
    case: Case, solved: SolvedField, fields: ExpectedFields, exact: ReferenceField | None
) -> tuple[History, ...]:
    """Return what was asked at every instant of a run, with the exact curve where a field says it."""
    if solved.run is None:
        return ()
    found = (
        _history(case, place, question, solved, fields, exact) for place, question in enumerate(case.document.questions)
    )
    return tuple(each for each in found if each is not None)


def _uncoupled(question: Question, solved: SolvedField) -> EnvironmentCoupling | UncoupledError:
    """Why a question about environments has no answer, if that is why."""
    now = isinstance(question, CouplingQuestion) and question.state == "present"
    return solved.coupling_now if now else solved.coupling


def _check(
    case: Case,
    place: int,
    question: Question,
    solved: SolvedField,
    fields: ExpectedFields,
    exact: ReferenceField | None,
) -> Check:
    value = answer(question, place, solved)
    source: Source | None = None
    expected, note = case.expected.get(place), ""
    if np.isnan(value) and solved.run is not None and question.environments:
        note = "it is told of what is steady, and here the clock runs"
    elif np.isnan(value) and solved.run is not None:
        ended = time_shown(float(solved.run.times[-1]))
        met = question.condition is None or solved.run.unfinished
        note = f"the run ended at {ended}, before that time" if met else f"not reached by {ended}"
    elif np.isnan(value) and question.environments and isinstance(why := _uncoupled(question, solved), UncoupledError):
        note = f"there is no such coefficient: {why}"
    elif np.isnan(value) and isinstance(question, TransmittanceQuestion):
        note = f"it has no value: {solved.walls(question.transmittance, question.to, question.lengths)}"
    elif np.isnan(value) and isinstance(question, PointTransmittanceQuestion):
        note = f"it has no value: {solved.flat_wall(question.point_transmittance, question.to)}"
    elif np.isnan(value) and question.environments:
        note = (
            "it has no value: no environment is colder, one is not met by a film, or its temperature follows the place"
        )
    elif np.isnan(value):
        note = "it has no value in this case"
    expect = question.expect
    named = field_named(expect, case) if expect is not None else None
    if named is not None:
        try:
            field = fields.named(named)
            expected = exact_answer(question, field, solved)
            source = source_of(field)
            if np.isnan(expected):
                expected, note = None, note or f"'{named}' does not say this"
        except ReferenceRefusedError as refusal:
            note = f"'{named}' does not hold here: {refusal}"
            if not np.isnan(value):
                expected, source = _recognised(question, solved, fields, exact)
    elif expect is not None and expect.working is not None:
        source = Source(Provenance.WORKING, expect.working)
    elif expect is not None:
        source = Source(Provenance.STATED, expect.source or "source not stated")
    elif not np.isnan(value):
        expected, source = _recognised(question, solved, fields, exact)
    asked = question.sentence(case.document.body.heat_basis, solved.run is not None)
    kind = answer_kind(question, case, solved)
    unbounded = "" if np.isnan(value) else _without_bound(question, place, solved)
    if expected is not None and not np.isfinite(expected):
        expected, note = None, note or "what is expected is not finite"
    note = unbounded or note or _assumption(question, place, solved, value, kind)
    found = check(question, kind, asked, value, expected, source, solved.span, note, as_nothing(question, solved))
    if unbounded:
        found = replace(found, unbounded=True)
    return replace(found, where=place_of_extreme(question, place, solved))


def _recognised(
    question: Question, solved: SolvedField, fields: ExpectedFields, exact: ReferenceField | None
) -> tuple[float | None, Source | None]:
    """What an exact solution says that holds without being asked for, and its source."""
    for field in fields.of_itself(question, exact):
        try:
            expected = exact_answer(question, field, solved)
        except ReferenceRefusedError:
            continue
        if not np.isfinite(expected):
            continue
        if _trusted(question, field, expected, solved):
            return expected, source_of(field)
    return None, None


def _trusted(question: Question, field: ReferenceField, expected: float, solved: SolvedField) -> bool:
    """Whether what is ``expected`` errs by less than is allowed; else it says nothing of whether an answer is right."""
    second = by_fewer(field)
    if second is None:
        return True
    fewer, error = second
    changes = abs(expected - exact_answer(question, fewer, solved))
    share = error / solved.span if solved.span else np.inf
    near = max(changes, share * scale_of(question, expected, solved.span))
    return near <= allowed_of(question, expected, solved.span)


def _without_bound(question: Question, place: int, solved: SolvedField) -> str:
    """Why an answer changes without end as cells become smaller; empty where it does not."""
    asked, run, questions = question.asked_time, solved.run, solved.document.questions
    t = asked.si if asked is not None else 0.0 if run is None else float(run.times[-1])
    if question.condition is not None:  # what heats when it is met, which may have ended since
        t = answer(question, place, solved)
    if np.isnan(t):
        return ""
    problem = solved.problem if run is None else run.problem_at(t)
    if problem is None:
        return ""
    if isinstance(question, HeatFlowQuestion | HeatPassedQuestion):
        members = solved.document.members_of(question.target)
        jumps = jumps_at_start(solved, members) if isinstance(question, HeatFlowQuestion) and t == 0 else None
        if jumps is not None:
            return _NO_BOUND_AT_ONCE.format(jumps)
        pair = meets_otherwise_held(problem, members, t)
        return "" if pair is None else _NO_BOUND_BETWEEN.format(*pair)
    passed = question.condition if question.condition is not None and question.condition.passes is not None else None
    for reading in question.readings if passed is None else (reading_of(passed),):
        path = ("questions", place, question.asks)
        probe = probe_of(reading, solved.document, solved.mesh, solved.geometry, path)
        heated = heated_at_a_place(replace(problem, mesh=solved.mesh), reading.how, probe, t)
        if heated is not None:
            return _NO_BOUND_AT.format(*heated)
    for number, other in enumerate(questions):
        if other.name in question.over and _without_bound(other, number, solved):
            return f"it has no bound, as '{other.name}' has none"
    return ""


_NO_BOUND_BETWEEN = (
    "it has no bound: '{}' and '{}' meet and are held at two temperatures, so that more heat passes "
    "between them the smaller the cells are; ask about both together, or give one of them a film"
)
_NO_BOUND_AT_ONCE = (
    "it has no bound: '{}' is held at another temperature than the body begins with, and at that very moment the flux "
    "is infinite; ask a moment later, or for the heat that has passed"
)
_NO_BOUND_AT = (
    "it has no bound: '{}' takes up no room, so that the temperature there is the {} the smaller the cells are; "
    "ask beside it, or let the heat arise in a region"
)


def _assumption(question: Question, place: int, solved: SolvedField, value: float, kind: Kind) -> str:
    """How much of what is radiated is that radiosity differs along surfaces, which a hand calculation leaves out."""
    if not question.enclosed or solved.evened is None:
        return ""
    even = answer(question, place, solved.evened)
    if not abs(even - value) > _FELT * abs(value):
        return ""
    # Of what is nothing but round-off a share says nothing.
    share = (even - value) / abs(value) if value else np.inf
    change = f", {100 * share:+.2g} %".replace("-", "−") if abs(share) < _SHARE else ""
    return f"with every surface taken as one, at these temperatures: {shown(even, kind)}{change}"


def _history(
    case: Case,
    place: int,
    question: Question,
    solved: SolvedField,
    fields: ExpectedFields,
    exact: ReferenceField | None,
) -> History | None:
    assert solved.run is not None
    values = history(question, place, solved)
    if values is None:
        return None
    kind, times = answer_kind(question, case, solved), solved.run.times
    named = field_named(question.expect, case) if question.expect is not None else None
    try:
        field = exact if named is None else fields.named(named)
    except ReferenceRefusedError:
        field = exact
    try:
        if field is not None:
            seen = thinned(times)
            curve = exact_history(question, field, solved, seen)
            if curve is not None and not np.isnan(curve).all():
                return History(question.name, kind, values, seen, curve, source_of(field))
    except ReferenceRefusedError:
        pass
    return History(question.name, kind, values, times, None, None)
