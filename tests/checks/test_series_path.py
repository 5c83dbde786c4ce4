"""Chains of resistances: as one would work them out on paper, with what the mesh has beside them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.checks.references.series_path import SeriesPath, series_path
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family

FLOW = Flow()


def path_of(outcome: Outcome) -> SeriesPath:
    assert outcome.problem is not None and outcome.solution is not None
    return series_path(outcome.exact, outcome.problem, outcome.solution.temperature, outcome.heat_now)


def path_in(name: str) -> SeriesPath:
    return path_of(FLOW.answered(family(name).case()))


def is_whole(path: SeriesPath, tolerance: float) -> None:
    """What holds of every chain: drops add up, each is heat times resistance, and the mesh agrees."""
    assert len(path.junctions) == len(path.links) + 1
    temperatures = [junction.temperature for junction in path.junctions]
    drops = [link.drop for link in path.links]
    assert sum(drops) == pytest.approx(temperatures[0] - temperatures[-1])
    np.testing.assert_allclose(-np.diff(temperatures), drops, rtol=1e-9, atol=1e-9)
    for link in path.links:
        assert link.resistance > 0 and link.drop == pytest.approx(link.resistance * path.heat)
        assert link.mesh_drop == pytest.approx(link.drop, rel=tolerance)
        assert link.mesh_resistance == pytest.approx(link.resistance, rel=tolerance)
    for junction in path.junctions:
        assert junction.mesh is None or junction.mesh == pytest.approx(junction.temperature, rel=tolerance)
    assert path.mesh_heat == pytest.approx(path.heat, rel=tolerance)


def test_the_kiln_wall_as_on_paper() -> None:
    path = path_in("composite-wall")
    assert path.per_area and path.source
    expected = {"brick": 0.114 / 0.35, "blanket": 0.05 / 0.12, "shell": 0.003 / 45, "film": 1 / 12}
    assert {link.name: pytest.approx(link.resistance, rel=1e-10) for link in path.links} == expected
    assert path.total == pytest.approx(sum(expected.values()))
    assert path.heat == pytest.approx(955 / sum(expected.values()))
    assert [junction.name for junction in path.junctions] == [
        "brick.left",
        "brick|blanket",
        "blanket|shell",
        "shell.right",
        "fluid",
    ]
    is_whole(path, 1e-8)


def test_a_contact_is_a_link_with_a_temperature_on_either_side() -> None:
    path = path_in("wall-contact")
    assert [link.name for link in path.links] == ["plate", "contact", "casting", "film"]
    assert path.links[1].resistance == pytest.approx(4.5e-4)
    assert [junction.name for junction in path.junctions][1:3] == ["plate side", "casting side"]
    near, far = path.junctions[1:3]
    assert near.mesh is not None and far.mesh is not None and near.mesh - far.mesh == pytest.approx(path.links[1].drop)
    is_whole(path, 1e-8)


def test_pipes_and_spheres_have_resistances_in_kelvin_per_watt() -> None:
    pipe = path_in("hollow-cylinder")
    assert not pipe.per_area
    r, k = np.array([0.075, 0.079, 0.124]), np.array([24, 0.065])
    layers = np.log(r[1:] / r[:-1]) / (2 * np.pi * k)
    expected = [1 / (38 * 2 * np.pi * r[0]), *layers, 1 / (9 * 2 * np.pi * r[2])]
    np.testing.assert_allclose([link.resistance for link in pipe.links], expected, rtol=1e-9)
    is_whole(pipe, 1e-5)
    ball = path_in("hollow-sphere")
    r, k = np.array([0.06, 0.095, 0.115]), np.array([1.8, 0.14])
    layers = (1 / r[:-1] - 1 / r[1:]) / (4 * np.pi * k)
    np.testing.assert_allclose(
        [link.resistance for link in ball.links], [*layers, 1 / (14 * 4 * np.pi * r[2] ** 2)], rtol=1e-9
    )
    is_whole(ball, 1e-5)


def test_solids_and_bent_conductivities_have_chains_too() -> None:
    for name in ("stacked-floor", "pipe-wedge", "wall-k-of-t", "wall-radiation", "wall-film-and-radiation"):
        path = path_in(name)
        is_whole(path, 1e-4)
    floor = path_in("stacked-floor")
    case = family("stacked-floor").case()
    assert floor.per_area and len(floor.links) >= 3
    first = FLOW.answered(case).ledger
    assert first is not None
    # Per square metre of the floor, whatever its shape.
    assert max(abs(row.heat) for row in first.rows) > 0
    radiating = path_in("wall-radiation")
    assert radiating.links[-1].name == "radiation" and radiating.junctions[-1].name == "surroundings"
    # Film and radiation side by side are told together only where they meet one temperature.
    both = path_in("wall-film-and-radiation")
    assert [link.name for link in both.links][-1:] in (["film + radiation"], [both.links[-1].name])


def test_a_rod_without_losses_is_a_chain() -> None:
    pieces = {
        "shaft": {"length": "60 mm", "diameter": "8 mm", "material": "steel"},
        "tip": {"length": "25 mm", "diameter": "5 mm", "material": "copper"},
    }
    data: dict[str, Any] = {
        "format": "blunt-ember/1",
        "materials": {"steel": {"k": "16 W/(m K)"}, "copper": {"k": "380 W/(m K)"}},
        "body": {"kind": "rod", "pieces": pieces},
        "surroundings": [
            {"on": "shaft.start", "temperature": "400 °C"},
            {"on": "tip.end", "film": {"h": "900 W/(m² K)", "temperature": "30 °C"}},
        ],
        "joints": [{"on": "shaft|tip", "resistance": "2e-4 m² K/W"}],
        "questions": [{"name": "heat", "heat_flow": "shaft.start"}],
    }
    path = path_of(FLOW.answered(case_from_data(data)))
    area = np.pi / 4 * np.array([8e-3, 5e-3]) ** 2
    expected = [0.06 / (16 * area[0]), 2e-4 / area[1], 0.025 / (380 * area[1]), 1 / (900 * area[1])]
    np.testing.assert_allclose([link.resistance for link in path.links], expected, rtol=1e-9)
    assert path.heat == pytest.approx(370 / sum(expected)) and not path.per_area
    is_whole(path, 1e-6)
    data["surroundings"].append({"on": "shaft.side", "film": {"h": "10 W/(m² K)", "temperature": "30 °C"}})
    with pytest.raises(ReferenceRefusedError, match="through the sides"):
        path_of(FLOW.answered(case_from_data(data)))


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("generating-wall", "heat arises"),
        ("generating-cylinder", "heat arises"),
        ("hot-edge-plate", "one layer after"),
        ("wall-corner", "one layer after"),
        ("straight-fin", "one layer after"),
        ("rod-film-tip", "through the sides"),
    ],
)
def test_where_there_is_no_chain_the_reason_is_said(name: str, said: str) -> None:
    with pytest.raises(ReferenceRefusedError, match=said):
        path_in(name)


def test_no_heat_tells_no_resistance_and_heat_may_go_either_way() -> None:
    case = family("composite-wall").case()
    still = with_value(case, ("parameters", "T_hot"), "25 °C")
    with pytest.raises(ReferenceRefusedError, match="no heat passes"):
        path_of(FLOW.answered(still))
    backward = path_of(FLOW.answered(with_value(case, ("parameters", "T_hot"), "-200 °C")))
    assert backward.heat < 0 and all(link.resistance > 0 > link.drop for link in backward.links)
    is_whole(backward, 1e-8)


@settings(max_examples=12, deadline=None)
@given(
    st.lists(st.tuples(st.floats(1e-3, 0.3), st.floats(0.03, 60)), min_size=1, max_size=4),
    st.floats(2, 200),
    st.floats(-100, 900),
)
def test_walls_made_at_random(layers: list[tuple[float, float]], h: float, hot: float) -> None:
    regions, materials = {}, {}
    for number, (thickness, k) in enumerate(layers):
        place = {"right_of": f"l{number - 1}"} if number else {"at": ["0 m", "0 m"]}
        regions[f"l{number}"] = {
            "shape": "rectangle",
            "size": [f"{thickness!r} m", "0.1 m"],
            "material": f"m{number}",
            **place,
        }
        materials[f"m{number}"] = {"k": f"{k!r} W/(m K)"}
    case = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": materials,
            "body": {"kind": "section", "depth": "2 m", "regions": regions},
            "surroundings": [
                {"on": "l0.left", "film": {"h": f"{h!r} W/(m² K)", "temperature": f"{hot!r} °C"}},
                {"on": f"l{len(layers) - 1}.right", "temperature": "-120 °C"},
            ],
        }
    )
    path = path_of(FLOW.answered(case))
    expected = [1 / h, *(thickness / k for thickness, k in layers)]
    np.testing.assert_allclose([link.resistance for link in path.links], expected, rtol=1e-8)
    is_whole(path, 1e-6)
