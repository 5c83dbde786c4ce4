"""Each step is done again only when what it depends on has changed."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow


@pytest.mark.parametrize(
    ("path", "value", "kept"),
    [
        (("parameters", "h_out"), "15 W/(m² K)", {"geometry", "mesh"}),
        (("materials", "brick", "k"), "0.5 W/(m K)", {"geometry", "mesh"}),
        (("mesh", "order"), 1, {"geometry"}),
        (("parameters", "t_brick"), "120 mm", set()),
        (("parameters", "t_brick"), "11.4 cm", {"geometry", "mesh", "problem", "solution"}),
        (("questions", 0, "tolerance"), "1 %", {"geometry", "mesh", "problem", "solution"}),
        (("title",), "another", {"geometry", "mesh", "problem", "solution"}),
    ],
)
def test_an_edit_redoes_only_what_follows_from_it(
    wall_data: dict[str, Any], path: tuple[Any, ...], value: Any, kept: set[str]
) -> None:
    flow, case = Flow(), case_from_data(wall_data)
    before = flow.answered(case)
    after = flow.answered(with_value(case, path, value))
    steps = ("geometry", "mesh", "problem", "solution")
    assert {step for step in steps if getattr(after, step) is getattr(before, step)} == kept


def test_an_outcome_is_shown_before_its_errors_are_known(wall_data: dict[str, Any]) -> None:
    first, last = Flow().outcomes(case_from_data(wall_data))
    assert not first.final and all(check.error is None for check in first.checks)
    assert last.final and all(check.error is not None for check in last.checks)
    assert [check.value for check in first.checks] == [check.value for check in last.checks]
