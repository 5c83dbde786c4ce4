"""Cases of layers that warm, stated in many ways: each is recognised, and the mesh comes to what is exact of it."""

from __future__ import annotations

import pickle
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.flow.flow import Flow
from blunt_ember.sentences.blocks.sections import sections
from blunt_ember.sentences.parts import Word

MATERIALS = {
    "brick": {"k": "0.9 W/(m K)", "density": "1900 kg/m³", "c": "900 J/(kg K)"},
    "wool": {"k": "0.06 W/(m K)", "density": "130 kg/m³", "c": "1000 J/(kg K)"},
}
HALL = {"h": "9 W/(m² K)", "temperature": "18 °C"}
CASES: dict[str, dict[str, Any]] = {
    # A pile of layers in space, first as it stands steady, then heated from below by a schedule that also jumps.
    "pile": {
        "body": {
            "kind": "stacked",
            "regions": {
                "floor": {
                    "shape": "rectangle",
                    "at": ["0 mm", "0 mm"],
                    "size": ["10 mm", "10 mm"],
                    "levels": {
                        "base": {"z": ["0 mm", "50 mm"], "material": "brick"},
                        "mat": {"z": ["50 mm", "80 mm"], "material": "wool"},
                    },
                }
            },
        },
        "surroundings": [
            {
                "on": "floor.base.bottom",
                "temperature": {
                    "table": [["0 s", "40 °C"], ["1 hour", "260 °C"], ["2 hour", "100 °C"]],
                    "over": "t",
                    "between": "step",
                },
            },
            {"on": "floor.mat.top", "film": HALL},
        ],
        "joints": [{"on": "floor.base|floor.mat", "conductance": "40 W/(m² K)"}],
        "clock": {"start": "steady", "end": "3 hour", "tolerance": "0.002 %"},
        "mesh": {"size": "5 mm", "across": 2},
        "questions": [
            {"name": "top", "mean": "floor.mat.top"},
            {"name": "inside", "temperature": ["5 mm", "5 mm", "25 mm"], "time": "1.5 hour"},
            {"name": "through the joint", "heat_flow": "floor.base|floor.mat"},
            {"name": "stored", "heat_stored": "body"},
            {"name": "let in", "heat_passed": "floor.base.bottom"},
        ],
    },
    # A hollow shell that starts hotter inside than outside, and gives off heat.
    "shell": {
        "body": {
            "kind": "turned section",
            "regions": {
                "shell": {
                    "shape": "ring sector",
                    "inner": "40 mm",
                    "outer": "90 mm",
                    "start": "-90°",
                    "end": "90°",
                    "material": "brick",
                }
            },
        },
        "surroundings": [{"on": "shell.rim", "film": HALL}, {"on": "shell.bore", "flux": "600 W/m²"}],
        "heat_inside": [{"region": "shell", "per_volume": "9 kW/m³"}],
        "clock": {"start": "300 °C - 2000 K/m*sqrt(x^2 + y^2)", "end": "2 hour", "tolerance": "0.002 %"},
        "mesh": {"size": "4 mm"},
        "questions": [
            {"name": "bore", "mean": "shell.bore"},
            {"name": "rim", "mean": "shell.rim", "time": "40 min"},
            {"name": "given off", "heat_passed": "shell.rim"},
            {"name": "stored", "heat_stored": "body"},
        ],
    },
    # A pipe in lagging under a film whose fluid is warmed evenly, and a swing outside.
    "pipe": {
        "body": {
            "kind": "turned section",
            "regions": {
                "pipe": {"shape": "rectangle", "at": ["30 mm", "0 mm"], "size": ["9 mm", "8 mm"], "material": "brick"},
                "lag": {"shape": "rectangle", "right_of": "pipe", "size": ["25 mm", "8 mm"], "material": "wool"},
            },
        },
        "surroundings": [
            {"on": "pipe.left", "film": {"h": "80 W/(m² K)", "temperature": "20 °C + 1.2 K/min*t"}},
            {"on": "lag.right", "film": {"h": "12 W/(m² K)", "temperature": "15 °C + 6 K*sin(2*pi*t/(50 min))"}},
        ],
        "clock": {"start": "20 °C", "end": "100 min", "tolerance": "0.002 %"},
        "mesh": {"size": "3 mm", "across": 2},
        "questions": [
            {"name": "bore", "mean": "pipe.left"},
            {"name": "skin", "mean": "lag.right", "time": "70 min"},
            {"name": "into it", "heat_flow": "pipe.left"},
            {"name": "taken in", "heat_passed": "pipe.left"},
            {"name": "given off", "heat_passed": "lag.right"},
        ],
    },
    # A panel of two layers: heat comes by pieces into a face that meets nothing else, and as a swing into one in air.
    "panel": {
        "body": {
            "kind": "section",
            "regions": {
                "a": {"shape": "rectangle", "size": ["40 mm", "10 mm"], "material": "brick"},
                "b": {"shape": "rectangle", "size": ["30 mm", "10 mm"], "right_of": "a", "material": "wool"},
            },
        },
        "surroundings": [
            {
                "on": "a.left",
                "flux": {"table": [["0 s", "0 W/m²"], ["40 min", "600 W/m²"], ["2 hour", "-50 W/m²"]], "over": "t"},
            },
            {"on": "b.right", "film": HALL, "flux": "200 W/m² + 200 W/m²*sin(2*pi*t/(3 hour))"},
        ],
        "clock": {"start": "25 °C", "end": "2 hour", "tolerance": "0.002 %"},
        "mesh": {"size": "4 mm", "across": 2},
        "questions": [
            {"name": "top", "mean": "a.left"},
            {"name": "inside", "temperature": ["20 mm", "5 mm"], "time": "0.9 hour"},
            {"name": "through the joint", "heat_flow": "a|b"},
            {"name": "stored", "heat_stored": "body"},
            {"name": "let in", "heat_passed": "b.right"},
        ],
    },
}


@pytest.mark.parametrize("name", CASES)
def test_what_warms_in_layers_is_recognised_and_comes_to_what_is_exact(name: str) -> None:
    data = {"format": FORMAT, "title": name, "materials": MATERIALS, **CASES[name]}
    outcome = Flow(curves=False).answered(case_from_data(data))
    assert pickle.loads(pickle.dumps(outcome.exact)) is not None  # as it goes to the window
    for check in outcome.checks:
        assert check.source is not None, check
        assert "series solution" in check.source.text, check
        assert check.relative is not None, check
        assert abs(check.relative) < 3e-6, check


def test_what_begins_as_the_run_ends_is_no_more_of_it() -> None:
    """A step at the very end is none of the ramps of the run."""
    steps = {"table": [["0 s", "20 °C"], ["10 min", "200 °C"], ["30 min", "50 °C"]], "over": "t", "between": "step"}
    wall = {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": ["40 mm", "5 mm"], "material": "brick"}
    data = {
        "format": FORMAT,
        "title": "step",
        "materials": MATERIALS,
        "body": {"kind": "section", "depth": "1 m", "regions": {"wall": wall}},
        "surroundings": [{"on": "wall.left", "temperature": steps}, {"on": "wall.right", "film": HALL}],
        "clock": {"start": "20 °C", "end": "30 min"},
        "mesh": {"size": "2 mm"},
        "questions": [{"name": "middle", "temperature": ["20 mm", "2 mm"], "time": "25 min"}],
    }
    (check,) = Flow(curves=False).answered(case_from_data(data)).checks
    assert check.expected == pytest.approx(check.value, abs=2e-4)


def test_a_ring_in_a_plane_section_may_start_by_its_radius() -> None:
    ring = {"shape": "ring", "inner": "30 mm", "outer": "60 mm", "at": ["0 mm", "0 mm"], "material": "brick"}
    data = {
        "format": FORMAT,
        "title": "ring",
        "materials": MATERIALS,
        "body": {"kind": "section", "depth": "1 m", "regions": {"ring": ring}},
        "surroundings": [{"on": "ring.rim", "film": HALL}],
        "clock": {"start": "400 °C - 3000 K/m*r", "end": "20 min"},
        "mesh": {"size": "5 mm"},
        "questions": [{"name": "bore", "mean": "ring.bore"}],
    }
    (check,) = Flow(curves=False).answered(case_from_data(data)).checks
    assert check.expected == pytest.approx(check.value, abs=2e-2)


def test_what_swings_outside_comes_through_smaller_and_later() -> None:
    """The decrement and the time lag, beside what the exact curve does over its last period."""
    data = {
        "format": FORMAT,
        "materials": MATERIALS,
        "body": {
            "kind": "section",
            "regions": {
                "a": {"shape": "rectangle", "size": ["200 mm", "20 mm"], "material": "brick"},
                "b": {"shape": "rectangle", "size": ["50 mm", "20 mm"], "right_of": "a", "material": "wool"},
            },
        },
        "surroundings": [
            {"on": "a.left", "film": HALL},
            {"on": "b.right", "film": {"h": "25 W/(m² K)", "temperature": "10 °C + 8 K*sin(2*pi*t/(1 d))"}},
        ],
        "clock": {"start": "15 °C", "end": "10 d", "step": "0.2 d"},
        "mesh": {"size": "25 mm", "across": 1},
        "questions": [{"name": "inside", "mean": "a.left"}],
    }
    outcome = Flow(curves=False).answered(case_from_data(data))
    (swing,) = outcome.swings
    assert outcome.exact is not None and (swing.at, swing.to) == ("b.right", "a.left")
    day = 86400.0
    t = np.linspace(9 * day, 10 * day, 96, endpoint=False)
    face = np.array([outcome.exact.at(each).temperature(np.array([[0.0, 0.01]]))[0] for each in t])
    turned = 2 * np.mean((face - face.mean()) * np.exp(-2j * np.pi * t / day)) * 1j
    assert swing.share == pytest.approx(abs(turned) / 8, rel=1e-3)
    assert swing.lag == pytest.approx((-np.angle(turned) % (2 * np.pi)) / (2 * np.pi) * day, abs=60)
    parts = (part for section in sections(outcome.case, outcome) for row in section.rows for part in row)
    said = [part.text for part in parts if isinstance(part, Word)]
    assert any("what swings at b.right comes to a.left" in text and "(decrement)" in text for text in said)


@pytest.mark.parametrize(
    "what",
    [{"flux": "900 W/m²*(y/(20 mm))*(t/(10 s))"}, {"temperature": "20 °C + 1 K/s*t*y/(20 mm)"}],
    ids=["flux", "temperature"],
)
def test_what_follows_place_and_time_is_solved_though_no_layers_know_it(what: dict[str, str]) -> None:
    region = {"shape": "rectangle", "size": ["40 mm", "20 mm"], "material": "brick"}
    data = {
        "format": FORMAT,
        "materials": MATERIALS,
        "body": {"kind": "section", "regions": {"a": region}},
        "surroundings": [{"on": "a.left", **what}],
        "clock": {"start": "20 °C", "end": "30 s"},
        "questions": [{"name": "taken in", "heat_passed": "a.left"}],
    }
    outcome = Flow(curves=False).answered(case_from_data(data))
    assert outcome.exact is None and outcome.checks[0].value > 0


@pytest.mark.parametrize("start", ["20 °C", "650 °C"])
@pytest.mark.parametrize("c", ["880 J/(kg K)", "880 J/(kg K) * (1 + (T - 300 K)/(900 K))"])
def test_a_body_in_which_nothing_flows_is_answered_in_time(start: str, c: str) -> None:
    """Its ledger is nothing but round-off, however hot it is; so is what it stores."""
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"stone": {"k": "1.4 W/(m K)", "density": "2300 kg/m³", "c": c}},
            "body": {"kind": "section", "depth": "1 m", "regions": _HALVES},
            "clock": {"start": start, "end": "2 h"},
            "mesh": {"size": "20 mm"},
            "questions": [
                {"name": "inside", "temperature": ["50 mm", "20 mm"]},
                {"name": "stored", "heat_stored": "body", "expect": {"value": "0 J", "source": "none comes"}},
            ],
        }
    )
    outcome = Flow(curves=False).run(case)
    assert outcome.trouble is None and outcome.ledger is not None and outcome.ledger.relative < 1e-9
    inside, stored = outcome.checks
    assert inside.value == pytest.approx(273.15 + float(start.split()[0]), abs=1e-9)
    assert stored.verdict == "agrees" and abs(stored.value) < 1e-9


def test_heat_that_comes_to_nothing_is_not_off_for_its_last_digits() -> None:
    """Through the middle of what is even, through both sides together, and stored where none comes or goes."""
    stone = {"stone": {"k": "1.4 W/(m K)", "density": "2300 kg/m³", "c": "880 J/(kg K)"}}
    body = {"kind": "section", "depth": "1 m", "regions": _HALVES}
    sides = [{"on": "a.left", "temperature": "20 °C"}, {"on": "b.right", "temperature": "20 °C"}]
    base = {"format": "blunt-ember/1", "materials": stone, "body": body}
    heat = [{"region": name, "per_volume": "1 kW/m³"} for name in ("a", "b")]
    middle = {"name": "middle", "heat_flow": "a|b", "basis": "area"}
    off = {"name": "off", "heat_flow": "a|b", "expect": {"value": "0.1 mW", "source": "made up"}}
    even = Flow().run(case_from_data({**base, "surroundings": sides, "heat_inside": heat, "questions": [middle, off]}))
    assert [check.verdict for check in even.checks] == ["agrees", "off"] and even.checks[0].relative == 0.0
    through = [sides[0], {**sides[1], "temperature": "60 °C"}]
    both = {"name": "both", "heat_flow": ["a.left", "b.right"]}
    (sum_of_both,) = Flow().run(case_from_data({**base, "surroundings": through, "questions": [both]})).checks
    assert sum_of_both.verdict == "agrees" and not sum_of_both.note
    clock = {"start": "20 °C + 100 K*x/(1 m)", "end": "2 h"}
    kept = {"name": "kept", "heat_stored": "body"}
    (stored,) = Flow().run(case_from_data({**base, "clock": clock, "questions": [kept]})).checks
    assert stored.verdict == "agrees" and abs(stored.value) < 1e-3


_HALVES = {
    "a": {"shape": "rectangle", "size": ["0.1 m", "40 mm"], "material": "stone"},
    "b": {"shape": "rectangle", "size": ["0.1 m", "40 mm"], "right_of": "a", "material": "stone"},
}
