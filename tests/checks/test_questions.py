"""Questions of every kind on every kind of body: what is answered, in which sense and words, with which verdict."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.editing.edits import appended, with_value
from blunt_ember.case.editing.renaming import renamed_part
from blunt_ember.case.values.units import HEAT_FLOW, TEMPERATURE
from blunt_ember.checks.questions.history import thinned
from blunt_ember.checks.source import Provenance, Source
from blunt_ember.checks.verdict import Check, check
from blunt_ember.errors import CaseError
from blunt_ember.fem.reading import temperature_at
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family

FLOW = Flow()


MADE_UP = Source(Provenance.STATED, "made up")


def ask(name: str, *asked: dict[str, Any], mesh: dict[str, Any] | None = None) -> tuple[list[Check], Outcome]:
    case = family(name).case()
    if mesh is not None:
        case = with_value(case, ("mesh",), mesh)
    for number, each in enumerate(asked):
        case = appended(case, ("questions",), {"name": f"own {number}", **each})
    outcome = FLOW.answered(case)
    if outcome.trouble is not None:
        raise outcome.trouble
    return list(outcome.checks[len(outcome.checks) - len(asked) :]), outcome


#: Families with an exact solution, a surface of each, and how near the mesh comes, K.
EXACT = (
    ("composite-wall", "brick|blanket", 1e-6),
    ("hollow-cylinder", "lagging.rim", 2e-3),
    ("ring-sector", None, 5e-3),
    ("hollow-sphere", None, 2e-3),
    ("rod-film-tip", None, 1e-4),
    ("stacked-floor", None, 1e-5),
)


@pytest.mark.parametrize(("name", "surface", "near"), EXACT)
def test_extremes_and_means_of_surfaces_regions_and_the_body_agree_with_theory(
    name: str, surface: str | None, near: float
) -> None:
    geometry = FLOW.geometry(family(name).case())
    surface = surface or next(each for each, found in geometry.surfaces.items() if found.outer)
    region = next(each.name for each in geometry.regions if not each.void)
    solution = {"rod-film-tip": "rod", "ring-sector": "hollow-cylinder", "stacked-floor": "composite-wall"}.get(
        name, name
    )
    asked = [
        {measure: target, "expect": {"exact": solution}}
        for target in (surface, region, "body")
        for measure in ("highest", "lowest", "mean")
    ]
    checks, outcome = ask(name, *asked)
    for found, question in zip(checks, asked, strict=True):
        assert found.expected is not None, (question, found.note)
        assert found.value == pytest.approx(found.expected, abs=max(near, 1e-9)), question
    for start in (0, 3, 6):
        high, low, mean = (each.value for each in checks[start : start + 3])
        assert low - 1e-9 <= mean <= high + 1e-9
    assert outcome.solution is not None
    assert checks[6].value == pytest.approx(outcome.solution.temperature.max())
    assert checks[7].value == pytest.approx(outcome.solution.temperature.min())


def test_heat_has_a_direction_and_a_basis() -> None:
    per_area, depth, out, joint, back = ask(
        "composite-wall",
        {"heat_flow": "brick.left", "basis": "area"},
        {"heat_flow": "brick.left"},
        {"heat_flow": "brick.left", "direction": "out"},
        {"heat_flow": "brick|blanket"},
        {"heat_flow": "brick|blanket", "direction": "out"},
    )[0]
    assert per_area.value == pytest.approx(1156.481, abs=1e-3) and per_area.kind.shown == "W/m²"
    assert depth.value == pytest.approx(0.1 * per_area.value) and out.value == -depth.value
    assert joint.value == pytest.approx(depth.value) and back.value == -joint.value
    # Of several surfaces under one name the heats add up, and the areas with them.
    case = with_value(family("composite-wall").case(), ("surfaces",), {"ends": ["brick.left", "shell.right"]})
    case = appended(case, ("questions",), {"name": "both", "heat_flow": "ends", "basis": "area"})
    assert FLOW.answered(case).checks[-1].value == pytest.approx(0.0, abs=1e-9)


SIDES = ["plate.left", "plate.right", "plate.top"]


def test_several_surfaces_are_asked_about_together() -> None:
    """Of a plate in an uneven field what is asked of three sides is the sum, the extreme, the mean by area of each."""
    each = [{"mean": side} for side in SIDES] + [{"heat_flow": side} for side in SIDES]
    named = appended(family("hot-edge-plate").case(), ("questions",), {"name": "x", "mean": SIDES})
    geometry = FLOW.geometry(named)
    area = np.array([geometry.surfaces[side].area for side in SIDES])
    together = [
        {"mean": SIDES},
        {"heat_flow": SIDES},
        {"heat_flow": SIDES, "basis": "area", "direction": "out"},
        {"heat_flow": SIDES, "basis": "length"},
        {"highest": SIDES},
        {"lowest": [*SIDES, SIDES[0]]},
        {"highest": SIDES[:1]},
    ]
    checks, outcome = ask("hot-edge-plate", *each, *together, *({"highest": side} for side in SIDES))
    values = np.array([check.value for check in checks])
    means, heats, found, highest = values[:3], values[3:6], values[6:13], values[13:]
    depth = outcome.mesh.space.depth if outcome.mesh is not None else None
    assert depth is not None
    expected = [means @ area / area.sum(), heats.sum(), -heats.sum() / area.sum(), heats.sum() / depth, highest.max()]
    assert found[:5] == pytest.approx(expected, rel=1e-12)
    assert found[6] == highest[0]
    # Beside the hot edge the heat has no end, and the mean has the cell in which the temperature jumps.
    assert checks[6].value == pytest.approx(checks[6].expected, abs=2.0)
    for found_one in checks[10:]:
        assert found_one.expected is not None and found_one.verdict == "agrees", found_one
    assert checks[6].asked.startswith("Mean temperature of plate.left, plate.right and plate.top")
    assert checks[8].asked == "Heat flow out of the body through plate.left, plate.right and plate.top, per m²"
    assert "per metre" in checks[9].asked and checks[9].kind.name == "a heat flow per length"


@pytest.mark.parametrize("asks", ["mean", "highest", "lowest"])
@pytest.mark.parametrize(
    ("together", "strange"), [(["body", "brick.left"], "body"), (["shell.right", "brick"], "brick")]
)
@pytest.mark.parametrize("name", ["composite-wall", "quenched-wall"])
def test_only_surfaces_are_taken_together(name: str, asks: str, together: list[str], strange: str) -> None:
    regions = {"composite-wall": ("brick", "shell"), "quenched-wall": ("wall", "wall")}[name]
    own = [each.replace("brick", regions[0]).replace("shell", regions[1]) for each in together]
    case = with_value(family(name).case(), ("questions",), [{"name": "q", asks: own}])
    what = f"'{strange.replace('brick', regions[0])}' is no surface, and only surfaces are taken together"
    with pytest.raises(CaseError, match=rf"questions\[0\]\.{asks}: {what}"):
        Flow().answered(case)


def test_several_surfaces_follow_a_new_name_and_lose_what_is_removed() -> None:
    case = appended(family("hot-edge-plate").case(), ("questions",), {"name": "own", "heat_flow": SIDES})
    renamed = renamed_part(case, ("body", "regions", "plate"), "slab")
    assert renamed.data["questions"][-1]["heat_flow"] == [side.replace("plate", "slab") for side in SIDES]
    for wrong, said in (([], "names no surface"), (["plate.left", "plate.lid"], "no surface 'plate.lid'")):
        with pytest.raises(CaseError, match=said):
            FLOW.answered(appended(family("hot-edge-plate").case(), ("questions",), {"name": "own", "highest": wrong}))
    with pytest.raises(CaseError, match="only a plane section has a depth"):
        ask("hollow-sphere", {"heat_flow": "shell.rim", "basis": "length"})


def test_linear_cells_answer_as_well_only_less_closely() -> None:
    question = {"mean": "pipe.bore", "expect": {"exact": "hollow-cylinder"}}
    gaps = []
    for order in (1, 2):
        ((found,), _) = ask("hollow-cylinder", question, mesh={"order": order})
        assert found.expected is not None
        gaps.append(abs(found.value - found.expected))
    assert gaps[1] < gaps[0] / 20 < 0.05


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"heat_flow": "a.left"}, "Heat flow into the body through a.left, whole body"),
        (
            {"heat_flow": "a.left", "direction": "out", "basis": "area"},
            "Heat flow out of the body through a.left, per m²",
        ),
        ({"heat_flow": "a|b"}, "Heat flow from a to b, whole body"),
        ({"heat_flow": "a|b", "direction": "out"}, "Heat flow from b to a, whole body"),
        ({"temperature": ["1 mm", "d/2"]}, "Temperature at (1 mm, d/2)"),
        ({"highest": "body"}, "Highest temperature of the body"),
        ({"mean": "a.top"}, "Mean temperature of a.top"),
        ({"lowest": {"start": ["0 m"], "end": ["1 m"]}}, "Lowest temperature from (0 m) to (1 m)"),
        ({"mean": {"edge": "a.top"}}, "Mean temperature along a.top"),
        ({"mean": {"edge": ["a.top", "a.left"]}}, "Mean temperature along the edge of a.top and a.left"),
        ({"mean": {"between": ["a.top", "b.left"]}}, "Mean temperature from a.top to b.left"),
        ({"mean": {"centre": ["0 m", "1 m"], "radius": "far"}}, "Mean temperature round (0 m, 1 m) at far"),
        (
            {"mean": {"centre": ["0 m", "1 m", "2 m"], "radius": "3 mm", "across": "x"}},
            "Mean temperature round (0 m, 1 m, 2 m) at 3 mm, across x",
        ),
    ],
)
def test_a_question_is_said_in_words(asked: dict[str, Any], words: str) -> None:
    data = {
        "format": "blunt-ember/1",
        "parameters": {"d": "3 mm", "far": "2 mm"},
        "body": BODIES[dimension(asked)],
        "questions": [{"name": "q", **asked}],
    }
    assert case_from_data(data).document.questions[0].sentence("whole body", False) == words


_PLATE = {"shape": "rectangle", "size": ["1 m", "1 m"]}
BODIES: dict[int, dict[str, Any]] = {
    1: {"kind": "rod", "pieces": {"a": {"length": "1 m", "diameter": "1 mm"}}},
    2: {"kind": "section", "depth": "1 m", "regions": {"a": _PLATE}},
    3: {"kind": "stacked", "regions": {"a": {**_PLATE, "z": ["0 m", "1 m"]}}},
}


def dimension(asked: dict[str, Any]) -> int:
    """Coordinates of the places that are asked about; two where there are none."""
    places = [value for value in asked.values() if isinstance(value, list)]
    for line in (value for value in asked.values() if isinstance(value, dict)):
        places += [line[key] for key in ("start", "end", "centre") if key in line]
    return len(places[0]) if places else 2


def question(tolerance: str, **asked: Any) -> Question:
    data = {
        "format": "blunt-ember/1",
        "body": BODIES[2],
        "questions": [{"name": "q", "tolerance": tolerance, **(asked or {"heat_flow": "a.left"})}],
    }
    return case_from_data(data).document.questions[0]


@given(st.floats(-1e6, 1e6), st.floats(-0.2, 0.2), st.floats(0.01, 10))
def test_a_share_is_of_the_expected_heat_and_of_the_span_of_temperatures(value: float, off: float, span: float) -> None:
    asked = question("5 %")
    expected = value * (1 + off)
    found = check(asked, HEAT_FLOW, "", value, expected, MADE_UP, span)
    assert found.deviation == pytest.approx(value - expected) and found.allowed == pytest.approx(0.05 * abs(expected))
    assert found.verdict == ("agrees" if abs(value - expected) <= 0.05 * abs(expected) * (1 + 1e-12) else "off")
    warm = question("5 %", highest="a.left")
    near = check(warm, TEMPERATURE, "", 300.0 + 0.04 * span, 300.0, MADE_UP, span)
    assert near.verdict == "agrees" and near.relative == pytest.approx(0.04, rel=1e-6)
    far = check(warm, TEMPERATURE, "", 300.0 + 0.06 * span, 300.0, MADE_UP, span)
    assert far.verdict == "off" and far.allowed == pytest.approx(0.05 * span)


def test_a_tolerance_with_a_unit_is_what_it_says_and_nothing_expected_is_open() -> None:
    warm = question("0.5 K", highest="a.left")
    assert check(warm, TEMPERATURE, "", 300.4, 300.0, MADE_UP, 1000.0).verdict == "agrees"
    assert check(warm, TEMPERATURE, "", 300.6, 300.0, MADE_UP, 1000.0).verdict == "off"
    open_one = check(warm, TEMPERATURE, "asked", 300.6, None, None, 1000.0)
    assert open_one.verdict == "open" and open_one.note.startswith("nothing is expected") and open_one.allowed is None
    said = check(warm, TEMPERATURE, "asked", 300.6, None, None, 1000.0, "it does not hold")
    assert said.note == "it does not hold"
    exact = check(question("0 %"), HEAT_FLOW, "", 1.0 + 1e-14, 1.0, MADE_UP, 1.0)
    assert exact.verdict == "agrees"  # round-off is no deviation
    nothing = check(question("1 %"), HEAT_FLOW, "", 0.5, 0.0, MADE_UP, 1.0)
    assert nothing.verdict == "off" and nothing.relative is None


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"temperature": ["9 m", "0 mm"]}, "lies outside the body"),
        ({"mean": "bricks"}, "did you mean 'brick'"),
        ({"heat_flow": "brick"}, "there is no surface"),
        ({"temperature": ["1 mm"]}, "has x, y"),
        ({"temperature": ["1 mm", "1 mm"], "side": "wool"}, "there is no region 'wool'"),
    ],
)
def test_a_question_that_cannot_be_answered_says_where(asked: dict[str, Any], said: str) -> None:
    with pytest.raises(CaseError) as caught:
        ask("composite-wall", asked)
    assert said in str(caught.value) and "questions[5]" in str(caught.value)


@given(st.integers(1, 5000), st.integers(2, 300))
def test_thinned_instants_keep_both_ends_and_their_order(count: int, most: int) -> None:
    times = np.cumsum(np.ones(count))
    found = thinned(times, most)
    assert found[0] == times[0] and found[-1] == times[-1] and len(found) <= max(most, 1) + 1
    assert (np.diff(found) > 0).all() and set(found) <= set(times)


@pytest.mark.parametrize("count", [5, 60])
@pytest.mark.parametrize(
    ("name", "mesh"),
    [
        ("composite-wall", {}),
        ("composite-wall", {"cells": "triangles", "size": "9 mm"}),
        ("hollow-cylinder", {}),
        ("stacked-floor", {"size": "60 mm", "order": 1}),
    ],
)
def test_points_that_are_asked_for_together_are_read_as_each_alone(name: str, mesh: dict[str, Any], count: int) -> None:
    flow = Flow(curves=False)
    case = with_value(family(name).case(), ("mesh",), mesh)
    found = flow.answered(case)
    assert found.mesh is not None and found.solution is not None
    rng = np.random.default_rng(3)
    (cells,) = (block.nodes for block in found.mesh.blocks[:1])
    corners = found.mesh.points[cells[rng.choice(len(cells), count)]]
    places = np.einsum("ck,ckd->cd", rng.dirichlet(np.ones(corners.shape[1]), count), corners)
    places[:2] = corners[:2, 0]  # at nodes, which cells share
    asked = [{"name": f"own {n}", "temperature": [f"{x!r} m" for x in at]} for n, at in enumerate(places.tolist())]
    together = flow.answered(with_value(case, ("questions",), asked))
    alone = [
        Flow(curves=False).answered(with_value(case, ("questions",), [each])).checks[0].value for each in asked[:6]
    ]
    assert [check.value for check in together.checks[:6]] == pytest.approx(alone, abs=1e-10)
    read = temperature_at(found.mesh, found.solution.temperature, places)
    assert [check.value for check in together.checks] == pytest.approx(read.tolist(), abs=1e-9)
    outside = {"name": "beyond", "temperature": [f"{1e3 * place} m" for place in found.mesh.points.max(axis=0) + 1]}
    with pytest.raises(CaseError, match=r"questions\[4\].*lies outside the body"):
        flow.answered(with_value(case, ("questions",), [*asked[:4], outside]))
