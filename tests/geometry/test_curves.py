"""Lines and arcs many at a time, the ways a plan is swept, and what a coordinate stands for."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import LineString, Point

from blunt_ember.geometry.changes import changes
from blunt_ember.geometry.curves import Curves, arc, crossings, joined, lines
from blunt_ember.geometry.path import Round, Upward
from blunt_ember.geometry.space import Along, Plane, Solid, Turned

NUMBERS = st.floats(-3, 3).map(lambda value: round(value, 3))
PLACES = st.tuples(NUMBERS, NUMBERS)


def line(start: tuple[float, float], end: tuple[float, float]) -> Curves:
    return Curves(np.array([start], dtype=float), np.array([end], dtype=float), np.zeros((1, 2)), np.zeros(1))


@st.composite
def curves(draw: st.DrawFn) -> Curves:
    """A straight line or an arc of less than a quarter turn."""
    if draw(st.booleans()):
        start, end = draw(PLACES), draw(PLACES)
        assume(np.hypot(start[0] - end[0], start[1] - end[1]) > 0.05)
        return line(start, end)
    turn = draw(st.sampled_from([-1, 1])) * draw(st.floats(0.1, 1.5))
    return arc(np.array(draw(PLACES)), draw(st.floats(0.1, 2)), draw(st.floats(-3, 3)), turn)


def dense(curve: Curves, count: int = 2001) -> np.ndarray:
    return curve.take(np.zeros(count, dtype=np.int64)).at(np.linspace(0, 1, count))


@given(curves(), st.floats(0.01, 0.99))
def test_a_share_leads_to_a_place_and_back(curve: Curves, share: float) -> None:
    place = curve.at(np.array([share]))
    assert curve.share_of(place)[0] == pytest.approx(share, abs=1e-9)
    assert curve.distance(place)[0] < 1e-12
    along = dense(curve)
    np.testing.assert_allclose(along[[0, -1]], np.concatenate([curve.start, curve.end]), atol=1e-12)
    steps = np.linalg.norm(np.diff(along, axis=0), axis=1)
    assert steps.sum() == pytest.approx(curve.length[0], rel=1e-6) and np.ptp(steps) < 1e-9 + 1e-6 * steps.max()
    way = curve.direction(np.array([share]))[0]
    ahead = (curve.at(np.array([share + 1e-6])) - place)[0]
    np.testing.assert_allclose(way, ahead / np.linalg.norm(ahead), atol=1e-5)
    low, high = curve.boxes()
    assert (along >= low - 1e-12).all() and (along <= high + 1e-12).all()
    # A box is larger by no more than an arc bends away from its chord.
    bend = np.abs(along - (along[:1] + np.linspace(0, 1, len(along))[:, None] * (along[-1:] - along[:1]))).max()
    assert (low[0] >= along.min(axis=0) - 2 * bend - 1e-9).all()
    assert (high[0] <= along.max(axis=0) + 2 * bend + 1e-9).all()


@given(curves(), PLACES)
def test_the_distance_to_a_curve_is_that_to_its_nearest_place(curve: Curves, place: tuple[float, float]) -> None:
    nearest = Point(place).distance(LineString(dense(curve)))
    found = curve.distance(np.array([place]))[0]
    share = curve.share_of(np.array([place]))[0]
    if 0 <= share <= 1:  # else its distance is that to the line or circle it is a part of
        assert found == pytest.approx(nearest, abs=1e-5)
    else:
        assert found <= nearest + 1e-5


@settings(max_examples=60, deadline=None)
@given(curves(), curves())
def test_two_curves_meet_where_polylines_do(one: Curves, other: Curves) -> None:
    number, share = crossings(joined([one, other]), 1e-9)
    both = joined([one, other])
    at = both.take(number).at(share)
    drawn = LineString(dense(one)), LineString(dense(other))
    meets = drawn[0].intersection(drawn[1])
    points = [np.array(each.coords[0]) for each in getattr(meets, "geoms", [meets]) if each.geom_type == "Point"]
    ends = np.concatenate([one.start, one.end, other.start, other.end])
    clear = [each for each in points if np.linalg.norm(ends - each, axis=1).min() > 1e-3]
    # What runs along or barely touches is not told by polylines; what crosses plainly is.
    for each in clear:
        first, second = (curve.direction(curve.share_of(each[None]))[0] for curve in (one, other))
        steep = abs(first[0] * second[1] - first[1] * second[0])
        if steep > 0.05:
            assert len(at) and np.linalg.norm(at - each, axis=1).min() < 1e-4
            assert {0, 1} <= set(number.tolist())
    for place, curve in zip(at, number.tolist(), strict=True):
        assert drawn[1 - curve].distance(Point(place)) < 1e-5


def test_a_line_along_another_is_met_at_its_ends() -> None:
    number, share = crossings(lines(np.array([[0.0, 0], [4, 0]])[[0, 1]]), 1e-9)
    assert not len(number)
    two = joined([line((0, 0), (4, 0)), line((1, 0), (3, 0))])
    number, share = crossings(two, 1e-9)
    assert sorted(share[number == 0].tolist()) == pytest.approx([0.25, 0.75]) and not (number == 1).any()


@given(st.floats(0, 6.2), st.floats(0, 3), st.floats(-2, 2))
def test_a_plan_is_swept_to_places_and_found_again(angle: float, radius: float, height: float) -> None:
    plan, along = np.array([[radius, height]]), np.array([angle])
    for path in (Round(np.array([0.0, 2 * np.pi])), Upward(np.array([0.0, 7.0]))):
        places = path.places(plan, along)
        flat, way = path.plan_of(places)
        np.testing.assert_allclose(flat, plan, atol=1e-12)
        if radius > 1e-9 or isinstance(path, Upward):
            assert way[0] == pytest.approx(angle, abs=1e-9) or abs(way[0] - angle) == pytest.approx(2 * np.pi, abs=1e-9)
    assert Round(np.array([0.0, 2 * np.pi])).closed and not Round(np.array([0.0, 3.0])).closed


def test_what_a_curve_sweeps_is_its_area() -> None:
    slant = line((1, 0), (2, 1))
    frustum = np.pi * (1 + 2) * np.sqrt(2)
    assert Round(np.array([0.0, 7])).swept_area(slant, 0.0, 2 * np.pi) == pytest.approx(frustum)
    assert Round(np.array([0.0, 7])).swept_area(slant, 1.0, 1.0 + np.pi / 2) == pytest.approx(frustum / 4)
    zone = arc(np.zeros(2), 2.0, -np.pi / 2, np.pi / 2)
    assert Round(np.array([0.0, 7])).swept_area(zone, 0.0, 2 * np.pi) == pytest.approx(2 * np.pi * 4)
    assert Upward(np.array([0.0, 7])).swept_area(zone, 1.0, 3.5) == pytest.approx(np.pi * 2.5)
    steps = Round(np.array([0.0, 7])).drawn(0.0, np.pi)
    assert steps[0] == 0 and steps[-1] == pytest.approx(np.pi) and (np.diff(steps) < 0.2).all()


def test_every_space_says_what_a_place_stands_for() -> None:
    flat = np.array([[[0.3, 0.4], [1.0, -2.0]]])
    assert Plane(0.7).of_cells(np.zeros(1, dtype=int), flat) == pytest.approx(0.7)
    np.testing.assert_allclose(Turned().of_cells(np.zeros(1, dtype=int), flat)[0], 2 * np.pi * np.array([0.3, 1.0]))
    variables = Plane(1.0).variables(flat)
    np.testing.assert_allclose(variables["r"][0], np.hypot(flat[0, :, 0], flat[0, :, 1]))
    np.testing.assert_allclose(np.tan(variables["theta"][0]), flat[0, :, 1] / flat[0, :, 0])
    assert set(Turned().variables(flat)) == {"x", "y", "r"} and "theta" not in Turned().variables(flat)
    rod = Along((2.0, 0.5), (3.0, 1.0))
    along = np.zeros((2, 3, 1))
    np.testing.assert_allclose(rod.of_cells(np.array([1, 0]), along), [[0.5] * 3, [2.0] * 3])
    assert rod.of_facets((0,), 1, along)[0, 0] == 3.0  # the side of a piece
    assert rod.of_facets((0, 1), 0, along)[0, 0] == 0.5  # where two pieces meet, the smaller one
    np.testing.assert_allclose(rod.plan(along)[..., 1], 0)


@given(st.tuples(st.floats(-2, 2), st.floats(-2, 2), st.floats(-2, 2)))
def test_the_axes_of_a_turned_solid_turn_with_the_place(place: tuple[float, float, float]) -> None:
    assume(np.hypot(place[0], place[2]) > 1e-3)
    at = np.array([place])
    axes = Solid(True).axes(at)[0]
    np.testing.assert_allclose(axes @ axes.T, np.eye(3), atol=1e-12)
    away = np.array([place[0], 0, place[2]]) / np.hypot(place[0], place[2])
    np.testing.assert_allclose(axes[0], away, atol=1e-12)
    step = Solid(True).variables(at + 1e-6 * axes[2])["theta"] - Solid(True).variables(at)["theta"]
    assert step[0] % (2 * np.pi) == pytest.approx(1e-6 / np.hypot(place[0], place[2]), rel=1e-3)
    np.testing.assert_allclose(Solid(True).plan(at)[0], [np.hypot(place[0], place[2]), place[1]])
    np.testing.assert_allclose(Solid().axes(at)[0], np.eye(3))
    assert Solid().variables(at)["r"][0] == pytest.approx(np.hypot(place[0], place[1]))


@given(st.lists(st.floats(0.01, 0.99), min_size=1, max_size=5, unique=True))
def test_where_the_owner_changes_is_found_to_round_off(ends: list[float]) -> None:
    ends = sorted(ends)
    assume(min(np.diff([0.0, *ends, 1.0])) > 0.004)
    found = changes(lambda share: np.searchsorted(np.array(ends), share))
    np.testing.assert_allclose(found, ends, atol=1e-12)
