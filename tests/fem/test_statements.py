"""What can be stated, on its own and all at once: joints, periodic pairs, heat inside, radiation; Newton's method."""

from __future__ import annotations

import subprocess
import sys
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.errors import CaseError, OpenCaseError, SolverError
from blunt_ember.fem.reading import temperature_at
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.gallery.manufactured import manufactured_cases

HALF = {"shape": "rectangle", "size": ["30 mm", "40 mm"]}
PAIR = {
    "kind": "section",
    "depth": "0.5 m",
    "regions": {"a": {**HALF, "material": "clay"}, "b": {**HALF, "right_of": "a", "material": "clay"}},
}
ENDS = [{"on": "a.left", "temperature": "120 °C"}, {"on": "b.right", "temperature": "20 °C"}]


def run(**entries: Any) -> Any:
    data = {"format": "blunt-ember/1", "materials": {"clay": {"k": "1.5 W/(m K)", "emissivity": 0.85}}, "body": PAIR}
    return Flow().answered(case_from_data({**data, **entries}))


def heat(outcome: Any) -> dict[str, float]:
    return {row.name: row.heat for row in (*outcome.ledger.rows, *outcome.ledger.joints)}


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("cells", ["auto", "triangles"])
def test_a_joint_on_a_part_of_an_interface_leaves_the_rest_in_contact(order: int, cells: str) -> None:
    crack = {"gap": {"on": "a|b", "start": ["30 mm", "10 mm"], "end": ["30 mm", "40 mm"]}}
    whole = run(surroundings=ENDS, mesh={"order": order, "cells": cells})
    shut = run(
        surroundings=ENDS,
        surfaces=crack,
        joints=[{"on": "gap", "conductance": "1e9 W/(m² K)"}],
        mesh={"order": order, "cells": cells},
    )
    gap = run(
        surroundings=ENDS, surfaces=crack, joints=[{"on": "gap", "open": True}], mesh={"order": order, "cells": cells}
    )
    assert heat(whole)["a.left"] == pytest.approx(1.5 / 0.06 * 100 * 0.02, rel=1e-9)
    assert heat(shut)["a.left"] == pytest.approx(heat(whole)["a.left"], rel=1e-6)
    # A slit of 30 of 40 mm: less than all of it, more than a strip of 10 mm alone would pass.
    assert 0.3 * heat(whole)["a.left"] < heat(gap)["a.left"] < 0.9 * heat(whole)["a.left"]
    assert gap.ledger.relative < 1e-12 and heat(gap)["gap"] == 0.0
    assert gap.mesh.node_count > whole.mesh.node_count * 0.9


def test_three_regions_at_a_point_part_only_where_a_joint_is() -> None:
    body = {
        "kind": "section",
        "regions": {
            "base": {"shape": "rectangle", "size": ["60 mm", "20 mm"], "material": "clay"},
            "left": {"shape": "rectangle", "size": ["30 mm", "20 mm"], "at": ["0 mm", "20 mm"], "material": "clay"},
            "right": {"shape": "rectangle", "size": ["30 mm", "20 mm"], "at": ["30 mm", "20 mm"], "material": "clay"},
        },
    }
    outcome = run(
        body=body,
        joints=[{"on": "left|right", "open": True}],
        surroundings=[
            {"on": "base.bottom", "temperature": "80 °C"},
            {"on": ["left.top", "right.top"], "film": {"h": "30 W/(m² K)", "temperature": "20 °C"}},
        ],
        mesh={"order": 1},
    )
    plain = run(body=body, surroundings=outcome.case.data["surroundings"], mesh={"order": 1})
    # Symmetric, so that nothing flows over the gap anyhow: only its own nodes are doubled, not the one on the base.
    np.testing.assert_allclose(heat(outcome)["left.top"], heat(plain)["left.top"], rtol=1e-10)
    on_gap = len(plain.mesh.surfaces["left|right"].nodes)
    assert outcome.mesh.node_count == plain.mesh.node_count + on_gap - 1


def test_an_open_gap_all_through_leaves_a_part_that_nothing_holds() -> None:
    with pytest.raises(OpenCaseError, match="no temperature can settle in b:"):
        run(surroundings=ENDS[:1], joints=[{"on": "a|b", "open": True}])
    outcome = run(surroundings=ENDS, joints=[{"on": "a|b", "open": True}])
    assert [note.message for note in outcome.notes] == [
        "the body is in 2 parts that exchange no heat inside it: (a); (b)"
    ]
    assert all(abs(row.heat) < 1e-9 for row in outcome.ledger.rows)


@pytest.mark.parametrize("cells", ["auto", "triangles", "mostly quadrilaterals"])
def test_periodic_sides_pass_what_comes_and_follow_each_other(cells: str) -> None:
    """A wave along x whose period is the width: nothing tells where the seam is."""
    body = {"kind": "section", "regions": {"a": {"shape": "rectangle", "size": ["90 mm", "50 mm"], "material": "clay"}}}
    wave = "60 °C + 30 K*cos(2*pi*x/90 mm + 1)"
    outcome = run(
        body=body,
        mesh={"cells": cells},
        surroundings=[
            {"on": "a.top", "temperature": wave},
            {"on": "a.bottom", "temperature": "60 °C"},
            {"on": ["a.left", "a.right"], "periodic": True},
        ],
        working={"T_w": "60 °C + 30 K*cos(2*pi*x/90 mm + 1)*sinh(2*pi*y/90 mm)/sinh(2*pi*50/90)"},
        questions=[
            {"name": "seam", "temperature": ["0 mm", "30 mm"], "expect": {"working": "T_w"}, "tolerance": "0.02 K"}
        ],
    )
    assert outcome.checks[0].verdict == "agrees"
    flows = heat(outcome)
    rise = np.sinh(2 * np.pi * np.linspace(0, 0.05, 2001) / 0.09) / np.sinh(2 * np.pi * 50 / 90)
    slope = 1.5 * 30 * 2 * np.pi / 0.09 * np.sin(1) * np.trapezoid(rise, dx=0.05 / 2000)
    assert flows["a.left"] == pytest.approx(slope, rel=0.02) and flows["a.left"] == pytest.approx(-flows["a.right"])
    assert outcome.ledger.relative < 1e-12


def test_cuts_of_a_turned_solid_are_periodic_by_a_turn_and_corners_by_both() -> None:
    ring = {
        "kind": "turned solid",
        "angle": "60 deg",
        "regions": {
            "r": {"shape": "rectangle", "size": ["40 mm", "20 mm"], "at": ["30 mm", "0 mm"], "material": "clay"}
        },
    }
    stated = [
        {"on": "r.left", "temperature": "100 °C"},
        {"on": "r.right", "film": {"h": "20 W/(m² K)", "temperature": "10 °C"}},
    ]
    tied = run(
        body=ring,
        surroundings=[
            *stated,
            {"on": ["r.first cut", "r.last cut"], "periodic": True},
            {"on": ["r.bottom", "r.top"], "periodic": True},
        ],
    )
    plain = run(body=ring, surroundings=stated)
    assert heat(tied)["r.left"] == pytest.approx(heat(plain)["r.left"], rel=1e-9)
    assert abs(heat(tied)["r.first cut"]) < 1e-9 * heat(plain)["r.left"] and tied.ledger.relative < 1e-10
    with pytest.raises(CaseError, match="do not fit upon each other"):
        run(body=ring, surroundings=[*stated[:1], {"on": ["r.first cut", "r.right"], "periodic": True}])


@pytest.mark.parametrize(
    "where",
    [
        {"at": ["22 mm", "17 mm"]},
        {"along": {"start": ["5 mm", "8 mm"], "end": ["55 mm", "31 mm"]}},
        {"region": ["a", "b"]},
        {"region": "b"},
    ],
)
def test_all_heat_inside_arrives_in_the_ledger(where: dict[str, Any]) -> None:
    outcome = run(surroundings=ENDS, heat_inside=[{**where, "total": "7 W"}])
    inside = sum(row.heat for row in outcome.ledger.rows if row.statement == "arises inside")
    assert inside == pytest.approx(7.0, rel=1e-12) and outcome.ledger.relative < 1e-12
    driven = run(surroundings=ENDS)
    assert outcome.solution.temperature.max() >= driven.solution.temperature.max()


def test_a_point_source_in_a_disc_has_the_logarithm_of_theory() -> None:
    body = {
        "kind": "section",
        "depth": "0.2 m",
        "regions": {"d": {"shape": "disc", "radius": "50 mm", "material": "clay"}},
    }
    outcome = run(
        body=body,
        heat_inside=[{"at": ["0 mm", "0 mm"], "total": "9 W"}],
        surroundings=[{"on": "d.rim", "temperature": "20 °C"}],
        mesh={"local": [{"at": ["0 mm", "0 mm"], "size": "1 mm"}]},
        questions=[{"name": "q", "temperature": ["20 mm", "0 mm"]}],
    )
    expected = 293.15 + 9 / (2 * np.pi * 1.5 * 0.2) * np.log(50 / 20)
    assert outcome.checks[0].value == pytest.approx(expected, abs=0.05)


@pytest.mark.parametrize("kind", ["section", "rod", "stacked"])
@pytest.mark.parametrize("order", [1, 2])
def test_a_film_that_falls_as_one_over_the_root_keeps_its_mean(kind: str, order: int) -> None:
    """h = h_L √(L/x) has the mean 2 h_L, though it grows without bound at the leading edge."""
    bar = {"shape": "rectangle", "size": ["400 mm", "10 mm"], "material": "clay"}
    bodies: dict[str, Any] = {
        "section": {"kind": "section", "regions": {"a": bar}},
        "stacked": {"kind": "stacked", "regions": {"a": {**bar, "z": ["0 mm", "10 mm"]}}},
        "rod": {"kind": "rod", "pieces": {"a": {"length": "400 mm", "diameter": "5 mm", "material": "clay"}}},
    }
    wet, end = ("a.side", "a.end") if kind == "rod" else ("a.top", "a.right")
    outcome = run(
        materials={"clay": {"k": "1e9 W/(m K)"}},
        body=bodies[kind],
        mesh={"order": order},
        surroundings=[
            {"on": wet, "film": {"h": "20 W/(m² K)*(x/400 mm)^-0.5", "temperature": "20 °C"}},
            {"on": end, "temperature": "120 °C"},
        ],
    )
    area = outcome.geometry.surfaces[wet].area
    assert -heat(outcome)[wet] == pytest.approx(2 * 20 * area * 100, rel=3e-3)
    assert outcome.ledger.relative < 1e-9


def test_heat_that_follows_temperature_anchors_and_balances() -> None:
    """g = g₀ − c (T − T₀) everywhere and nothing outside: T settles where nothing arises any more."""
    outcome = run(heat_inside=[{"region": ["a", "b"], "per_volume": "90 kW/m³ - 3 kW/(m³ K)*(T - 20 °C)"}])
    np.testing.assert_allclose(outcome.solution.temperature, 293.15 + 30, atol=1e-9)


def test_a_total_is_spread_over_all_the_surfaces_it_is_stated_on() -> None:
    outcome = run(surroundings=[{"on": ["a.top", "b.right"], "heat": "14 W"}, {"on": "a.left", "temperature": "20 °C"}])
    flows = heat(outcome)
    assert flows["a.top"] == pytest.approx(14 * 30 / 70, rel=1e-12)
    assert flows["b.right"] == pytest.approx(14 * 40 / 70, rel=1e-12)
    assert flows["a.left"] == pytest.approx(-14, rel=1e-10)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("start", [None, 0.0, 1e-3, 293.15, 5000.0])
@pytest.mark.parametrize(
    "name", ["wall-radiation", "wall-film-and-radiation", "rod-radiating-tip", "wall-k-of-t", "wall-k-table"]
)
def test_newton_settles_from_any_start(name: str, start: float | None) -> None:
    outcome = Flow().answered(family(name).case())
    assert outcome.problem is not None and outcome.solution is not None
    heard: list[Any] = []
    again = solve_steady(outcome.problem, start, heard.append)
    np.testing.assert_allclose(again.temperature, outcome.solution.temperature, rtol=1e-10)
    assert 0 < len(again.steps) <= 45 and tuple(heard) == again.steps
    if start in (None, 293.15):
        assert len(again.steps) <= 9
        first_good = next(i for i, step in enumerate(again.steps) if step.residual < 1e-3)
        assert again.steps[min(first_good + 2, len(again.steps) - 1)].residual < 1e-9, "quadratic at the end"


def test_more_heat_than_can_be_radiated_away_below_zero_is_refused() -> None:
    radiating = {"on": "b.right", "radiation": {"temperature": "20 °C"}}
    with pytest.raises(SolverError, match="below absolute zero"):
        run(surroundings=[radiating, {"on": "a.left", "flux": "-2 kW/m²"}])
    outcome = run(surroundings=[radiating, {"on": "a.left", "flux": "2 kW/m²"}])
    face = outcome.solution.temperature[outcome.mesh.surfaces["b.right"].nodes]
    assert 0.85 * STEFAN_BOLTZMANN * (face**4 - 293.15**4) == pytest.approx(2000.0, rel=1e-9)
    without = {"clay": {"k": "1.5 W/(m K)"}}
    with pytest.raises(OpenCaseError, match=r"state the emissivity of 'b\.right' here, or that of the material 'clay'"):
        run(materials=without, surroundings=[radiating])


def test_a_conductivity_that_vanishes_is_said_with_its_place() -> None:
    falling = {"clay": {"k": "1.5 W/(m K)*(1 - (x/40 mm)^2)"}}
    with pytest.raises(SolverError, match=r"the conductivity '1.5 W.* is -.* at x = 0.0"):
        run(materials=falling, surroundings=ENDS)


def test_formulas_that_leave_what_is_possible_are_remarked_on() -> None:
    outcome = run(
        surroundings=[
            ENDS[0],
            {
                "on": "b.right",
                "film": {"h": "3 W/(m² K)*(T - 330 K)/1 K", "temperature": "20 °C"},
                "radiation": {"emissivity": "0.9*T/(300 K)", "temperature": "20 °C"},
            },
        ]
    )
    said = [note.message for note in outcome.notes]
    assert any("the emissivity '0.9*T/(300 K)' on b.right goes from 1." in text for text in said), said
    assert not any("film coefficient" in text for text in said)
    cold = run(
        surroundings=[ENDS[1], {"on": "a.left", "film": {"h": "3 W/(m² K)*(T - 330 K)/1 K", "temperature": "0 °C"}}]
    )
    assert any("it is never below zero" in note.message for note in cold.notes)


def test_corners_of_two_temperatures_say_which_counts() -> None:
    outcome = run(surroundings=[*ENDS, {"on": "a.top", "temperature": "60 °C"}])
    (note,) = outcome.notes
    assert note.path == "surroundings[2]" and "where they meet the later one counts, that of 'a.top'" in note.message
    corner = np.abs(outcome.mesh.points - [0.0, 0.04]).sum(axis=1).argmin()
    assert outcome.solution.temperature[corner] == pytest.approx(333.15)


def test_a_solve_that_does_not_fit_is_refused_with_its_estimate() -> None:
    """In a process of its own, whose memory is limited."""
    script = (
        "import resource, blunt_ember.flow.flow as f\n"
        "from blunt_ember.case.case import case_from_data\n"
        "case = case_from_data({'format': 'blunt-ember/1', 'materials': {'a': {'k': '1 W/(m K)'}}, 'body': {'kind':"
        " 'stacked', 'regions': {'a': {'shape': 'rectangle', 'size': ['1 m', '1 m'], 'z': ['0 m', '1 m'], 'material':"
        " 'a'}}}, 'mesh': {'size': '22 mm'}, 'surroundings': [{'on': 'a.top', 'temperature': '20 °C'}]})\n"
        "resource.setrlimit(resource.RLIMIT_AS, (2 << 30, 2 << 30))\n"
        "*_, outcome = f.Flow().outcomes(case)\n"
        "print(outcome.trouble)\n"
    )
    said = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=120, check=False)
    assert "nodes takes about 2.2 GB of memory" in said.stdout, said.stdout + said.stderr
    assert "state a larger mesh size" in said.stdout


@pytest.mark.parametrize(
    ("name", "order"),
    [("plane, triangles", 3.0), ("turned, auto", 3.0), ("slanting plane", 3.0), ("solid, auto", 2.8), ("rod", 3.0)],
)
def test_manufactured_solutions_converge_with_every_term_at_work(name: str, order: float) -> None:
    """Quadratic cells: the temperature at a point falls with the third power of the size of the cells, or better."""
    cases = dict(manufactured_cases())
    case = cases[f"manufactured {name}, order 2"]
    gaps, sizes = [], []
    for size in ("20 mm", "10 mm"):
        data = {**case.data, "mesh": {**case.data["mesh"], "size": size, "across": 1}}
        outcome = next(o for o in Flow().outcomes(case_from_data(data)) if o.checks)
        assert outcome.ledger is not None and outcome.ledger.relative < 1e-9
        assert outcome.exact is not None and outcome.solution is not None and outcome.mesh is not None
        ends = np.array([0.11, 0.09, 0.07])[: outcome.mesh.dimension]
        places = np.random.default_rng(5).uniform(0, 1, (2000, len(ends))) * ends
        gap = temperature_at(outcome.mesh, outcome.solution.temperature, places) - outcome.exact.temperature(places)
        gaps.append(float(np.sqrt(np.mean(gap**2))))
        sizes.append(outcome.mesh.node_count ** (-1 / outcome.mesh.dimension))
    assert np.log(gaps[0] / gaps[1]) / np.log(sizes[0] / sizes[1]) > order - 0.3, gaps


BODIES: dict[str, dict[str, Any]] = {
    "section": PAIR,
    "turned": {
        "kind": "turned section",
        "regions": {
            "a": {**HALF, "material": "clay"},
            "b": {**HALF, "right_of": "a", "material": "felt", "direction": "30 deg"},
        },
    },
    "stacked": {
        "kind": "stacked",
        "regions": {
            "a": {**HALF, "z": ["0 mm", "20 mm"], "material": "felt", "direction": {"radial_from": ["-5 mm", "1 mm"]}},
            "b": {**HALF, "right_of": "a", "z": ["0 mm", "20 mm"], "material": "clay"},
        },
    },
    "rod": {
        "kind": "rod",
        "pieces": {
            "a": {"length": "40 mm", "diameter": "6 mm", "material": "clay"},
            "b": {"length": "30 mm", "diameter": "4 mm", "material": "clay"},
        },
    },
}
STATEMENTS: list[dict[str, Any]] = [
    {"flux": "900 W/m² - 2 W/(m² K)*(T - 20 °C)"},
    {"heat": "3 W"},
    {"radiation": {"temperature": "250 °C"}},
    {"film": {"h": "9 W/(m² K)*(T/300 K)^0.3", "temperature": "20 °C + 900 K/m*x"}},
    {"insulated": True},
    {
        "film": {"h": "30 W/(m² K)", "temperature": "90 °C"},
        "flux": "-200 W/m²",
        "radiation": {"emissivity": {"table": [["0 °C", 0.9], ["500 °C", 0.6]]}, "temperature": "30 °C"},
    },
    {"temperature": "70 °C + 400 K/m*x"},
]


@settings(max_examples=8, deadline=None)
@given(
    st.sampled_from(list(BODIES)),
    st.lists(st.integers(0, 6), min_size=2, max_size=5),
    st.sampled_from([1, 2]),
    st.sampled_from([None, {"resistance": "1e-3 m² K/W"}, {"conductance": "80 W/(m² K)"}]),
    st.sampled_from(
        [None, {"region": "b", "per_volume": "80 kW/m³*(1 + (T - 20 °C)/900 K)"}, {"region": "a", "total": "4 W"}]
    ),
    st.sampled_from(["auto", "triangles"]),
)
def test_the_ledger_closes_whatever_is_stated_together(
    kind: str, chosen: list[int], order: int, joint: Any, source: Any, cells: str
) -> None:
    felt = {
        "k": {"along": {"table": [["0 °C", "2 W/(m K)"], ["300 °C", "3 W/(m K)"]]}, "across": "0.4 W/(m K)"},
        "emissivity": 0.7,
    }
    clay = {"k": "1.5 W/(m K)*(1 + (T - 20 °C)/800 K)", "emissivity": 0.85}
    names = ["a.start", "b.side", "b.end", "a.side"] if kind == "rod" else ["b.right", "a.top", "b.bottom", "a.bottom"]
    if kind == "stacked":
        names = ["b.right", "a.top", "b.front", "a.back"]
    surroundings = [{"on": name, **STATEMENTS[number]} for name, number in zip(names, chosen, strict=False)]
    last = {"on": "a.start" if kind == "rod" else "b.top", "film": {"h": "15 W/(m² K)", "temperature": "25 °C"}}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"clay": clay, "felt": felt},
            "body": BODIES[kind],
            "surroundings": [*surroundings, last],
            "heat_inside": [source] if source else [],
            "joints": [{"on": "a|b", **joint}] if joint else [],
            "mesh": {"order": order, "cells": cells, "across": 2},
        }
    )
    outcome = next(o for o in Flow().outcomes(case) if o.ledger is not None or o.final)
    assert outcome.trouble is None, outcome.trouble
    assert outcome.ledger is not None
    assert outcome.ledger.relative < 1e-9, outcome.ledger
    assert (np.asarray(outcome.solution.temperature) > 200).all() if outcome.solution else False
    meeting = run(surroundings=[*ENDS, {"on": "a.top", "temperature": "120 °C + 40 K*sin(pi*x/(60 mm))"}])
    assert not meeting.notes, "a formula that comes to what its neighbour is held at"
