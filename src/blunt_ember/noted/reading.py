"""Reads a problem that is noted in one line, such as ``wall 114 mm k 0.35; left 980 °C; right air 12 W/m2K 25 °C``.

The line is a body with its layers, what surrounds it, and how the clock runs, parted by commas or semicolons. It makes
an ordinary case with the questions one would ask; what is not understood is told with its place in the line.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.evaluation import quantity_si
from blunt_ember.case.values.units import LENGTH, POWER_DENSITY
from blunt_ember.errors import CaseError, ExpressionError
from blunt_ember.noted.asking import asked_questions, take_question
from blunt_ember.noted.bodies import BOTH_SIDES, HEADS, UNMADE
from blunt_ember.noted.clock import clock_of, take_clock
from blunt_ember.noted.deep_body import deepened
from blunt_ember.noted.layers import begins_with_layer, lacking_material, read_layer, with_diffusivity
from blunt_ember.noted.line_so_far import NotedProblem, NotUnderstood, ReadLine
from blunt_ember.noted.noted_body import NotedBody, NotedLayer, NotedSizes, NotEnoughError
from blunt_ember.noted.parting import headed, parts
from blunt_ember.noted.phrases import NotedValue, NotedWord, Token, as_phrases, phrases, tokens
from blunt_ember.noted.statements import acts, names_sides_alone, one_by_one, placed_statements, read_statement

#: What a line looks like, told where there is none or nothing is understood.
EXAMPLES = (
    "wall 114 mm k 0.35; left 980 °C; right air 12 W/m2K 25 °C",
    "pipe bore 150 mm, 4 mm k 24, lagging 45 mm k 0.065; gas 310 °C h 38; air 18 °C h 9",
    "fin 38 x 1.6 mm k 180, base 72 °C, film 42 W/m2K 24 °C",
    "lid 0.7 m long, 0.09 to 0.06 m thick k 1.4; under 640 °C; above air 9 W/m2K 25 °C",
    "ball d 70 mm fireclay from 640 °C, film 30 W/m2K 22 °C, until within 1 K",
)


#: Characters of a line at most.
LONGEST = 2000


_KINDS = ", ".join(HEADS)


def read_line(line: str, shelves: Mapping[str, Mapping[str, dict[str, Any]]]) -> NotedProblem:
    """Return the problem a ``line`` notes; ``shelves`` of the library hold the materials it may name.

    Raises nothing that has to do with the line.
    """
    if len(line) > LONGEST:
        return NotedProblem(None, (NotUnderstood(LONGEST, len(line), f"a line has {LONGEST:,} characters at most"),))
    found = ReadLine({name: entry for shelf in shelves.values() for name, entry in shelf.items()})
    said, line = line, as_phrases(line)
    named: list[Token] = []  # sides of which a comma says that more come before what acts there
    for begin, phrase in phrases(line):
        read = tokens(phrase, begin)
        if named and not any(acts(token) for token in read):
            _read_phrase(found, named)
            named = []
        read = named + read
        named = []
        if found.head and names_sides_alone(read) and line[begin + len(phrase) :].startswith(","):
            named = [*read, NotedWord("and", begin + len(phrase), begin + len(phrase) + 1)]
        else:
            _read_phrase(found, read)
    if not found.head:
        return NotedProblem(None, found.told, () if found.faults else (f"what it is: {_KINDS}",))
    unknown = [layer.name for layer in found.layers if layer.material is None]
    if len(found.layers) == 1 and found.layers[0].material in (None, found.layers[0].name):
        found.layers = [replace(found.layers[0], name=found.head)]
    sizes = NotedSizes({key: tuple(value.text for value in values) for key, values in found.sizes.items()})
    try:
        body = HEADS[found.head](found.layers, sizes)
    except NotEnoughError as lack:
        return NotedProblem(None, found.told, (str(lack),))
    for key in sizes.left_over:
        first, last = found.sizes[key][0], found.sizes[key][-1]
        what = f"'{line[first.start : last.end].strip()}' is no size of a {found.head}"
        found.faults.append(NotUnderstood(first.start, last.end, what))
    return _made(found, body, said, unknown)


def _read_phrase(line: ReadLine, read: list[Token]) -> None:
    """Read what one phrase says: first the clock, then a body or layers, then what surrounds it."""
    read = take_clock(line, read)
    begins = not line.head
    if not begins and take_question(line, read):
        return
    if begins and read:
        found = headed(read) or (("wall", read) if begins_with_layer(line, read) else None)
        if found is None:
            if line.faults:  # what it is would tell what the rest means
                return
            first = read[0]
            meant = nearest(first.text.lower(), HEADS) if isinstance(first, NotedWord) else ""
            line.fault(first, f"a line begins with what it is{meant or f': {_KINDS}'}")
            return
        line.head, read = found
        read = _shaped(line, read)
        if not read:
            read_layer(line, [], line.head)
    for number, part in enumerate(parts(read, begins)):
        head = line.head if begins and number == 0 else ""
        if any(acts(token) for token in part):
            if head:
                read_layer(line, [], head)
            for stated in one_by_one(part, BOTH_SIDES.get(line.head)):
                read_statement(line, stated)
        else:
            read_layer(line, part, head)


def _shaped(line: ReadLine, read: list[Token]) -> list[Token]:
    """What is said of a body less the words for its shape, of which those are told that no line makes."""
    words = [token for token in read if isinstance(token, NotedWord) and token.text.lower() in UNMADE]
    for word in words:
        if line.head not in UNMADE[word.text.lower()]:
            what = f"a line makes no '{word.text}' body, and reads it without; begin with a section and draw it"
            line.fault(word, what)
    left = [token for token in read if token not in words]
    sides = [token for token in left if isinstance(token, NotedValue) and token.kind is LENGTH]
    if line.head == "plate" and any(word.text.lower() == "square" for word in words) and len(sides) == 1:
        at = left.index(sides[0])
        return [*left[:at], replace(sides[0], joined="x"), *left[at:]]
    return left


def _heat_inside(layer: NotedLayer, body: NotedBody) -> dict[str, str]:
    """Heat that arises in a layer, per volume or per metre of what is drawn as a section."""
    try:
        quantity_si(layer.heat, POWER_DENSITY, {})
    except ExpressionError:
        return {"region": layer.name, "total": f"{layer.heat} * {body.data['depth']}"}
    return {"region": layer.name, "per_volume": layer.heat}


def _made(line: ReadLine, body: NotedBody, text: str, unknown: Sequence[str]) -> NotedProblem:
    """The case, with what is still to be said of it: what the layers are made of whose names are ``unknown``."""
    line.materials = {name: with_diffusivity(material) for name, material in line.materials.items()}
    surroundings, missing = placed_statements(line, body)
    missing += [*body.lacks, *(lacking_material(line.shelf, name) for name in unknown)]
    data: dict[str, Any] = {
        "format": FORMAT,
        "title": " ".join(text.split())[:200] or "Untitled",
        "parameters": dict(body.parameters),
        "materials": line.materials,
        "body": body.data,
        "surroundings": surroundings,
    }
    clock, lacks = clock_of(line, surroundings, body)
    if body.endless:
        data["parameters"], data["materials"], clock, lacks = deepened(line, clock, lacks)
    if clock:
        data["clock"] = clock
        missing += lacks
    heats = [_heat_inside(layer, body) for layer in line.layers if layer.heat]
    if heats:
        data["heat_inside"] = heats
    exact = body.exact_in_time if clock else body.exact
    beside = {"expect": {"exact": exact}, "tolerance": "0.5 %"} if exact else {}
    stored = [{"name": "given off in all", "heat_stored": "body"}] if clock and not body.endless else []
    ends = [{"name": "how long it takes", "when": clock["until"]}] if line.until is not None else []
    asked = [*ends, *body.questions, *stored, *asked_questions(line, body)]
    data["questions"] = [{**question, **beside} for question in asked]
    try:
        return NotedProblem(case_from_data(data), line.told, tuple(missing))
    except CaseError as error:
        return NotedProblem(None, line.told, tuple(fault.message for fault in error.faults))
