"""A line cut into phrases, and phrases into words and values with their units."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from types import MappingProxyType

from blunt_ember.case.values.evaluation import quantity_si
from blunt_ember.case.values.units import (
    AREA_RESISTANCE,
    CONDUCTIVITY,
    DENSITY,
    EMISSIVITY,
    FILM_COEFFICIENT,
    HEAT_CAPACITY,
    HEAT_FLOW,
    HEAT_FLOW_PER_LENGTH,
    HEAT_FLUX,
    LENGTH,
    POWER_DENSITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    TIME,
    Kind,
)
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

#: k/(ρ c), which a case states by what it is made of.
DIFFUSIVITY = Kind("a diffusivity", "m**2/s", "7e-7 m²/s", "m²/s")
#: Words for that a side radiates, behind which its emissivity may stand, or what it radiates to.
RADIATES = ("radiates", "radiating", "radiation")
#: Film coefficients of the side within, or the first one, and of the other.
FILMS_WITHIN = ("hi", "h_i", "h_in", "h1", "h_1", "αi", "α_i", "α1")
FILMS_WITHOUT = ("ho", "he", "h_o", "h_e", "h_out", "h2", "h_2", "αe", "αa", "αo", "α_e", "α_a", "α_o", "α2")
#: Words before the temperature that a run starts from.
STARTS = ("from", "starts", "start", "t0", "t_0", "t_start")
#: Words for how much warmer one side is than another, which does not say how warm they are.
DIFFERENCES = ("δt", "∆t", "dt", "delta-t", "delta_t", "deltat")
#: What a number behind these words is; in the unit of the second entry where it has none of its own.
KEYS: Mapping[str, tuple[Kind, str]] = MappingProxyType(
    {
        **dict.fromkeys(("k", "lambda", "λ", "conductivity"), (CONDUCTIVITY, "W/(m K)")),
        **dict.fromkeys(("h", "alpha", "α", *FILMS_WITHIN, *FILMS_WITHOUT), (FILM_COEFFICIENT, "W/(m² K)")),
        **dict.fromkeys(("c", "cp"), (HEAT_CAPACITY, "J/(kg K)")),
        **dict.fromkeys(("rho", "ρ", "density"), (DENSITY, "kg/m³")),
        **dict.fromkeys(("emissivity", "eps", "ε", *RADIATES), (EMISSIVITY, "")),
        **dict.fromkeys(("flux", "q"), (HEAT_FLUX, "W/m²")),
        **dict.fromkeys(("generating", "source", "q'''", "qgen", "q_gen", "qdot", "q_dot"), (POWER_DENSITY, "W/m³")),
        **dict.fromkeys(("q''", 'q"'), (HEAT_FLUX, "W/m²")),
        **dict.fromkeys(("d", "dia", "diameter", "bore", "id", "od", "r", "radius", "ri", "ro"), (LENGTH, "")),
        **dict.fromkeys(("l", "length", "thickness", "t"), (LENGTH, "")),
        **dict.fromkeys(("rsi", "rse", "rs"), (AREA_RESISTANCE, "m² K/W")),
        **dict.fromkeys((*STARTS, "initially"), (TEMPERATURE, "")),
        **dict.fromkeys(("within", *DIFFERENCES), (TEMPERATURE_DIFFERENCE, "")),
        **dict.fromkeys(("until", "for", "lasts", "after"), (TIME, "")),
    }
)
#: What a number with a unit is that stands behind no such word.
_KINDS = (
    LENGTH,
    TEMPERATURE,
    FILM_COEFFICIENT,
    CONDUCTIVITY,
    HEAT_FLUX,
    POWER_DENSITY,
    DENSITY,
    HEAT_CAPACITY,
    TIME,
    HEAT_FLOW,
    HEAT_FLOW_PER_LENGTH,
    AREA_RESISTANCE,
)
#: What a word may stand before besides: heat is called q however it comes, and R is a resistance too.
_ALSO = {
    "q": (POWER_DENSITY,),
    "r": (AREA_RESISTANCE,),
    "t": (TEMPERATURE, TIME),
    **dict.fromkeys(("alpha", "α"), (DIFFUSIVITY,)),
    **dict.fromkeys(("until", "for", *RADIATES), (TEMPERATURE,)),
}
#: Words between a word and its number that say nothing: `thickness of 5 mm`, `initially at 20 °C`; of `k at 600 °C 1.2`
#: the first number is another one.
_BETWEEN, _AT = frozenset(("of", "is", "about")), frozenset((*STARTS, "initially"))
#: Words for the size of a body that may stand behind it too: `10 mm dia`.
_ACROSS = frozenset(("d", "dia", "diameter", "bore", "id", "od", "r", "radius", "thickness", "length"))
#: Words behind a size that say which it is.
DIMENSION_WORDS = frozenset(("long", "wide", "high", "thick", "deep", "depth"))
_NUMBER = re.compile(
    r"[-+−]?(?:\d+(?:[.,]\d+)?|\.\d+)(?:[eE][-+−]?\d+)?(?:\s*[×x*·]\s*10(?:\s*\^\s*[-+−]?\d+|[⁻⁺]?[⁰¹²³⁴-⁹]+))?"
)
#: Thousands apart: `1 000 °C`, `12 500 W/m²`; a narrow or a fixed space can mean nothing else.
_GROUPS = re.compile(r"[-+−]?\d{1,3}(?:[ \u00a0\u202f]\d{3})+(?![\d])(?:[.,]\d+)?(?=\s*[^\W\d]|\s*[°º˚%])")
#: A pipe by its nominal size, and how wide those of EN 10220 are outside, in mm.
_NOMINAL = re.compile(r"\bDN[ -]?(\d+)\b", re.IGNORECASE)
_OUTSIDE = {10: 17.2, 15: 21.3, 20: 26.9, 25: 33.7, 32: 42.4, 40: 48.3, 50: 60.3, 65: 76.1, 80: 88.9, 100: 114.3} | {
    125: 139.7,
    150: 168.3,
    200: 219.1,
    250: 273.0,
    300: 323.9,
    350: 355.6,
    400: 406.4,
    500: 508.0,
    600: 610.0,
}
#: Inches in parts: `1 1/2 in`, `3/4"`, `2½ in`.
_PARTS = re.compile(r"(?:(?:\d+[ -])?\d+/[1-9]\d*|\d* ?[½¼¾⅛⅜⅝⅞])(?=\s*(?:in\b|inch|[\"″”]))")
#: How thick a slab is of which the half is called L: `2L = 100 mm`.
_TWICE = re.compile(r"(?<![\w.,])2[lL](?=\s*=)")
#: A minus in words, or as long as a dash, where no range can be meant.
_MINUS = re.compile(r"(?:(?<=[\s=:(])|^)(?:minus\s+|–)(?=[\d.])")
_WORD = re.compile(r"[^\W\d][\w∞\-'\"|]*")
_UNIT = re.compile(r"(?:[^\W\d]|[°º˚%])(?:[^\s,;()]|\([^()]*\))*|''|[\"'″′”]")
#: One more word of a unit: `W/m K`, `Btu/h ft F`, `W m-1 K-1`.
_MORE = re.compile(r" (?:[^\W\d]{1,3}|°[CF])(?:\^?[-−]?\d|[⁻²³¹])*(?=[\s,;)]|$)")
_TIED = re.compile(r"[xX×]\s*(?=\d)")
_INCH = 0.0254
#: A number with its unit, and the word behind it.
_NEXT = re.compile(rf"\s*[=:]?\s*({_NUMBER.pattern}\s*(?:[^\W\d]+)?)\s*([^\W\d]*)")
#: Signs that say nothing by themselves.
_FILLING = frozenset(" =:.\t()@~≈")
_BREAK = re.compile(r";|,(?!\d)|,(?<=\D,)|\n")


@immutable
class NotedWord:
    """A word, and where it stands in the line."""

    text: str
    start: int
    end: int


@immutable
class NotedValue:
    """A value as a case states it, the word before it that says what it is, and where both stand in the line.

    ``kind`` is None for a number whose unit is not told; ``joined`` is the sign or word that ties it to the next one.
    """

    text: str
    kind: Kind | None
    key: str
    start: int
    end: int
    joined: str = ""


Token = NotedWord | NotedValue


#: What is said of both sides in a sentence: `separates 20 °C air from -5 °C air`.
_SEPARATES = re.compile(r"\b(separat\w+)(\s.+?\s)(from)(?=\s)", re.IGNORECASE)
#: What happens to a body that is brought from somewhere, and the temperature it has before.
_BROUGHT = re.compile(
    r"(?:\bat(?=\s+[-−\d.,]+\s*(?:°\s?)?[CFK]\b[^;]{0,40}?\b(?:quench|dropp|immers|plung|submerg)))", re.IGNORECASE
)
_BRINGS = re.compile(r"\b(?:(?:is|and)\s+)*(?:quenched|dropped|immersed|plunged|submerged)\b", re.IGNORECASE)


def as_phrases(line: str) -> str:
    """Return a sentence as the phrases it stands for, with every other sign in its place."""
    line = _SEPARATES.sub(lambda said: f"{';'.ljust(len(said[1]))}{said[2]}{';'.ljust(len(said[3]))}", line)
    line = _BROUGHT.sub("t0", line)
    return _BRINGS.sub(lambda said: ";".ljust(len(said[0])), line)


def phrases(line: str) -> Iterator[tuple[int, str]]:
    """Yield the phrases between commas and semicolons, and where each begins."""
    begin = 0
    for found in _BREAK.finditer(line):
        yield begin, line[begin : found.start()]
        begin = found.end()
    yield begin, line[begin:]


def tokens(phrase: str, begin: int) -> list[Token]:
    """Return the words and values of a phrase that begins at a place of the line."""
    found: list[Token] = []
    key: NotedWord | None = None
    place = 0
    # Every other place stays where it is.
    phrase = _MINUS.sub(lambda sign: "-".rjust(len(sign[0])), _TWICE.sub(" L", phrase))
    while place < len(phrase):
        if key is None and (nominal := _NOMINAL.match(phrase, place)) and int(nominal[1]) in _OUTSIDE:
            place = nominal.end()
            wide = f"{_OUTSIDE[int(nominal[1])]} mm"
            found.append(NotedValue(wide, LENGTH, "od", begin + nominal.start(), begin + place))
            continue
        in_parts = _PARTS.match(phrase, place) if key is None or KEYS[key.text.lower()][0] is LENGTH else None
        number = in_parts or _grouped(phrase, place, key) or _NUMBER.match(phrase, place)
        word = _WORD.match(phrase, place)
        last = found[-1] if found and key is None else None
        if isinstance(last, NotedValue) and (tie := _TIED.match(phrase, place)):
            place = tie.end()
            found[-1] = replace(last, end=begin + place, joined="x")
        elif isinstance(last, NotedValue) and word and _belongs(last, word, phrase):
            place = word.end()
            found[-1] = replace(last, key=word[0].lower(), end=begin + place)
        elif number:
            value = _value(phrase, number, key, begin)
            if isinstance(last, NotedValue) and last.kind is value.kind is TIME and not (last.joined or value.key):
                value = replace(value, text=f"{last.text} + {value.text}", key=last.key, start=last.start)  # 1 h 30 min
                found.pop()
            found.append(value)
            key, place = None, value.end - begin
        elif word:
            place = word.end()
            if key is not None and _says_nothing(word[0], key) and _NUMBER.match(phrase[place:].lstrip(" =:~≈")):
                continue
            if key is not None:
                found.append(key)
            key = None
            tied = found and isinstance(found[-1], NotedValue) and word[0] in ("x", "to", "by")
            if tied and _NUMBER.match(phrase[place:].lstrip()):
                last = found.pop()
                assert isinstance(last, NotedValue)
                joint = "to" if word[0] == "to" else "x"
                found.append(NotedValue(last.text, last.kind, last.key, last.start, begin + place, joint))
                continue
            own = NotedWord(word[0], begin + word.start(), begin + word.end())
            if word[0].lower() in KEYS:
                key = own
            else:
                found.append(own)
        elif phrase[place] in "×–" and found and isinstance(found[-1], NotedValue):
            last = found.pop()
            assert isinstance(last, NotedValue)
            joint = "x" if phrase[place] == "×" else "to"
            place += 1
            found.append(NotedValue(last.text, last.kind, last.key, last.start, begin + place, joint))
        else:
            if phrase[place] not in _FILLING:
                found.append(NotedWord(phrase[place], begin + place, begin + place + 1))
            place += 1
    if key is not None:
        found.append(key)
    return _with_units_shared(found)


def _belongs(value: NotedValue, word: re.Match[str], phrase: str) -> bool:
    """Whether a word behind a size says which it is, not which the next one is: `10 mm dia, 200 mm long`.

    It does where the next one says for itself, and where that is smaller: a wall is thinner than a pipe is wide.
    """
    if value.kind is not LENGTH or value.key or value.joined or word[0].lower() not in _ACROSS:
        return False
    after = _NEXT.match(phrase, word.end())
    if after is None or after[2].lower() in {*DIMENSION_WORDS, "wall"}:
        return True
    return _kind(after[1], LENGTH) is not None and quantity_si(after[1], LENGTH, {}) < quantity_si(
        value.text, LENGTH, {}
    )


def _says_nothing(word: str, key: NotedWord) -> bool:
    """Whether a word between another one and its number says nothing."""
    return word.lower() in _BETWEEN or (word.lower() == "at" and key.text.lower() in _AT)


def _grouped(phrase: str, place: int, key: NotedWord | None) -> re.Match[str] | None:
    """A number in groups of three digits, where it can be meant: of `k 1 100 mm` the second is another number."""
    number = _GROUPS.match(phrase, place)
    if number is None or (unit := _UNIT.match(phrase, len(phrase) - len(phrase[number.end() :].lstrip()))) is None:
        return None
    expected = KEYS[key.text.lower()][0] if key else None
    kinds = [_kind(f"{number[0]} {phrase[unit.start() : end]}", expected) for end in _unit_ends(phrase, unit)]
    kind = next((each for each in kinds if each is not None), None)
    fixed = not re.search(r"\d \d", number[0])
    return number if kind is not None and (fixed or key is not None or kind is not LENGTH) else None


def _value(phrase: str, number: re.Match[str], key: NotedWord | None, begin: int) -> NotedValue:
    """A number with the unit behind it, if that fits; else in the one its key implies."""
    expected, implied = KEYS[key.text.lower()] if key else (None, "")
    after, digits = number.end(), _decimal(number[0])
    spaces = len(phrase) - after - len(phrase[after:].lstrip())
    unit = _UNIT.match(phrase, after + spaces)
    start = key.start if key else begin + number.start()
    name = key.text.lower() if key else ""
    if unit is not None:
        for end in _unit_ends(phrase, unit):
            text = f"{digits} {phrase[unit.start() : end]}"
            kind = _kind(text, expected) or next((each for each in _ALSO.get(name, ()) if _kind(text, each)), None)
            if kind is not None:
                return NotedValue(text, kind, name, start, begin + end)
        text = f"{digits} {unit[0]}"
        needed = expected is not None and not implied and expected is not EMISSIVITY
        # Another kind than its word asks for, or a unit of none.
        if (needed and _kind(text, None) is not None) or (implied and "/" in unit[0]):
            return NotedValue(text, None, name, start, begin + unit.end())
    if expected is not None and (implied or expected is EMISSIVITY):
        return NotedValue(f"{digits} {implied}".strip(), expected, name, start, begin + after)
    return NotedValue(digits, None, name, start, begin + after)


def _decimal(number: str) -> str:
    """A number as it is noted, inches in parts as a decimal, so that formulas can go on from it."""
    return f"{quantity_si(f'{number} in', LENGTH, {}) / _INCH:.12g}" if _PARTS.match(f"{number} in") else number


def _unit_ends(phrase: str, unit: re.Match[str]) -> list[int]:
    """Where a unit may end that goes on over spaces, the farthest first."""
    ends = [unit.end()]
    while more := _MORE.match(phrase, ends[-1]):
        if more[0][1:] in KEYS:
            break
        ends.append(more.end())
    return ends[::-1]


def _kind(text: str, expected: Kind | None) -> Kind | None:
    """What a number with a unit is: as expected, or one of the usual kinds; None where it is neither."""
    for kind in _KINDS if expected is None else (expected,):
        try:
            quantity_si(text, kind, {})
        except ExpressionError:
            continue
        return kind
    return None


def _with_units_shared(found: list[Token]) -> list[Token]:
    """Numbers tied to a value with a unit share it: `38 x 1.6 mm`."""
    for place in range(len(found) - 2, -1, -1):
        here, after = found[place], found[place + 1]
        if isinstance(here, NotedValue) and isinstance(after, NotedValue) and here.joined and here.kind is None:
            number, unit = here.text, after.text.split(" ", 1)[1:] or [""]
            text = f"{number} {unit[0]}".strip()
            found[place] = NotedValue(text, after.kind, here.key, here.start, here.end, here.joined)
    return found
