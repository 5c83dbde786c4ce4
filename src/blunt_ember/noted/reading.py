"""Reads a problem that is noted in one line, such as ``wall 114 mm k 0.35; left 980 °C; right air 12 W/m2K 25 °C``.

The line is a body with its layers, what surrounds it, and how the clock runs, parted by commas or semicolons. It makes
an ordinary case with the questions one would ask; what is not understood is told with its place in the line.
"""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.units import (
    CONDUCTIVITY,
    DENSITY,
    EMISSIVITY,
    FILM_COEFFICIENT,
    HEAT_CAPACITY,
    HEAT_FLUX,
    LENGTH,
    POWER_DENSITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    TIME,
    Kind,
)
from blunt_ember.errors import CaseError
from blunt_ember.noted.bodies import HEADS, ROW, SIDE_WORDS, SPAN, NotedBody, NotedLayer, NotedSizes, NotEnoughError
from blunt_ember.noted.phrases import KEYS, NotedValue, NotedWord, Token, phrases, tokens

#: What a line looks like, told where there is none or nothing is understood.
EXAMPLES = (
    "wall 114 mm k 0.35; left 980 °C; right air 12 W/m2K 25 °C",
    "pipe bore 150 mm, 4 mm k 24, lagging 45 mm k 0.065; gas 310 °C h 38; air 18 °C h 9",
    "fin 38 x 1.6 mm k 180, base 72 °C, film 42 W/m2K 24 °C",
    "lid 0.7 m long, 0.09 to 0.06 m thick k 1.4; under 640 °C; above air 9 W/m2K 25 °C",
    "ball d 70 mm fireclay from 640 °C, film 30 W/m2K 22 °C, until within 1 K",
)
#: Words that say nothing by themselves.
_IDLE = frozenset(
    [
        "of",
        "at",
        "with",
        "and",
        "the",
        "a",
        "an",
        "in",
        "on",
        "by",
        "is",
        "are",
        "it",
        "its",
        "film",
        "held",
        "kept",
        "near",
        "made",
    ]
)
#: What surrounds a body, and whether it is rather the outside.
_FLUIDS = {
    **dict.fromkeys(("air", "room", "ambient", "surroundings", "outdoors", "weather", "cellar"), True),
    **dict.fromkeys(("gas", "gases", "flue", "water", "steam", "oil", "furnace", "fire", "melt", "fluid"), False),
}
#: Characters of a line at most.
LONGEST = 2000
_DIMENSION_WORDS = frozenset(("long", "wide", "high", "thick", "deep"))
#: Where the heat that arises in a layer is kept among its properties.
_HEAT = "heat"
_MATERIAL = {CONDUCTIVITY: "k", DENSITY: "density", HEAT_CAPACITY: "c"}
AnyKey = TypeVar("AnyKey")
_KINDS = ", ".join(HEADS)
#: How long a run lasts at the most that has no end of its own.
_LONGEST = "30 d"


@dataclass(frozen=True)
class NotUnderstood:
    """What of a line is not understood, from ``start`` to ``end``, and what would be right there."""

    start: int
    end: int
    message: str


@dataclass(frozen=True)
class NotedProblem:
    """A case made of a line, None where there is not enough for a body; what was not understood of the line, and what
    is missing in it."""

    case: Case | None
    not_understood: tuple[NotUnderstood, ...] = ()
    missing: tuple[str, ...] = ()


@dataclass
class _Statement:
    """What is stated on a side: the word for it and where that stands, and what acts there."""

    side: str
    outward: bool
    start: int
    end: int
    side_at: tuple[int, int]
    says: dict[str, Any] = field(default_factory=dict)


@dataclass
class _Line:
    """What has been read so far."""

    shelf: Mapping[str, dict[str, Any]]
    head: str = ""
    sizes: dict[str, tuple[NotedValue, ...]] = field(default_factory=dict)
    layers: list[NotedLayer] = field(default_factory=list)
    materials: dict[str, dict[str, Any]] = field(default_factory=dict)
    statements: list[_Statement] = field(default_factory=list)
    clock: dict[str, str] = field(default_factory=dict)
    within: dict[str, str] = field(default_factory=dict)
    faults: list[NotUnderstood] = field(default_factory=list)

    def fault(self, at: Token, message: str) -> None:
        """Note what is not understood at a word or value."""
        self.faults.append(NotUnderstood(at.start, at.end, message))

    def once(self, said: MutableMapping[AnyKey, str], key: AnyKey, value: NotedValue) -> None:
        """Take a value of a phrase; a second one of the same kind is told."""
        if key in said:
            self.fault(value, f"'{value.text}' comes after '{said[key]}', which is of the same kind; part them by ';'")
        else:
            said[key] = value.text

    def size(self, key: str, *values: NotedValue) -> None:
        """Take sizes of the whole body; a second time under the same key is told."""
        if key in self.sizes:
            before = " ".join(value.text for value in self.sizes[key])
            self.fault(values[-1], f"'{values[-1].text}' comes after '{before}', which is the same size; remove one")
        else:
            self.sizes[key] = values


def read_line(line: str, shelves: Mapping[str, Mapping[str, dict[str, Any]]]) -> NotedProblem:
    """Return the problem a ``line`` notes; ``shelves`` of the library hold the materials it may name.

    Raises nothing that has to do with the line.
    """
    if len(line) > LONGEST:
        return NotedProblem(None, (NotUnderstood(LONGEST, len(line), f"a line has {LONGEST:,} characters at most"),))
    found = _Line({name: entry for shelf in shelves.values() for name, entry in shelf.items()})
    for begin, phrase in phrases(line):
        _read_phrase(found, tokens(phrase, begin))
    if not found.head:
        return NotedProblem(None, tuple(found.faults), () if found.faults else (f"what it is: {_KINDS}",))
    unknown = [layer.name for layer in found.layers if layer.material is None]
    if len(found.layers) == 1 and found.layers[0].material in (None, found.layers[0].name):
        found.layers = [replace(found.layers[0], name=found.head)]
    sizes = NotedSizes({key: tuple(value.text for value in values) for key, values in found.sizes.items()})
    try:
        body = HEADS[found.head](found.layers, sizes)
    except NotEnoughError as lack:
        return NotedProblem(None, tuple(found.faults), (str(lack),))
    for key in sizes.left_over:
        first, last = found.sizes[key][0], found.sizes[key][-1]
        what = f"'{line[first.start : last.end].strip()}' is no size of a {found.head}"
        found.faults.append(NotUnderstood(first.start, last.end, what))
    return _made(found, body, line, unknown)


def _read_phrase(line: _Line, read: list[Token]) -> None:
    """Read what one phrase says: first the clock, then a body or a layer, or what surrounds it."""
    read = _clock(line, read)
    if not line.head and read:
        first = read[0]
        if not isinstance(first, NotedWord) or first.text.lower() not in HEADS:
            meant = nearest(first.text.lower(), HEADS) if isinstance(first, NotedWord) else ""
            line.fault(first, f"a line begins with what it is{meant or f': {_KINDS}'}")
            return
        line.head = first.text.lower()
        _layer(line, read[1:], line.head)
    elif any(_acts(each) for each in read):
        _statement(line, read)
    elif read:
        _layer(line, read, "")


def _acts(token: Token) -> bool:
    """Whether it says what surrounds a body."""
    if isinstance(token, NotedWord):
        return token.text.lower() == "insulated" or token.text.lower() in SIDE_WORDS
    return token.kind in (TEMPERATURE, FILM_COEFFICIENT, HEAT_FLUX, EMISSIVITY)


def _clock(line: _Line, read: list[Token]) -> list[Token]:
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


def _layer(line: _Line, read: list[Token], head: str) -> None:
    """A layer of the body with its material, and what the phrase says of the whole body's size."""
    words: list[NotedWord] = []
    material: dict[str, str] = {}
    thick: dict[str, str] = {}
    row: list[NotedValue] = []
    for place, token in enumerate(read):
        if isinstance(token, NotedWord):
            if token.text.lower() not in _IDLE | _DIMENSION_WORDS:
                words.append(token)
            continue
        after = read[place + 1] if place + 1 < len(read) else None
        named = after.text.lower() if isinstance(after, NotedWord) else ""
        if token.kind is LENGTH:
            if token.joined or row:
                row.append(token)
                if not token.joined:
                    line.size(SPAN if any(each.joined == "to" for each in row) else ROW, *row)
                    row = []
            elif token.key:
                line.size("r" if token.key == "radius" else token.key, token)
            elif named in _DIMENSION_WORDS and (named != "thick" or head in ("fin", "lid", "wedge")):
                line.size(named, token)
            else:
                line.once(thick, "", token)
        elif token.kind in _MATERIAL:
            line.once(material, _MATERIAL[token.kind], token)
        elif token.kind is POWER_DENSITY:
            line.once(material, _HEAT, token)
        else:
            line.fault(token, f"'{token.text}' {_lacks(token, 'mm', 'a layer')}")
    name, stuff = _named(line, words, head)
    thickness = thick.get("", "")
    if not (head or thickness or material or stuff or name):
        return
    if not head and not thickness and line.layers and not name:
        name = line.layers[-1].name  # more is said of the last layer
    heat = material.pop(_HEAT, "")
    _add_layer(line, NotedLayer(name or head, thickness, None, heat), material, stuff)


def _lacks(token: NotedValue, unit: str, what: str) -> str:
    return (
        f"has no unit here, such as {unit}"
        if token.kind is None
        else f"is {token.kind.name}, which {what} does not have"
    )


def _named(line: _Line, words: list[NotedWord], head: str) -> tuple[str, str]:
    """The name of a layer among the words of its phrase, and that of a material of the library."""
    for length in range(len(words), 0, -1):
        for place in range(len(words) - length + 1):
            name = " ".join(word.text for word in words[place : place + length])
            known = _shelved(line.shelf, name.lower())
            if known is not None:
                rest = [word.text for word in (*words[:place], *words[place + length :])]
                return " ".join(rest) or (head or known), known
    return " ".join(word.text for word in words) or head, ""


def _shelved(shelf: Mapping[str, Any], name: str) -> str | None:
    """The material of that name, or the one whose name has it among its words."""
    exactly = [entry for entry in shelf if entry.lower() == name]
    nearly = [entry for entry in shelf if f" {name} " in f" {entry.lower()} "]
    found = exactly or (nearly if len(nearly) == 1 else [])
    return found[0] if found else None


def _unknown(shelf: Mapping[str, Any], name: str) -> str:
    """What to say of a layer whose material is not told, with those of the library that its name may mean."""
    meant = [entry for entry in shelf if set(name.lower().split()) & set(entry.lower().split())]
    return f"k of '{name}', such as k 0.35" + (f", or which it is: {', '.join(meant[:4])}" if meant else "")


def _add_layer(line: _Line, noted: NotedLayer, material: Mapping[str, Any], stuff: str) -> None:
    """Take a layer, or what more is said of the last one; ``stuff`` is a material of the library."""
    last = line.layers[-1] if line.layers else None
    name, thickness, heat = noted.name, noted.thickness, noted.heat
    if last is not None and _says_more(line, last, name, thickness):
        line.layers.pop()
        thickness, heat = thickness or last.thickness, heat or last.heat
        known = line.materials.get(last.material or "", {})
        if not any(layer.material == last.material for layer in line.layers):
            line.materials.pop(last.material or "", None)
        material = {**known, **material}
        name = last.name if not name or not thickness or last.thickness else name
    name = name or f"layer {len(line.layers) + 1}"
    while any(layer.name == name for layer in line.layers):
        name = f"{name} {len(line.layers) + 1}"
    filling = {**(line.shelf[stuff] if stuff else {}), **material}
    called = stuff or name
    while called in line.materials and line.materials[called] != filling:
        called = f"{called} {len(line.layers) + 1}"
    if filling:
        line.materials[called] = filling
    line.layers.append(NotedLayer(name, thickness, called if filling else None, heat))


def _says_more(line: _Line, last: NotedLayer, name: str, thickness: str) -> bool:
    """Whether a phrase goes on with the layer before it: the head had the sizes of the whole body alone, or this has no
    thickness and is of the same name, or tells what that is made of."""
    if thickness:
        return not last.thickness and len(line.layers) == 1
    return name in ("", last.name) or last.material is None


def _statement(line: _Line, read: list[Token]) -> None:
    """What surrounds the body, on the side that the phrase names or on one that is left over."""
    says: dict[Kind, str] = {}
    side, outward, side_at = "", False, (read[0].start, read[-1].end)
    insulated, before = False, len(line.faults)
    for token in read:
        if isinstance(token, NotedValue):
            if token.kind in (TEMPERATURE, FILM_COEFFICIENT, HEAT_FLUX, EMISSIVITY):
                line.once(says, token.kind, token)
            else:
                line.fault(token, f"'{token.text}' {_lacks(token, '°C', 'a surface')}")
            continue
        word = token.text.lower()
        if word == "insulated":
            insulated = True
        elif word in _FLUIDS:
            outward = outward or _FLUIDS[word]
        elif word not in _IDLE and not side:
            side, side_at = word, (token.start, token.end)
        elif word not in _IDLE:
            line.fault(token, f"'{token.text}' is not understood beside '{side}'")
    made = _Statement(side, outward, read[0].start, read[-1].end, side_at)
    temperature = says.get(TEMPERATURE)
    if insulated:
        made.says["insulated"] = True
    if FILM_COEFFICIENT in says and temperature:
        made.says["film"] = {"h": says[FILM_COEFFICIENT], "temperature": temperature}
    elif FILM_COEFFICIENT in says:
        line.faults.append(
            NotUnderstood(made.start, made.end, "a film has the temperature of its fluid, such as 25 °C")
        )
    if EMISSIVITY in says and temperature:
        made.says["radiation"] = {"emissivity": says[EMISSIVITY], "temperature": temperature}
    elif EMISSIVITY in says:
        what = "what it radiates to has a temperature, such as 25 °C"
        line.faults.append(NotUnderstood(made.start, made.end, what))
    if HEAT_FLUX in says:
        made.says["flux"] = says[HEAT_FLUX]
    if temperature and not made.says:
        made.says["temperature"] = temperature
    elif temperature and not {"film", "radiation"} & made.says.keys():
        line.faults.append(NotUnderstood(made.start, made.end, f"it says nothing of what is at {temperature}"))
    if not (says or insulated) and len(line.faults) == before:
        line.faults.append(
            NotUnderstood(made.start, made.end, "say what acts there, such as '20 °C' or 'air 20 °C h 9'")
        )
    if made.says:
        line.statements.append(made)


def _made(line: _Line, body: NotedBody, text: str, unknown: Sequence[str]) -> NotedProblem:
    """The case, with what is still to be said of it: what the layers are made of whose names are ``unknown``."""
    surroundings, missing = _placed(line, body)
    missing += [_unknown(line.shelf, name) for name in unknown]
    data: dict[str, Any] = {
        "format": FORMAT,
        "title": " ".join(text.split())[:200] or "Untitled",
        "parameters": dict(body.parameters),
        "materials": line.materials,
        "body": body.data,
        "surroundings": surroundings,
    }
    clock, lacks = _running(line, surroundings)
    if clock:
        data["clock"] = clock
        missing += lacks
    heats = [{"region": layer.name, "per_volume": layer.heat} for layer in line.layers if layer.heat]
    if heats:
        data["heat_inside"] = heats
    exact = body.exact_in_time if clock else body.exact
    beside = {"expect": {"exact": exact}, "tolerance": "0.5 %"} if exact else {}
    asked = [*body.questions, *([{"name": "given off in all", "heat_stored": "body"}] if clock else [])]
    data["questions"] = [{**question, **beside} for question in asked]
    try:
        return NotedProblem(case_from_data(data), tuple(line.faults), tuple(missing))
    except CaseError as error:
        return NotedProblem(None, tuple(line.faults), tuple(fault.message for fault in error.faults))


def _placed(line: _Line, body: NotedBody) -> tuple[list[dict[str, Any]], list[str]]:
    """The statements on their surfaces: first those that name a side, then the others on what is left over."""
    on: dict[int, tuple[str, ...]] = {}
    for number, stated in enumerate(line.statements):
        if stated.side in body.sides:
            on[number] = body.sides[stated.side]
        elif stated.side:
            meant = nearest(stated.side, body.sides) or f"; there are {', '.join(body.sides)}"
            line.faults.append(NotUnderstood(*stated.side_at, f"'{stated.side}' is no side of it{meant}"))
    taken = {surface for surfaces in on.values() for surface in surfaces}
    unnamed = [number for number, stated in enumerate(line.statements) if not stated.side]
    free = [word for word in body.order if not taken.issuperset(body.sides[word])]
    if len(unnamed) == 1 and len(free) == len(body.order) > 1 and line.statements[unnamed[0]].outward:
        free = free[-1:]
    for number in unnamed:
        if not free:
            stated = line.statements[number]
            line.faults.append(NotUnderstood(stated.start, stated.end, "there is no side left for it; name one"))
            continue
        on[number] = tuple(surface for surface in body.sides[free.pop(0)] if surface not in taken)
        taken.update(on[number])
    made = []
    for number, surfaces in sorted(on.items()):
        where = surfaces[0] if len(surfaces) == 1 else list(surfaces)
        made.append({"on": where, **line.statements[number].says})
    missing = [] if on else ["what surrounds it, such as 'left 980 °C' or 'air 25 °C h 9'"]
    return made, missing


def _running(line: _Line, surroundings: Sequence[Mapping[str, Any]]) -> tuple[dict[str, Any], list[str]]:
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
