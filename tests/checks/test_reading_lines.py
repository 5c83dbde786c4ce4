"""Lines that are read along: where they run, what is read on them, and what is refused."""

from __future__ import annotations

import contextlib
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.document.places import Line
from blunt_ember.case.editing.edits import appended, with_value
from blunt_ember.case.editing.removal import without_part, without_surface_name
from blunt_ember.case.editing.renaming import renamed_surface
from blunt_ember.checks.questions.profile import flux_profile, quantities_of
from blunt_ember.checks.questions.reading_line import ReadingLine, laid
from blunt_ember.checks.verdict import Check
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.mesh.nearest import nearest_on_surface

FLOW = Flow()


def asked(name: str, line: dict[str, Any], asks: str = "mean", **more: Any) -> tuple[Check, Outcome]:
    case = appended(family(name).case(), ("questions",), {"name": "read", asks: line, **more})
    outcome = FLOW.answered(case)
    return outcome.checks[-1], outcome


def line_in(outcome: Outcome, stated: dict[str, Any]) -> ReadingLine:
    assert outcome.geometry is not None and outcome.mesh is not None
    case = appended(outcome.case, ("questions",), {"name": "line", "mean": stated})
    line = case.document.questions[-1].target
    assert isinstance(line, Line)
    return laid(line, "", case.document.members_asked(line), outcome.geometry, outcome.mesh, ("here",))


def pipe_temperature(radius: float) -> float:
    """The lagged pipe of the gallery, by its chain of resistances per metre."""
    r = np.array([0.075, 0.079, 0.124])
    k = np.array([24.0, 0.065])
    chain = [1 / (2 * np.pi * r[0] * 38), *(np.log(r[1:] / r[:-1]) / (2 * np.pi * k)), 1 / (2 * np.pi * r[2] * 9)]
    heat = (310 - 18) / sum(chain)
    before = chain[0] + sum(np.log(min(radius, r[i + 1]) / r[i]) / (2 * np.pi * k[i]) for i in (0, 1) if radius > r[i])
    return float(310 + 273.15 - heat * before)


@pytest.mark.parametrize("radius", [0.0773, 0.1, 0.1235])
def test_round_a_circle_a_pipe_has_one_temperature(radius: float) -> None:
    stated = {"centre": ["0 mm", "0 mm"], "radius": f"{radius} m"}
    check, outcome = asked("hollow-cylinder", stated, expect={"exact": "hollow-cylinder"})
    assert check.value == pytest.approx(pipe_temperature(radius), abs=5e-3)
    assert check.expected == pytest.approx(pipe_temperature(radius), abs=1e-8)
    line = line_in(outcome, stated)
    assert line.distance[-1] == pytest.approx(2 * np.pi * radius)
    np.testing.assert_allclose(np.linalg.norm(line.places, axis=1), radius)
    np.testing.assert_allclose((line.along * line.places).sum(axis=1), 0, atol=1e-12)


def test_a_circle_in_a_solid_lies_across_its_axis() -> None:
    outcome = FLOW.answered(family("bowl").case())
    assert outcome.solution is not None and outcome.exact_now is not None
    # Within the wall of half a sphere, at a height: one distance from the centre.
    line = line_in(outcome, {"centre": ["0 m", "-30 mm", "0 m"], "radius": "65 mm", "across": "y"})
    np.testing.assert_allclose(line.places[:, 1], -0.03)
    np.testing.assert_allclose(np.linalg.norm(line.places[:, [0, 2]], axis=1), 0.065)
    values = line.read(outcome.solution.temperature)
    assert len(line.inside) == len(values)
    np.testing.assert_allclose(values, line.of_each_region(outcome.exact_now.temperature), atol=0.3)
    # Across z it meets the bowl below its rim only.
    upright = line_in(outcome, {"centre": ["0 m", "0 m", "0 m"], "radius": "75 mm", "across": "z"})
    assert len(upright.inside) == pytest.approx(len(upright.places) / 2, abs=4)
    assert (upright.places[upright.inside][:, 1] < 1e-9).all()


def test_along_an_edge_the_cells_are_read_as_they_are() -> None:
    bore, outcome = asked("hollow-cylinder", {"edge": "pipe.bore"}, expect={"exact": "hollow-cylinder"})
    assert bore.value == pytest.approx(pipe_temperature(0.075), abs=1e-4) == bore.expected
    line = line_in(outcome, {"edge": "pipe.bore"})
    assert line.distance[-1] == pytest.approx(2 * np.pi * 0.075, rel=1e-6)
    assert (np.diff(line.distance) > 0).all() and len(line.inside) == len(line.distance)
    steps = np.linalg.norm(np.diff(line.places, axis=0), axis=1)
    np.testing.assert_allclose(steps, np.diff(line.distance), rtol=1e-3)  # nowhere a leap
    # On the top of a plate with one hot edge the extremes are those of the surface.
    for asks in ("highest", "lowest"):
        on_line, plate = asked("hot-edge-plate", {"edge": "plate.left"}, asks)
        assert plate.solution is not None and plate.mesh is not None
        nodes = plate.mesh.surfaces["plate.left"].nodes
        on_nodes = plate.solution.temperature[nodes]
        assert on_line.value == pytest.approx(on_nodes.max() if asks == "highest" else on_nodes.min(), abs=0.5)


@pytest.mark.parametrize(("side", "expected"), [(None, "T_near"), ("plate", "T_near"), ("casting", "T_far")])
def test_an_edge_at_a_joint_has_two_sides(side: str | None, expected: str) -> None:
    more = {"side": side} if side else {}
    check, _ = asked("wall-contact", {"edge": "plate|casting"}, expect={"working": expected}, **more)
    assert check.expected is not None and check.value == pytest.approx(check.expected, abs=1e-6)


def test_between_two_surfaces_the_nearest_way_is_taken() -> None:
    check, outcome = asked("composite-wall", {"between": ["brick.left", "shell.right"]})
    line = line_in(outcome, {"between": ["brick.left", "shell.right"]})
    assert line.distance[-1] == pytest.approx(0.167) and line.places[0] == pytest.approx([0, 0.05])
    np.testing.assert_allclose(line.along, [[1.0, 0.0]] * len(line.along), atol=1e-12)
    assert [name for _, name in line.joints] == ["brick", "blanket", "shell"]
    # Straight pieces in each layer: the mean is that of the temperatures at their ends.
    ends = np.array([0, 0.114, 0.164, 0.167])
    at = outcome.exact_now.temperature(np.column_stack([ends, np.full(4, 0.05)]))
    assert check.value == pytest.approx(((at[1:] + at[:-1]) / 2) @ np.diff(ends) / ends[-1], abs=1e-7)
    # Through a pipe it runs along a radius.
    _, pipe = asked("hollow-cylinder", {"between": ["pipe.bore", "lagging.rim"]})
    radial = line_in(pipe, {"between": ["pipe.bore", "lagging.rim"]})
    assert radial.distance[-1] == pytest.approx(0.049, rel=1e-6)
    radii = np.linalg.norm(radial.places, axis=1)
    np.testing.assert_allclose(radii, 0.075 + radial.distance, atol=1e-6)


def test_the_edges_of_a_solid_are_where_two_surfaces_meet() -> None:
    outcome = FLOW.answered(family("stacked-floor").case())
    assert outcome.geometry is not None and outcome.mesh is not None
    names = [name for name, surface in outcome.geometry.surfaces.items() if surface.outer]
    found = {}
    for place, first in enumerate(names):
        for second in names[place + 1 :]:
            with contextlib.suppress(CaseError):  # most do not meet
                found[first, second] = line_in(outcome, {"edge": [first, second]})
    assert len(found) >= 8
    for (first, second), line in found.items():
        # Every place of an edge lies on both surfaces.
        for name in (first, second):
            facets = outcome.mesh.surfaces[name]
            for point in line.places[:: max(1, len(line.places) // 5)]:
                assert np.linalg.norm(nearest_on_surface(facets, outcome.mesh, point) - point) < 1e-9
        assert line.distance[-1] == pytest.approx(np.linalg.norm(np.diff(line.places, axis=0), axis=1).sum())


def flux_along(outcome: Outcome, stated: dict[str, Any], quantity: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    line = line_in(outcome, stated)
    assert outcome.problem is not None and outcome.solution is not None and outcome.geometry is not None
    profile = flux_profile(
        line, quantity, outcome.problem, outcome.solution.temperature, outcome.geometry, outcome.exact_now
    )
    assert profile.exact is not None
    return line.places, profile.mesh, profile.exact


def test_the_flux_along_a_line_is_that_of_theory() -> None:
    wall = FLOW.answered(family("composite-wall").case())
    heat = 955 / (0.114 / 0.35 + 0.05 / 0.12 + 0.003 / 45 + 1 / 12)
    for quantity, sign in (("heat flux", 1), ("flux along the line", 1), ("flux along x", 1), ("flux along y", 0)):
        _, mesh, exact = flux_along(wall, {"between": ["brick.left", "shell.right"]}, quantity)
        np.testing.assert_allclose(mesh, sign * heat, rtol=1e-6, atol=1e-3)
        np.testing.assert_allclose(exact, sign * heat, rtol=1e-7, atol=1e-5)
    pipe = FLOW.answered(family("hollow-cylinder").case())
    stated = {"start": ["-60 mm", "-130 mm"], "end": ["110 mm", "130 mm"]}  # aslant past the bore
    places, mesh, exact = flux_along(pipe, stated, "heat flux")
    radius = np.linalg.norm(places, axis=1)
    body = (radius > 0.0755) & (radius < 0.1235)
    chain = (310 + 273.15 - pipe_temperature(0.075)) * 2 * np.pi * 0.075 * 38
    np.testing.assert_allclose(exact[body], chain / (2 * np.pi * radius[body]), rtol=1e-8)
    np.testing.assert_allclose(mesh[body], exact[body], rtol=2e-3)
    assert np.isnan(mesh[radius < 0.074]).all() and np.isnan(exact[radius > 0.125]).all()
    _, mesh, exact = flux_along(pipe, stated, "flux along x")
    np.testing.assert_allclose(exact[body], (chain / (2 * np.pi * radius) * places[:, 0] / radius)[body], rtol=1e-7)
    # Round the pipe nothing flows along the line.
    _, mesh, exact = flux_along(pipe, {"centre": ["0 m", "0 m"], "radius": "0.1 m"}, "flux along the line")
    assert np.abs(mesh).max() < 1e-3 * chain and np.abs(exact).max() < 1e-7 * chain


def test_a_rod_has_its_flux_along_x_only() -> None:
    outcome = FLOW.answered(family("rod-held-tip").case())
    assert outcome.mesh is not None and quantities_of(outcome.mesh) == ("temperature", "flux along x")
    end = outcome.geometry.high[0]
    _, mesh, exact = flux_along(outcome, {"start": ["0 m"], "end": [f"{end} m"]}, "flux along x")
    np.testing.assert_allclose(mesh, exact, rtol=1e-3, atol=1e-3 * np.abs(exact).max())


WRONG: dict[str, tuple[str, dict[str, Any], str]] = {
    "nothing": ("composite-wall", {}, "say one line"),
    "two ways": ("composite-wall", {"edge": "brick.left", "radius": "2 mm"}, "say one line"),
    "half a line": ("composite-wall", {"start": ["0 mm", "0 mm"]}, "has a 'start' and an 'end'"),
    "half a circle": ("composite-wall", {"centre": ["0 mm", "0 mm"]}, "has a 'centre' and a 'radius'"),
    "an unknown surface": ("composite-wall", {"edge": "brick.lefft"}, "did you mean 'brick.left'"),
    "one surface": ("composite-wall", {"between": ["brick.left"]}, "name both"),
    "two for a section": ("composite-wall", {"edge": ["brick.left", "brick.top"]}, "name one"),
    "one for a solid": ("stacked-floor", {"edge": "slab.top"}, "name both"),
    "across a section": ("composite-wall", {"centre": ["1 mm", "1 mm"], "radius": "1 mm", "across": "x"}, "remove it"),
    "a circle in a rod": ("rod-held-tip", {"centre": ["1 mm"], "radius": "1 mm"}, "a rod has no circles"),
    "a far circle": ("composite-wall", {"centre": ["9 m", "0 mm"], "radius": "1 mm"}, "no part of the line lies"),
    "a touch": ("composite-wall", {"between": ["brick|blanket", "brick|blanket"]}, "touch"),
    "a place too many": ("composite-wall", {"centre": ["1 mm", "1 mm", "1 mm"], "radius": "1 mm"}, "has x, y"),
}


@pytest.mark.parametrize("mistake", WRONG)
def test_a_line_that_cannot_be_laid_says_where_and_why(mistake: str) -> None:
    name, stated, said = WRONG[mistake]
    if name == "stacked-floor":
        geometry = FLOW.geometry(family(name).case())
        stated = {"edge": next(each for each, surface in geometry.surfaces.items() if surface.outer)}
    with pytest.raises(CaseError) as caught:
        asked(name, stated)
    assert said in str(caught.value) and "questions[" in str(caught.value)


def test_lines_follow_the_names_of_surfaces() -> None:
    case = with_value(family("composite-wall").case(), ("surfaces", "hot"), "brick.left")
    for name, line in (("a", {"edge": "hot"}), ("b", {"between": ["hot", "shell.right"]})):
        case = appended(case, ("questions",), {"name": name, "mean": line})
    before = FLOW.answered(case).checks[-2:]
    with pytest.raises(CaseError, match="'hot' is still used: the question 'a'"):
        without_surface_name(case, "hot")
    renamed = renamed_surface(case, "hot", "fire side")
    assert renamed.data["questions"][-1]["mean"] == {"between": ["fire side", "shell.right"]}
    assert [check.value for check in FLOW.answered(renamed).checks[-2:]] == [check.value for check in before]
    gone, also = without_part(renamed, ("body", "regions", "shell"))
    assert "the question 'b'" in also and [each["name"] for each in gone.data["questions"]].count("a") == 1


@pytest.fixture(scope="module")
def ring() -> Outcome:
    return FLOW.answered(family("ring-sector").case())


@settings(max_examples=40, deadline=None)
@given(st.floats(-0.8, 0.8), st.floats(-0.8, 0.8))
def test_the_nearest_place_of_an_arc(ring: Outcome, x: float, y: float) -> None:
    assert ring.mesh is not None and ring.geometry is not None
    point = np.array([x, y])
    for name in ring.geometry.surfaces:
        found = nearest_on_surface(ring.mesh.surfaces[name], ring.mesh, point)
        along, _ = ring.geometry.along(name)
        gaps = np.linalg.norm(along - point, axis=1)
        assert np.linalg.norm(found - point) <= gaps.min() + 1e-4
        if name.endswith(("bore", "rim")):
            assert np.linalg.norm(found) == pytest.approx(0.4 if name.endswith("bore") else 0.63, abs=1e-5)


def test_a_line_in_time_is_read_at_every_instant() -> None:
    case = family("cooling-wall").case()
    outer = [name for name in FLOW.geometry(case).surfaces if name.endswith((".left", ".right"))]
    case = appended(case, ("questions",), {"name": "across", "mean": {"between": outer[:2]}})
    outcome = FLOW.answered(case)
    assert outcome.trouble is None and outcome.run is not None
    history = next(each for each in outcome.histories if each.name == "across")
    stored = -np.diff(history.values)
    assert (stored >= -1e-9).all() and history.values[0] > history.values[-1] + 1


def test_every_kind_of_line_is_written_and_read_again() -> None:
    case = family("composite-wall").case()
    for number, line in enumerate(
        (
            {"edge": "brick.left"},
            {"between": ["brick.left", "shell.right"]},
            {"centre": ["t_brick", "1 cm"], "radius": "t_shell"},
            {"start": ["0 in", "0 mm"], "end": ["1 in", "0 mm"]},
        )
    ):
        case = appended(case, ("questions",), {"name": f"line {number}", "highest": line})
    again = case_from_data(dict(case.data))
    assert again.document.questions == case.document.questions
    assert again.document.questions[-2].target.radius.si == pytest.approx(0.003)
