"""Unknowns in groups, eliminated one after the other, beside all of them at once."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.reference.crosswise.demands import Demand, least_squares


@pytest.mark.parametrize("links", [[(0, 1), (1, 2), (2, 3)], [(0, 2), (1, 2), (2, 3), (3, 0)], []])
def test_groups_come_to_what_all_at_once_does(links: list[tuple[int, int]]) -> None:
    random, sizes = np.random.default_rng(5), [4, 7, 5, 6]
    touched = [*((group,) for group in range(4)), *links]
    demands = [
        Demand({group: random.normal(size=(9, sizes[group])) for group in of}, random.normal(size=9)) for of in touched
    ]
    found = least_squares(demands, sizes, 1e-14)
    ends = np.cumsum(sizes)
    whole = np.zeros((9 * len(demands), ends[-1]))
    for place, demand in enumerate(demands):
        for group, rows in demand.rows.items():
            whole[9 * place : 9 * place + 9, ends[group] - sizes[group] : ends[group]] = rows
    right = np.concatenate([demand.right for demand in demands])
    expected = np.linalg.lstsq(whole, right)[0]
    np.testing.assert_allclose(np.concatenate(found), expected, rtol=1e-10, atol=1e-12)
    missed = np.concatenate([demand.missed(found) for demand in demands])
    np.testing.assert_allclose(whole.T @ missed, 0, atol=1e-10)


def test_of_columns_that_are_alike_the_smallest_weights_are_taken() -> None:
    random = np.random.default_rng(6)
    rows = random.normal(size=(12, 3))
    twice = Demand({0: np.hstack([rows, 1e6 * rows[:, :1]])}, random.normal(size=12))
    (found,) = least_squares([twice], [4], 1e-5)
    once = np.linalg.lstsq(rows, twice.right)[0]
    assert found[0] == pytest.approx(once[0] / 2, rel=1e-3) and found[3] == pytest.approx(once[0] / 2e6, rel=1e-3)
    assert found[1:3] == pytest.approx(once[1:], rel=1e-6)
