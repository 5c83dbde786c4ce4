"""Where the flux is singular is known from shape, materials and what is held; errors there hold what they say."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.editing.edits import with_value
from blunt_ember.fem.singular_flux import flux_is_singular
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.refinement.uniform import uniform_refinement
from blunt_ember.report.tables.refined import trends


def answered(data: dict[str, Any]) -> Outcome:
    return Flow().answered(case_from_data(data))


def plate(**more: Any) -> dict[str, Any]:
    """A plate held below and cooled above."""
    return {
        "format": FORMAT,
        "materials": {"a": {"k": "1.5 W/(m K)"}},
        "body": {
            "kind": "section",
            "depth": "1 m",
            "regions": {"plate": {"shape": "rectangle", "size": ["100 mm", "60 mm"], "material": "a"}},
        },
        "surfaces": {
            "hot": {"on": "plate.top", "start": ["0 mm", "60 mm"], "end": ["40 mm", "60 mm"]},
            "rest": {"on": "plate.top", "start": ["40 mm", "60 mm"], "end": ["100 mm", "60 mm"]},
        },
        "surroundings": [
            {"on": "plate.bottom", "temperature": "20 °C"},
            {"on": ["hot", "rest"], "film": {"h": "40 W/(m² K)", "temperature": "300 °C"}},
        ],
        "mesh": {"size": "10 mm"},
        "questions": [
            {"name": "in", "heat_flow": "plate.bottom"},
            {"name": "near the end", "temperature": ["42 mm", "58 mm"]},
        ],
        **more,
    }


HELD_IN_PART = [{"on": "plate.bottom", "temperature": "20 °C"}, {"on": "hot", "temperature": "300 °C"}]


def test_what_makes_a_flux_singular_is_told_from_what_does_not() -> None:
    assert not flux_is_singular(answered(plate()).problem)
    assert flux_is_singular(answered(plate(surroundings=HELD_IN_PART)).problem), "a held part ends on a flat side"
    side = [*HELD_IN_PART[:1], {"on": "plate.left", "temperature": "90 °C"}]
    assert flux_is_singular(answered(plate(surroundings=side)).problem), "two held sides meet"
    same = [*HELD_IN_PART[:1], {"on": "plate.left", "temperature": "20 °C"}]
    assert not flux_is_singular(answered(plate(surroundings=same)).problem), "one temperature round a corner"


@pytest.mark.parametrize(
    ("name", "singular"),
    [
        ("wall-corner", True),
        ("room-corner", True),
        ("buried-pipe", False),
        ("hollow-cylinder", False),
        ("hot-edge-plate", True),
        ("straight-fin", False),
    ],
)
def test_families_with_and_without_singular_edges(name: str, singular: bool) -> None:
    case = with_value(family(name).case(), ("mesh", "order"), 1)
    outcome = Flow().answered(case)
    assert outcome.problem is not None
    assert flux_is_singular(outcome.problem) == singular


@pytest.mark.one_in(2)
@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("size", ["12 mm", "7 mm"])
def test_errors_beside_the_end_of_a_held_part_hold_the_true_ones(order: int, size: str) -> None:
    """The true answers are those of much finer cells, extrapolated."""
    reference = list(uniform_refinement(Flow(), case_from_data(plate(surroundings=HELD_IN_PART)), 5))
    truth = [each.limit for each in trends(reference[2:])]
    outcome = Flow().run(case_from_data(plate(surroundings=HELD_IN_PART, mesh={"size": size, "order": order})))
    assert outcome.errors is not None and "singularities" in outcome.errors.told_by
    for check, true in zip(outcome.checks, truth, strict=True):
        assert check.error is not None
        assert abs(check.value - true) <= check.error <= 40 * abs(check.value - true)
