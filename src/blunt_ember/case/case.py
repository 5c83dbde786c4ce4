"""A case: the data as written, and the same read as typed quantities."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import field
from functools import cached_property
from types import MappingProxyType
from typing import Any

from pydantic import ValidationError

from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.every_value import every_place
from blunt_ember.case.document.questions.derived import bind_derived
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.regions import CONCENTRIC, SIDES_BESIDE
from blunt_ember.case.document.walk import leaves_marked
from blunt_ember.case.faults.clock_faults import clock_faults
from blunt_ember.case.faults.structure_faults import nearest, structure_faults
from blunt_ember.case.files import json_text
from blunt_ember.case.files.migration import migrated
from blunt_ember.case.kept_blocks import BlockTexts, changed_names, document_of, kept_blocks
from blunt_ember.case.values.evaluation import (
    Value,
    evaluate,
    require_kind,
    reserved_meaning,
    resolve,
    undefined,
    used_wrong,
)
from blunt_ember.case.values.field_lines import field_laws, lines_over_places
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.references import RefersTo, Target
from blunt_ember.case.values.unit_sets import UnitSet
from blunt_ember.case.values.units import NUMBER, TEMPERATURE
from blunt_ember.errors import CaseError, ExpressionError, Fault
from blunt_ember.immutable import immutable

#: What is referred to by a name of its own, and is checked where the case is read.
_CHECKED = frozenset({RefersTo(Target.PARAMETER), RefersTo(Target.ENVIRONMENT)})


@immutable
class Case:
    """An immutable case. ``data`` is the JSON as written, to be treated as read-only; ``document`` its meaning."""

    data: Mapping[str, Any]
    document: CaseDocument
    parameters: Mapping[str, Value]
    working: Mapping[str, Value]
    #: Expected values stated with a unit, by the place of their question.
    expected: Mapping[int, float]
    #: Lines of the Working that follow the place: fields to compare with.
    fields: Mapping[str, Law]
    texts: BlockTexts = field(repr=False, compare=False)
    #: Folder from which files are named that the case refers to; the working folder when it has none of its own.
    folder: str = ""

    def restated(self, data: dict[str, Any]) -> Case:
        """Return the case that other data make in the same folder; raise :class:`CaseError` with every fault found.

        Blocks that stay as they are keep their entries.
        """
        return case_from_data(data, self.folder, self)

    @property
    def units(self) -> UnitSet:
        """The units in which values are shown."""
        return self.document.units

    @cached_property
    def names(self) -> Mapping[str, Value]:
        """Everything a formula may refer to."""
        return MappingProxyType({**self.parameters, **self.working})

    def __reduce__(self) -> tuple[Any, ...]:
        return case_from_data, (dict(self.data), self.folder)


def case_from_text(text: str, folder: str = "") -> Case:
    """Read a case from JSON text; raise :class:`CaseError` with every fault found."""
    data = json_text.loads(text)
    if not isinstance(data, dict):
        raise CaseError((Fault((), 'a case is a JSON object: { "format": … }'),))
    return case_from_data(data, folder)


def case_to_text(case: Case) -> str:
    """Return the JSON text of a case, in the order and with the digits the analyst wrote."""
    return json_text.dumps(dict(case.data))


def case_from_data(data: dict[str, Any], folder: str = "", near: Case | None = None) -> Case:
    """Read a case from JSON data; raise :class:`CaseError` with every fault found.

    What it says as another case ``near`` it does is taken over from there.
    """
    data = migrated(data)
    parameters, _, faults = _formulas(data, "parameters", {})
    working, fields, working_faults = _formulas(data, "working", parameters, over_places=True)
    faults += working_faults
    document: CaseDocument | None = None
    texts, kept = BlockTexts(data), list[str]()
    if near is not None:
        kept = kept_blocks(texts, near.texts, near.document, changed_names(parameters, near.parameters))
    try:
        document = document_of(data, parameters, kept, near.document if near is not None else None)
    except ValidationError as error:
        faults += structure_faults(error, data, CaseDocument)
    except RecursionError as error:
        raise CaseError((Fault((), "the case is nested too deep"),)) from error
    expected: dict[int, float] = {}
    if document is not None:
        faults += bind_derived(document.questions, {**parameters, **working})
        same_names = near is not None and kept and _referred(document) == _referred(near.document)
        faults += _reference_faults(document, data, frozenset(kept) if same_names else frozenset())
        for place, question in enumerate(document.questions):
            try:
                value = _expected_value(question, parameters, working, fields)
            except ExpressionError as error:
                key = "working" if question.expect and question.expect.working else "value"
                faults.append(Fault(("questions", place, "expect", key), str(error)))
            else:
                if value is not None:
                    expected[place] = value
    if faults or document is None:
        raise CaseError(_first_causes(faults, data))
    return Case(
        MappingProxyType(data),
        document,
        MappingProxyType(parameters),
        MappingProxyType(working),
        MappingProxyType(expected),
        MappingProxyType(fields),
        texts,
        folder,
    )


def _first_causes(faults: list[Fault], data: dict[str, Any]) -> tuple[Fault, ...]:
    """Leave out complaints that a formula has no value where it is itself complained of."""
    stated = [name for block in ("parameters", "working") for name in _named(data.get(block))]
    echoes = {undefined(name) for name in _named(data.get("parameters"))} | {used_wrong(name) for name in stated}
    return tuple(dict.fromkeys(fault for fault in faults if fault.message not in echoes))


def _named(block: Any) -> tuple[str, ...]:
    return tuple(block) if isinstance(block, dict) else ()


def _formulas(
    data: dict[str, Any], block: str, names: Mapping[str, Value], over_places: bool = False
) -> tuple[dict[str, Value], dict[str, Law], list[Fault]]:
    """Values of the formulas of a block, the laws of those that follow the place where such may be, and faults."""
    stated = data.get(block, {})
    faults: list[Fault] = []
    formulas: dict[str, str] = {}
    if not isinstance(stated, dict):
        return {}, {}, []  # the structure check reports it
    for name, formula in stated.items():
        path = (block, name)
        if not re.fullmatch(r"[^\W\d_⁰¹²³⁴-⁹][^\W⁰¹²³⁴-⁹]*", name):
            faults.append(Fault(path, f"'{name}' is not a name for a formula: letters, digits and _ only"))
        elif reserved_meaning(name):
            what = f"'{name}' is kept for {reserved_meaning(name)}; choose another name, such as '{name}_1'"
            faults.append(Fault(path, what))
        elif name in names:
            faults.append(Fault(path, f"'{name}' is already a parameter; choose another name"))
        elif isinstance(formula, str | int | float) and not isinstance(formula, bool):
            formulas[name] = str(formula)
    lines = lines_over_places(formulas) if over_places else {}
    values, wrong = resolve({name: formula for name, formula in formulas.items() if name not in lines}, names)
    fields, wrong_lines = field_laws(lines, formulas, {**names, **values})
    faults += [Fault((block, name), str(error), error.instead) for name, error in wrong.items()]
    return values, fields, faults + [Fault((block, name), why) for name, why in wrong_lines.items()]


def _expected_value(
    question: Question, parameters: Mapping[str, Value], working: Mapping[str, Value], fields: Mapping[str, Law]
) -> float | None:
    """Return what is expected in SI; None for what is evaluated with the answers, an exact solution or a field."""
    expect = question.expect
    if expect is None or expect.exact is not None:
        return None
    if expect.working is not None and expect.working in fields:
        if question.kind != TEMPERATURE or fields[expect.working].kind != TEMPERATURE:
            raise ExpressionError(f"'{expect.working}' follows place or time; only a field of temperature is compared")
        return None
    if expect.working is not None:
        if expect.working not in working:
            near = nearest(expect.working, working)
            raise ExpressionError(f"there is no line '{expect.working}' in the working{near}")
        text, value = expect.working, working[expect.working]
    else:
        text = expect.value or ""
        value = evaluate(text, parameters)
    require_kind(text, value, question.kind)
    return float(value.magnitude)


def _referred(document: CaseDocument) -> tuple[frozenset[str], frozenset[str], str]:
    """What of a document is referred to from other blocks, where that is checked as it is read."""
    letters = "" if document.body.files else document.body.coordinates
    return frozenset(document.parameters), frozenset(document.environments), letters


def _reference_faults(document: CaseDocument, data: Mapping[str, Any], sound: Collection[str]) -> list[Fault]:
    """What is wrong between blocks; ``sound`` ones refer to what is there, and have places of so many coordinates."""
    faults: list[Fault] = []
    regions = document.body.regions
    if not regions and document.body.drawn:
        faults.append(Fault(("body", "regions"), "the body has no region; add one"))
    for filling in document.body.fillings.values():
        if filling.material is not None and filling.material not in document.materials:
            near = nearest(filling.material, document.materials)
            faults.append(Fault(filling.path, f"there is no material '{filling.material}'{near}"))
    for name, region in regions.items():
        path = ("body", "regions", name)
        piled = document.body.piled
        if piled and region.z is None and region.levels is None:
            what = "say where it stands: 'z' from where to where, such as [\"0 mm\", \"200 mm\"], or several 'levels'"
            faults.append(Fault((*path, "z"), what))
        for key in ("z", "levels"):
            if not piled and getattr(region, key) is not None:
                what = f"'{key}' belongs to a body of kind 'stacked'; this one is a '{document.body.kind}'"
                faults.append(Fault((*path, key), what))
        if region.beside and region.beside[1] not in regions:
            relation, other = region.beside
            near = nearest(other, regions)
            faults.append(Fault((*path, relation), f"there is no region '{other}'{near}"))
    looked_into = {block: entry for block, entry in data.items() if block not in sound}
    for leaf in leaves_marked(CaseDocument, looked_into, _CHECKED):
        target = leaf.marked(RefersTo).target
        if target is Target.PARAMETER and leaf.data not in document.parameters:
            near = nearest(str(leaf.data), document.parameters)
            faults.append(Fault(leaf.path, f"there is no parameter '{leaf.data}'{near}"))
        if target is Target.ENVIRONMENT and leaf.data not in document.environments:
            near = nearest(str(leaf.data), document.environments)
            faults.append(Fault(leaf.path, f"there is no environment '{leaf.data}'{near}; name it among them"))
    faults += _placement_loops(document)
    faults += clock_faults(document)
    if not document.body.files:  # else it is known once they are read
        faults += place_faults(document, document.body.coordinates, sound)
    seen: dict[str, int] = {}
    for place, question in enumerate(document.questions):
        if question.name in seen:
            what = f"question {seen[question.name] + 1} is named '{question.name}' too; choose another name"
            faults.append(Fault(("questions", place, "name"), what))
        seen.setdefault(question.name, place)
        if question.tolerance.kind.dimension not in (question.kind.dimension, NUMBER.dimension):
            what = f"'{question.tolerance.text}' does not fit an answer that is {question.kind.name}"
            faults.append(Fault(("questions", place, "tolerance"), what))
    return faults


def place_faults(document: CaseDocument, letters: str, sound: Collection[str] = ()) -> list[Fault]:
    """Return a fault for every place that has more or fewer coordinates than the ``letters`` of the body's, but in
    blocks that are ``sound``."""
    example = "[" + ", ".join(f'"{10 * (count + 1)} mm"' for count in range(len(letters))) + "]"
    what = f"a place in this body has {', '.join(letters)}; write it like {example}"
    blocks = [block for block in CaseDocument.model_fields if block not in sound]
    places = (each for block in blocks for each in every_place(getattr(document, block), (block,)))
    return [Fault(path, what) for path, place in places if len(place) != len(letters)]


def _placement_loops(document: CaseDocument) -> list[Fault]:
    regions = document.body.regions
    for start in regions:
        trail = [start]
        while (region := regions.get(trail[-1])) is not None and region.beside is not None:
            following = region.beside[1]
            if following == start:
                what = f"the placement goes in a circle ({' → '.join([*trail, start])}); place one of them with 'at'"
                return [Fault(("body", "regions", start, region_key(region)), what)]
            if following in trail:
                break
            trail.append(following)
    return []


def region_key(region: Any) -> str:
    """Return the key by which a region is placed."""
    return next((key for key in (*SIDES_BESIDE, *CONCENTRIC) if getattr(region, key) is not None), "at")
