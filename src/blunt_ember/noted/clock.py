"""What a phrase says of the clock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.case.values.units import TEMPERATURE, TEMPERATURE_DIFFERENCE, TIME
from blunt_ember.noted.line_so_far import ReadLine
from blunt_ember.noted.phrases import KEYS, NotedValue, NotedWord, Token

#: How long a run lasts at the most that has no end of its own.
_LONGEST = "30 d"


def take_clock(line: ReadLine, read: list[Token]) -> list[Token]:
    """Take out of a phrase how the clock runs, and return what is left of it."""
    left: list[Token] = []
    for token in read:
        if isinstance(token, NotedWord) and token.text.lower() in ("until", "for", "from"):
            continue  # what it ends with follows
        if not isinstance(token, NotedValue):
            left.append(token)
        elif token.kind is TEMPERATURE and token.key in ("from", "start", "starts", "initially"):
            line.once(line.clock, "start", token)
        elif token.kind is TEMPERATURE_DIFFERENCE:
            line.once(line.within, "within", token)
        elif token.kind is TIME:
            line.once(line.clock, "end", token)
        elif token.key in ("until", "for", "lasts", "from", "start", "starts", "initially", "within"):
            line.fault(token, f"'{token.text}' after '{token.key}' is no {KEYS[token.key][0].name.split(' ', 1)[1]}")
        else:
            left.append(token)
    return left


def clock_of(line: ReadLine, surroundings: Sequence[Mapping[str, Any]]) -> tuple[dict[str, Any], list[str]]:
    """The clock, where the line says anything of it, and what it lacks."""
    if not line.clock and not line.within:
        return {}, []
    clock: dict[str, Any] = dict(line.clock)
    lacks = []
    if "start" not in clock:
        clock["start"] = "20 °C"
        lacks.append("the temperature it starts from, such as 'from 640 °C'; 20 °C is taken")
    if line.within:
        clock["until"] = {"settled": line.within["within"]}
    elif "end" not in clock:
        clock["until"] = {"settled": "1 K"}
    clock.setdefault("end", _LONGEST)
    if not surroundings:
        clock["end"] = clock["end"] if clock["end"] != _LONGEST else "1 h"
    return clock, lacks
