"""The sheet's questions, parameters and working."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from blunt_ember.case.case import Case
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.places import Line, is_several
from blunt_ember.case.document.questions.between_environments import CouplingQuestion, TemperatureFactorQuestion
from blunt_ember.case.document.questions.derived import DerivedQuestion, formula_name
from blunt_ember.case.document.questions.heat_stored import HeatStoredQuestion
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion, HeatPassedQuestion
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.questions.radiation import (
    RADIATED_WORDS,
    ExchangeQuestion,
    RadiationQuestion,
    ViewFactorQuestion,
)
from blunt_ember.case.document.questions.surface_humidity import SurfaceHumidityQuestion
from blunt_ember.case.document.questions.temperatures import (
    HighestQuestion,
    LowestQuestion,
    MeanQuestion,
    PointQuestion,
)
from blunt_ember.case.document.questions.transmittance import PointTransmittanceQuestion, TransmittanceQuestion
from blunt_ember.case.document.questions.when import WhenQuestion
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.renaming import renamed_question
from blunt_ember.errors import DataPath
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.asked.asking import new_questions
from blunt_ember.sentences.blocks.asked.expected import expected
from blunt_ember.sentences.blocks.clock import condition_parts
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    TypedEdit,
    Word,
    entry,
    place_entries,
    removing,
    setting,
    typing,
)


def questions(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the questions with what is expected of each."""
    rows: list[SheetRow] = []
    found = tuple(outcome.geometry.surfaces) if outcome and outcome.geometry else ()
    surfaces = (*case.document.surfaces, *found)
    for place, question in enumerate(case.document.questions):
        path = ("questions", place)
        rows.append(
            (
                Entry(f"question {place}", question.name, "Name of the question", _naming(place), "name"),
                *_asked(case, path, question, surfaces),
                *expected(case, path, question),
                Remove(f"remove question {place}", "Remove this question", removing(path), at=path),
            )
        )
    rows.append((Choice("add question", "ask a question …", new_questions(case, surfaces, outcome), "link"),))
    return SheetSection("Questions", f"{len(case.document.questions)} asked", tuple(rows))


def _naming(place: int) -> TypedEdit:
    return lambda now, typed: renamed_question(now, place, typed.strip())


def _asked(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    """The sentence of a question; one of a kind that has none of its own is said as it is read."""
    said = _SENTENCES.get(type(question))
    if said is None:
        runs = case.document.running_clock is not None
        return [Word(question.sentence(case.document.body.heat_basis, runs))]
    return said(case, path, question, surfaces)


def _when(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert question.condition is not None
    return [Word("the time when"), *condition_parts(case, (*path, question.asks), question.condition)]


def _stored(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    inside = _targets(path, question, ("body", *case.document.body.fillings))
    target = Choice(f"target {path[1]}", str(question.target), inside)
    return [Word("heat stored in"), target, *_at_time(case, path, question)]


def _through(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, HeatFlowQuestion | HeatPassedQuestion)
    place, target = path[1], question.target
    between = isinstance(target, str) and "|" in target
    ways = {"in": "from first to second", "out": "from second to first"} if between else {"in": "into", "out": "out of"}
    bases = {"area": "per m²", "depth": case.document.body.heat_basis}
    if "depth" in type(case.document.body).model_fields:
        bases["length"] = "per metre"
    return [
        Word("heat" if isinstance(question, HeatFlowQuestion) else "heat passed"),
        Choice(
            f"direction {place}",
            ways[question.direction],
            tuple(Option(words, setting((*path, "direction"), key)) for key, words in ways.items()),
            "plain choice",
        ),
        Word("over" if between else "the body through"),
        _target(case, path, question, _several(path, question, surfaces, surfaces)),
        Choice(
            f"basis {place}",
            bases[question.basis],
            tuple(Option(words, setting((*path, "basis"), key)) for key, words in bases.items()),
            "plain choice",
        ),
        *_at_time(case, path, question),
    ]


def _point(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    return [Word("temperature at"), *place_entries(case, (*path, question.asks)), *_at_time(case, path, question)]


def _measured(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    place, target = path[1], question.target
    measures = tuple(Option(words, _measuring(path, question.asks, words)) for words in ("highest", "lowest", "mean"))
    parts: list[SentencePart] = [Choice(f"measure {place}", question.asks, measures, "plain choice")]
    if isinstance(target, Line):
        laid = _laid(case, (*path, question.asks), target, surfaces)
        return [*parts, Word("temperature"), *laid, *_side(case, path, question), *_at_time(case, path, question)]
    known = (*surfaces, "body", *case.document.body.fillings)
    return [
        *parts,
        Word("temperature of"),
        _target(case, path, question, _several(path, question, known, surfaces)),
        *_side(case, path, question),
        *_at_time(case, path, question),
    ]


def _radiated(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, RadiationQuestion)
    place, target = path[1], _target(case, path, question, _targets(path, question, _seeing(case, surfaces)))
    said = {how: f"{words[0].lower()}{words[1:]}" for how, words in RADIATED_WORDS.items()}
    bases = {"area": "per m²", "depth": case.document.body.heat_basis}
    hows = tuple(Option(words, setting((*path, "how"), key)) for key, words in said.items())
    basis = tuple(Option(words, setting((*path, "basis"), key)) for key, words in bases.items())
    return [
        Choice(f"how {place}", said[question.how], hows, "plain choice"),
        target,
        Choice(f"basis {place}", bases[question.basis], basis, "plain choice"),
        *_at_time(case, path, question),
    ]


def _between_two(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, ViewFactorQuestion | ExchangeQuestion)
    known = (*_seeing(case, surfaces), OPENING)
    to = tuple(Option(name, setting((*path, "to"), name)) for name in known)
    members = case.document.members_of(question.to)
    times = _at_time(case, path, question) if isinstance(question, ExchangeQuestion) else []
    return [
        Word("view factor from" if isinstance(question, ViewFactorQuestion) else "net heat radiated from"),
        _target(case, path, question, _targets(path, question, known)),
        Word("to"),
        Choice(f"to {path[1]}", question.to, to, points=(question.to, *members), at=(*path, "to")),
        *times,
    ]


#: For which temperatures a coefficient is said.
_STATES = {"any": "at any temperatures", "present": "as it stands"}


def _coupled(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, CouplingQuestion)
    names = tuple(case.document.environments)
    bases = {"depth": case.document.body.heat_basis, "length": "per metre"}
    to = tuple(Option(name, setting((*path, "to"), name)) for name in names if name != question.coupling)
    first = tuple(Option(name, setting((*path, question.asks), name)) for name in names if name != question.to)
    basis = tuple(Option(words, setting((*path, "basis"), key)) for key, words in bases.items())
    parts: list[SentencePart] = [
        Word("thermal coupling coefficient of"),
        Choice(f"target {path[1]}", question.coupling, first, at=(*path, question.asks)),
        Word("and"),
        Choice(f"to {path[1]}", question.to, to, at=(*path, "to")),
    ]
    if "depth" in type(case.document.body).model_fields:
        parts.append(Choice(f"basis {path[1]}", bases[question.basis], basis, "plain choice"))
    state = tuple(Option(words, setting((*path, "state"), key)) for key, words in _STATES.items())
    return [*parts, Choice(f"state {path[1]}", _STATES[question.state], state, "plain choice")]


def _transmitted(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, TransmittanceQuestion)
    names = tuple(case.document.environments)
    to = tuple(Option(name, setting((*path, "to"), name)) for name in names if name != question.transmittance)
    first = tuple(Option(name, setting((*path, question.asks), name)) for name in names if name != question.to)
    sides = tuple(Option(f"by {side} lengths", setting((*path, "lengths"), side)) for side in ("inner", "outer"))
    return [
        Word("linear transmittance ψ of"),
        Choice(f"target {path[1]}", question.transmittance, first, at=(*path, question.asks)),
        Word("to"),
        Choice(f"to {path[1]}", question.to, to, at=(*path, "to")),
        Choice(f"lengths {path[1]}", f"by {question.lengths} lengths", sides, "plain choice"),
    ]


def _point_transmitted(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, PointTransmittanceQuestion)
    names = tuple(case.document.environments)
    to = tuple(Option(name, setting((*path, "to"), name)) for name in names if name != question.point_transmittance)
    first = tuple(Option(name, setting((*path, question.asks), name)) for name in names if name != question.to)
    return [
        Word("point transmittance χ of"),
        Choice(f"target {path[1]}", question.point_transmittance, first, at=(*path, question.asks)),
        Word("to"),
        Choice(f"to {path[1]}", question.to, to, at=(*path, "to")),
    ]


def _factor(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    names = tuple(Option(name, setting((*path, question.asks), name)) for name in case.document.environments)
    room = Choice(f"target {path[1]}", str(question.target), names, at=(*path, question.asks))
    return [Word("temperature factor at the coldest place of"), room]


def _humidity(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    names = tuple(Option(name, setting((*path, question.asks), name)) for name in case.document.environments)
    room = Choice(f"target {path[1]}", str(question.target), names, at=(*path, question.asks))
    air = entry(case, (*path, "humidity"), "Relative humidity of the air of the room, such as 50 %")
    return [Word("humidity at the coldest place of"), room, Word(", whose air has"), *air]


def _derived(case: Case, path: DataPath, question: Question, surfaces: tuple[str, ...]) -> list[SentencePart]:
    assert isinstance(question, DerivedQuestion)
    others = [formula_name(each.name) for each in case.document.questions[: int(path[1])]]
    hint = f"Formula over answers, parameters and the Working; there is {', '.join(others) or 'no question before it'}"
    key, where = f"questions[{path[1]}].derived", (*path, question.asks)
    return [Word("derived:"), Entry(key, question.derived, hint, typing(where), "formula", where)]


def _seeing(case: Case, surfaces: tuple[str, ...]) -> tuple[str, ...]:
    """Surfaces that an enclosure may have: none between regions."""
    return tuple(name for name in surfaces if "|" not in name)


def _targets(path: DataPath, question: Question, names: tuple[str, ...]) -> tuple[Option, ...]:
    return tuple(Option(name, setting((*path, question.asks), name)) for name in names)


def _several(
    path: DataPath, question: Question, names: tuple[str, ...], surfaces: tuple[str, ...]
) -> tuple[Option, ...]:
    """What may be asked about: one of ``names``, or one surface more or less of several."""
    place, asked = (*path, question.asks), question.target
    several = asked if is_several(asked) else (asked,) if asked in surfaces else ()
    instead = _targets(path, question, names)
    also = tuple(
        Option(f"and {name} too", setting(place, [*several, name]))
        for name in (surfaces if several else ())
        if name not in several and "|" not in name
    )
    fewer = [(gone, [name for name in several if name != gone]) for gone in several if len(several) > 1]
    less = tuple(Option(f"without {gone}", setting(place, left[0] if len(left) == 1 else left)) for gone, left in fewer)
    return (*less, *instead, *also)


def _target(case: Case, path: DataPath, question: Question, options: tuple[Option, ...]) -> Choice:
    asked = question.target if is_several(question.target) else (str(question.target),)
    points = tuple(dict.fromkeys((*asked, *case.document.members_of(asked))))
    return Choice(f"target {path[1]}", ", ".join(asked), options, points=points, at=(*path, question.asks))


_Said = Callable[[Case, DataPath, Question, tuple[str, ...]], list[SentencePart]]


#: How the kinds of question are edited in place.
_SENTENCES: Mapping[type[Question], _Said] = MappingProxyType(
    {
        HeatFlowQuestion: _through,
        HeatPassedQuestion: _through,
        HeatStoredQuestion: _stored,
        PointQuestion: _point,
        HighestQuestion: _measured,
        LowestQuestion: _measured,
        MeanQuestion: _measured,
        WhenQuestion: _when,
        RadiationQuestion: _radiated,
        ViewFactorQuestion: _between_two,
        ExchangeQuestion: _between_two,
        CouplingQuestion: _coupled,
        TransmittanceQuestion: _transmitted,
        PointTransmittanceQuestion: _point_transmitted,
        TemperatureFactorQuestion: _factor,
        SurfaceHumidityQuestion: _humidity,
        DerivedQuestion: _derived,
    }
)


def _laid(case: Case, path: DataPath, line: Line, surfaces: tuple[str, ...]) -> list[SentencePart]:
    """How a line that is read along runs."""
    place = path[1]

    def one_of(number: int | None, key: str, name: str) -> Choice:
        where = (*path, key) if number is None else (*path, key, number)
        options = tuple(Option(each, setting(where, each)) for each in surfaces)
        members = case.document.members_of(name)
        return Choice(f"{key} {place} {number or 0}", name, options, points=(name, *members))

    if line.edge is not None:
        if isinstance(line.edge, str):
            return [Word("along"), one_of(None, "edge", line.edge)]
        first, second = (one_of(number, "edge", name) for number, name in enumerate(line.edge))
        return [Word("along the edge of"), first, Word("and"), second]
    if line.between is not None:
        first, second = (one_of(number, "between", name) for number, name in enumerate(line.between))
        return [Word("from"), first, Word("to"), second]
    if line.centre is not None:
        parts: list[SentencePart] = [
            Word("round"),
            *place_entries(case, (*path, "centre")),
            Word("at"),
            *entry(case, (*path, "radius"), "Radius, such as 20 mm"),
        ]
        if len(case.document.body.coordinates) == 3:
            axes = tuple(Option(f"across {axis}", setting((*path, "across"), axis)) for axis in "xyz")
            parts.append(Choice(f"across {place}", f"across {line.across or 'z'}", axes, "plain choice"))
        return parts
    start, end = (place_entries(case, (*path, which)) for which in ("start", "end"))
    return [Word("from"), *start, Word("to"), *end]


def _at_time(case: Case, path: DataPath, question: Question) -> list[SentencePart]:
    """The time it is asked for, where the clock runs."""
    if case.document.running_clock is None:
        return []
    if question.asked_time is None:
        options = (Option("at a time", setting((*path, "time"), "10 min")),)
        return [Choice(f"time {path[1]}", "at the end", options, "plain choice")]
    end = Option("at the end", removing((*path, "time")))
    time = entry(case, (*path, "time"), "Time on the clock, such as 10 min")
    return [Word("at"), *time, Choice(f"time {path[1]}", "…", (end,), "link")]


def _side(case: Case, path: DataPath, question: Question) -> list[SentencePart]:
    """At a joint that is not perfect, the side from which the temperature is read."""
    target = question.target
    name = target.edge if isinstance(target, Line) and isinstance(target.edge, str) else str(target)
    stated = {
        member for joint in case.document.joints for on in joint.surfaces for member in case.document.members_of(on)
    }
    if name not in stated or "|" not in name:
        return []
    regions = name.split("|")
    options = tuple(Option(f"on the side of {region}", setting((*path, "side"), region)) for region in regions)
    said = question.readings[0].side or regions[0]
    return [Choice(f"side {path[1]}", f"on the side of {said}", options, "plain choice")]


def _measuring(path: DataPath, old: str, new: str) -> Edit:
    def change(now: Case) -> Case:
        question = now.data["questions"][path[1]]
        return with_value(now, path, {new if key == old else key: value for key, value in question.items()})

    return change
