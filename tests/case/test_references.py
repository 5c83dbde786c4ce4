"""Names and formulas are known by the types of the document, wherever they stand."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data, case_to_text
from blunt_ember.case.document import walk
from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.document.walk import leaves, models_on, with_leaves
from blunt_ember.case.editing.references import ON_THE_BODY, references, used_by
from blunt_ember.case.editing.removal import without_part, without_surface_name
from blunt_ember.case.editing.renaming import renamed_formula, renamed_material, renamed_part, renamed_surface
from blunt_ember.case.values.references import Target
from blunt_ember.errors import CaseError
from blunt_ember.gallery.families import FAMILIES
from blunt_ember.gallery.reference_cases import reference_cases

CASES = dict(reference_cases())


@pytest.mark.parametrize("name", CASES)
def test_the_walk_leaves_a_case_as_it_is_and_knows_every_key(name: str) -> None:
    data = dict(CASES[name].data)
    assert with_leaves(CaseDocument, data, lambda leaf: leaf.data) == data
    for leaf, target in references(data):
        if target is Target.MATERIAL:
            assert leaf.data in data["materials"]
        elif target is Target.SHAPE:
            assert leaf.data in data["body"]["regions"]


@pytest.mark.parametrize("word", ["K", "W", "SI", "auto", "triangles", "steady", "depth", "area", "out", "lumped"])
def test_renaming_a_parameter_touches_formulas_alone(wall_data: dict[str, Any], word: str) -> None:
    """Whatever it is called: words of the format and units of that spelling stay."""
    data = {**wall_data, "parameters": {**wall_data["parameters"], word: "3"}}
    data["units"] = "SI"
    data["mesh"] = {"size": "auto", "cells": "triangles"}
    data["clock"] = "steady"
    data["working"] = {**data["working"], "thrice": f"{word}*q"}
    data["questions"] = [*data["questions"], {"name": "x", "heat_flow": "brick.left", "basis": "area"}]
    renamed = renamed_formula(case_from_data(data), "parameters", word, "other")
    expected = {**data, "working": {**data["working"], "thrice": "other*q"}}
    expected["parameters"] = {"other" if name == word else name: text for name, text in data["parameters"].items()}
    assert renamed.data == expected


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", sorted(FAMILIES))
def test_a_case_with_everything_renamed_says_the_same(name: str) -> None:
    """Every region, material, surface name, parameter and line of the Working, and back again."""
    case = FAMILIES[name].case()
    body = case.data["body"]
    block = next(key for key in ("regions", "pieces", "groups") if key in body)
    forth = case
    parts, materials, own = list(body[block]), list(case.data.get("materials", {})), list(case.data.get("surfaces", {}))
    formulas = [(block, old) for block in ("parameters", "working") for old in case.data.get(block, {})]
    for part in parts:
        forth = renamed_part(forth, ("body", block, part), f"{part} renamed")
    for material in materials:
        forth = renamed_material(forth, material, f"{material} renamed")
    for surface in own:
        forth = renamed_surface(forth, surface, f"{surface} renamed")
    for where, old in formulas:
        forth = renamed_formula(forth, where, old, f"{old}_renamed")
    old_names = {*parts, *materials, *own}
    assert not [leaf for leaf, _ in references(forth.data) if leaf.data in old_names]
    for part in parts:
        forth = renamed_part(forth, ("body", block, f"{part} renamed"), part)
    for material in materials:
        forth = renamed_material(forth, f"{material} renamed", material)
    for surface in own:
        forth = renamed_surface(forth, f"{surface} renamed", surface)
    for where, old in formulas:
        forth = renamed_formula(forth, where, f"{old}_renamed", old)
    assert case_to_text(forth).replace(" ", "") == case_to_text(case).replace(" ", "")


def test_what_uses_a_material_is_known(wall_data: dict[str, Any]) -> None:
    case = case_from_data(wall_data)
    assert [leaf.path for leaf in used_by(case, frozenset({Target.MATERIAL}), "brick")] == [
        ("body", "regions", "brick", "material")
    ]


def test_removing_a_part_leaves_no_name_of_it(wall_data: dict[str, Any]) -> None:
    data = {**wall_data, "surfaces": {"outside": "shell.right", "ends": ["shell.top", "brick.top"]}}
    data["surroundings"] = [
        {"on": ["brick.left"], "temperature": "980 °C"},
        {"on": "outside", "film": {"h": "h_out", "temperature": "20 °C"}},
    ]
    data["questions"] = [{"name": "a", "mean": {"between": ["brick.left", "outside"]}}, {"name": "b", "mean": "body"}]
    smaller, also = without_part(case_from_data(data), ("body", "regions", "shell"))
    assert set(also) == {"the name 'outside'", "the statement on outside", "the question 'a'"}
    assert smaller.data["surfaces"] == {"ends": ["brick.top"]}
    assert not [leaf for leaf, target in references(smaller.data) if target in ON_THE_BODY and "shell" in leaf.data]


def test_every_leaf_has_a_path_that_leads_to_it(wall_data: dict[str, Any]) -> None:
    for leaf in leaves(CaseDocument, wall_data):
        here: Any = wall_data
        for part in leaf.path:
            here = here[part]
        assert leaf.is_key or here == leaf.data


def test_a_name_that_the_clock_waits_for_is_kept(wall_data: dict[str, Any]) -> None:
    until = {"passes": "50 °C", "mean": "outside"}
    clock = {"start": "20 °C", "end": "1 hour", "until": until}
    case = case_from_data({**wall_data, "surfaces": {"outside": "shell.right"}, "clock": clock})
    with pytest.raises(CaseError, match="'outside' is still used: the clock"):
        without_surface_name(case, "outside")
    free = case_from_data({**wall_data, "surfaces": {"outside": "shell.right"}})
    assert not without_surface_name(free, "outside").document.surfaces


def test_types_are_taken_apart_once_however_often_a_case_is_walked(wall_data: dict[str, Any]) -> None:
    def walk_all() -> int:
        for leaf in leaves(CaseDocument, wall_data):
            models_on(CaseDocument, wall_data, leaf.path)
        return len(walk._TAKEN)

    assert walk_all() == walk_all() == walk_all()
