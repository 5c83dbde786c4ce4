"""Sources of heat beside each other, put together by quadrature: all are sums of pulses at points."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
import pytest
from scipy.integrate import dblquad, quad

from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.case.values.textbook.registry import TEXTBOOK
from blunt_ember.errors import ExpressionError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

K, A, RATE = 0.5, 4e-7, 0.002
R, LATE = 0.02, 700.0


def of(name: str, *given: float) -> float:
    return float(TEXTBOOK[name](*given))


def summed(of_time: Callable[[float], float], end: float) -> float:
    return quad(of_time, 0, end, limit=400, epsabs=0, epsrel=1e-10, points=[end / 1e3, end / 30])[0]


def test_what_goes_on_is_the_sum_of_its_pulses() -> None:
    for kind in ("point", "line", "plane"):
        found = summed(lambda ago, kind=kind: of(f"{kind}_pulse", 1.0, K, A, R, ago) if ago > 0 else 0.0, LATE)
        assert of(f"{kind}_source_since", 1.0, K, A, R, LATE) == pytest.approx(found, rel=1e-7), kind
        assert of(f"{kind}_source_since", 1.0, K, A, R, 0.0) == 0 == of(f"{kind}_pulse", 1.0, K, A, R, -5.0)
    assert of("point_source_since", 1.0, K, A, R, 1e12) == pytest.approx(of("point_source", 1.0, K, R), rel=1e-4)


def test_lines_planes_rings_discs_and_balls_are_sums_of_points() -> None:
    line = 2 * quad(lambda z: of("point_pulse", 1.0, K, A, np.hypot(R, z), LATE), 0, 1.0, points=[0.03, 0.1])[0]
    assert of("line_pulse", 1.0, K, A, R, LATE) == pytest.approx(line, rel=1e-8)
    plane = 2 * quad(lambda y: of("line_pulse", 1.0, K, A, np.hypot(R, y), LATE), 0, 1.0, points=[0.03, 0.1])[0]
    assert of("plane_pulse", 1.0, K, A, R, LATE) == pytest.approx(plane, rel=1e-8)
    ring, z = 0.05, 0.01

    def around(angle: float) -> float:
        away = np.sqrt(R**2 + ring**2 - 2 * R * ring * np.cos(angle) + z**2)
        return of("point_source", 1 / np.pi, K, away)

    assert of("ring_source", 1.0, K, ring, R, z) == pytest.approx(quad(around, 0, np.pi)[0], rel=1e-9)
    for r in (0.0, 0.02, 0.08):

        def ring_of(s: float, r: float = r) -> float:  # into a half-space: twice as much
            return 4 * np.pi * s * of("ring_source", 1.0, K, s, r, 0.0)

        rings = quad(ring_of, 0, 0.05, points=[r] if 0 < r < 0.05 else None, limit=200)[0]
        assert of("disc_source", 1.0, K, 0.05, r) == pytest.approx(rings, rel=1e-6)
    ball = 0.05
    inside = dblquad(
        lambda z, s: 2 * np.pi * s * of("point_source", 1.0, K, np.sqrt(s**2 + z**2)),
        0, ball, lambda s: -np.sqrt(ball**2 - s**2), lambda s: np.sqrt(ball**2 - s**2), epsabs=1e-9,
    )[0] / (4 / 3 * np.pi * ball**3)  # fmt: skip
    assert of("ball_source", 1.0, K, ball, 0.0) == pytest.approx(inside, rel=1e-4)
    assert of("ball_source", 1.0, K, ball, 0.09) == pytest.approx(of("point_source", 1.0, K, 0.09))


def test_rings_balls_spheres_and_discs_that_go_on_are_sums_of_pulses_too() -> None:
    wide, z = 0.05, 0.01

    def away(angle: float, r: float) -> float:
        return float(np.sqrt(r**2 + wide**2 - 2 * r * wide * np.cos(angle) + z**2))

    for r in (0.0, 0.02, 0.07):
        around = quad(lambda angle, r=r: of("point_pulse", 1 / np.pi, K, A, away(angle, r), LATE), 0, np.pi)[0]
        assert of("ring_pulse", 1.0, K, A, wide, r, z, LATE) == pytest.approx(around, rel=1e-9)

        def shell_pulse(ago: float, s: float = wide, r: float = r) -> float:  # all rings of a sphere
            if ago <= 0:
                return 0.0
            rings = lambda u: of("ring_pulse", 0.5, K, A, s * np.sqrt(1 - u * u), r, s * u, ago)  # noqa: E731
            return quad(rings, -1, 1, limit=200)[0]

        shell = summed(shell_pulse, LATE)
        assert of("shell_source_since", 1.0, K, A, wide, r, LATE) == pytest.approx(shell, rel=1e-6)
        assert of("shell_source_since", 1.0, K, A, wide, r, 1e13) == pytest.approx(
            of("shell_source", 1.0, K, wide, r), rel=1e-4
        )
        layers = quad(lambda s, r=r: shell_pulse(LATE, s, r) * 3 * s**2 / wide**3, 0, wide, limit=200)[0]
        assert of("ball_pulse", 1.0, K, A, wide, r, LATE) == pytest.approx(layers, rel=1e-7)

    def disc_pulse(ago: float) -> float:  # its rings, into a half-space
        if ago <= 0:
            return 0.0
        rings = quad(lambda s: 4 * np.pi * s * of("ring_pulse", 1.0, K, A, s, 0.0, z, ago), 0, wide, limit=200)[0]
        return rings

    assert of("disc_source_since", 1.0, K, A, wide, z, LATE) == pytest.approx(summed(disc_pulse, LATE), rel=1e-6)
    assert of("disc_source_since", 1.0, K, A, wide, 0.0, 1e13) == pytest.approx(
        of("disc_source", 1.0, K, wide, 0.0), rel=1e-4
    )


def test_what_lies_below_a_plane_or_between_two_is_met_by_images() -> None:
    deep, aside, z = 0.06, 0.03, 0.025
    near, far = np.hypot(aside, z - deep), np.hypot(aside, z + deep)
    point = of("point_source", 1.0, K, near) - of("point_source", 1.0, K, far)
    assert of("point_source_below_plane", 1.0, K, deep, aside, z) == pytest.approx(point, rel=1e-12)
    line = of("line_source_since", 1.0, K, A, near, 1e12) - of("line_source_since", 1.0, K, A, far, 1e12)
    assert of("line_source_below_plane", 1.0, K, deep, aside, z) == pytest.approx(line, rel=1e-6)
    assert of("line_source_below_plane", 1.0, K, deep, aside, 0.0) == pytest.approx(0.0, abs=1e-15)
    thick, at = 0.1, 0.04
    spread = (
        2 * quad(lambda y: of("point_source_in_slab", 1.0, K, thick, at, np.hypot(aside, y), z), 0, 2, limit=200)[0]
    )
    assert of("line_source_in_slab", 1.0, K, thick, at, aside, z) == pytest.approx(spread, rel=1e-7)
    assert of("line_source_in_slab", 1.0, K, thick, at, 60.0, z) == pytest.approx(0.0, abs=1e-15)
    for last in (2e3, 4e3):  # by images, and by what modes are left
        now = of("point_pulse_in_slab", 1.0, K, A, thick, at, aside, z, last)
        images = 0.0
        for n in range(-9, 10):
            way = (of("point_pulse", 1.0, K, A, np.hypot(aside, z - 2 * n * thick - s * at), last) * s for s in (1, -1))
            images += sum(way)
        assert now == pytest.approx(images, rel=1e-9)
    ends = (0.0, 100.0, 1e3, 1e4, 1e5)
    on = sum(
        quad(lambda ago: of("point_pulse_in_slab", 1.0, K, A, thick, at, aside, z, ago), low, high, limit=300)[0]
        for low, high in pairwise(ends)
    )
    assert of("point_source_in_slab", 1.0, K, thick, at, aside, z) == pytest.approx(on, rel=1e-7)


def test_a_point_in_a_slab_is_the_sum_of_its_images() -> None:
    thick, at, r, z = 0.1, 0.04, 0.03, 0.055
    images = 0.0
    for n in range(-4000, 4001):
        near, far = 2 * n * thick + at, 2 * n * thick - at
        images += of("point_source", 1.0, K, np.hypot(r, z - near)) - of("point_source", 1.0, K, np.hypot(r, z - far))
    assert of("point_source_in_slab", 1.0, K, thick, at, r, z) == pytest.approx(images, rel=1e-6)
    with pytest.raises(ExpressionError, match="point_source_in_slab holds for z_source within the thickness"):
        evaluate("point_source_in_slab(20 W, 0.5 W/(m K), 100 mm, 140 mm, 30 mm, 50 mm)", {})


@pytest.mark.parametrize(
    "formula",
    [
        "point_source(20 W, 0.5 W/(m K), -50 mm)",
        "line_pulse(5 kJ/m, 0.5 W/(m K), -4e-7 m²/s, 20 mm, 600 s)",
        "disc_source(800 W/m², -0.5 W/(m K), 50 mm, 20 mm)",
        "moving_point_source(900 W, 30 W/(m K), 8e-6 m²/s, 0 m/s, 5 mm, 3 mm)",
    ],
)
def test_distances_below_zero_and_bodies_of_nothing_are_refused(formula: str) -> None:
    with pytest.raises(ExpressionError, match="holds for what the body is made of above zero, and distances"):
        evaluate(formula, {})


@pytest.mark.parametrize("kind", ["point", "line"])
def test_what_moves_is_the_sum_of_pulses_along_its_way(kind: str) -> None:
    for ahead, aside in ((0.005, 0.003), (-0.02, 0.004), (0.0, 0.01)):

        def left_behind(ago: float, ahead: float = ahead, aside: float = aside) -> float:
            return of(f"{kind}_pulse", 1.0, 30.0, 8e-6, np.hypot(ahead + RATE * ago, aside), ago) if ago else 0.0

        found = sum(quad(left_behind, *ends, limit=200)[0] for ends in ((0, 1), (1, 20), (20, 300), (300, 4000)))
        assert of(f"moving_{kind}_source", 1.0, 30.0, 8e-6, RATE, ahead, aside) == pytest.approx(found, rel=1e-6)


def test_a_hot_wire_in_a_large_block_warms_a_run_as_its_formula_says() -> None:
    for check in Flow().run(family("hot-wire").case()).checks:
        assert check.expected is not None and check.value == pytest.approx(check.expected, abs=0.02), check.name
        assert abs(check.value - check.expected) <= 3 * check.error
