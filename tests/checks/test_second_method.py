"""Where nothing is known exactly, a method that knows nothing of meshes answers, and the mesh comes to it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.editing.body_conversion import with_body_kind
from blunt_ember.case.editing.edits import with_value
from blunt_ember.checks.references.fits.second_method import second_field
from blunt_ember.checks.source import Provenance
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

AIR = {"h": "12 W/(m² K)", "temperature": "20 °C"}


def section(regions: dict[str, Any], surroundings: list[Any], questions: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "title": "second",
        "materials": {"clay": {"k": "1.4 W/(m K)"}, "brick": {"k": "0.6 W/(m K)"}, "steel": {"k": "20 W/(m K)"}},
        "body": {"kind": "section", "depth": "1 m", "regions": regions},
        "surroundings": surroundings,
        "questions": [{"name": name, **asked} for name, asked in questions.items()],
        "mesh": {"size": "2 mm"},
        **more,
    }


def polygon(*points: tuple[int, int]) -> dict[str, Any]:
    return {"shape": "polygon", "points": [[f"{x} mm", f"{y} mm"] for x, y in points], "material": "clay"}


CASES: dict[str, tuple[dict[str, Any], float]] = {
    "an angle with a re-entrant corner": (
        section(
            {"a": polygon((0, 0), (100, 0), (100, 40), (40, 40), (40, 100), (0, 100))},
            [
                {"on": "a.side 1", "temperature": "90 °C"},
                {"on": ["a.side 3", "a.side 4"], "film": AIR},
                {"on": "a.side 6", "flux": "800 W/m²"},
            ],
            {
                "corner": {"temperature": ["39 mm", "39 mm"]},
                "arm": {"temperature": ["20 mm", "90 mm"]},
                "lost": {"heat_flow": "a.side 4"},
            },
            heat_inside=[{"region": "a", "per_volume": "20 kW/m³"}],
        ),
        2e-3,
    ),
    "a crooked plate whose edges are held at two temperatures": (
        section(
            {"a": polygon((0, 0), (90, 10), (110, 70), (30, 80))},
            [
                {"on": "a.side 1", "temperature": "20 °C + 400 K/m*x"},
                {"on": "a.side 2", "temperature": "120 °C"},
                {"on": "a.side 3", "film": {"h": "30 W/(m² K)*(1 + x/(0.1 m))", "temperature": "5 °C"}},
            ],
            {"middle": {"temperature": ["60 mm", "45 mm"]}, "off": {"heat_flow": "a.side 3", "direction": "out"}},
        ),
        2e-3,
    ),
    "a plate with a round hole off its middle": (
        section(
            {
                "a": polygon((0, 0), (80, 0), (80, 60), (0, 60)),
                "hole": {"shape": "disc", "radius": "12 mm", "at": ["30 mm", "25 mm"], "void": True},
            },
            [
                {"on": "a.hole", "film": {"h": "200 W/(m² K)", "temperature": "150 °C"}},
                {"on": ["a.side 2", "a.side 4"], "film": AIR},
            ],
            {
                "beside": {"temperature": ["50 mm", "25 mm"]},
                "let in": {"heat_flow": "a.hole"},
                "off": {"heat_flow": "a.side 2", "direction": "out"},
            },
        ),
        2e-3,
    ),
    "a corner of a wall in its insulation, with a bar through it and a joint": (
        section(
            {
                "foam": polygon((0, 0), (120, 0), (120, 40), (40, 40), (40, 120), (0, 120)),
                "wall": {
                    **polygon((40, 40), (120, 40), (120, 80), (80, 80), (80, 120), (40, 120)),
                    "material": "brick",
                },
                "bar": {
                    "shape": "rectangle",
                    "at": ["90 mm", "15 mm"],
                    "size": ["10 mm", "45 mm"],
                    "material": "steel",
                },
            },
            [
                {"on": ["foam.side 1", "foam.side 6"], "film": {"h": "25 W/(m² K)", "temperature": "-5 °C"}},
                {"on": ["wall.side 3", "wall.side 4"], "film": {"h": "8 W/(m² K)", "temperature": "20 °C"}},
            ],
            {
                "inner corner": {"temperature": ["80 mm", "80 mm"]},
                "end of the bar": {"temperature": ["95 mm", "15 mm"]},
                "in": {"heat_flow": ["wall.side 3", "wall.side 4"]},
                "out": {"heat_flow": "foam.side 1", "direction": "out"},
                "through the joint": {"heat_flow": "foam|wall"},
            },
            joints=[{"on": "foam|wall", "resistance": "0.02 m² K/W"}],
            mesh={"size": "1.5 mm"},
        ),
        5e-3,
    ),
    "a round plug in a plate whose edges jump where the materials meet": (
        section(
            {
                "a": polygon((0, 0), (60, 0), (60, 50), (0, 50)),
                "b": {**polygon((60, 0), (100, 0), (100, 50), (60, 50)), "material": "brick"},
                "plug": {"shape": "disc", "radius": "10 mm", "at": ["25 mm", "25 mm"], "material": "steel"},
            },
            [
                {"on": "a.side 1", "temperature": "80 °C"},
                {"on": "b.side 1", "temperature": "20 °C"},
                {"on": ["a.side 3", "b.side 3"], "film": AIR},
            ],
            {
                "plug": {"temperature": ["25 mm", "25 mm"]},
                "between": {"temperature": ["60 mm", "20 mm"]},
                "off": {"heat_flow": "a.side 3", "direction": "out"},
            },
            heat_inside=[{"region": "plug", "per_volume": "0.3 MW/m³"}],
            mesh={"size": "1.5 mm"},
        ),
        5e-3,
    ),
}


def test_a_rectangle_of_two_materials_is_that_of_the_series() -> None:
    """One method beside the other, neither of which knows anything of meshes."""
    case = family("two-materials").case()
    outcome = Flow().answered(case)
    assert outcome.geometry is not None and outcome.problem is not None
    exact, second = outcome.exact, second_field(outcome.geometry, outcome.problem, 200.0)
    assert exact is not None and second is not None
    low, high = np.array(outcome.geometry.low), np.array(outcome.geometry.high)
    places = low + np.random.default_rng(2).uniform(0.02, 0.98, (60, 2)) * (high - low)
    assert second.temperature(places) == pytest.approx(exact.temperature(places), abs=1e-3)
    for surface in ("brick.right", "lining.left"):
        assert second.heat(surface) == pytest.approx(exact.heat(surface), rel=1e-4)


def test_it_is_never_called_exact_and_says_nothing_that_is_finer_than_it_is() -> None:
    data = CASES["an angle with a re-entrant corner"][0]
    lost = [question for question in data["questions"] if question["name"] == "lost"]
    case = case_from_data({**data, "questions": lost, "mesh": {"size": "10 mm"}})
    solid = Flow().run(with_body_kind(case, "stacked"))
    assert [str(check.source)[:14] for check in solid.checks] == ["second method:"] and solid.exact is None
    fine = Flow().run(with_value(case, ("questions", 0, "tolerance"), "0.0001 %"))
    assert [check.verdict for check in fine.checks] == ["open"]


def test_where_it_finds_nothing_the_answer_stands_and_a_hole_may_have_any_shape() -> None:
    film = {"h": "20 W/(m² K)*(1 + x/(1 m))", "temperature": "20 °C"}
    block = {**polygon((0, 0), (60, 0), (50, 40), (0, 40)), "z": ["0 mm", "20 mm"]}
    data = {
        **section({}, [{"on": "b.top", "film": film}, {"on": "b.side 1", "temperature": "90 °C"}], {}),
        "body": {"kind": "stacked", "regions": {"b": block}},
        "mesh": {"size": "8 mm"},
        "questions": [{"name": "inside", "temperature": ["20 mm", "20 mm", "10 mm"]}],
    }
    outcome = Flow().answered(case_from_data(data))  # a film in space that follows the place has no section
    assert outcome.trouble is None and [check.verdict for check in outcome.checks] == ["open"]
    hook = {**polygon((20, 20), (80, 20), (80, 30), (30, 30), (30, 65), (20, 65)), "void": True}
    del hook["material"]
    sides = [{"on": "a.side 1", "temperature": "90 °C"}, {"on": "a.side 3", "film": AIR}]
    held = case_from_data(section({"a": polygon((0, 0), (100, 0), (100, 80), (0, 80)), "hook": hook}, sides, {}))
    plate = Flow().answered(held)
    assert plate.geometry is not None and plate.problem is not None
    found = second_field(plate.geometry, plate.problem, 2e4)  # rough, so that what there is of it is looked at
    assert plate.solution is not None and plate.mesh is not None and found is not None
    assert found.temperature(plate.mesh.points) == pytest.approx(plate.solution.temperature, abs=1.0)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", CASES)
def test_an_answer_of_which_nothing_is_known_is_given_by_the_second_method(name: str) -> None:
    data, near = CASES[name]
    outcome = Flow().run(case_from_data(data))
    for check in outcome.checks:
        assert check.source is not None and check.source.provenance is Provenance.SECOND, check
        assert check.relative is not None and check.error is not None and check.deviation is not None
        assert check.verdict == "agrees" and abs(check.relative) < near, check
        # The method has an error of its own, a small share of the span.
        assert abs(check.deviation) < check.error or abs(check.relative) < 1e-4, check


def test_the_place_where_two_temperatures_meet_is_read_without_a_word() -> None:
    """The slopes of the field have no bound there; its extremes are those that are held."""
    cut = {"shape": "rectangle", "size": ["20 mm", "20 mm"], "at": ["40 mm", "40 mm"], "void": True}
    data = section(
        {"a": {"shape": "rectangle", "size": ["60 mm", "60 mm"], "material": "clay"}, "notch": cut},
        [
            {"on": "a.left", "temperature": "100 °C"},
            {"on": "a.bottom", "temperature": "20 °C"},
            {"on": "a.right", "film": AIR},
        ],
        {"hot": {"highest": "body"}, "cold": {"lowest": "body"}},
    )
    for check, value in zip(Flow().run(case_from_data(data)).checks, (373.15, 293.15), strict=True):
        assert check.source is not None and check.source.provenance is Provenance.SECOND
        assert check.expected == pytest.approx(value) and check.value == pytest.approx(value)
