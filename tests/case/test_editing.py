"""Edits make new cases, and references follow."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data, case_to_text
from blunt_ember.case.editing.edits import appended, parameter_at, with_typed_value, with_value, without
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_formula, renamed_material, renamed_part
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow

WIDTH = ("body", "regions", "brick", "size", 0)


def test_an_edit_leaves_the_old_case_as_it_was(wall_data: dict[str, Any]) -> None:
    case = case_from_data(wall_data)
    text = case_to_text(case)
    edited = without(
        appended(with_value(case, WIDTH, "90 mm"), ("questions",), {"name": "z", "highest": "shell.top"}),
        ("surroundings", 0),
    )
    assert case_to_text(case) == text
    assert edited.document.body.regions["brick"].size[0].si == pytest.approx(0.09)
    assert len(edited.document.questions) == len(case.document.questions) + 1


def test_what_is_typed_over_a_parameter_goes_to_the_parameter(wall_data: dict[str, Any]) -> None:
    case = case_from_data(wall_data)
    assert parameter_at(case, WIDTH) == "t_brick"
    thicker = with_typed_value(case, WIDTH, "2*57 mm + 1 mm")
    assert thicker.data["parameters"]["t_brick"] == "2*57 mm + 1 mm"
    assert thicker.document.body.regions["brick"].size[0].si == pytest.approx(0.115)
    other = with_typed_value(case, WIDTH, "t_shell")
    assert other.data["body"]["regions"]["brick"]["size"][0] == "t_shell"
    with pytest.raises(CaseError, match="is not a length"):
        with_typed_value(case, WIDTH, "12 W")


def test_renaming_carries_every_reference_along(wall_data: dict[str, Any]) -> None:
    case = case_from_data(wall_data)
    renamed = renamed_part(case, ("body", "regions", "blanket"), "wool")
    renamed = renamed_material(renamed, "steel", "casing steel")
    renamed = renamed_formula(renamed, "parameters", "t_brick", "a")
    assert renamed.data["working"]["T_joint"] == "T_hot - q*a/k_brick"
    renamed = renamed_formula(renamed, "working", "q", "flux_out")
    text = case_to_text(renamed)
    assert '"blanket"' not in text.replace('"materials": {"brick"', "").replace('"blanket": {"k"', "").replace(
        '"material": "blanket"', ""
    )
    before, after = Flow().answered(case), Flow().answered(renamed)
    assert [check.value for check in before.checks] == [check.value for check in after.checks]
    assert all(check.verdict == "agrees" for check in after.checks)


BRICK = ("body", "regions", "brick")


@pytest.mark.parametrize(
    ("rename", "arguments"),
    [
        (renamed_part, (BRICK, "shell")),
        (renamed_part, (BRICK, "a.b")),
        (renamed_material, ("brick", "steel")),
        (renamed_formula, ("parameters", "t_brick", "q")),
        (renamed_formula, ("working", "q", "T")),
    ],
)
def test_a_name_that_is_taken_or_none_is_refused(
    wall_data: dict[str, Any], rename: Any, arguments: tuple[str, ...]
) -> None:
    with pytest.raises(CaseError):
        rename(case_from_data(wall_data), *arguments)


def test_removing_a_region_takes_what_refers_to_it_and_says_so(wall_data: dict[str, Any]) -> None:
    case = case_from_data(wall_data)
    smaller, also = without_part(case, ("body", "regions", "shell"))
    assert {"the statement on shell.right", "the question 'outer surface'"} <= set(also)
    assert "shell" not in smaller.document.body.regions
    with pytest.raises(CaseError, match="'shell' is placed by it"):
        without_part(case, ("body", "regions", "blanket"))
