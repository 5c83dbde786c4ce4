"""What a phrase asks for: the highest, lowest or mean temperature, of the body or of sides, or heat through sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.noted.bodies import SIDE_WORDS, NotedBody
from blunt_ember.noted.line_so_far import IDLE, NotedAsked, NotUnderstood, ReadLine
from blunt_ember.noted.phrases import NotedWord, Token
from blunt_ember.noted.statements import JOINING, WITH_A_SIDE

#: What is asked for, by the words for it.
_ASKED: Mapping[str, str] = {
    **dict.fromkeys(("highest", "hottest", "maximum", "max", "peak"), "highest"),
    **dict.fromkeys(("lowest", "coldest", "minimum", "min"), "lowest"),
    **dict.fromkeys(("mean", "average"), "mean"),
    **dict.fromkeys(("heat", "loss", "losses"), "heat_flow"),
}
#: Words that a question begins with.
_FINDS = frozenset(("find", "what", "how", "determine", "calculate", "compute", "want", "wanted", "sought", "question"))
#: Words that say no more in a question.
_SAID = frozenset(
    [
        *("is", "much", "temperature", "temp", "t", "flow", "rate", "through", "from", "leaves", "enters", "?"),
        *("point", "spot", "place", "body", "anywhere"),
    ]
)


def take_question(line: ReadLine, read: Sequence[Token]) -> bool:
    """Take what a phrase asks for; whether it asks for anything, understood or not."""
    words = [token for token in read if isinstance(token, NotedWord)]
    first = words[0].text.lower() if words else ""
    asks = first in _FINDS or (first in _ASKED and len(words) > 1)
    if not asks or len(words) < len(read):
        return False
    sides = [word for word in words if word.text.lower() in SIDE_WORDS - WITH_A_SIDE]
    kinds = {_ASKED[word.text.lower()] for word in words if word.text.lower() in _ASKED}
    known = _FINDS | _ASKED.keys() | _SAID | SIDE_WORDS | WITH_A_SIDE | IDLE | JOINING
    strange = [word for word in words if word.text.lower() not in known]
    if strange or len(kinds) != 1 or (kinds == {"heat_flow"} and not sides):
        what = "ask it as 'find highest temperature of top' or 'heat through left', or in the sheet, under Questions"
        line.faults.append(NotUnderstood(read[0].start, read[-1].end, what))
        return True
    line.asked.append(NotedAsked(kinds.pop(), sides))
    return True


def asked_questions(line: ReadLine, body: NotedBody) -> list[dict[str, Any]]:
    """The questions of a line, each of the surfaces of its sides or of the whole body."""
    made: dict[str, dict[str, Any]] = {}
    for asked in line.asked:
        surfaces: dict[str, None] = {}
        for word in asked.sides:
            if word.text.lower() in body.sides:
                surfaces |= dict.fromkeys(body.sides[word.text.lower()])
            else:
                line.fault(word, f"'{word.text}' is no side of it; there are {', '.join(body.sides)}")
        if asked.sides and not surfaces:
            continue
        where: str | list[str] = list(surfaces) or "body"
        if len(surfaces) == 1:
            (where,) = surfaces
        named = " and ".join(word.text.lower() for word in asked.sides)
        words = f"heat through {named}" if asked.kind == "heat_flow" else f"{asked.kind} of {named or 'all'}"
        made[words] = {"name": words, asked.kind: where}
    return list(made.values())
