"""What couples environments: against walls on paper, against other temperatures, and in three of them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.renaming import renamed_environment
from blunt_ember.checks.environments import environment_coupling
from blunt_ember.checks.verdict import Check
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.report.tables.number_tables import number_table


def checks(case: Case) -> dict[str, Check]:
    return {check.name: check for check in next(o for o in Flow().outcomes(case) if o.checks).checks}


def solved(case: Case) -> Outcome:
    return Flow().answered(case)


CORNER: dict[str, Any] = {
    "format": "blunt-ember/1",
    "materials": {"brick": {"k": "0.7 W/(m K)"}},
    "environments": {"room": "20 °C", "yard": "-8 °C", "cellar": "11 °C"},
    "body": {
        "kind": "stacked",
        "regions": {
            "house": {"shape": "rectangle", "size": ["1.2 m", "1 m"], "z": ["0 mm", "900 mm"], "material": "brick"},
            "hall": {
                "shape": "rectangle",
                "size": ["0.8 m", "0.7 m"],
                "at": ["0.4 m", "0.3 m"],
                "z": ["300 mm", "900 mm"],
                "void": True,
            },
        },
    },
    "surfaces": {"inside": ["house.hall left", "house.hall front", "house.hall bottom"]},
    "surroundings": [
        {"on": "inside", "film": {"resistance": "0.13 m² K/W", "environment": "room"}},
        {"on": ["house.left", "house.front"], "film": {"h": "25 W/(m² K)", "environment": "yard"}},
        {"on": "house.bottom", "film": {"resistance": "0.17 m² K/W", "environment": "cellar"}},
    ],
    "mesh": {"size": "150 mm"},
    "questions": [
        {"name": "L", "coupling": "room", "to": "yard"},
        {"name": "down", "coupling": "room", "to": "cellar"},
        {"name": "aside", "coupling": "cellar", "to": "yard"},
        {"name": "loss", "heat_flow": "inside"},
        {"name": "deep", "temperature": ["0.2 m", "0.2 m", "0.2 m"]},
        {"name": "factor", "temperature_factor": "room"},
    ],
}


def test_heat_is_the_sum_of_what_couples_and_any_temperatures_are_answered_at_once() -> None:
    case = case_from_data(CORNER)
    outcome = solved(case)
    found = {check.name: check.value for check in outcome.checks}
    assert found["loss"] == pytest.approx(28 * found["L"] + 9 * found["down"], rel=1e-9)
    assert outcome.problem is not None and outcome.solution is not None
    coupling = environment_coupling(outcome.problem, outcome.solution.temperature)
    assert np.allclose(coupling.weights.sum(axis=0), 1, atol=1e-10)
    assert np.allclose(coupling.coefficients, coupling.coefficients.T)
    films = {"room": (0.8 * 0.7 + 0.8 * 0.6 + 0.7 * 0.6) / 0.13, "yard": 25 * 0.9 * (1.2 + 1), "cellar": 1.2 / 0.17}
    assert coupling.coefficients.sum(axis=1) == pytest.approx([films[name] for name in coupling.names])
    other = case
    for name, temperature in (("room", 24.0), ("yard", -14.0), ("cellar", 6.0)):
        other = with_value(other, ("environments", name), f"{temperature} °C")
    again = solved(other)
    assert again.solution is not None
    mixed = np.array([{"room": 24.0, "yard": -14.0, "cellar": 6.0}[name] for name in coupling.names]) @ coupling.weights
    assert np.allclose(mixed + 273.15, again.solution.temperature, atol=1e-8)
    table = number_table(outcome, "weights")
    assert table is not None
    (row,) = [[float(each.values[0]) for each in table.columns[1:]]]
    by_weights = sum(share * 1.0 * t for share, t in zip(row, (20.0, -8.0, 11.0), strict=True))
    assert by_weights == pytest.approx(found["deep"] - 273.15, abs=1e-8)


def test_another_temperature_meshes_nothing_anew() -> None:
    flow, case = Flow(), case_from_data(CORNER)
    first = flow.answered(case)
    second = flow.answered(with_value(case, ("environments", "yard"), "-20 °C"))
    assert first.mesh is second.mesh
    same = [(a.value, b.value) for a, b in zip(first.checks[:3], second.checks[:3], strict=True)]
    assert all(a == pytest.approx(b, rel=1e-9) for a, b in same)
    assert second.checks[3].value > first.checks[3].value


@pytest.mark.parametrize(
    ("path", "value", "said"),
    [
        (("surroundings", 2), {"on": "house.bottom", "temperature": "11 °C"}, "held at a temperature"),
        (("surroundings", 2, "film"), {"h": "9 W/(m² K)", "temperature": "11 °C"}, "names no environment"),
        (("materials", "brick", "k"), "0.7 W/(m K)*(1 + (T - 0 °C)/(900 K))", "follows temperature"),
        (
            ("surroundings", 1, "radiation"),
            {"emissivity": 0.9, "temperature": "-8 °C"},
            "radiates, which follows temperature",
        ),
    ],
)
def test_what_is_no_linear_exchange_of_environments_says_why_it_has_no_coefficients(
    path: tuple[Any, ...], value: Any, said: str
) -> None:
    found = checks(with_value(case_from_data(CORNER), path, value))
    assert np.isnan(found["L"].value) and said in found["L"].note and found["L"].verdict == "open"
    assert not np.isnan(found["loss"].value)


@pytest.mark.parametrize(
    ("change", "at", "said"),
    [
        ({"h": "9 W/(m² K)", "environment": "celler"}, "surroundings[2].film.environment", "did you mean 'cellar'"),
        ({"h": "9 W/(m² K)", "resistance": "1 m² K/W", "environment": "cellar"}, "surroundings[2].film", "not both"),
        ({"environment": "cellar"}, "surroundings[2].film", "say one of 'h' and 'resistance'"),
        ({"resistance": "0 m² K/W", "environment": "cellar"}, "surroundings[2].film.resistance", "more than zero"),
    ],
)
def test_a_film_that_says_too_much_or_too_little_is_refused(change: dict[str, Any], at: str, said: str) -> None:
    data = {**CORNER, "surroundings": [*CORNER["surroundings"][:2], {"on": "house.bottom", "film": change}]}
    with pytest.raises(CaseError) as refused:
        case_from_data(data)
    assert any(fault.path == at and said in fault.message for fault in refused.value.faults), refused.value.faults


def test_names_of_environments_are_followed() -> None:
    case = renamed_environment(case_from_data(CORNER), "room", "hall of ware")
    assert case.data["surroundings"][0]["film"]["environment"] == "hall of ware"
    assert case.data["questions"][0]["coupling"] == case.data["questions"][5]["temperature_factor"] == "hall of ware"
    with pytest.raises(CaseError, match="no environment 'yard'"):
        case.restated({**case.data, "environments": {"hall of ware": "20 °C", "cellar": "9 °C"}})


@pytest.mark.parametrize(("outside", "resistance"), [(-8.0, 0.5), (-8.0, 0.05), (-30.0, 0.05)])
def test_humidity_at_the_inner_face_of_a_wall_is_that_of_its_temperature(outside: float, resistance: float) -> None:
    """Of a plain wall the face is known, and of its air what it holds: tables of steam and ice, Pa, at 5 K steps."""
    wall: dict[str, Any] = {
        "format": "blunt-ember/1",
        "materials": {"brick": {"k": f"{0.2 / resistance} W/(m K)"}},
        "environments": {"room": "20 °C", "yard": f"{outside} °C"},
        "body": {
            "kind": "section",
            "regions": {
                "wall": {"shape": "rectangle", "size": ["0.2 m", "0.1 m"], "at": ["0 m", "0 m"], "material": "brick"}
            },
        },
        "surroundings": [
            {"on": "wall.left", "film": {"resistance": "0.13 m² K/W", "environment": "room"}},
            {"on": "wall.right", "film": {"resistance": "0.04 m² K/W", "environment": "yard"}},
        ],
        "questions": [
            {"name": "wet", "surface_humidity": "room", "humidity": "50 %"},
            {"name": "out there", "surface_humidity": "yard", "humidity": "80 %"},
            {"name": "face", "lowest": "wall.left"},
        ],
    }
    found = checks(case_from_data(wall))
    face = 20 - (20 - outside) * 0.13 / (0.17 + resistance)
    assert found["face"].value == pytest.approx(face + 273.15, rel=1e-9)
    steam = {-20: 103.3, -15: 165.3, -10: 259.9, -5: 401.8, 0: 611.2, 5: 872.5, 10: 1228, 15: 1705, 20: 2339}
    holds = np.exp(np.interp(face, list(steam), np.log(list(steam.values()))))
    assert found["wet"].value == pytest.approx(0.5 * 2339 / holds, rel=0.012)
    assert found["wet"].kind.shown == "%" and found["wet"].asked.startswith("Humidity at the coldest place of room")
    assert found["out there"].value < 0.8  # what is warmer than its air dries it
    for wrong in ("0 %", "120 %", "3 K"):
        question = {**wall["questions"][0], "humidity": wrong}
        with pytest.raises(CaseError, match="humidity"):
            case_from_data({**wall, "questions": [question]})


def test_what_is_told_of_what_is_steady_says_so_while_the_clock_runs() -> None:
    brick = {"brick": {"k": "0.7 W/(m K)", "density": "1800 kg/m³", "c": "900 J/(kg K)"}}
    asked = [CORNER["questions"][5], {"name": "wet", "surface_humidity": "room", "humidity": "50 %"}]
    clock = {"start": "15 °C", "end": "2 hour"}
    found = checks(case_from_data({**CORNER, "materials": brick, "clock": clock, "questions": asked}))
    assert all(np.isnan(each.value) and "here the clock runs" in each.note for each in found.values())


def test_iso_10211_case_2_by_its_coefficient() -> None:
    """9.5 W/m for 20 K: L is 0.475 W/(m K)."""
    from blunt_ember.gallery.published import published_cases

    data = dict(dict(published_cases())["ISO 10211 case 2"].data)
    surroundings = []
    for entry in data["surroundings"]:
        film = entry.get("film")
        if film is not None:
            name = "inside" if film["temperature"] == "20 °C" else "outside"
            entry = {**entry, "film": {"h": film["h"], "environment": name}}
        surroundings.append(entry)
    data |= {"environments": {"inside": "20 °C", "outside": "0 °C"}, "surroundings": surroundings}
    data["questions"] = [{"name": "L", "coupling": "inside", "to": "outside", "basis": "length"}]
    assert checks(case_from_data(data))["L"].value == pytest.approx(9.5 / 20, abs=0.1 / 20)


def test_the_bridge_of_the_shipped_floor_is_its_coefficient_less_the_undisturbed_wall() -> None:
    found = checks(family("floor-through-wall").case())
    undisturbed = (1.2 + 0.09) / (0.13 + 0.2 / 0.52 + 0.12 / 0.036 + 0.04)
    assert found["psi_pottery"].value == pytest.approx(found["L_pottery"].value - undisturbed, rel=1e-9)
    assert 0.2 < found["psi_pottery"].value < 0.6 and 0.7 < found["coldest in the pottery"].value < 0.9


def test_a_factor_between_equals_has_no_value_and_its_note_says_why() -> None:
    case = with_value(family("coupled-wall").case(), ("environments", "yard"), "T_room")
    found = checks(case)
    assert np.isnan(found["factor"].value) and found["factor"].note.startswith("it has no value: no environment is")
    assert found["L"].verdict == "agrees" and "size of cells" not in found["factor"].note


BENT: dict[str, dict[str, Any]] = {
    "conductivity": {"materials": {"brick": {"k": {"table": [["-20 °C", "0.4 W/(m K)"], ["40 °C", "1.6 W/(m K)"]]}}}},
    "film": {"film": {"h": "4 W/(m² K)*(1 + (T - 270 K)/(40 K))"}},
    "radiation": {"radiation": {"emissivity": 0.9}},
}


@pytest.mark.parametrize("what", BENT)
def test_where_something_follows_temperature_there_are_coefficients_of_the_present_state_alone(what: str) -> None:
    """They give the heat flows of the solution, though the matrix of Newton's method is another."""
    bent, surroundings = BENT[what], []
    for entry in CORNER["surroundings"]:
        stated = {**entry, "film": {**entry["film"], **bent.get("film", {})}}
        if "film" in bent:
            stated["film"].pop("resistance", None)
        if "radiation" in bent:
            around = CORNER["environments"][entry["film"]["environment"]]
            stated["radiation"] = {**bent["radiation"], "temperature": around}
        surroundings.append(stated)
    asked = [
        {"name": f"{one} {to} {state}", "coupling": one, "to": to, "state": state}
        for one, to in (("room", "yard"), ("room", "cellar"), ("cellar", "yard"))
        for state in ("any", "present")
    ]
    data = {**CORNER, "surroundings": surroundings, "materials": bent.get("materials", CORNER["materials"])}
    outcome = solved(case_from_data({**data, "questions": [*asked, {"name": "loss", "heat_flow": "inside"}]}))
    found = {check.name: check for check in outcome.checks}
    assert all(np.isnan(found[f"{each} any"].value) for each in ("room yard", "room cellar", "cellar yard"))
    assert "asked as it stands" in found["room yard any"].note
    warm = {"room": 20.0, "yard": -8.0, "cellar": 11.0}
    given = sum(found[f"room {to} present"].value * (warm["room"] - warm[to]) for to in ("yard", "cellar"))
    assert given == pytest.approx(found["loss"].value, rel=1e-8)
    assert "as it stands" in found["room yard present"].asked


def test_heat_that_follows_temperature_is_held_still_or_refuses_the_coefficients() -> None:
    asked = [{"name": state, "coupling": "room", "to": "yard", "state": state} for state in ("any", "present")]
    heat = [{"region": "house", "per_volume": "20 W/m³*(1 + (T - 280 K)/(50 K))"}]
    found = checks(case_from_data({**CORNER, "heat_inside": heat, "questions": asked}))
    assert np.isnan(found["any"].value) and "heat that arises inside follows temperature" in found["any"].note
    without = checks(case_from_data({**CORNER, "questions": asked}))
    assert found["present"].value == pytest.approx(without["any"].value, rel=1e-8)


def test_what_radiates_elsewhere_than_to_its_environment_has_no_coefficients() -> None:
    surroundings = [dict(entry) for entry in CORNER["surroundings"]]
    surroundings[1]["radiation"] = {"emissivity": 0.9, "temperature": "-30 °C"}
    asked = [{"name": "L", "coupling": "room", "to": "yard", "state": "present"}]
    found = checks(case_from_data({**CORNER, "surroundings": surroundings, "questions": asked}))
    assert np.isnan(found["L"].value) and "is not the environment of its film" in found["L"].note


def test_the_ledger_tells_what_every_environment_gives_as_its_coefficients_do() -> None:
    outcome = Flow().answered(family("floor-through-wall").case())
    assert outcome.ledger is not None and outcome.problem is not None and outcome.solution is not None
    given = {row.name: row.heat for row in outcome.ledger.environments}
    coupled = environment_coupling(outcome.problem, outcome.solution.temperature)
    warm = {"pottery": 20.0, "loft": 17.0, "yard": -6.0}
    for one in warm:
        expected = sum(coupled.between(one, other) * (warm[one] - warm[other]) for other in warm if other != one)
        assert given[one] == pytest.approx(expected, rel=1e-9)
    assert outcome.ledger.relative < 1e-12 and len(outcome.ledger.rows) == 6  # it balances without them
    # Where each environment has one surface its row says all.
    plain = Flow().answered(family("coupled-wall").case())
    assert plain.ledger is not None and not plain.ledger.environments


def test_other_temperatures_of_environments_are_weighed_and_not_solved_for() -> None:
    """On a solid that is iterated: what couples its environments is kept, and tells every other set of them."""
    case = case_from_data({**CORNER, "mesh": {"size": "50 mm", "order": 1}})
    colder = with_value(with_value(case, ("environments", "yard"), "-20 °C"), ("environments", "room"), "24 °C")
    flow = Flow()
    first = flow.answered(case)
    assert first.solution is not None and "multigrid" in first.solution.method
    again, anew = flow.answered(colder), solved(colder)
    assert again.solution is not None and again.solution.method == "from known weights"
    assert anew.solution is not None and again.ledger is not None and again.ledger.relative < 1e-9
    assert again.solution.temperature == pytest.approx(anew.solution.temperature, abs=1e-8)
    assert again.solution.heat is not None and anew.solution.heat is not None
    off = np.abs(again.solution.temperature - anew.solution.temperature).max()
    assert off < again.solution.heat.off + anew.solution.heat.off < 1e-6
    for one, other in zip(again.checks, anew.checks, strict=True):
        assert one.value == pytest.approx(other.value, rel=1e-9)
    # A source besides them is no part of what they weigh.
    heated = with_value(colder, ("heat_inside",), [{"region": "house", "per_volume": "40 W/m³"}])
    weaker = with_value(heated, ("environments", "room"), "21 °C")
    flow.answered(heated)
    again, anew = flow.answered(weaker), solved(weaker)
    assert again.solution is not None and "multigrid" in again.solution.method
    for one, other in zip(again.checks, anew.checks, strict=True):
        assert one.value == pytest.approx(other.value, rel=1e-9)
