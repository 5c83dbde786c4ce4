"""Temperatures of a run that no heat can lead to are noted, with how far and until when, and what takes them away."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family


def noted(mesh: dict[str, Any], clock: dict[str, Any], surroundings: list[dict[str, Any]] | None = None) -> list[str]:
    case = family("quenched-wall").case()
    case = with_value(case, ("mesh",), mesh)
    case = with_value(case, ("clock",), {**case.data["clock"], **clock})
    if surroundings is not None:
        case = with_value(case, ("surroundings",), surroundings)
    outcome = Flow().answered(case)
    assert outcome.trouble is None and outcome.run is not None
    return [note.message for note in outcome.notes if "no heat can lead" in note.message]


def test_a_sudden_change_on_large_cells_is_noted_and_lumped_ones_take_it_away() -> None:
    (said,) = noted({"size": "20 mm", "order": 2}, {})
    assert "above 420 °C up to" in said and "'lumped' capacity with cells of order 1" in said
    assert noted({"size": "20 mm", "order": 1}, {"capacity": "lumped"}) == []


@pytest.mark.parametrize("heat", [{"flux": "9 kW/m²"}, {"temperature": "20 °C + 600 K*t/(1 min)"}])
def test_what_heat_is_given_or_a_face_is_held_at_later_is_no_reason_for_a_note(heat: dict[str, Any]) -> None:
    """Above the start by what comes in: a flux has no bound, and a held face has that of its own times."""
    data = family("quenched-wall").case().data["surroundings"]
    faces = [name for entry in data for name in ([entry["on"]] if isinstance(entry["on"], str) else entry["on"])]
    lumped = {"size": "20 mm", "order": 1}
    assert noted(lumped, {"capacity": "lumped", "end": "1 min"}, [{"on": faces, **heat}]) == []
