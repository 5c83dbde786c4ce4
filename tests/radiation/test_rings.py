"""View factors of rings about an axis against closed forms, and their closure."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from blunt_ember.arrays import Floats
from blunt_ember.radiation.section.rings import exchange_areas

Outline = list[tuple[float, float]]


def rings(outline: Outline, count: int) -> tuple[Floats, Floats]:
    """Facets of an outline in the half plane (r, z), each side cut into so many."""
    share = np.linspace(0, 1, count + 1)[:, None]
    sides = [np.array(a) + share * (np.array(b) - np.array(a)) for a, b in pairwise(outline)]
    return np.concatenate([side[:-1] for side in sides]), np.concatenate([side[1:] for side in sides])


def areas(start: Floats, end: Floats) -> Floats:
    return np.pi * (start[:, 0] + end[:, 0]) * np.linalg.norm(end - start, axis=1)


def edges(outline: Outline) -> Floats:
    return np.array(list(pairwise(outline)))


def discs(near: float, far: float, apart: float) -> float:
    """View factor from one of two coaxial discs to the other (Howell's catalogue C-41)."""
    r1, r2 = near / apart, far / apart
    x = 1 + (1 + r2**2) / r1**2
    return (x - np.sqrt(x**2 - 4 * (r2 / r1) ** 2)) / 2


@pytest.mark.parametrize("height", [0.3, 1.0, 4.0])
@pytest.mark.parametrize("count", [1, 5])
def test_a_can_sees_what_its_discs_say(height: float, count: int) -> None:
    outline = [(0.0, 0.0), (1.0, 0.0), (1.0, height), (0.0, height)]
    start, end = rings(outline, count)
    found = exchange_areas(start, end, edges(outline))
    assert found == pytest.approx(found.T)
    assert found.sum(axis=1) == pytest.approx(areas(start, end), rel=2e-4)
    assert found[:count, 2 * count :].sum() / np.pi == pytest.approx(discs(1, 1, height), abs=2e-6)


def test_a_cone_and_a_ring_of_a_disc_see_what_discs_say_by_difference() -> None:
    """A frustum between discs of 0.4 and 1, and the outer half of the larger disc seen from the smaller one."""
    outline = [(0.0, 0.0), (0.5, 0.0), (1.0, 0.0), (0.4, 0.7), (0.0, 0.7)]
    start, end = rings(outline, 4)
    found = exchange_areas(start, end, edges(outline))
    assert found.sum(axis=1) == pytest.approx(areas(start, end), rel=5e-4)
    ring = discs(0.4, 1.0, 0.7) - discs(0.4, 0.5, 0.7)
    assert found[12:, 4:8].sum() / (np.pi * 0.4**2) == pytest.approx(ring, abs=2e-6)


def test_what_a_core_hides_is_cut_out() -> None:
    """A cylinder in a cylinder, both as long as wide: closed by two rings, every facet sees all there is.

    The share of the outer one that comes to the inner one is Howell's catalogue C-91.
    """
    inner, outer, length = 0.5, 1.0, 2.0
    outline = [(outer, 0.0), (outer, length), (inner, length), (inner, 0.0), (outer, 0.0)]
    start, end = rings(outline, 6)
    found = exchange_areas(start, end, edges(outline))
    assert found.sum(axis=1) == pytest.approx(areas(start, end), rel=3e-4)
    r, h = outer / inner, length / inner
    a, b = h**2 + r**2 - 1, h**2 - r**2 + 1
    root = np.sqrt((a + 2) ** 2 - (2 * r) ** 2) * np.arccos(b / (r * a))
    lost = np.arccos(b / a) - (root + b * np.arcsin(1 / r) - np.pi * a / 2) / (2 * h)
    assert found[:6, 12:18].sum() / areas(start, end)[:6].sum() == pytest.approx((1 - lost / np.pi) / r, abs=3e-5)


def test_a_ball_in_a_shell_is_all_that_it_sees() -> None:
    turn = np.linspace(-np.pi / 2, np.pi / 2, 25)
    shell = np.column_stack([np.cos(turn), np.sin(turn)])
    ball = 0.6 * shell[::-1]
    start, end = (np.concatenate([shell[own], ball[own]]) for own in (slice(None, -1), slice(1, None)))
    found = exchange_areas(start, end, np.stack([start, end], axis=1))
    size = areas(start, end)
    assert found[24:, 24:].max() == 0
    assert found[24:, :24].sum() / size[24:].sum() == pytest.approx(1.0, abs=1e-4)
    assert found.sum(axis=1) == pytest.approx(size, rel=2e-3)
