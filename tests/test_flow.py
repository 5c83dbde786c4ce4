"""Each step is done again only when what it depends on has changed."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing import with_value
from blunt_ember.estimated_errors import FINER_NODES
from blunt_ember.flow import Flow
from blunt_ember.gallery.reference_cases import reference_cases


@pytest.mark.parametrize(("path", "value", "kept"), [
    (("parameters", "h_out"), "15 W/(m² K)", {"geometry", "mesh"}),
    (("materials", "brick", "k"), "0.5 W/(m K)", {"geometry", "mesh"}),
    (("mesh", "order"), 1, {"geometry"}),
    (("parameters", "t_brick"), "120 mm", set()),
    (("parameters", "t_brick"), "11.4 cm", {"geometry", "mesh", "problem", "solution"}),
    (("questions", 0, "tolerance"), "1 %", {"geometry", "mesh", "problem", "solution"}),
    (("title",), "another", {"geometry", "mesh", "problem", "solution"}),
])  # fmt: skip
def test_an_edit_redoes_only_what_follows_from_it(
    wall_data: dict[str, Any], path: tuple[Any, ...], value: Any, kept: set[str]
) -> None:
    flow, case = Flow(), case_from_data(wall_data)
    before = flow.run(case)
    after = flow.run(with_value(case, path, value))
    same = {step for step in ("geometry", "mesh", "solution") if getattr(after, step) is getattr(before, step)}
    assert same == kept - {"problem"}


def test_an_outcome_is_shown_before_its_errors_are_known(wall_data: dict[str, Any]) -> None:
    first, last = Flow().outcomes(case_from_data(wall_data))
    assert not first.final and all(check.error is None for check in first.checks)
    assert last.final and all(check.error is not None for check in last.checks)
    assert [check.value for check in first.checks] == [check.value for check in last.checks]


@pytest.mark.parametrize(("name", "wish"), [
    ("hot-edge-plate", {"size": "0.97 mm", "order": 1}),
    ("manufactured solid, auto, order 1", {"size": "2.6 mm", "order": 1}),
])  # fmt: skip
def test_errors_on_large_meshes_are_told_by_coarser_cells(name: str, wish: dict[str, Any]) -> None:
    case = with_value(dict(reference_cases())[name], ("mesh",), wish)
    outcome = Flow().run(case)
    assert outcome.mesh is not None and outcome.mesh.node_count > FINER_NODES[outcome.mesh.dimension]
    known = [check for check in outcome.checks if check.deviation is not None and check.relative > 1e-9]  # type: ignore[operator]
    assert len(known) >= 2
    overstated = [check.error / abs(check.deviation) for check in known]  # type: ignore[operator, arg-type]
    # Where a place lies within its cell matters too with linear cells, so that one may be worse than the change says.
    assert sum(ratio >= 1 for ratio in overstated) >= len(known) - 1 and min(overstated) > 0.4, overstated
    assert sorted(overstated)[len(known) // 2] < 10, overstated


@pytest.mark.parametrize("wish", [{"size": "0.97 mm", "across": 1}, {"size": "1.06 mm", "cells": "triangles"}])
def test_cells_that_cannot_be_joined_tell_no_errors(wish: dict[str, Any]) -> None:
    # With one cell across, a layer keeps it; free triangles lie elsewhere when they are larger.
    case = with_value(dict(reference_cases())["hot-edge-plate"], ("mesh",), {**wish, "order": 1})
    assert all(check.error is None for check in Flow().run(case).checks)
