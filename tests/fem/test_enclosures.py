"""Surfaces that see each other, solved together with conduction: against roots, networks and ordinary equations."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import value_at, with_value
from blunt_ember.case.editing.enclosing import can_be_enclosed, enclosed_instead
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_part
from blunt_ember.case.editing.shielding import with_shield
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN as SIGMA
from blunt_ember.checks.references.understood import fit, require_understood
from blunt_ember.errors import CaseError, OpenCaseError
from blunt_ember.fem.steady.adjoint import Influences
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.radiation.chamber import ChamberError, chamber_of


def block(x: float, width: float, material: str, height: float = 100) -> dict[str, Any]:
    place = {"at": [f"{x} mm", "0 mm"], "size": [f"{width} mm", f"{height} mm"]}
    return {"shape": "rectangle", **place, "material": material}


def plates(**more: Any) -> dict[str, Any]:
    """Two plates with a gap that is said to be closed, hot on one side and cold on the other."""
    return {
        "format": "blunt-ember/1",
        "materials": {
            "a": {"k": "1 W/(m K)", "density": "2000 kg/m³", "c": "900 J/(kg K)", "emissivity": "0.8"},
            "b": {"k": "2 W/(m K)", "density": "3000 kg/m³", "c": "700 J/(kg K)", "emissivity": "0.5"},
        },
        "body": {"kind": "section", "regions": {"hot": block(0, 50, "a"), "cold": block(70, 40, "b")}},
        "surroundings": [{"on": "hot.left", "temperature": "800 °C"}, {"on": "cold.right", "temperature": "50 °C"}],
        "enclosures": {"gap": {"faces": [{"on": ["hot.right", "cold.left"]}], "closed": True}},
        "questions": [{"name": "loss", "heat_flow": "hot.left"}],
        **more,
    }


def chamber(**more: Any) -> dict[str, Any]:
    """A frame about a void with a post in it, hot on the left."""
    regions = {
        "frame": block(0, 300, "a", 200),
        "hole": {"shape": "rectangle", "at": ["100 mm", "50 mm"], "size": ["120 mm", "100 mm"], "void": True},
        "post": {"shape": "rectangle", "at": ["150 mm", "80 mm"], "size": ["20 mm", "30 mm"], "material": "b"},
    }
    return plates(
        body={"kind": "section", "regions": regions},
        surroundings=[
            {"on": "frame.left", "temperature": "800 °C"},
            {"on": "frame.right", "film": {"h": "10 W/(m² K)", "temperature": "20 °C"}},
        ],
        enclosures={"room": {"faces": [{"void": "hole"}, {"on": ["post.left"], "emissivity": "0.3"}]}},
        questions=[{"name": "loss", "heat_flow": "frame.left"}],
        **more,
    )


def named(text: str) -> str:
    """A name of a question, which has no dots."""
    return text.replace(".", " ")


SIDES = ("left", "right", "bottom", "top")


def solved(data: dict[str, Any]) -> Outcome:
    return Flow().run(case_from_data(data))


def answered(data: dict[str, Any]) -> Outcome:
    """The outcome before errors are estimated."""
    return Flow().answered(case_from_data(data))


def test_conduction_gap_conduction_is_the_root_of_one_equation_and_recognised() -> None:
    def left_over(q: float) -> float:
        hot, cold = 1073.15 - q * 0.05 / 1, 323.15 + q * 0.04 / 2
        return q - SIGMA * (hot**4 - cold**4) / (1 / 0.8 + 1 / 0.5 - 1)

    outcome = answered(plates())
    (check,) = outcome.checks
    expected = brentq(left_over, 0, 20_000, xtol=1e-12) * 0.1
    assert check.value == pytest.approx(expected, rel=1e-11)
    assert outcome.ledger is not None
    assert outcome.ledger.relative < 1e-12
    assert outcome.exact is not None
    assert outcome.exact.name == "composite-wall"
    assert outcome.exact.heat("hot.left") == pytest.approx(expected, rel=1e-12)


def test_rings_with_a_foil_between_them_agree_with_layers_in_series() -> None:
    """Round faces are meshed by chords; the correction keeps their areas, so only conduction is off."""
    ring = {"shape": "ring", "material": "b"}
    regions = {
        "core": {**ring, "inner": "20 mm", "outer": "40 mm", "material": "a"},
        "foil": {**ring, "inner": "50 mm", "outer": "52 mm"},
        "shell": {**ring, "inner": "60 mm", "outer": "80 mm"},
    }
    faces = {"near": ["core.rim", "foil.bore"], "far": ["foil.rim", "shell.bore"]}
    asked = [
        {"name": "loss", "heat_flow": "core.bore", "expect": {"exact": "hollow-cylinder"}},
        {"name": "foil", "mean": "foil.rim", "expect": {"exact": "hollow-cylinder"}},
        {"name": "back", "view_factor": "foil.bore", "to": "core.rim"},
        {"name": "itself", "view_factor": "foil.bore", "to": "foil.bore"},
    ]
    outcome = solved(
        plates(
            body={"kind": "section", "regions": regions},
            surroundings=[
                {"on": "core.bore", "temperature": "800 °C"},
                {"on": "shell.rim", "film": {"h": "12 W/(m² K)", "temperature": "20 °C"}},
            ],
            enclosures={name: {"faces": [{"on": pair}]} for name, pair in faces.items()},
            mesh={"size": "10 mm", "across": 2},
            questions=asked,
        )
    )
    loss, foil, back, itself = outcome.checks
    for check in (loss, foil):
        assert check.expected is not None
        assert check.error is not None
        assert abs(check.value - check.expected) < min(check.error, 1e-4 * abs(check.expected))
    assert back.value == pytest.approx(0.8, abs=1e-9)
    assert itself.value == pytest.approx(0.2, abs=1e-9)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("start", [1e-3, 1.0, 293.0, 2000.0])
def test_it_settles_from_any_start(start: float) -> None:
    problem = answered(chamber()).problem
    assert problem is not None
    found = solve_steady(problem, start)
    assert len(found.steps) <= 12
    assert found.temperature == pytest.approx(solve_steady(problem).temperature, rel=1e-9)


def test_a_room_balances_and_every_heat_of_it_adds_up() -> None:
    walls = [f"frame.hole {side}" for side in SIDES]
    everywhere = [*walls, *(f"post.{side}" for side in SIDES)]
    hows = ("net", "emitted", "reflected", "incident", "absorbed", "leaving")
    data = chamber()
    data["questions"] = [{"name": named(f"{s} {how}"), "radiation": s, "how": how} for s in everywhere for how in hows]
    data["questions"] += [
        {"name": named(f"{a} to {b}"), "exchange": a, "to": b} for a in everywhere for b in everywhere if a != b
    ]
    outcome = solved(data)
    value = {check.name: check.value for check in outcome.checks}
    heat = {how: np.array([value[named(f"{s} {how}")] for s in everywhere]) for how in hows}
    most = heat["emitted"].max()
    assert outcome.ledger is not None
    assert outcome.ledger.relative < 1e-12
    assert heat["net"].sum() == pytest.approx(0, abs=1e-12 * most)
    assert heat["net"] == pytest.approx(heat["absorbed"] - heat["emitted"], abs=1e-12 * most)
    assert heat["leaving"] == pytest.approx(heat["emitted"] + heat["reflected"], abs=1e-12 * most)
    assert heat["absorbed"][:4] == pytest.approx(0.8 * heat["incident"][:4], rel=1e-12)
    assert heat["absorbed"][4:] == pytest.approx([0.3, 0.5, 0.5, 0.5] * heat["incident"][4:], rel=1e-12)
    for place, one in enumerate(everywhere):
        received = sum(value[named(f"{other} to {one}")] for other in everywhere if other != one)
        assert received == pytest.approx(heat["net"][place], abs=1e-11 * most)
        for other in everywhere[:place]:
            there, back = value[named(f"{one} to {other}")], value[named(f"{other} to {one}")]
            assert there == pytest.approx(-back, abs=1e-11 * most)
    post = sum(value[f"post {side} net"] for side in SIDES)
    assert post == pytest.approx(0, abs=1e-9 * most)  # nothing but radiation reaches it
    assert all(check.error is not None and check.error < 0.02 * most for check in outcome.checks)


def test_black_plates_that_look_out_agree_with_a_network_of_three() -> None:
    """Held black plates and what is behind the gap between them: every heat is a product of view factors."""
    data = plates(
        enclosures={"gap": {"faces": [{"on": ["hot.right", "cold.left"], "emissivity": 1}], "opening": "20 °C"}},
        surroundings=[{"on": "hot.right", "temperature": "600 °C"}, {"on": "cold.left", "temperature": "300 °C"}],
        questions=[
            {"name": "net", "radiation": "hot.right"},
            {"name": "out", "exchange": "cold.left", "to": "opening"},
            {"name": "seen", "view_factor": "hot.right", "to": "cold.left"},
            {"name": "lip", "view_factor": "opening", "to": "cold.left"},
        ],
    )
    net, out, seen, lip = (check.value for check in answered(data).checks)
    across = np.hypot(1, 0.2) - 0.2
    hot, cold, around = (SIGMA * (t + 273.15) ** 4 for t in (600, 300, 20))
    assert seen == pytest.approx(across, rel=1e-12)
    assert lip == pytest.approx(0.5, rel=1e-12)
    assert net == pytest.approx(-0.1 * (across * (hot - cold) + (1 - across) * (hot - around)), rel=1e-10)
    assert out == pytest.approx(0.1 * (1 - across) * (cold - around), rel=1e-10)


def test_surfaces_taken_as_one_are_the_network_of_a_hand_calculation() -> None:
    """Two held, grey plates and the opening beside them: A (E − J) ε/(1 − ε) = Σ X (J − J').

    Resolved along the plates their ends see more of what is behind the opening, and radiate more than the network says.
    """
    data = plates(
        surroundings=[{"on": "hot.right", "temperature": "900 K"}, {"on": "cold.left", "temperature": "400 K"}],
        questions=[{"name": "hot", "radiation": "hot.right"}, {"name": "cold", "radiation": "cold.left"}],
    )
    faces = [{"on": "hot.right", "emissivity": 0.4}, {"on": "cold.left", "emissivity": 0.3}]
    found = {}
    for even in (True, False):
        stated = {"faces": faces, "opening": "300 K", **({"even": True} if even else {})}
        checks = answered({**data, "enclosures": {"gap": stated}}).checks
        found[even] = np.array([check.value for check in checks])
    across, epsilon = np.hypot(1, 0.2) - 0.2, np.array([0.4, 0.3])
    factors = across * np.array([[0.0, 1.0], [1.0, 0.0]])
    emissive, behind = SIGMA * np.array([900.0, 400.0]) ** 4, SIGMA * 300.0**4
    given = epsilon * emissive + (1 - epsilon) * (1 - across) * behind
    radiosity = np.linalg.solve(np.eye(2) - (1 - epsilon)[:, None] * factors, given)
    network = 0.1 * (factors @ radiosity + (1 - across) * behind - radiosity)
    assert found[True] == pytest.approx(network, rel=1e-10)
    assert 0.001 < np.abs(found[False] / network - 1).max() < 0.05
    # These temperatures are held, so that the check of the resolved case says what the network says.
    for check, expected in zip(checks, network, strict=True):
        said = check.note.removeprefix("with every surface taken as one, at these temperatures: ")
        assert float(said.split(" W,")[0].replace("−", "-").replace("\N{THIN SPACE}", "")) == pytest.approx(
            expected, rel=1e-4
        )


def test_plates_that_cool_through_a_gap_follow_their_two_ordinary_equations() -> None:
    """Plates that conduct so well that each has one temperature, the cold one heated from the other side."""
    data = plates(
        surroundings=[{"on": "cold.right", "flux": "2000 W/m²"}],
        clock={"start": "20 °C", "start_in": {"hot": "900 °C"}, "end": "2 hours", "tolerance": "0.02 %"},
        questions=[
            {"name": "hot", "mean": "hot"},
            {"name": "cold", "mean": "cold"},
            {"name": "net", "radiation": "hot.right", "time": "30 min"},
        ],
        mesh={"size": "20 mm", "across": 1},
    )
    for material in data["materials"].values():
        material["k"] = "1e5 W/(m K)"
    hot, cold, net = (check.value for check in answered(data).checks)
    capacity = np.array([2000 * 900 * 0.05, 3000 * 700 * 0.04])

    def rates(t: float, temperature: np.ndarray) -> np.ndarray:
        passed = SIGMA * (temperature[0] ** 4 - temperature[1] ** 4) / (1 / 0.8 + 1 / 0.5 - 1)
        return np.array([-passed, passed + 2000]) / capacity

    run = solve_ivp(rates, (0, 7200), [1173.15, 293.15], rtol=1e-11, atol=1e-9, dense_output=True)
    assert [hot, cold] == pytest.approx(run.y[:, -1], abs=0.2)
    assert net == pytest.approx(rates(1800, run.sol(1800))[0] * capacity[0] * 0.1, rel=2e-3)


def test_an_emissivity_that_follows_temperature_is_that_of_where_it_settles() -> None:
    data = plates(enclosures={"gap": {"faces": [{"on": "hot.right", "emissivity": "0.9 - T/4000 K"}], "closed": True}})
    data["enclosures"]["gap"]["faces"].append({"on": "cold.left"})

    def left_over(q: float) -> float:
        hot, cold = 1073.15 - q * 0.05 / 1, 323.15 + q * 0.04 / 2
        return q - SIGMA * (hot**4 - cold**4) / (1 / (0.9 - hot / 4000) + 1 / 0.5 - 1)

    (check,) = answered(data).checks
    assert check.value == pytest.approx(brentq(left_over, 0, 20_000, xtol=1e-12) * 0.1, rel=1e-10)


def test_an_emissivity_that_leaves_what_is_possible_is_noted() -> None:
    faces = [{"on": "hot.right", "emissivity": "T/300 K"}, {"on": "cold.left"}]
    outcome = answered(plates(enclosures={"gap": {"faces": faces, "closed": True}}))
    assert [note.message for note in outcome.notes if "hot.right" in note.message and "between 0 and 1" in note.message]
    black = answered(plates(enclosures={"gap": {"faces": [{**faces[0], "emissivity": 1}, faces[1]], "closed": True}}))
    assert outcome.checks[0].value == pytest.approx(black.checks[0].value, rel=1e-9)


def test_the_influence_on_an_answer_is_what_a_little_heat_changes() -> None:
    """The adjoint sees what is radiated across: heat at the back of the post, told at the wall opposite."""
    data = chamber(mesh={"size": "20 mm", "across": 1})
    problem = answered(data).problem
    assert problem is not None
    temperature = solve_steady(problem).temperature
    weights = np.zeros(problem.mesh.node_count)
    read = problem.mesh.surfaces["frame.hole right"].nodes
    weights[read] = 1 / len(read)
    influence = Influences(problem, temperature).on_reading(weights)
    heated = case_from_data({**data, "heat_inside": [{"region": "post", "total": "0.1 W"}]})
    changed = Flow().answered(heated).solution
    assert changed is not None
    post = problem.mesh.regions.index("post")
    nodes = np.unique(np.concatenate([b.nodes[b.region == post].ravel() for b in problem.mesh.blocks]))
    expected = 0.1 * influence[nodes].mean()
    assert weights @ (changed.temperature - temperature) == pytest.approx(expected, rel=0.01)


FAULTS: dict[str, tuple[dict[str, Any], str]] = {
    "alone": ({"gap": {"faces": [{"on": "hot.right"}]}}, "does not see itself"),
    "back to back": ({"gap": {"faces": [{"on": ["hot.right", "cold.right"]}]}}, "do not see each other"),
    "unknown": ({"gap": {"faces": [{"on": ["hot.rigt", "cold.left"]}]}}, "did you mean 'hot.right'"),
    "twice": ({"gap": {"faces": [{"on": "hot.right"}, {"on": ["hot.right", "cold.left"]}]}}, "named twice"),
    "in two": (
        {n: {"faces": [{"on": ["hot.right", "cold.left"]}], "closed": True} for n in ("a", "b")},
        "in the enclosure 'a' already",
    ),
    "no void": ({"gap": {"faces": [{"void": "hole"}]}}, "there is no void 'hole'"),
    "white": (
        {"gap": {"faces": [{"on": ["hot.right", "cold.left"], "emissivity": 0}], "closed": True}},
        "nothing is absorbed",
    ),
}


@pytest.mark.parametrize("wrong", list(FAULTS))
def test_what_is_no_enclosure_says_why(wrong: str) -> None:
    stated, said = FAULTS[wrong]
    with pytest.raises(CaseError, match=said) as caught:
        answered(plates(enclosures=stated))
    assert all(fault.at[0] == "enclosures" for fault in caught.value.faults)


def test_more_facets_than_can_be_looked_at_are_refused_with_their_number() -> None:
    mesh = Flow().mesh(case_from_data(plates()), 1)
    with pytest.raises(ChamberError, match=r"30,000 facets, .* more than minutes; 20,000 can be looked at"):
        chamber_of(mesh, ["hot.right", "cold.left"], np.ones(30_000))


def test_an_opening_is_found_and_asked_for_and_questions_stay_in_the_chamber() -> None:
    case = case_from_data(plates(enclosures={"gap": {"faces": [{"on": ["hot.right", "cold.left"]}]}}))
    with pytest.raises(OpenCaseError, match=r"its surfaces see 0\.036 m² of something else, 18 %") as caught:
        Flow().answered(case)
    (fault,) = caught.value.faults
    assert fault.at == ("enclosures", "gap", "opening")
    assert Flow().answered(with_value(case, ("enclosures", "gap", "opening"), "20 °C")).ledger is not None
    with pytest.raises(CaseError, match=r"'cold\.right' is in no enclosure"):
        answered(plates(questions=[{"name": "x", "radiation": "cold.right"}]))


@pytest.mark.parametrize("radius", [40.0, 3.0])
def test_an_opening_too_small_for_what_views_are_exact_to_is_found_by_its_rim(radius: float) -> None:
    """A spy-hole through the floor of a round chamber, whose bore is not among the faces."""
    regions = {
        "brick": block(0, 200, "a", 300),
        "room": {"shape": "rectangle", "at": ["0 mm", "50 mm"], "size": ["150 mm", "200 mm"], "void": True},
        "spy": {"shape": "rectangle", "at": ["0 mm", "0 mm"], "size": [f"{radius} mm", "50 mm"], "void": True},
    }
    data = plates(
        body={"kind": "turned section", "regions": regions},
        surroundings=[{"on": "brick.right", "temperature": "800 °C"}],
        enclosures={"room": {"faces": [{"on": [f"brick.room {side}" for side in ("right", "top", "bottom")]}]}},
        mesh={"size": "25 mm", "across": 1},
        questions=[],
    )
    with pytest.raises(OpenCaseError, match="it is open") as caught:
        answered(data)
    sized = float(caught.value.faults[0].message.split("see ")[1].split(" m²")[0])
    assert sized == pytest.approx(np.pi * (radius * 1e-3) ** 2, rel=0.15 if radius < 10 else 0.005)


def test_surfaces_that_plainly_face_each_other_are_noted() -> None:
    radiating = [{"on": s, "radiation": {"temperature": "20 °C"}} for s in ("hot.right", "cold.left", "cold.right")]
    held = {"on": "hot.left", "temperature": "800 °C"}
    outcome = answered(plates(surroundings=[held, *radiating], enclosures={}))
    said = [note.message for note in outcome.notes if "see each other" in note.message]
    assert len(said) == 1
    assert "'hot.right' and 'cold.left' see each other: about 82%" in said[0]
    assert not [note for note in answered(plates()).notes if "see each other: " in note.message]


def test_an_enclosure_of_surfaces_that_face_each_other_is_one_edit_away() -> None:
    held = [{"on": "hot.left", "temperature": "800 °C"}, {"on": "cold.bottom", "temperature": "60 °C"}]
    film = {"h": "9 W/(m² K)", "temperature": "25 °C"}
    radiation = {"temperature": "20 °C", "emissivity": "0.6"}
    stated = [
        {"on": ["hot.right", "hot.top"], "radiation": radiation, "film": film},
        {"on": "cold.left", "radiation": {"temperature": "20 °C"}},
        {"on": "cold.right", "radiation": radiation},
    ]
    before = answered(plates(surroundings=[*held, *stated], enclosures={}, questions=[]))
    assert before.problem is not None and before.problem.facing == (("hot.right", "cold.left"),)
    require_understood(before.problem, fit(plates))  # that they face each other is no statement
    assert not can_be_enclosed(before.case, ["hot.left"]) and can_be_enclosed(before.case, ["hot.right"])
    after = enclosed_instead(before.case, ("hot.right", "cold.left"))
    assert after.data["surroundings"] == [
        *held,
        {**stated[0], "on": "hot.top"},
        {"on": "hot.right", "film": film},
        stated[2],
    ]
    faces = [{"on": "hot.right", "emissivity": "0.6"}, {"on": "cold.left"}]
    assert after.data["enclosures"] == {"enclosure": {"faces": faces, "opening": "20 °C"}}
    outcome = Flow().answered(after)
    assert outcome.problem is not None and not outcome.problem.facing
    assert outcome.ledger is not None and outcome.ledger.relative < 1e-9


BLOCKS = {
    name: {"shape": "rectangle", "size": ["60 mm", "60 mm"], "at": [x, "0 mm"], "z": ["0 mm", "40 mm"], "material": "a"}
    for name, x in (("p", "0 mm"), ("q", "80 mm"))
}
CUP = {
    "cup": {"shape": "rectangle", "size": ["60 mm", "60 mm"], "at": ["0 mm", "0 mm"], "material": "a"},
    "well": {"shape": "rectangle", "size": ["40 mm", "50 mm"], "at": ["0 mm", "10 mm"], "void": True},
}


@pytest.mark.parametrize("size", ["20 mm", "6 mm"])
@pytest.mark.parametrize(
    ("kind", "regions", "radiating", "seen", "share"),
    [
        # Rectangles of 60 by 40 mm, 20 mm apart, and the inside of a cylinder: Howell's catalogue, C-11 and C-79.
        ("stacked", BLOCKS, ["p.right", "q.left", "p.top", "q.right"], "'p.right' and 'q.left' see each other", 0.4756),
        (
            "turned section",
            CUP,
            ["cup.well right", "cup.right"],
            "'cup.well right' sees itself",
            1.625 - np.hypot(1, 0.625),
        ),
    ],
)
def test_in_space_and_turned_a_few_facets_tell_that_they_face_each_other(
    kind: str, regions: dict[str, Any], radiating: list[str], seen: str, share: float, size: str
) -> None:
    stated = [{"on": radiating, "radiation": {"temperature": "20 °C", "emissivity": "0.8"}}]
    held = [{"on": f"{name}.bottom", "temperature": "300 °C"} for name in regions if not regions[name].get("void")]
    data = plates(
        body={"kind": kind, "regions": regions},
        materials={"a": {"k": "20 W/(m K)"}},
        surroundings=[*held, *stated],
        enclosures={},
        questions=[],
        mesh={"size": size, "across": 2},
    )
    (said,) = [note.message for note in answered(data).notes if "state an enclosure" in note.message]
    assert said.startswith(seen)
    assert float(said.split("about ")[1].split("%")[0]) / 100 == pytest.approx(share, abs=0.06)


def test_a_small_surface_that_sees_little_else_than_a_large_one_is_noted_whichever_is_named_first() -> None:
    """A block of 10 mm over a plate of 200 mm: the plate hardly sees it."""
    regions = {
        "plate": {"shape": "rectangle", "size": ["200 mm", "200 mm"], "at": ["0 m", "0 m"], "z": ["0 m", "10 mm"]},
        "chip": {"shape": "rectangle", "size": ["10 mm", "10 mm"], "at": ["95 mm", "95 mm"], "z": ["20 mm", "25 mm"]},
    }
    for on in (["plate.top", "chip.bottom"], ["chip.bottom", "plate.top"]):
        data = plates(
            body={"kind": "stacked", "regions": {name: {**each, "material": "a"} for name, each in regions.items()}},
            materials={"a": {"k": "20 W/(m K)"}},
            surroundings=[
                {"on": ["plate.bottom", "chip.top"], "temperature": "300 °C"},
                {"on": on, "radiation": {"temperature": "20 °C", "emissivity": "0.8"}},
            ],
            enclosures={},
            questions=[],
            mesh={"size": "20 mm", "across": 2},
        )
        (said,) = [note.message for note in answered(data).notes if "state an enclosure" in note.message]
        assert said.startswith("'chip.bottom' and 'plate.top' see each other: about 9")


def test_blocks_that_meet_in_points_close_a_room() -> None:
    """Four blocks about an empty square share nothing but its corners, where the skin crosses itself."""
    places = {"south": (100, 0), "east": (200, 100), "north": (100, 200), "west": (0, 100)}
    square = {"shape": "rectangle", "size": ["100 mm", "100 mm"], "material": "a"}
    regions = {name: {**square, "at": [f"{x} mm", f"{y} mm"]} for name, (x, y) in places.items()}
    sides = ["south.top", "east.left", "north.bottom", "west.right"]
    data = plates(
        body={"kind": "section", "regions": regions},
        surroundings=[{"on": "south.bottom", "temperature": "800 °C"}, {"on": "north.top", "temperature": "100 °C"}],
        enclosures={"room": {"faces": [{"on": sides}]}},
        questions=[{"name": "across", "view_factor": "south.top", "to": "north.bottom"}],
    )
    assert answered(data).checks[0].value == pytest.approx(np.sqrt(2) - 1, abs=1e-12)


def test_a_rod_has_no_surfaces_that_see_each_other() -> None:
    body = {"kind": "rod", "pieces": {"a": {"length": "50 mm", "diameter": "9 mm", "material": "a"}}}
    enclosure = {"gap": {"faces": [{"on": ["a.side"]}]}}
    with pytest.raises(CaseError, match="section"):
        answered(plates(body=body, surroundings=[], questions=[], enclosures=enclosure))


def test_a_void_that_goes_leaves_its_enclosure_open() -> None:
    """Renamed it is followed; removed it takes its face along, and what is left is asked for."""
    data = chamber(mesh={"size": "40 mm", "across": 1})
    data["enclosures"] = {"room": {"faces": [{"void": "hole"}]}}
    path = ("body", "regions", "hole")
    case = renamed_part(case_from_data(data), path, "flue")
    assert value_at(case.data, ("enclosures", "room", "faces")) == [{"void": "flue"}]
    left, also = without_part(case, ("body", "regions", "flue"))
    assert also == ["flue in an enclosure"]
    with pytest.raises(OpenCaseError, match="name the surfaces that see each other in 'room'"):
        Flow().answered(left)


def test_an_edit_of_an_emissivity_takes_no_new_views() -> None:
    flow = Flow()
    first = flow.answered(case_from_data(chamber()))
    data: Case = with_value(first.case, ("materials", "a", "emissivity"), "0.4")
    second = flow.answered(data)
    assert first.problem is not None
    assert second.problem is not None
    assert second.problem.enclosures[0].chamber is first.problem.enclosures[0].chamber
    assert second.checks[0].value < first.checks[0].value


def kiln(half: bool) -> dict[str, Any]:
    """A chamber with a post in its middle; of the left half alone the right one is seen in a mirror."""
    share = 0.5 if half else 1.0
    regions = {
        "frame": block(0, 300 * share, "a", 200),
        "hole": {"shape": "rectangle", "at": ["90 mm", "50 mm"], "size": [f"{120 * share} mm", "100 mm"], "void": True},
        "post": {
            "shape": "rectangle",
            "at": ["140 mm", "80 mm"],
            "size": [f"{20 * share} mm", "30 mm"],
            "material": "b",
        },
    }
    cooled = ["frame.top", "frame.left", *([] if half else ["frame.right"])]
    return plates(
        body={"kind": "section", "regions": regions},
        surroundings=[
            {"on": "frame.bottom", "temperature": "800 °C"},
            {"on": cooled, "film": {"h": "10 W/(m² K)", "temperature": "20 °C"}},
        ],
        enclosures={"room": {"faces": [{"void": "hole"}], **({"mirrors": "frame.right"} if half else {})}},
        mesh={"size": "10 mm"},
        questions=[
            {"name": "loss", "heat_flow": "frame.bottom"},
            {"name": "past the post", "view_factor": "frame.hole bottom", "to": "frame.hole top"},
            {"name": "post", "mean": "post.top"},
        ],
    )


def test_half_a_section_in_a_mirror_is_half_of_the_whole() -> None:
    whole, half = (answered(kiln(each)) for each in (False, True))
    loss, past, post = zip(*([check.value for check in each.checks] for each in (whole, half)), strict=True)
    assert loss[1] == pytest.approx(loss[0] / 2, rel=1e-6)
    assert past[1] == pytest.approx(past[0], rel=1e-12)
    assert post[1] == pytest.approx(post[0], abs=1e-3)
    assert set(half.problem.enclosed) == {
        *(f"frame.hole {side}" for side in ("bottom", "top", "left")),
        *(f"post.{side}" for side in ("bottom", "top", "left")),
    }


def test_half_a_muffle_sees_the_other_end_where_its_own_is_mirrored() -> None:
    """A disc sees its own image across the height of the whole can (Howell C-41)."""
    data = dict(family("muffle").data)
    brick, hollow = (dict(data["body"]["regions"][name]) for name in ("brick", "muffle"))
    brick["size"], hollow["size"] = ["radius + wall", "long/2 + wall"], ["radius", "long/2"]
    data["body"] = {"kind": "turned section", "regions": {"brick": brick, "muffle": hollow}}
    data["enclosures"] = {"muffle": {"faces": [{"void": "muffle"}], "mirrors": "brick.top"}}
    data["surroundings"] = data["surroundings"][:1]
    name = "brick.muffle bottom"
    data["questions"] = [{"name": "F", "view_factor": name, "to": name, "expect": {"working": "F"}}]
    (check,) = answered(data).checks
    assert check.value == pytest.approx(check.expected, rel=1e-4)


def row(tubes: int, **enclosure: Any) -> dict[str, Any]:
    """Tubes between two plates, one after the other."""
    wide = 40 * tubes
    regions = {"floor": block(0, wide, "a", 10), "roof": {**block(0, wide, "b", 10), "at": ["0 mm", "60 mm"]}}
    for number in range(tubes):
        at = [f"{20 + 40 * number} mm", "35 mm"]
        regions[f"tube {number}"] = {"shape": "disc", "radius": "10 mm", "at": at, "material": "a"}
    rims = [f"tube {number}.rim" for number in range(tubes)]
    return plates(
        body={"kind": "section", "regions": regions},
        surroundings=[{"on": "floor.bottom", "temperature": "800 °C"}, {"on": "roof.top", "temperature": "50 °C"}],
        enclosures={"row": {"faces": [{"on": ["floor.top", "roof.bottom", *rims]}], **enclosure}},
        mesh={"size": "5 mm"},
        questions=[{"name": "loss", "heat_flow": "floor.bottom", "basis": "area"}],
    )


def test_one_tube_that_repeats_is_the_middle_of_a_long_row() -> None:
    """Closed to round-off and as the catalogue has a plane and an endless row of tubes (Howell C-74); of seven of them
    the middle one sees the same, its neighbours as it sees its copies."""
    one = answered(row(1, repeats=["floor.left", "floor.right"])).problem.enclosures[0].chamber
    assert one.open_area == 0
    seen = one.between() / one.areas()[:, None]
    ratio = 0.5
    expected = 1 - np.sqrt(1 - ratio**2) + ratio * np.arctan(np.sqrt(1 / ratio**2 - 1))
    assert seen[0, 2] == pytest.approx(expected, rel=2e-3)
    assert seen[:2, :2].diagonal() == pytest.approx([0, 0], abs=1e-12)  # a plate does not see its own copies
    many = answered(row(7, opening="300 °C")).problem.enclosures[0].chamber
    middle = many.between()[5] / many.areas()[5]
    assert seen[2, :2] == pytest.approx(middle[:2], rel=2e-2)  # what is seen beyond the seventh is little
    assert seen[2, 2] == pytest.approx(middle[2:].sum(), rel=2e-3)


def test_a_quarter_that_turns_four_times_is_a_room_with_a_post() -> None:
    """No mirror would do: the post stands askew. What sides see of each other adds up to what they see of the whole."""
    points = [(20, 0), (30, 10), (0, 20), (-10, 30)]
    points += [(-x, -y) for x, y in points]

    def outline(corners: list[tuple[int, int]]) -> dict[str, Any]:
        return {"shape": "polygon", "points": [[f"{x} mm", f"{y} mm"] for x, y in corners], "material": "b"}

    whole = {
        "kiln": {"shape": "rectangle", "size": ["200 mm", "200 mm"], "at": ["-100 mm", "-100 mm"], "material": "a"},
        "room": {"shape": "rectangle", "size": ["160 mm", "160 mm"], "at": ["-80 mm", "-80 mm"], "void": True},
        "post": outline(points),
    }
    quarter = {
        "kiln": {"shape": "rectangle", "size": ["100 mm", "100 mm"], "material": "a"},
        "room": {"shape": "rectangle", "size": ["80 mm", "80 mm"], "void": True},
        "post": outline([*points[:3], (0, 0)]),
    }
    shares = []
    for regions, beyond in ((whole, {}), (quarter, {"repeats": ["kiln.left", "kiln.bottom"]})):
        out = ["kiln.right", "kiln.top"] + ([] if beyond else ["kiln.left", "kiln.bottom"])
        data = plates(
            body={"kind": "section", "regions": regions},
            surroundings=[{"on": out, "temperature": "50 °C"}, {"on": "post.side 1", "temperature": "800 °C"}],
            enclosures={"room": {"faces": [{"void": "room"}], **beyond}},
            mesh={"size": "10 mm"},
        )
        data["questions"] = [{"name": "loss", "heat_flow": "kiln.right"}]
        chamber = answered(data).problem.enclosures[0].chamber
        assert chamber.open_area == 0
        post = np.array([name.startswith("post") for name in chamber.surfaces])
        seen = chamber.between()
        shares.append([chamber.areas()[post].sum(), seen[post][:, post].sum(), seen[post][:, ~post].sum()])
    assert 4 * np.array(shares[1]) == pytest.approx(np.array(shares[0]), rel=1e-9)


@pytest.mark.parametrize(
    ("repeats", "message"),
    [
        (["floor.left", "floor.rigth"], "there is no surface 'floor.rigth'.*floor.right"),
        (["floor.left", "tube 0.rim"], "are not two flat ends"),
        (["floor.left", "floor.bottom"], "do not fit upon each other"),
        (["floor.left", "floor.left"], "one end twice"),
        (["floor.top", "floor.bottom"], "are not two flat ends"),
    ],
)
def test_what_cannot_repeat_says_why(repeats: list[str], message: str) -> None:
    with pytest.raises(CaseError, match=message):
        Flow().answered(case_from_data(row(1, repeats=repeats)))


def test_a_shield_between_plates_halves_what_passes_and_needs_no_conductivity() -> None:
    """Narrow plates: 1/(1/ε₁ + 1/ε₂ − 1 + 2/ε − 1) of black bodies; a sheet ten times thinner changes nothing."""
    tall = {"hot": block(0, 10, "a", 800), "cold": block(14, 10, "b", 800)}
    data = plates(
        materials={name: {"k": "500 W/(m K)", "emissivity": e} for name, e in (("a", "0.8"), ("b", "0.5"))},
        body={"kind": "section", "depth": "1 m", "regions": tall},
        mesh={"size": "10 mm"},
        questions=[{"name": "loss", "heat_flow": "hot.left", "basis": "area"}],
    )
    plain = case_from_data(data)
    shielded = with_shield(plain, "gap", (0.012, 0.0005), (0.012, 0.7995))
    bare, behind = (answered(case.data) for case in (plain, shielded))
    black = SIGMA * (1073.15**4 - 323.15**4)
    # What conducts in front takes a little of the difference.
    assert bare.checks[0].value == pytest.approx(black / (1 / 0.8 + 1 / 0.5 - 1), rel=5e-3)
    assert behind.checks[0].value == pytest.approx(black / (1 / 0.8 + 1 / 0.5 - 1 + 2 / 0.1 - 1), rel=2e-2)
    assert abs(behind.ledger.relative) < 1e-9
    (own,) = [row.heat for row in behind.ledger.isothermal]
    assert own == pytest.approx(0.8 * behind.checks[0].value, rel=2e-2)
    thinner = with_value(shielded, ("body", "regions", "shield", "thickness"), "0.05 mm")
    assert answered(thinner.data).checks[0].value == pytest.approx(behind.checks[0].value, rel=1e-2)
    runs = with_value(shielded, ("clock",), {"start": "20 °C", "end": "1 min"})
    with pytest.raises(OpenCaseError, match="state the density of 'bright sheet'"):
        Flow().answered(runs)
    with pytest.raises(CaseError, match="it ends where it starts"):
        with_value(shielded, ("body", "regions", "shield", "end"), ["12 mm", "0.5 mm"])
