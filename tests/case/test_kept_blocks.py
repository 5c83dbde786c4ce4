"""Cases that are read beside another one are what they are when they are read by themselves."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.files.json_text import loads
from blunt_ember.errors import CaseError
from blunt_ember.flow.cache import Step
from blunt_ember.flow.keys import StepKeys
from blunt_ember.gallery.families import FAMILIES, family


def _read(data: dict[str, Any], near: Case | None) -> tuple[Any, ...]:
    """What is read of data: the document, values and keys, or all that is wrong."""
    try:
        case = case_from_data(data, "", near)
    except CaseError as error:
        return error.faults
    keys = [StepKeys().of(case, step) for step in Step]
    return case.document, dict(case.parameters), dict(case.working), case.expected, keys, case.document.values


def _changes(data: dict[str, Any]) -> list[dict[str, Any]]:
    """Other parameters, blocks that are gone, and places, names and words that are wrong."""
    parameters = data.get("parameters", {})
    changed = [{**data, "parameters": {**parameters, name: f"1.25 * ({text})"}} for name, text in parameters.items()]
    changed += [{key: entry for key, entry in data.items() if key != block} for block in data]
    changed += [
        {**data, "parameters": {key: text for key, text in parameters.items() if key != name}} for name in parameters
    ]
    changed.append({**data, "environments": {}, "title": "Other", "unheard_of": 1})
    changed.append({**data, "body": {"kind": "rod", "length": "1 m", "area": "1 cm²", "perimeter": "4 cm"}})
    changed.append({**data, "questions": [*data.get("questions", []), {"name": "here", "temperature": ["1 mm"]}]})
    return changed


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", sorted(FAMILIES)[::3])
def test_what_is_kept_of_a_case_near_is_what_would_be_read(name: str) -> None:
    data = dict(family(name).case().data)
    near = case_from_data(data)
    for changed in _changes(data):
        assert _read(changed, near) == _read(changed, None)


def test_blocks_that_are_kept_are_the_same_and_those_that_speak_of_a_change_are_read() -> None:
    near = family("composite-wall").case()
    parameters = {**near.data["parameters"], "h_out": "11 W/(m² K)"}
    read = near.restated({**near.data, "parameters": parameters})
    same = {
        block for block in CaseDocument.model_fields if getattr(read.document, block) is getattr(near.document, block)
    }
    assert {"body", "materials", "questions", "mesh"} <= same
    assert not same & {"surroundings", "parameters"}


def test_digits_that_were_written_count() -> None:
    near = case_from_data(loads(_TEXT))
    read = near.restated(loads(_TEXT.replace("0.85,", "0.850,")))
    assert near.document.mesh is not read.document.mesh and read.document.materials is near.document.materials


def test_formulas_over_answers_follow_the_working_of_their_own_case() -> None:
    near = case_from_data({**loads(_TEXT), "working": {"a": "2"}})
    read = near.restated({**near.data, "working": {"a": "3"}})
    answers = [case.document.questions[1] for case in (near, read)]
    assert answers[0] is not answers[1]
    assert _read(dict(read.data), near) == _read(dict(read.data), None)


_TEXT = """{"format": "blunt-ember/1", "materials": {"stone": {"k": "2 W/(m K)"}},
"body": {"kind": "section", "depth": "1 m",
"regions": {"block": {"shape": "rectangle", "size": ["9 mm", "9 mm"], "material": "stone"}}},
"surroundings": [{"on": "block.left", "temperature": "100 °C"}, {"on": "block.right", "temperature": "0 °C"}],
"mesh": {"growth": 0.85, "size": "5 mm"},
"questions": [{"name": "loss", "heat_flow": "block.right"}, {"name": "twice", "derived": "loss * a"}],
"working": {"a": "2"}}"""
