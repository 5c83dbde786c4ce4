"""The influence of heat on an answer is by how much the answer changes when that heat is put in."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.fem.reading import weights_at
from blunt_ember.fem.recovery import recovered
from blunt_ember.fem.steady.adjoint import Influences
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.refinement.goal_oriented_error import weighed_error

SPOT = ["31 mm", "12 mm"]


def slab(k: str, **more: Any) -> dict[str, Any]:
    """Held on the left, in a fluid on the right, and its top radiates."""
    return {
        "format": "blunt-ember/1",
        "materials": {"a": {"k": k, "emissivity": 0.7}},
        "body": {
            "kind": "section",
            "regions": {"a": {"shape": "rectangle", "size": ["80 mm", "40 mm"], "material": "a"}},
        },
        "surroundings": [
            {"on": "a.left", "temperature": "300 °C"},
            {"on": "a.right", "film": {"h": "40 W/(m² K)", "temperature": "20 °C"}},
            {"on": "a.top", "radiation": {"temperature": "20 °C"}},
        ],
        "mesh": {"size": "8 mm", "cells": "triangles", "order": 1},
        "questions": [
            {"name": "in", "heat_flow": "a.left"},
            {"name": "out", "heat_flow": "a.right"},
            {"name": "both", "mean": "a.bottom"},
            {"name": "hottest", "highest": "a.right"},
            {"name": "spot", "temperature": ["50 mm", "20 mm"]},
        ],
        **more,
    }


@pytest.mark.parametrize("k", ["1.3 W/(m K)", "1.3 W/(m K) * (1 + (T - 300 K)/(400 K))"])
def test_an_influence_is_what_a_watt_there_changes(k: str) -> None:
    power = 1e-3
    bare, flow = case_from_data(slab(k)), Flow()
    fed = case_from_data(slab(k, heat_inside=[{"at": SPOT, "total": f"{power} W"}]))
    solved = flow.solved(bare)
    _, problem = flow.solved_on(bare, solved.mesh)
    influences = Influences(problem, solved.temperature)
    changed = np.subtract(flow.answers(fed, flow.solved(fed)), flow.answers(bare, solved)) / power
    at = weights_at(solved.mesh, np.array([[0.031, 0.012]]))
    # What comes in more is what leaves less.
    for place, name in ((0, "a.left"), (1, "a.right")):
        assert (at @ influences.on_heat([name]))[0] == pytest.approx(-changed[place], rel=2e-5)
    spot = weights_at(solved.mesh, np.array([[0.05, 0.02]]))
    assert (at @ influences.on_reading(spot.toarray()[0]))[0] == pytest.approx(changed[4], rel=2e-5)
    every = sum(influences.on_heat([name]) for name in ("a.left", "a.right", "a.top"))
    if "T" not in k:
        np.testing.assert_allclose(every, 1.0, rtol=1e-9)  # all of it leaves by one of them


def test_cells_count_by_what_they_do_to_the_answers_that_are_asked() -> None:
    """Of a plate with a hot edge the flux is off most in the corners at that edge, which the other edge hardly sees."""
    case = with_value(family("hot-edge-plate").case(), ("mesh",), {"size": "20 mm", "order": 1, "cells": "triangles"})
    bottom = next(question for question in case.data["questions"] if question["name"] == "out through the bottom")
    case = with_value(case, ("questions",), [bottom])
    flow = Flow()
    solved = flow.solved(case)
    _, problem = flow.solved_on(case, solved.mesh)
    error = np.concatenate(recovered(problem, solved.temperature).along)
    weighed = weighed_error(case.document, solved, problem, error, [1.0])
    middles = np.concatenate([solved.mesh.points[block.nodes].mean(axis=1) for block in solved.mesh.blocks])
    top = middles[:, 1] > 0.8 * solved.mesh.points[:, 1].max()
    assert error[top].sum() > 0.9 * error.sum() and weighed[top].sum() < 0.45 * weighed.sum()
    # What cells add may take itself away again, so together they are no less than what the answer is off by.
    exact = next(
        check for check in flow.answered(family("hot-edge-plate").case()).checks if check.name == bottom["name"]
    )
    assert weighed.sum() > abs(flow.answers(case, solved)[0] - exact.value)
