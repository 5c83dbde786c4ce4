"""Exact solutions found by themselves for bodies of every kind, with heat inside, joints, radiation and directions."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import case_from_data
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.fem.reading import temperature_at
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome

MATERIALS: dict[str, Any] = {
    "clay": {"k": "1.4 W/(m K)", "emissivity": 0.9},
    "steel": {"k": "40 W/(m K)"},
    "felt": {"k": {"table": [["0 °C", "0.3 W/(m K)"], ["400 °C", "0.9 W/(m K)"]]}, "emissivity": 0.8},
    "wound": {"k": {"along": "6 W/(m K)", "across": "0.5 W/(m K)"}},
    "growing": {"k": "1 W/(m K)*(1 + (T - 20 °C)/300 K)", "emissivity": 0.7},
}
FILM = {"film": {"h": "25 W/(m² K)", "temperature": "30 °C"}}
BOTH = {**FILM, "radiation": {"temperature": "20 °C"}}
HOT = {"temperature": "350 °C"}
HEAT = {"region": "a", "per_volume": "120 kW/m³"}


def box(size: list[str], material: str, **further: Any) -> dict[str, Any]:
    return {"shape": "rectangle", "size": size, "material": material, **further}


#: Body, surroundings, further entries, the solution that holds, and how near the mesh comes, as a share of the span.
CASES: dict[str, tuple[dict[str, Any], list[dict[str, Any]], dict[str, Any], str, float]] = {
    "pile with a joint, heat and radiation": (
        {
            "kind": "stacked",
            "regions": {
                "a": box(["60 mm", "50 mm"], "clay", z=["0 mm", "30 mm"]),
                "b": box(["60 mm", "50 mm"], "felt", z=["30 mm", "45 mm"]),
            },
        },
        [{"on": "a.bottom", **FILM}, {"on": "b.top", **BOTH}],
        {"heat_inside": [HEAT], "joints": [{"on": "a|b", "resistance": "0.01 m² K/W"}]},
        "plane-wall",
        1e-4,
    ),
    "wall of growing conductivity that radiates on both sides": (
        {"kind": "section", "regions": {"a": box(["40 mm", "70 mm"], "growing", at=["-13 mm", "5 mm"])}},
        [{"on": "a.top", "radiation": {"temperature": "500 °C"}}, {"on": "a.bottom", **BOTH}],
        {"heat_inside": [HEAT]},
        "plane-wall",
        1e-5,
    ),
    "solid cylinder as a part of a turn": (
        {"kind": "turned solid", "angle": "90 deg", "regions": {"a": box(["25 mm", "20 mm"], "clay")}},
        [{"on": "a.right", **FILM}],
        {"heat_inside": [HEAT]},
        "hollow-cylinder",
        1e-3,
    ),
    "disc of one level, two rings of it": (
        {
            "kind": "stacked",
            "regions": {
                "a": {"shape": "disc", "radius": "20 mm", "material": "clay", "z": ["0 mm", "8 mm"]},
                "b": {"shape": "ring", "inner": "20 mm", "outer": "31 mm", "material": "steel", "z": ["0 mm", "8 mm"]},
            },
        },
        [{"on": "b.rim", **FILM}],
        {"heat_inside": [HEAT], "joints": [{"on": "a|b", "conductance": "400 W/(m² K)"}]},
        "hollow-cylinder",
        1e-3,
    ),
    "ring wound about its centre": (
        {
            "kind": "section",
            "regions": {
                "a": {
                    "shape": "ring",
                    "inner": "30 mm",
                    "outer": "60 mm",
                    "at": ["4 mm", "-7 mm"],
                    "material": "wound",
                    "direction": {"radial_from": ["4 mm", "-7 mm"]},
                }
            },
        },
        [{"on": "a.bore", **HOT}, {"on": "a.rim", **FILM}],
        {},
        "hollow-cylinder",
        1e-4,
    ),
    "plate off the origin, wound upright": (
        {
            "kind": "section",
            "depth": "0.3 m",
            "regions": {"a": box(["80 mm", "50 mm"], "wound", at=["30 mm", "-20 mm"], direction="90 deg")},
        },
        [{"on": "a.left", **HOT}, {"on": "a.top", **FILM}, {"on": "a.bottom", "flux": "900 W/m²"}],
        {"heat_inside": [HEAT]},
        "rectangle",
        2e-3,
    ),
    "plate as a stacked body": (
        {"kind": "stacked", "regions": {"a": box(["80 mm", "50 mm"], "clay", z=["5 mm", "25 mm"])}},
        [{"on": "a.back", **FILM}, {"on": "a.right", "flux": "2 kW/m²"}, {"on": "a.left", **FILM}],
        {},
        "rectangle",
        1e-3,
    ),
    "rod of two pieces pressed together": (
        {
            "kind": "rod",
            "pieces": {
                "a": {"length": "50 mm", "diameter": "7 mm", "material": "steel"},
                "b": {"length": "30 mm", "diameter": "5 mm", "material": "clay"},
            },
        },
        [
            {"on": "a.start", **HOT},
            {"on": ["a.side", "b.side"], **FILM},
            {"on": "b.end", "radiation": {"emissivity": 0.6, "temperature": "900 °C"}},
        ],
        {"heat_inside": [HEAT], "joints": [{"on": "a|b", "resistance": "1e-4 m² K/W"}]},
        "rod",
        5e-4,
    ),
    "ball that gives off heat": (
        {
            "kind": "turned section",
            "regions": {
                "a": {"shape": "ring sector", "outer": "30 mm", "start": "-90°", "end": "90°", "material": "felt"}
            },
        },
        [{"on": "a.rim", **BOTH}],
        {"heat_inside": [HEAT]},
        "hollow-sphere",
        1e-4,
    ),
}


def solved(name: str) -> Outcome:
    body, surroundings, further, _, _ = CASES[name]
    case = case_from_data(
        {"format": "blunt-ember/1", "materials": MATERIALS, "body": body, "surroundings": surroundings, **further}
    )
    return next(outcome for outcome in Flow().outcomes(case) if outcome.ledger or outcome.final)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", CASES)
def test_the_mesh_meets_the_solution_that_is_recognised(name: str) -> None:
    outcome, (_, _, _, expected, near) = solved(name), CASES[name]
    assert outcome.trouble is None and outcome.exact is not None, outcome.trouble
    assert outcome.exact.name.replace("composite", "plane") == expected
    mesh, solution, geometry = outcome.mesh, outcome.solution, outcome.geometry
    assert mesh is not None and solution is not None and geometry is not None and outcome.ledger is not None
    low, high = np.array(geometry.low), np.array(geometry.high)
    places = low + np.random.default_rng(1).uniform(0, 1, (400, len(low))) * (high - low)
    for number in range(len(mesh.regions)):
        own = places[geometry.owner_at(places) == number]
        gap = temperature_at(mesh, solution.temperature, own, number) - outcome.exact.temperature(own, number)
        assert np.nanmax(np.abs(gap)) < near * np.ptp(solution.temperature)
        assert np.isfinite(gap).mean() > 0.95
    largest = max(abs(row.heat) for row in outcome.ledger.rows)
    for row in (*outcome.ledger.rows, *outcome.ledger.joints):
        known = outcome.exact.heat(row.name)
        if row.statement != "arises inside" and not np.isnan(known):
            assert abs(row.heat - known) < 5e-3 * largest, (row, known)


GROWING, WOUND = "wall of growing conductivity that radiates on both sides", "plate off the origin, wound upright"
BARE_RING = {"shape": "ring", "inner": "30 mm", "outer": "60 mm", "material": "wound"}


@pytest.mark.parametrize(
    ("name", "change", "said"),
    [
        (
            GROWING,
            {"surroundings": [{"on": "a.top", "flux": "900 W/m²*x/10 mm"}, {"on": "a.bottom", **FILM}]},
            "not the same everywhere",
        ),
        (GROWING, {"heat_inside": [{"at": ["0 mm", "30 mm"], "total": "3 W"}]}, "heat arises at a point"),
        (
            GROWING,
            {"heat_inside": [{"region": "a", "per_volume": "2 kW/m³*exp(x/9 mm)"}]},
            "heat in a is not the same everywhere",
        ),
        (
            "ring wound about its centre",
            {"body": {"kind": "section", "regions": {"a": BARE_RING}}},
            "that are not radial",
        ),
        (
            WOUND,
            {"body": {"kind": "section", "regions": {"a": box(["80 mm", "50 mm"], "wound", direction="30 deg")}}},
            "conducts aslant",
        ),
    ],
)
def test_what_no_solution_holds_for_says_why(name: str, change: dict[str, Any], said: str) -> None:
    body, surroundings, further, expected, _ = CASES[name]
    asked = {"name": "q", "heat_flow": surroundings[0]["on"], "expect": {"exact": expected}}
    data = {
        "format": "blunt-ember/1",
        "materials": MATERIALS,
        "body": body,
        "surroundings": surroundings,
        "questions": [asked],
        **further,
    }
    outcome = next(o for o in Flow().outcomes(case_from_data({**data, **change})) if o.checks or o.final)
    assert outcome.trouble is None and outcome.exact is None, outcome.trouble
    assert outcome.checks[0].verdict == "open" and said in outcome.checks[0].note, outcome.checks[0].note


def test_a_reference_without_a_root_refuses() -> None:
    from blunt_ember.reference.roots import balanced

    with pytest.raises(ReferenceRefusedError, match="no temperature balances"):
        balanced(lambda t: 1 + t * t, 300.0, 10.0)
    with pytest.raises(ReferenceRefusedError, match="has no value"):
        balanced(lambda t: float("nan"), 300.0, 10.0)
    assert balanced(lambda t: float("nan") if t < 350 else 400 - t, 300.0, 10.0) == pytest.approx(400, rel=1e-14)


@pytest.mark.parametrize(
    ("thickness", "k", "source"),
    [("1 mm", "180", "one-dimensional annular fin"), ("10 mm", "1", "series along each axis")],
)
def test_a_named_solution_that_does_not_hold_gives_way_to_the_one_that_does(
    thickness: str, k: str, source: str
) -> None:
    ring = {"a": box(["18 mm", thickness], "clay", at=["12 mm", "0 mm"])}
    by_name = {"exact": "annular-fin"}
    data = {
        "format": "blunt-ember/1",
        "materials": {"clay": {"k": f"{k} W/(m K)"}},
        "body": {"kind": "turned section", "regions": ring},
        "surroundings": [{"on": "a.left", **HOT}, {"on": ["a.top", "a.bottom", "a.right"], **FILM}],
        "questions": [
            {"name": "rim", "mean": "a.right", "expect": by_name},
            {"name": "given off at the rim", "heat_flow": "a.right", "expect": by_name, "tolerance": "1 %"},
        ],
    }
    for check in Flow(curves=False).run(case_from_data(data)).checks:
        assert check.verdict == "agrees" and source in str(check.source), check
        assert ("does not hold here: h t/(2k) is" in check.note) == (k == "1")


def test_a_point_at_a_joint_is_read_on_the_same_side_as_the_mesh() -> None:
    pieces = {
        "a": {"length": "80 mm", "diameter": "10 mm", "material": "steel"},
        "b": {"length": "50 mm", "diameter": "6 mm"},
    }
    data = {
        "format": "blunt-ember/1",
        "materials": MATERIALS,
        "body": {"kind": "rod", "pieces": {**pieces, "b": {**pieces["b"], "material": "steel"}}},
        "surroundings": [{"on": "a.start", **HOT}, {"on": ["a.side", "b.side", "b.end"], **FILM}],
        "joints": [{"on": "a|b", "resistance": "5e-4 m² K/W"}],
        "questions": [
            {"name": "at it", "temperature": ["80 mm"]},
            *({"name": side, "mean": "a|b", "side": side} for side in "ab"),
        ],
    }
    either, first, second = Flow(curves=False).run(case_from_data(data)).checks
    assert first.value - second.value > 5
    assert either.expected in (first.expected, second.expected)
    assert {check.verdict for check in (either, first, second)} == {"agrees"}
