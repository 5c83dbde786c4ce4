"""What the sheet says of the clock: when it starts, how it ends, its stages, and what physics says beforehand."""

from __future__ import annotations

from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.document.clock import WHOLE_BODY, Clock, Condition
from blunt_ember.case.document.places import is_several
from blunt_ember.case.document.questions.question import named
from blunt_ember.case.editing.edits import free_name, value_at, with_value
from blunt_ember.case.values.display import number, time_kind, time_shown
from blunt_ember.case.values.laws import PLACE
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.errors import DataPath
from blunt_ember.fem.transient.time_constants import SETTLED_AFTER, SETTLED_SHARE, TimeScales
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.surroundings import surrounding_options, surrounding_sentence
from blunt_ember.sentences.parts import (
    Choice,
    Edit,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    Word,
    adding,
    entry,
    law_entry,
    place_entries,
    removing,
    setting,
    typing,
)

_START = "20 °C"
_CLOCK: DataPath = ("clock",)
_CONDITIONS: dict[str, tuple[str, dict[str, Any]]] = {
    "settled": ("near the steady answer", {"settled": "0.5 K"}),
    "slower": ("changing slowly", {"slower": "1 K/min"}),
    "near": ("all near a temperature", {"near": "20 °C", "within": "1 K"}),
    "passes": ("a temperature is passed", {"passes": "100 °C", "highest": WHOLE_BODY}),
}


def clock_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the clock; ``outcome`` gives what is predicted."""
    clock = case.document.running_clock
    if clock is None:
        run = Option("let it run from a start", setting(_CLOCK, {"start": _START}))
        return SheetSection(
            "Clock", "steady", ((Choice("run the clock", "let the clock run …", (run,), "link", direct=True),),)
        )
    rows: list[SheetRow] = [_start_row(case, clock)]
    rows += [_region_row(case, name) for name in clock.start_in]
    if clock.stages:
        rows += [row for place in range(len(clock.stages)) for row in _stage_rows(case, place, outcome)]
    else:
        rows.append(_end_row(case, _CLOCK, "end", clock.until, outcome))
    rows.append(_stepping_row(case, clock))
    rows.append(_keeping_row(case, clock))
    scales = outcome.scales if outcome is not None else None
    if scales is not None:
        rows += _predicted(case, scales, outcome)
    rows.append((_more(case, clock, outcome),))
    return SheetSection("Clock", _state(case, clock, outcome), tuple(rows))


def _state(case: Case, clock: Clock, outcome: Outcome | None) -> str:
    run = outcome.run if outcome is not None else None
    if run is not None:
        steps = ", exact in time" if run.exact_in_time else f" in {run.work.steps} steps"
        return f"ran to {time_shown(float(run.times[-1]))}{steps}"
    return f"{len(clock.stages)} stages" if clock.stages else "runs"


def _start_row(case: Case, clock: Clock) -> SheetRow:
    as_steady = Option("as the steady answer of what surrounds it at first", setting(("clock", "start"), "steady"))
    at_one = Option("at a temperature", setting(("clock", "start"), _START))
    if isinstance(clock.start, str):
        words = Choice("start of the clock", "as the steady answer at time zero", (at_one,), "plain choice")
        return Word("starts"), words
    hint = "Temperature at the start, such as 20 °C, or a formula in place"
    at = law_entry(case, ("clock", "start"), hint, TEMPERATURE, " ".join(PLACE))
    others = tuple(
        Option(f"{name} at another temperature", setting(("clock", "start_in", name), _START))
        for name in case.document.body.fillings
        if name not in clock.start_in
    )
    return Word("starts at"), *at, Choice("start of the clock", "…", (as_steady, *others), "link")


def _region_row(case: Case, name: str) -> SheetRow:
    path: DataPath = ("clock", "start_in", name)
    at = law_entry(case, path, "Temperature of this region at the start", TEMPERATURE, " ".join(PLACE))
    return Word(f"{name} at"), *at, Remove(f"remove start of {name}", "Start as the rest", removing(path), at=path)


def _end_row(case: Case, path: DataPath, key: str, until: Condition | None, outcome: Outcome | None) -> SheetRow:
    """How the clock, or one of its stages, ends."""
    lasts = value_at(case.data, (*path, key)) is not None
    name = "clock" if path == _CLOCK else f"stage {path[-1]}"
    scales = outcome.scales if outcome is not None else None
    first = _suggested(scales) or "1 hour"
    options = [] if lasts else [Option("at a time", setting((*path, key), first))]
    options += [
        Option(f"when {words}", setting((*path, "until"), what))
        for way, (words, what) in _CONDITIONS.items()
        if until is None or until.way != way
    ]
    if lasts and (until is not None or path == _CLOCK):
        options.append(Option("not at a time", removing((*path, key))))
    if until is not None and (lasts or path == _CLOCK):
        options.append(Option("without a condition", removing((*path, "until"))))
    parts: list[SentencePart] = []
    if lasts:
        verb = "ends at" if path == _CLOCK else "lasts"
        parts += [Word(verb), *entry(case, (*path, key), "Time, such as 40 min")]
    if until is not None:
        parts += [Word("or sooner, when" if lasts else "ends when"), *condition_parts(case, (*path, "until"), until)]
    if not parts:
        share = number(100 * SETTLED_SHARE)
        parts.append(Word(f"ends when settled to {share} % of the span, as nothing else is stated", "quiet"))
    return *parts, Choice(f"end of the {name}", "…", tuple(options), "link")


def _suggested(scales: TimeScales | None) -> str | None:
    if scales is None or scales.suggested_end is None or not scales.suggested_end > 0:
        return None
    kind = time_kind(scales.suggested_end)
    unit = {"h": "hour", "days": "day"}.get(kind.shown, kind.shown)
    return f"{float(f'{scales.suggested_end * kind.factor:.2g}'):g} {unit}"


def condition_parts(case: Case, path: DataPath, until: Condition) -> list[SentencePart]:
    """Return the parts for a condition at a path, to stand behind ``when``."""
    if until.way == "settled":
        hint = "Largest distance from the steady answer, such as 0.5 K"
        return [Word("within"), *entry(case, (*path, "settled"), hint), Word("of the steady answer")]
    if until.way == "slower":
        return [Word("nothing changes faster than"), *entry(case, (*path, "slower"), "Such as 1 K/min")]
    if until.way == "near":
        within = entry(case, (*path, "within"), "How near, such as 1 K") if until.within is not None else [Word("1 K")]
        near = entry(case, (*path, "near"), "Temperature, such as 20 °C")
        return [Word("everything is within"), *within, Word("of"), *near]
    passes = entry(case, (*path, "passes"), "Temperature that is passed, such as 500 °C")
    return [*_read(case, path, until), Word("passes"), *passes, _going(path, until)]


def _going(path: DataPath, until: Condition) -> Choice:
    ways = {"up": "going up", "down": "going down"}
    options = [Option(words, setting((*path, "going"), way)) for way, words in ways.items()]
    if until.going is not None:
        options.append(Option("either way", removing((*path, "going"))))
    said = ways[until.going] if until.going is not None else "either way"
    return Choice(f"way of {'.'.join(str(part) for part in path)}", said, tuple(options), "plain choice")


def _read(case: Case, path: DataPath, until: Condition) -> list[SentencePart]:
    """What is read of the temperatures for a condition."""
    key = f"reading of {'.'.join(str(part) for part in path)}"
    passes = value_at(case.data, (*path, "passes"))
    going = {"going": until.going} if until.going is not None else {}
    regions = (WHOLE_BODY, *case.document.body.fillings, *case.document.surfaces)
    options = [
        Option(
            f"{measure} in",
            options=tuple(Option(name, setting(path, {"passes": passes, measure: name, **going})) for name in regions),
        )
        for measure in ("highest", "lowest", "mean")
    ]
    origin = ["0 mm"] * len(case.document.body.coordinates)
    options.append(Option("at a point", setting(path, {"passes": passes, "temperature": origin, **going})))
    if until.how == "temperature":
        return [Choice(key, "the point", tuple(options), "plain choice"), *place_entries(case, (*path, "temperature"))]
    of_surfaces = isinstance(until.target, str) or is_several(until.target)
    said = f"{until.how} of {named(until.target)}" if of_surfaces else f"{until.how} along a line"
    return [Word("the"), Choice(key, said, tuple(options), "plain choice")]


def _stage_rows(case: Case, place: int, outcome: Outcome | None) -> list[SheetRow]:
    clock = case.document.running_clock
    assert clock is not None
    stage, path = clock.stages[place], ("clock", "stages", place)
    found = outcome.geometry.surfaces if outcome is not None and outcome.geometry is not None else {}
    outer = tuple(name for name, surface in found.items() if surface.outer)
    into: DataPath = (*path, "surroundings")
    offers = tuple(
        Option(name, options=surrounding_options(name, (), into)) for name in (*case.document.surfaces, *outer)
    )
    head: SheetRow = (
        Entry(f"stage {place}", stage.name, "Name of the stage", typing((*path, "name")), "name"),
        *_end_row(case, path, "lasts", stage.until, outcome),
        Remove(
            f"remove stage {place}",
            f"Remove the stage {stage.name}",
            _without_stage(place),
            at=("clock", "stages", place),
        ),
    )
    stated = [
        (Word("  "), *surrounding_sentence(case, (*into, number), entry, outer))
        for number, entry in enumerate(stage.surroundings)
    ]
    add = Choice(f"add to stage {place}", f"what is different in {stage.name} …", offers, "link")
    return [head, *stated, (Word("  "), add)]


def _without_stage(place: int) -> Edit:
    def change(now: Case) -> Case:
        clock = dict(now.data["clock"])
        stages = [stage for number, stage in enumerate(clock["stages"]) if number != place]
        clock = {key: value for key, value in clock.items() if key != "stages"}
        return with_value(now, _CLOCK, {**clock, "stages": stages} if stages else clock)

    return change


def _stepping_row(case: Case, clock: Clock) -> SheetRow:
    capacities = {"consistent": "as cells have it", "lumped": "lumped at nodes"}
    ways = tuple(Option(words, setting(("clock", "capacity"), key)) for key, words in capacities.items())
    capacity = Choice("capacity", capacities[clock.capacity], ways, "plain choice")
    by_error = Option("steps by their error", removing(("clock", "step")))
    fixed = Option("a fixed step", setting(("clock", "step"), "10 s"))
    if clock.step is not None:
        step = entry(case, ("clock", "step"), "Fixed step, such as 10 s")
        return Word("fixed steps of"), *step, Choice("steps", "…", (by_error,), "link"), Word("heat kept"), capacity
    tolerance = Entry(
        "clock.tolerance",
        clock.tolerance.text,
        "Error of time stepping: a share of the span, or 0.1 K",
        typing(("clock", "tolerance")),
    )
    return (Word("steps to within"), tolerance, Choice("steps", "…", (fixed,), "link"), Word("heat kept"), capacity)


def _keeping_row(case: Case, clock: Clock) -> SheetRow:
    if clock.every is None:
        options = (Option("every so often", setting(("clock", "every"), "1 min")),)
        return Word("keeps every step"), Choice("keeping", "…", options, "link")
    every = entry(case, ("clock", "every"), "How often fields are kept, such as 1 min")
    options = (Option("every step", removing(("clock", "every"))),)
    return Word("keeps a field every"), *every, Choice("keeping", "…", options, "link")


def _predicted(case: Case, scales: TimeScales, outcome: Outcome | None) -> list[SheetRow]:
    """What physics says before the clock runs, and how it was found."""
    said = []
    if scales.slowest:
        said.append(f"slowest time constant {time_shown(scales.slowest)}, 1/λ of the first mode")
    else:
        said.append("it never settles by itself: nothing holds a temperature")
    if scales.lumped is not None:
        said.append(f"{time_shown(scales.lumped)} if lumped, C/(h A)")
    if scales.biot is not None and scales.length is not None:
        said.append(f"Bi {number(scales.biot, 3)} with L = V/A = {number(scales.length * 1000, 3)} mm")
    end = outcome.run.times[-1] if outcome is not None and outcome.run is not None else scales.suggested_end
    fourier = scales.fourier(float(end)) if end else None
    if fourier is not None and end:
        said.append(f"Fo {number(fourier, 3)} at {time_shown(float(end))}")
    said.append(f"first step {time_shown(scales.first_step, 2)}")
    rows: list[SheetRow] = [(Word("; ".join(said), "note"),)]
    for swing in outcome.swings if outcome is not None else ():
        words = f"what swings at {swing.at} comes to {swing.to} {time_shown(swing.lag)} later"
        rows.append((Word(f"{words}, {number(swing.share, 3)} as high (decrement)", "note", (swing.at, swing.to)),))
    clock, suggested = case.document.running_clock, _suggested(scales)
    if clock is not None and not clock.stages and suggested is not None and clock.end is None:
        words = f"end at {suggested}, {SETTLED_AFTER:g} time constants"
        take = Option(words, setting(("clock", "end"), suggested))
        rows.append((Choice("suggested end", words, (take,), "link", direct=True),))
    return rows


def _more(case: Case, clock: Clock, outcome: Outcome | None) -> Choice:
    lasts = _suggested(outcome.scales if outcome is not None else None) or "1 hour"
    name = free_name("stage", [stage.name for stage in clock.stages])

    def add_stage(now: Case) -> Case:
        if now.data["clock"].get("stages"):
            return adding(("clock", "stages"), {"name": name, "lasts": lasts})(now)
        before = now.data["clock"]
        first: dict[str, Any] = {"name": name}
        first |= {"lasts": before["end"]} if "end" in before else {}
        first |= {"until": before["until"]} if "until" in before else {}
        first |= {} if len(first) > 1 else {"lasts": lasts}
        kept = {key: value for key, value in before.items() if key not in ("end", "until")}
        return with_value(now, _CLOCK, {**kept, "stages": [first]})

    options = (
        Option("a stage with surroundings of its own", add_stage),
        Option("make it steady again", setting(_CLOCK, "steady")),
    )
    return Choice("more of the clock", "a stage, or steady …", options, "link")
