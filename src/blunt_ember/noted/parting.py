"""A phrase parted where another thing begins, as lines are often noted without a comma between: what the body is, its
layers, and what surrounds each of its sides."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from blunt_ember.case.values.units import LENGTH, TEMPERATURE
from blunt_ember.noted.bodies import HEADS, OTHERWISE, SIDE_WORDS, SOILS
from blunt_ember.noted.line_so_far import IDLE, REST
from blunt_ember.noted.phrases import DIMENSION_WORDS, NotedValue, NotedWord, Token
from blunt_ember.noted.statements import FLUIDS, WITH_A_SIDE, acts

#: Words before a body that say no more of it than it does itself.
_PLAIN = frozenset(
    (
        "plane",
        "plain",
        "flat",
        "straight",
        "solid",
        "single",
        "simple",
        "long",
        "round",
        "insulated",
        "double",
        "triple",
    )
)


def headed(read: Sequence[Token]) -> tuple[str, list[Token]] | None:
    """Return what a line is about and what more its first phrase says, None where that is no body.

    Of several words that name one, it is the first of the phrase, or the last before any value: a `steel plate wall`.
    """
    leading = next((place for place, token in enumerate(read) if isinstance(token, NotedValue)), len(read))
    named = [place for place, token in enumerate(read) if isinstance(token, NotedWord) and token.text.lower() in HEADS]
    named = [place for place in named if _word(read[place]) not in SOILS] or named
    if not named:
        return None
    within = [place for place in named if place < leading]
    at = 0 if named[0] == 0 else within[-1] if within else named[0]
    if at + 1 in named and _word(read[at + 1]) in OTHERWISE.get(_word(read[at]), ()):
        at += 1  # a sphere shell
    head, before = read[at].text.lower(), read[:at]
    other = next((OTHERWISE[word][head] for word in map(_word, before) if head in OTHERWISE.get(word, ())), head)
    said = [token for token in before if _word(token) not in _PLAIN | OTHERWISE.keys() | FLUIDS.keys() | SIDE_WORDS]
    return other, [*said, *read[at + 1 :]]


def parts(read: Sequence[Token], begins: bool) -> list[list[Token]]:
    """Return what a phrase says, part by part: layers, then what surrounds one side after the other.

    Words alone before what acts are a layer only where the phrase ``begins`` the line.
    """
    first = _first_acting(read)
    if not begins and not any(isinstance(token, NotedValue) for token in read[:first]):
        first = 0
    found = [part for part in _layers(read[:first]) if part]
    current: list[Token] = []
    for place, token in enumerate(read[first:], start=first):
        if current and _begins(token, read[place + 1 :]) and _is_whole(current):
            found.append(current)
            current = []
        current.append(token)
    return [*found, current] if current else found


def _first_acting(read: Sequence[Token]) -> int:
    """Where what surrounds the body begins: at a word for a side or a fluid that a temperature follows, or a value."""
    for place, token in enumerate(read):
        if isinstance(token, NotedValue):
            if acts(token):
                return place
        elif _begins(token, read[place + 1 :]):
            return place
    return len(read)


def _begins(token: Token, after: Sequence[Token]) -> bool:
    """Whether a word names a side or a fluid of which something is said behind it, before any size."""
    word = _word(token)
    if word == "insulated":
        return False
    if word in REST and after and _word(after[0]) in WITH_A_SIDE:
        return _begins(after[0], after[1:])
    if word not in SIDE_WORDS and word not in FLUIDS:
        return False
    for each in after:
        if isinstance(each, NotedValue):
            return acts(each) and (word in SIDE_WORDS or _warm(after))
        if _word(each) == "insulated":
            return True
    return False


def _warm(after: Sequence[Token]) -> bool:
    """Whether a temperature comes before the next word for a side or a fluid."""
    for each in after:
        if isinstance(each, NotedValue) and each.kind is TEMPERATURE:
            return True
        if _word(each) in SIDE_WORDS or _word(each) in FLUIDS:
            return False
    return False


def _is_whole(part: Sequence[Token]) -> bool:
    """Whether it names a side or a fluid, and says what acts there."""
    named = any(_word(token) in SIDE_WORDS or _word(token) in FLUIDS for token in part)
    return named and any(isinstance(token, NotedValue) or _word(token) == "insulated" for token in part)


def _layers(read: Sequence[Token]) -> list[list[Token]]:
    """Layers noted one behind the other, each by its thickness and its name, or the other way round."""
    begins = [place for place, token in enumerate(read) if _is_thickness(token, read[place + 1 :])]
    if len(begins) < 2:
        return [list(read)]
    named = [
        place
        for place, token in enumerate(read)
        if isinstance(token, NotedWord) and _word(token) not in IDLE | DIMENSION_WORDS
    ]
    between = [[place for place in named if a < place < b] for a, b in pairwise(begins)]
    if not all(between):
        return [list(read)]
    first = next(place for place, token in enumerate(read) if _word(token) not in IDLE)
    cuts = [places[0] for places in between] if first in named else begins[1:]  # each name begins a layer, or ends one
    return [list(read[begin:end]) for begin, end in pairwise([0, *cuts, len(read)])]


def _is_thickness(token: Token, after: Sequence[Token]) -> bool:
    beside = _word(after[0]) if after else ""
    return (
        isinstance(token, NotedValue)
        and token.kind is LENGTH
        and not token.joined
        and not token.key
        and (beside not in DIMENSION_WORDS or beside == "thick")
    )


def _word(token: Token) -> str:
    return token.text.lower() if isinstance(token, NotedWord) else ""
