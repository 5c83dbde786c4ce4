"""What a phrase asks for: the highest, lowest or mean temperature, of the body or of sides, or heat through sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.noted.bodies import SIDE_WORDS
from blunt_ember.noted.line_so_far import IDLE, NotedAsked, NotUnderstood, ReadLine
from blunt_ember.noted.noted_body import NotedBody
from blunt_ember.noted.phrases import NotedWord, Token
from blunt_ember.noted.statements import JOINING, WITH_A_SIDE

#: What is asked for, by the words for it.
_ASKED: Mapping[str, str] = {
    **dict.fromkeys(("highest", "hottest", "maximum", "max", "peak"), "highest"),
    **dict.fromkeys(("lowest", "coldest", "minimum", "min"), "lowest"),
    **dict.fromkeys(("mean", "average"), "mean"),
    **dict.fromkeys(("heat", "loss", "losses"), "heat_flow"),
}
#: Words for heat that goes out.
_LOST = frozenset(("loss", "losses", "leaves"))
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
    line.asked.append(NotedAsked(kinds.pop(), sides, any(word.text.lower() in _LOST for word in words)))
    return True


def asked_questions(line: ReadLine, body: NotedBody) -> list[dict[str, Any]]:
    """The questions of a line, each of the surfaces of its sides or of the whole body."""
    made: list[dict[str, Any]] = []
    for asked in line.asked:
        known = [word for word in asked.sides if word.text.lower() in body.sides]
        for word in asked.sides:
            if word not in known:
                line.fault(word, f"'{word.text}' is no side of it; there are {', '.join(body.sides)}")
        if asked.kind == "heat_flow":
            made += _heats(body, known, asked.lost)
        elif known or not asked.sides:
            name = f"{asked.kind} of {_words(known) or 'all'}"
            made.append({"name": name, asked.kind: _surfaces(body, known) or "body"})
    return list({question["name"]: question for question in made}.values())


def _heats(body: NotedBody, sides: Sequence[NotedWord], lost: bool) -> list[dict[str, Any]]:
    """Heat through sides, for what the body's own question of heat is for: per m² where how tall it is drawn says
    nothing, and then of each side by itself."""
    basis = next((question["basis"] for question in body.questions if "basis" in question), "")
    asked = [[word] for word in sides] if basis else [sides] if sides else []
    more = {**({"basis": basis} if basis else {}), **({"direction": "out"} if lost else {})}
    what = "heat loss through" if lost else "heat through"
    return [{"name": f"{what} {_words(each)}", "heat_flow": _surfaces(body, each), **more} for each in asked]


def _words(sides: Sequence[NotedWord]) -> str:
    return " and ".join(word.text.lower() for word in sides)


def _surfaces(body: NotedBody, sides: Sequence[NotedWord]) -> str | list[str]:
    """The surface of some sides, or all of them."""
    found = list(dict.fromkeys(surface for word in sides for surface in body.sides[word.text.lower()]))
    return found[0] if len(found) == 1 else found
