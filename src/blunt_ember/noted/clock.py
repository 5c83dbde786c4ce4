"""What a phrase says of the clock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.evaluation import quantity_si
from blunt_ember.case.values.units import TEMPERATURE, TEMPERATURE_DIFFERENCE, TIME
from blunt_ember.noted.line_so_far import IDLE, NotedEnd, ReadLine
from blunt_ember.noted.noted_body import NotedBody
from blunt_ember.noted.phrases import DIFFERENCES, KEYS, STARTS, NotedValue, NotedWord, Token

#: How long a run lasts at the most that has no end of its own.
_LONGEST = "30 d"


#: Words for the middle of a body.
_MIDDLE = frozenset(("middle", "centre", "center", "core"))


def take_clock(line: ReadLine, read: list[Token]) -> list[Token]:
    """Take out of a phrase how the clock runs, and return what is left of it."""
    left: list[Token] = []
    ending: list[NotedWord] | None = None  # the words since `until`, which may say where a temperature is read
    for token in read:
        if isinstance(token, NotedWord) and token.text.lower() in ("until", "for", "from"):
            ending = [] if token.text.lower() == "until" else None
            continue  # what it ends with follows
        if not isinstance(token, NotedValue):
            if ending is None:
                left.append(token)
            elif token.text.lower() not in IDLE:
                ending.append(token)
        elif token.kind is TEMPERATURE and (token.key == "until" or ending is not None):
            if line.until is not None or line.within:
                line.fault(token, f"'{token.text}' is a second end of the run; remove one")
            line.until = NotedEnd(token.text, ending[0] if ending else None)
            ending = None
        elif token.kind is TEMPERATURE and token.key in (*STARTS, "initially"):
            line.once(line.clock, "start", token)
        elif token.key in DIFFERENCES:
            what = "how much warmer one side is does not say how warm they are: say both, 'left 100 °C; right 20 °C'"
            line.fault(token, what)
        elif token.kind is TEMPERATURE_DIFFERENCE:
            if line.until is not None:
                line.fault(token, f"'{token.text}' is a second end of the run; remove one")
            line.once(line.within, "within", token)
        elif token.kind is TIME:
            line.once(line.clock, "end", token)
        elif token.key in ("until", "for", "lasts", *STARTS, "initially", "within"):
            line.fault(token, f"'{token.text}' after '{token.key}' is no {KEYS[token.key][0].name.split(' ', 1)[1]}")
        else:
            left.append(token)
    return left if ending is None else [*left, *ending]


def clock_of(
    line: ReadLine, surroundings: Sequence[Mapping[str, Any]], body: NotedBody
) -> tuple[dict[str, Any], list[str]]:
    """The clock, where the line says anything of it, and what it lacks."""
    if not line.clock and not line.within and line.until is None:
        return {}, []
    clock: dict[str, Any] = dict(line.clock)
    lacks = []
    if "start" not in clock:
        clock["start"] = "20 °C"
        lacks.append("the temperature it starts from, such as 'from 640 °C'; 20 °C is taken")
    if line.until is not None:
        clock["until"] = _passing(line, line.until, clock["start"], body)
    elif line.within:
        clock["until"] = {"settled": line.within["within"]}
    elif "end" not in clock:
        clock["until"] = {"settled": "1 K"}
    clock.setdefault("end", _LONGEST)
    if not surroundings:
        clock["end"] = clock["end"] if clock["end"] != _LONGEST else "1 h"
    return clock, lacks


def _passing(line: ReadLine, end: NotedEnd, start: str, body: NotedBody) -> dict[str, Any]:
    """When a temperature is passed: by the last of the body, or at the place that is said."""
    cools = quantity_si(start, TEMPERATURE, {}) > quantity_si(end.passes, TEMPERATURE, {})
    last, word = "highest" if cools else "lowest", end.place.text.lower() if end.place is not None else ""
    middle = next((asked["temperature"] for asked in body.questions if asked["name"] == "middle"), None)
    if word in _MIDDLE and middle is not None:
        return {"passes": end.passes, "temperature": middle}
    if word in body.sides:
        return {"passes": end.passes, last: list(body.sides[word])}
    if end.place is not None:
        known = [*(sorted(_MIDDLE) if middle is not None else ()), *body.sides]
        line.fault(end.place, f"'{word}' is no place of it{nearest(word, known)}")
    return {"passes": end.passes, last: "body"}
