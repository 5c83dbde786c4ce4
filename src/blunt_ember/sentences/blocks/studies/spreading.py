"""Uncertainty in words."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.studies import Uncertainty
from blunt_ember.case.editing.edits import value_at
from blunt_ember.errors import DataPath, path_text
from blunt_ember.sentences.blocks.studies.varied import (
    another,
    gone,
    is_temperature,
    number,
    of_parameter,
    share_of,
    spread_of,
    value,
)
from blunt_ember.sentences.parts import Choice, Option, Remove, SentencePart, SheetRow, Word, adding, removing, setting

#: By distribution, the words before its values, and a hint for those whose word is none.
_WORDS = {
    "normal": ("±",),
    "lognormal": ("by the factor",),
    "uniform": ("from", "to"),
    "triangular": ("from", "likeliest", "to"),
}
_HINTS = {"normal": "Standard deviation, an amount or a share", "lognormal": "Factor that one standard deviation is"}
_SIDES = ("below", "above")
#: Shares of a value, and kelvin of a temperature, between which it lies when nothing else is typed.
_LOW, _HIGH, _KELVIN = 0.9, 1.1, 5.0


def uncertainty(case: Case, path: DataPath, stated: Uncertainty) -> tuple[list[SentencePart], list[SheetRow]]:
    """Return the sentence of an uncertainty, and a row for each parameter and each two that go together."""
    at = (*path, "shares")
    straight = Option("shares by straight lines", removing(at) if stated.shares else None)
    whole = Option("all shares of the variance", setting(at, True))
    word = whole.text if stated.shares else straight.text
    said: list[SentencePart] = [
        Word("how uncertain answers are, by"),
        number(case, (*path, "count"), "How many cases are drawn", stated.count),
        Word("cases, with"),
        Choice(path_text(at), word, (straight, whole), "plain choice"),
    ]
    rows = [_spread(case, (*path, "spread", name), len(stated.spread)) for name in stated.spread]
    rows += another(case, (*path, "spread"), spread_of)
    for place, each in enumerate(stated.correlated):
        here = (*path, "correlated", place)
        by = number(case, (*here, "by"), "Correlation, from −1 to 1")
        free = Remove(f"remove {path_text(here)}", "Leave them independent", removing(here), at=here)
        rows.append((Word("·", "quiet"), Word(f"{' and '.join(each.parameters)} go together by"), by, free))
    names = list(stated.spread)
    pairs = tuple(
        Option(f"{one} and {other}", adding((*path, "correlated"), {"parameters": [one, other], "by": 0.5}))
        for place, one in enumerate(names)
        for other in names[place + 1 :]
    )
    if pairs and not stated.shares:
        rows.append((Choice(f"add to {path_text((*path, 'correlated'))}", "two that go together …", pairs, "link"),))
    return said, rows


def _spread(case: Case, path: DataPath, count: int) -> SheetRow:
    said, name = value_at(case.data, path), str(path[-1])
    now = next(key for key in said if key != "limits")
    low, middle, high = (share_of(case, name, *each) for each in ((_LOW, -_KELVIN), (1.0, 0.0), (_HIGH, _KELVIN)))
    fresh = {
        "normal": spread_of(case, name)["normal"],
        "lognormal": "1.1",
        "uniform": [low, high],
        "triangular": [low, middle, high],
    }
    if is_temperature(case, name):
        del fresh["lognormal"]
    kept = {"limits": said["limits"]} if "limits" in said else {}
    ways = tuple(Option(way, setting(path, {way: stated, **kept})) for way, stated in fresh.items())
    parts: list[SentencePart] = [
        *(Word("·", "quiet"), of_parameter(case, path, spread_of), Word("is")),
        Choice(f"distribution at {path_text(path)}", now, ways, "plain choice"),
    ]
    for place, word in enumerate(_WORDS[now]):
        at = (*path, now, place) if isinstance(said[now], list) else (*path, now)
        parts += [Word(word), value(case, at, _HINTS.get(now, f"{word} this value"))]
    limits = (*path, "limits")
    if kept:
        free = Option("without limits", removing(limits))
        ends = [value(case, (*limits, n), f"It is never {side} this", free) for n, side in enumerate(_SIDES)]
        parts += [Word("within"), ends[0], Word("and"), ends[1]]
    elif now in ("normal", "lognormal"):
        cut = Option("within limits", setting(limits, [low, high]))
        parts.append(Choice(f"add {path_text(limits)}", "within …", (cut,), "link", direct=True))
    return (*parts, *gone(path, count))
