"""Isothermal surfaces that see each other: the mesh beside the network of a hand calculation."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.linalg import expm

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN as SIGMA
from blunt_ember.checks.verdict import Check
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.reference.radiating.radiosity import even_network
from blunt_ember.reference.radiating.round_chamber import round_chamber
from blunt_ember.reference.radiating.view_factors import coaxial_discs


def slab(x: float, y: float, wide: float, high: float, material: str = "steel") -> dict[str, Any]:
    place = {"at": [f"{x} mm", f"{y} mm"], "size": [f"{wide} mm", f"{high} mm"]}
    return {"shape": "rectangle", **place, "material": material}


def asked(*names: str) -> list[dict[str, Any]]:
    """Every heat of surfaces, and what passes from the first one to each other."""
    hows = ("net", "emitted", "reflected", "incident", "absorbed", "leaving")
    found: list[dict[str, Any]] = []
    for place, name in enumerate(names):
        found += [{"name": f"{how} {place}", "radiation": name, "how": how} for how in hows]
    found += [{"name": f"to {place}", "exchange": names[0], "to": name} for place, name in enumerate(names) if place]
    return [{**each, "expect": {"exact": "grey-network"}, "tolerance": "0.0001 %"} for each in found]


WALLS = {
    "floor": ("top", slab(0, 0, 200, 30)),
    "right": ("left", slab(160, 30, 40, 90)),
    "crown": ("bottom", slab(0, 120, 200, 30)),
    "left": ("right", slab(0, 30, 40, 90)),
}


def room(temperatures: list[float], emissivity: list[float]) -> dict[str, Any]:
    """Four walls that do not touch, each held at its own temperature; the last one floats."""
    inside = [f"{name}.{side}" for name, (side, _) in WALLS.items()]
    faces = [{"on": name, "emissivity": str(e)} for name, e in zip(inside, emissivity, strict=True)]
    return {
        "format": "blunt-ember/1",
        "materials": {"steel": {"k": "40 W/(m K)"}},
        "body": {"kind": "section", "regions": {name: region for name, (_, region) in WALLS.items()}},
        "joints": [{"on": ["floor|right", "floor|left", "right|crown", "crown|left"], "open": True}],
        "isothermal": [{"region": name} for name in WALLS],
        "surroundings": [
            {"on": name, "temperature": f"{t} K"} for name, t in zip(inside[:3], temperatures, strict=True)
        ],
        "enclosures": {"room": {"faces": faces, "even": True}},
        "questions": asked(*inside),
        "mesh": {"size": "20 mm"},
    }


def checks(data: dict[str, Any]) -> dict[str, Check]:
    return {check.name: check for check in Flow().answered(case_from_data(data)).checks}


@pytest.mark.parametrize("seed", range(4))
def test_four_walls_of_any_temperature_and_emissivity(seed: int) -> None:
    rng = np.random.default_rng(seed)
    found = checks(room(rng.uniform(250, 1600, 3).tolist(), rng.uniform(0.05, 1, 4).tolist()))
    largest = max(abs(check.value) for check in found.values())
    for check in found.values():
        assert check.expected == pytest.approx(check.value, rel=1e-10, abs=1e-10 * largest), check


def plates(*sheets: float, **sides: Any) -> dict[str, Any]:
    """A hot and a cold plate, and loose sheets of some emissivities between them, each of one temperature."""
    regions = {"hot": slab(0, 0, 10, 100), "cold": slab(1000, 0, 10, 100)}
    names = ["hot"]
    for place, _ in enumerate(sheets):
        regions[f"sheet {place}"] = slab(50 * (place + 1), 0, 1, 100)
        names.append(f"sheet {place}")
    names.append("cold")
    emissivity = {"hot": 0.8, "cold": 0.5, **{f"sheet {place}": e for place, e in enumerate(sheets)}}
    faces = [
        [
            {"on": f"{one}.right", "emissivity": str(emissivity[one])},
            {"on": f"{other}.left", "emissivity": str(emissivity[other])},
        ]
        for one, other in pairwise(names)
    ]
    return {
        "format": "blunt-ember/1",
        "materials": {"steel": {"k": "40 W/(m K)"}},
        "body": {"kind": "section", "regions": regions},
        "isothermal": [{"region": name} for name in names],
        "surroundings": [
            {"on": "hot.left", **sides.get("hot", {"temperature": "900 K"})},
            {"on": "cold.right", **sides.get("cold", {"temperature": "300 K"})},
            *sides.get("more", []),
        ],
        "enclosures": {f"gap {place}": {"faces": pair, "closed": True} for place, pair in enumerate(faces)},
        "questions": [
            {"name": "passed", "radiation": "cold.left", "basis": "area"},
            *({"name": name, "mean": name} for name in names),
        ],
    }


@pytest.mark.parametrize("sheets", [(), (0.1,), (0.05, 0.3, 0.9)])
def test_sheets_between_plates_are_resistances_in_a_row(sheets: tuple[float, ...]) -> None:
    found = checks(plates(*sheets))
    resistance = 1 / 0.8 + 1 / 0.5 - 1 + sum(2 / e - 1 for e in sheets)
    passed = SIGMA * (900.0**4 - 300.0**4) / resistance
    assert found["passed"].value == pytest.approx(passed, rel=1e-10)
    # It is compared without being asked for.
    assert found["passed"].verdict == "agrees" and "Oppenheim" in str(found["passed"].source)
    assert found["passed"].expected == pytest.approx(passed, rel=1e-10)
    before = 900.0**4
    for place, (last, e) in enumerate(zip((0.8, *sheets), sheets, strict=False)):
        before -= passed / SIGMA * (1 / last + 1 / e - 1)
        assert found[f"sheet {place}"].value == pytest.approx(before**0.25, rel=1e-9)


def test_films_fluxes_and_heat_inside_drive_what_floats() -> None:
    data = plates(
        0.4,
        hot={"flux": "5 kW/m²"},
        cold={"film": {"h": "30 W/(m² K)", "temperature": "290 K"}},
        more=[{"on": "sheet 0.top", "radiation": {"emissivity": "0.7", "temperature": "350 K"}}],
    )
    data["questions"] = [
        {"name": name, "mean": name, "expect": {"exact": "grey-network"}, "tolerance": "0.000001 K"}
        for name in ("hot", "sheet 0", "cold")
    ]
    data["heat_inside"] = [{"region": "sheet 0", "per_volume": "2 MW/m³"}]
    found = checks(data)
    assert [check.verdict for check in found.values()] == ["agrees"] * 3
    assert found["hot"].value > found["sheet 0"].value > found["cold"].value


@pytest.mark.parametrize(
    ("path", "value", "said"),
    [
        (("enclosures", "kiln", "faces", 0, "emissivity"), "0.5 + x/(10 m)", "is no constant"),
        (("isothermal",), [], "neither held nor of one temperature"),
        (("joints",), [{"on": "floor|side", "open": True}], "touches what conducts"),
    ],
)
def test_what_is_no_network_is_refused_with_its_reason(path: tuple[Any, ...], value: Any, said: str) -> None:
    case = with_value(family("drum-kiln").case(), path, value)
    found = {check.name: check for check in Flow().answered(case).checks}
    assert said in found["side"].note and found["side"].verdict == "open"


def test_where_radiosity_is_not_even_the_network_is_not_taken_for_exact() -> None:
    data = room([900.0, 600.0, 300.0], [0.5, 0.3, 0.4, 0.6])
    data["enclosures"] = {"room": {"faces": data["enclosures"]["room"]["faces"]}}
    data["questions"] = [{"name": "up", "exchange": "floor.top", "to": "crown.bottom"}]
    resolved = Flow().answered(case_from_data(data)).checks[0]
    assert resolved.verdict == "open"
    data["questions"] = [{**data["questions"][0], "expect": {"exact": "grey-network"}, "tolerance": "0.01 %"}]
    compared = Flow().answered(case_from_data(data)).checks[0]
    assert compared.verdict == "off" and "taken as one" in compared.note
    assert compared.source is not None and str(compared.source).startswith("theory: ")


def test_what_is_held_and_radiates_stands_twice_in_the_ledger_and_a_sheet_passes_on_what_it_takes_in() -> None:
    outcome = Flow().answered(case_from_data(plates(0.1)))
    assert outcome.ledger is not None
    passed = outcome.checks[0].value * 0.1
    rows = {(row.name, row.statement): row.heat for row in outcome.ledger.rows}
    assert rows["hot.left", "held"] == pytest.approx(passed)
    assert rows["hot.right", "in gap 0"] == pytest.approx(-passed)
    through = {row.name: row.heat for row in outcome.ledger.isothermal}
    assert through == pytest.approx(dict.fromkeys(("hot", "sheet 0", "cold"), passed))
    drum = Flow().answered(family("drum-kiln").case()).ledger
    assert drum is not None
    own = {row.statement: row.heat for row in drum.rows if row.name == "floor.top"}
    assert own["held"] == pytest.approx(-own["in kiln"], rel=1e-9) and own["held"] > 4000


def in_rings(radius: float, height: float, emissivity: tuple[float, float, float], count: int) -> np.ndarray[Any, Any]:
    """What parts of a cylinder absorb from each other, by even rings: differences of what discs see."""
    levels = height * (1 - np.cos(np.pi * np.arange(count + 1) / count)) / 2
    radii = radius * np.sin(np.pi / 2 * np.arange(count + 1) / count)

    def cap(level: float) -> np.ndarray[Any, Any]:
        """What discs of all radii at a level see of all discs of the full radius up the side."""
        return np.array([[coaxial_discs(r, radius, abs(z - level)) for z in levels] for r in radii])

    up, down = cap(0.0), cap(height)
    ends = np.array([[coaxial_discs(r, other, height) for other in radii] for r in radii])
    side = np.array([[coaxial_discs(radius, radius, abs(a - b)) for b in levels] for a in levels])
    blocks = [[np.zeros((count, count)) for _ in range(3)] for _ in range(3)]
    blocks[0][1] = -np.diff(np.diff(up, axis=0), axis=1)
    blocks[2][1] = np.diff(np.diff(down, axis=0), axis=1)
    blocks[0][2] = np.diff(np.diff(ends, axis=0), axis=1)
    around = np.diff(np.diff(side, axis=0), axis=1)
    wide = np.diff(levels)
    # A ring sees itself as far as it does not see the discs at its ends.
    own = 2 * np.pi * radius * wide - 2 * (np.pi * radius**2 - np.diagonal(side, 1))
    blocks[1][1] = np.where(np.eye(count, dtype=bool), np.diag(own), np.abs(around))
    blocks[1][0], blocks[1][2], blocks[2][0] = blocks[0][1].T, blocks[2][1].T, blocks[0][2].T
    area = np.concatenate([np.pi * np.diff(radii**2), 2 * np.pi * radius * wide, np.pi * np.diff(radii**2)])
    network = even_network(area, np.repeat(emissivity, count), np.block(blocks))
    part = (np.repeat(np.arange(3), count) == np.arange(3)[:, None]).astype(float)
    return part @ network.absorbed_from @ part.T


@pytest.mark.parametrize(
    ("radius", "height", "emissivity"),
    [(1.0, 2.0, (0.5, 0.5, 1.0)), (0.3, 2.4, (0.2, 0.6, 1.0)), (1.0, 0.3, (0.4, 0.9, 0.1))],
)
def test_a_cylinder_is_what_ever_finer_rings_come_to(
    radius: float, height: float, emissivity: tuple[float, float, float]
) -> None:
    exact = round_chamber(radius, height, emissivity)
    found = exact.absorbed_from
    assert found == pytest.approx(found.T, rel=1e-11)
    assert found.sum(axis=1) == pytest.approx(exact.emissivity * exact.area, rel=1e-10)
    errors = [np.abs(in_rings(radius, height, emissivity, count) / found - 1).max() for count in (12, 24, 48)]
    assert errors[2] < 2e-3
    assert all(coarse / fine > 3.2 for coarse, fine in pairwise(errors))  # of second order


def test_a_blind_hole_and_a_drum_are_recognised_with_their_radiosity_along_them() -> None:
    """Of the mesh every answer lies within its error; taken as even the hole would be off by more than a hundredth."""
    case = family("blind-hole").case({"deep": "18 mm", "e_block": "0.3"})
    found = {check.name: check for check in Flow().run(case).checks}
    for name in ("out", "from the bottom", "from the wall"):
        check = found[name]
        assert "integral equation" in str(check.source)
        assert abs(check.value - check.expected) < min(1.2 * check.error, 2e-3 * abs(check.expected)), check
    even = 1 / (1 + (1 / 0.3 - 1) / (1 + 2 * 18 / 6))
    assert found["e_hole"].value < 0.99 * even
    drum = family("drum-kiln").case()
    resolved = case_from_data(
        {**drum.data, "enclosures": {"kiln": {"faces": drum.data["enclosures"]["kiln"]["faces"]}}}
    )
    checks = {check.name: check for check in Flow().run(resolved).checks}
    assert checks["to the crown"].verdict == "off"  # of the network in its working
    for name in ("off the floor", "side", "floor to crown", "floor sees side"):
        check = checks[name]
        assert check.verdict == "agrees" and abs(check.value - check.expected) < 1e-3 * abs(check.expected), check


def cooling(**more: Any) -> dict[str, Any]:
    """Two blocks of one temperature each, hot at first; the second one is cooled."""
    regions = {"first": slab(0, 0, 20, 100), "second": slab(20, 0, 30, 100)}
    return {
        "format": "blunt-ember/1",
        "materials": {"steel": {"k": "40 W/(m K)", "density": "7800 kg/m³", "c": "480 J/(kg K)", "emissivity": "0.6"}},
        "body": {"kind": "section", "regions": regions},
        "isothermal": [{"region": "first"}, {"region": "second"}],
        "surroundings": [{"on": "second.right", "film": {"h": "60 W/(m² K)", "temperature": "20 °C"}}],
        "joints": [{"on": "first|second", "conductance": "90 W/(m² K)"}],
        "heat_inside": [{"region": "first", "per_volume": "50 kW/m³"}],
        "clock": {"start": "800 °C", "end": "40 min", "tolerance": "0.05 %"},
        "mesh": {"size": "20 mm", "across": 1},
        "questions": [
            {"name": f"{name} {t}", "mean": name, "time": t, "expect": {"exact": "network-in-time"}, "tolerance": "1 K"}
            for name in ("first", "second")
            for t in ("5 min", "40 min")
        ],
        **more,
    }


def test_blocks_that_touch_and_cool_follow_the_exponential_of_their_network() -> None:
    area, long = 0.1, np.array([0.02, 0.03])
    capacity = 7800 * 480 * long * area
    passing, film = 90 * area, 60 * area
    matrix = np.array([[-passing, passing], [passing, -passing - film]]) / capacity[:, None]
    end = -np.linalg.solve(matrix, np.array([50e3 * 0.02 * area, film * 293.15]) / capacity)
    outcome = Flow().run(case_from_data(cooling()))
    for check, (place, t) in zip(outcome.checks, [(0, 300), (0, 2400), (1, 300), (1, 2400)], strict=True):
        exact = (end + expm(matrix * t) @ (1073.15 - end))[place]
        assert check.expected == pytest.approx(exact, abs=1e-7)
        assert check.verdict == "agrees" and abs(check.value - exact) <= check.error


def test_plates_that_cool_through_a_gap_follow_an_equation_of_their_own() -> None:
    """Of other steps and another form: the reference is within 1e-8, the run within its errors."""
    regions = {"first": slab(0, 0, 20, 100), "second": slab(30, 0, 30, 100)}
    gap = {"gap": {"faces": [{"on": ["first.right", "second.left"]}], "closed": True}}
    data = cooling(body={"kind": "section", "regions": regions}, joints=[], enclosures=gap)
    data["questions"].append({"name": "over", "radiation": "second.left", "time": "5 min"})

    def rates(_: float, t: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
        passed = SIGMA * (t[0] ** 4 - t[1] ** 4) / (2 / 0.6 - 1)
        into = np.array([50e3 * 0.02 - passed, passed - 60 * (t[1] - 293.15)])
        return into / (7800 * 480 * np.array([0.02, 0.03]))

    exact = solve_ivp(rates, (0, 2400), [1073.15] * 2, "Radau", rtol=1e-12, atol=1e-10, dense_output=True).sol
    outcome = Flow().run(case_from_data(data))
    for check, (place, t) in zip(outcome.checks, [(0, 300), (0, 2400), (1, 300), (1, 2400)], strict=False):
        assert check.expected == pytest.approx(exact(t)[place], rel=1e-8)
        assert abs(check.value - check.expected) <= check.error
    passed = 0.1 * SIGMA * (exact(300)[0] ** 4 - exact(300)[1] ** 4) / (2 / 0.6 - 1)
    assert outcome.checks[-1].expected == pytest.approx(passed, rel=1e-7)
    assert "eighth order" in str(outcome.checks[-1].source)


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"isothermal": [{"region": "first"}]}, "'second' has no one temperature"),
        ({"joints": []}, "touches what conducts"),
        ({"isothermal": []}, "no part is said to have one temperature"),
    ],
)
def test_what_is_no_network_in_time_says_why(more: dict[str, Any], said: str) -> None:
    data = cooling(**more)
    data["questions"] = data["questions"][:1]
    assert said in Flow().answered(case_from_data(data)).checks[0].note
