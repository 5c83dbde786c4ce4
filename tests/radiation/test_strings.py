"""View factors in a plane against closed forms, and what must hold of any chamber."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LinearRing, MultiPoint

from blunt_ember.arrays import Floats
from blunt_ember.radiation.closure import closed_exchange
from blunt_ember.radiation.section.into import Into
from blunt_ember.radiation.section.runs import gathered
from blunt_ember.radiation.section.strings import exchange_lengths
from blunt_ember.reference.radiating.view_factors import strings_past

Line = tuple[tuple[float, float], tuple[float, float]]


def divided(lines: list[Line], count: int) -> tuple[Floats, Floats, Floats]:
    """Facets of lines: their starts and ends, and the line (m,) each is of."""
    share = np.linspace(0, 1, count + 1)[:, None]
    places = [np.array(first) + share * (np.array(last) - np.array(first)) for first, last in lines]
    starts, ends = (np.concatenate(each) for each in zip(*((p[:-1], p[1:]) for p in places), strict=True))
    return starts, ends, np.repeat(np.arange(len(lines)), count)


def loop(*corners: tuple[float, float]) -> list[Line]:
    return list(zip(corners, (*corners[1:], corners[0]), strict=True))


def factors(lines: list[Line], count: int, others: list[Line] | None = None) -> Floats:
    """View factors between lines, each cut into so many facets; ``others`` stand in between and see nothing."""
    start, end, owner = divided(lines, count)
    blockers = np.array([*lines, *(others or [])], dtype=float)
    exchange = exchange_lengths(start, end, blockers)
    own = (np.arange(len(lines))[:, None] == owner).astype(float)
    length = np.linalg.norm(np.array([last for _, last in lines]) - [first for first, _ in lines], axis=1)
    return (own @ exchange @ own.T) / length[:, None]


SQUARE = loop((0, 0), (1, 0), (1, 1), (0, 1))
#: Space lies on the left of every facet, so that a body in a room runs clockwise.
POST = loop((0.3, 0.4), (0.3, 0.6), (0.55, 0.62), (0.6, 0.35))


@pytest.mark.parametrize("count", [1, 4])
def test_strips_see_what_the_catalogue_says(count: int) -> None:
    """Howell's catalogue C-1 (parallel strips), C-5 (strips at an angle), C-9 (triangle): one facet, or several."""
    for gap in (0.1, 1.0, 7.0):
        pair = [((0.0, 0.0), (1.0, 0.0)), ((1.0, gap), (0.0, gap))]
        assert factors(pair, count)[0, 1] == pytest.approx(np.hypot(1, gap) - gap, abs=1e-13)
    for degrees in (20.0, 90.0, 150.0):
        a = np.radians(degrees)
        wedge = [((0.0, 0.0), (1.0, 0.0)), ((np.cos(a), np.sin(a)), (0.0, 0.0))]
        assert factors(wedge, count)[0, 1] == pytest.approx(1 - np.sin(a / 2), abs=1e-13)
    sides = loop((0, 0), (3, 0), (0, 4))
    assert factors(sides, count)[0, 1] == pytest.approx((3 + 5 - 4) / 6, abs=1e-13)


def test_a_strip_half_hidden_is_seen_exactly() -> None:
    """A screen that stands out of the floor to half the height between two walls: strings over its top."""
    walls = [((0.0, 1.0), (0.0, 0.0)), ((2.0, 0.0), (2.0, 1.0))]
    screen = [((1.0, 0.0), (1.0, 0.5))]
    over = 2 * np.hypot(1, 0.5)
    expected = (2 * np.hypot(2, 1) - 2.0 - over) / 2  # the lower string is taut over the screen
    for count in (1, 5):
        # Crossed strings touch the top of the screen, where the diagonals meet.
        assert factors(walls, count, screen)[0, 1] == pytest.approx(expected, abs=1e-13)


@pytest.mark.parametrize("count", [1, 3, 10])
def test_a_room_with_a_post_closes_and_does_not_depend_on_facets(count: int) -> None:
    found = factors([*SQUARE, *POST], count)
    assert found.sum(axis=1) == pytest.approx(np.ones(8), abs=1e-12)
    assert found == pytest.approx(factors([*SQUARE, *POST], 1), abs=1e-12)
    assert found[0, 2] < np.sqrt(2) - 1 - 0.1


def test_two_round_bars_see_what_strings_round_them_say() -> None:
    """Howell's catalogue C-63: F = (√(X² − 1) + asin(1/X) − X)/π, X = 1 + gap/(2 r); the bars are bodies of chords."""
    count, radius = 160, 0.5
    turn = np.linspace(0, -2 * np.pi, count + 1)
    ring = radius * np.column_stack([np.cos(turn), np.sin(turn)])
    bars = [ring, ring + np.array([2.0, 0.0])]
    start, end = (np.concatenate([bar[own] for bar in bars]) for own in (slice(None, -1), slice(1, None)))
    exchange = exchange_lengths(start, end, np.zeros((0, 2, 2)), [bar[:-1][::-1] for bar in bars])
    around = np.linalg.norm(end - start, axis=1)[:count].sum()
    x = 2.0
    expected = (np.sqrt(x**2 - 1) + np.arcsin(1 / x) - x) / np.pi
    assert exchange[:count, count:].sum() / around == pytest.approx(expected, rel=2e-4)


corner = st.floats(0.35, 1.0)


@given(st.lists(corner, min_size=5, max_size=9), st.floats(0, 6), st.integers(3, 5), st.floats(0.05, 0.2))
@settings(max_examples=60, deadline=None)
def test_any_room_with_any_post_closes(reach: list[float], turn: float, sides: int, size: float) -> None:
    """Corners that stand out into the room, and a post that turns: what every facet sees adds up to one."""
    angles = np.linspace(0, 2 * np.pi, len(reach), endpoint=False)
    room = [(r * np.cos(a), r * np.sin(a)) for r, a in zip(reach, angles, strict=True)]
    about = turn - np.linspace(0, 2 * np.pi, sides, endpoint=False)
    post = [(size * np.cos(a), size * np.sin(a)) for a in about]
    lines = [*loop(*room), *loop(*post)]
    start, end, _ = divided(lines, 3)
    exchange = exchange_lengths(start, end, np.array(lines))
    assert exchange == pytest.approx(exchange.T)
    assert exchange.sum(axis=1) == pytest.approx(np.linalg.norm(end - start, axis=1), abs=1e-9)


def test_the_correction_closes_rows_and_stays_symmetric() -> None:
    """A chamber with every pair a little off, and one of two faces, which leaves the least correction open."""
    start, end, _ = divided(SQUARE, 6)
    exact = exchange_lengths(start, end, np.zeros((0, 2, 2)))
    noise = 1 + 0.01 * np.random.default_rng(1).standard_normal(exact.shape)
    closed, moved = closed_exchange(exact * (noise + noise.T) / 2, np.full(24, 1 / 6))
    assert closed == pytest.approx(closed.T, abs=1e-15)
    assert closed.sum(axis=1) == pytest.approx(np.full(24, 1 / 6), abs=1e-14)
    assert 1e-4 < moved < 0.02
    assert np.abs(closed - exact).max() < 0.02 * exact.max()
    assert ((closed == 0) == (exact == 0)).all()
    pair, _ = closed_exchange(np.array([[0.0, 0.7], [0.7, 0.0]]), np.ones(2))
    assert pair == pytest.approx(np.array([[0.0, 1.0], [1.0, 0.0]]), abs=1e-13)


def test_a_room_with_a_post_and_a_round_bar_closes() -> None:
    """Single edges and a body that is looked past as a whole stand in the same views."""
    lines = [*SQUARE, *POST]
    start, end, _ = divided(lines, 8)
    turn = np.linspace(0, -2 * np.pi, 49)
    ring = np.array([0.8, 0.75]) + 0.12 * np.column_stack([np.cos(turn), np.sin(turn)])
    start, end = np.concatenate([start, ring[:-1]]), np.concatenate([end, ring[1:]])
    exchange = exchange_lengths(start, end, np.array(lines), [ring[:-1][::-1]])
    length = np.linalg.norm(end - start, axis=1)
    assert exchange.sum(axis=1) == pytest.approx(length, rel=2e-4)
    # The same bar as single edges, one by one.
    edges = np.concatenate([np.array(lines), np.stack([ring[:-1], ring[1:]], axis=1)])
    assert exchange == pytest.approx(exchange_lengths(start, end, edges), abs=1e-5)


def test_facets_in_runs_are_seen_as_the_lines_they_make_up() -> None:
    """Patches of hundreds of facets: straight ones are one piece, so that what lines see of each other stays exact."""
    lines = [*SQUARE, *POST]
    start, end, owner = divided(lines, 150)
    places = np.concatenate([start, end])
    _, first, number = np.unique(np.round(places, 12), axis=0, return_index=True, return_inverse=True)
    points, corners = places[first], np.column_stack(np.split(number.ravel(), 2))
    runs = gathered(points, corners, owner, 120)
    count = int(runs.patch.max()) + 1
    assert 60 < count <= 140 and len(runs.owner) == count
    # A patch belongs to one line, and is shorter the nearer a corner is.
    line = np.zeros(count, dtype=int)
    line[runs.patch] = owner
    assert all(len(np.unique(owner[runs.patch == patch])) == 1 for patch in range(count))
    length = np.linalg.norm(runs.end - runs.start, axis=1)
    floor = np.flatnonzero(line[runs.owner] == 0)
    floor = floor[np.argsort(runs.start[floor, 0])]
    assert length[floor].sum() == pytest.approx(1.0)
    assert length[floor[0]] < 0.2 * length[floor[len(floor) // 2]]
    into = Into(runs.owner, runs.owner, (count, count))
    blockers = np.array(lines, dtype=float)
    found = exchange_lengths(runs.start, runs.end, blockers, into=into)
    own = (np.arange(len(lines))[:, None] == line).astype(float)
    whole = np.linalg.norm(np.array([last for _, last in lines]) - [first for first, _ in lines], axis=1)
    assert own @ found @ own.T / whole[:, None] == pytest.approx(factors(lines, 1), abs=1e-12)


def test_a_round_body_in_patches_keeps_its_facets() -> None:
    """Of what bends every facet looks by itself, past what stands in between, and is summed into its patch."""
    count = 400
    turn = np.linspace(0, 2 * np.pi, count + 1)[:-1]
    ring = 0.2 * np.column_stack([np.cos(turn), -np.sin(turn)])
    corners = np.column_stack([np.arange(count), (np.arange(count) + 1) % count])
    runs = gathered(ring, corners, np.zeros(count, dtype=np.int64), 50)
    assert len(runs.owner) == count and int(runs.patch.max()) + 1 <= 52
    assert np.bincount(runs.patch).max() <= 10


@pytest.mark.parametrize("seed", range(6))
def test_walls_see_past_a_body_what_strings_drawn_tight_round_it_say(seed: int) -> None:
    """Any convex body in a room of four walls, next to each other or across: the closed form and the clipped views."""
    random = np.random.default_rng(seed)
    room = loop((0, 0), (1, 0), (1.2, 1), (-0.1, 0.9))
    places = random.uniform(0.2, 0.8, (int(random.integers(3, 9)), 2)) * [1, 0.8]
    corners = np.array(MultiPoint(places).convex_hull.exterior.coords)[:-1]
    clockwise = corners if not LinearRing(corners).is_ccw else corners[::-1]
    body = [(x, y) for x, y in clockwise.tolist()]
    found = factors([*room, *loop(*body)], 2)
    for place, first in enumerate(room):
        for other, second in enumerate(room):
            if place != other:
                expected = strings_past(first, second, body) / np.hypot(*np.subtract(*first))
                assert found[place, other] == pytest.approx(expected, abs=1e-12)
