"""Sectors of rings whose flanks are held or insulated: recognised, and the mesh comes to what is exact of them."""

from __future__ import annotations

import pickle
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.checks.questions.profile import profile_through
from blunt_ember.checks.references.exact_field import exact_field
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome

FILM = {"film": {"h": "60 W/(m² K)", "temperature": "20 °C"}}
HEAT = [{"region": "arch", "per_volume": "300 kW/m³"}]


def solved(start: str, end: str, surroundings: list[dict[str, Any]], **more: Any) -> Outcome:
    radii = {"inner": "30 mm", "outer": "70 mm"}
    arch = {"shape": "ring sector", **radii, "start": start, "end": end, "at": ["5 mm", "8 mm"], "material": "clay"}
    data = {
        "format": FORMAT,
        "materials": {"clay": {"k": "1.4 W/(m K)"}},
        "body": {"kind": "section", "depth": "0.5 m", "regions": {"arch": arch}},
        "surroundings": surroundings,
        "mesh": {"size": "2.5 mm"},
        "questions": [
            {"name": "inside", "temperature": ["-40 mm", "12 mm"]},
            {"name": "rim", "mean": "arch.rim"},
            *({"name": f"through {name}", "heat_flow": f"arch.{name}"} for name in ("rim", "bore", "start")),
        ],
        **more,
    }
    outcome = Flow().run(case_from_data(data))
    assert outcome.trouble is None
    return outcome


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("start", "end", "surroundings", "more"),
    [
        (
            *("100 deg", "190 deg"),
            [{"on": "arch.bore", "flux": "3 kW/m²"}, {"on": "arch.start", "temperature": "60 °C"}],
            {},
        ),
        (
            *("150 deg", "290 deg"),
            [{"on": "arch.bore", **FILM}, {"on": ["arch.start", "arch.end"], "temperature": "160 °C"}],
            {},
        ),
        (
            *("-200 deg", "40 deg"),
            [{"on": "arch.bore", "temperature": "90 °C"}, {"on": "arch.rim", **FILM}],
            {"heat_inside": HEAT},
        ),
        (
            *("-200 deg", "40 deg"),
            [{"on": "arch.start", "temperature": "160 °C"}, {"on": "arch.end", "temperature": "30 °C"}],
            {},
        ),
    ],
)
def test_a_sector_is_known_and_the_mesh_comes_to_it(
    start: str, end: str, surroundings: list[dict[str, Any]], more: dict[str, Any]
) -> None:
    outcome = solved(start, end, surroundings, **more)
    assert outcome.geometry is not None and outcome.problem is not None and outcome.solution is not None
    field = exact_field("ring-sector", outcome.geometry, outcome.problem)
    assert pickle.loads(pickle.dumps(field)) == field
    assert outcome.mesh is not None
    off = field.temperature(outcome.mesh.points) - outcome.solution.temperature
    # At the corners of held flanks and films the flux is singular, and cells come near it slowly.
    assert np.quantile(np.abs(off), 0.99) < 1e-3 * np.ptp(outcome.solution.temperature)
    assert outcome.exact is not None  # of what goes straight through, another solution
    for check in outcome.checks:
        if check.deviation is not None:
            assert check.error is not None
            assert abs(check.deviation) <= check.error + 1e-9 * abs(check.value), check


def test_the_exact_curve_has_the_gaps_of_the_line_that_leaves_the_body() -> None:
    surroundings = [{"on": "arch.bore", **FILM}, {"on": "arch.start", "temperature": "160 °C"}]
    outcome = solved("20 deg", "160 deg", surroundings, questions=[])
    assert outcome.geometry is not None and outcome.mesh is not None and outcome.solution is not None
    profile = profile_through(0, outcome.geometry, outcome.mesh, outcome.solution.temperature, outcome.exact)
    assert profile.exact is not None
    outside = np.isnan(profile.mesh)
    assert 0 < outside.sum() < len(outside)
    assert (np.isnan(profile.exact) == outside).all()


@pytest.mark.parametrize(
    ("surroundings", "more"),
    [
        ([{"on": "arch.start", **FILM}, {"on": "arch.rim", **FILM}], {}),
        ([{"on": "arch.start", "temperature": "60 °C"}, {"on": "arch.rim", **FILM}], {"heat_inside": HEAT}),
    ],
)
def test_what_is_no_rectangle_in_the_logarithm_is_not_taken_for_one(
    surroundings: list[dict[str, Any]], more: dict[str, Any]
) -> None:
    assert solved("100 deg", "190 deg", surroundings, **more).exact is None
