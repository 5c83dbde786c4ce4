"""Factors of matrices that are positive definite, and of those that are said to be and are not."""

from __future__ import annotations

import os

import numpy as np
import pytest
from scipy.sparse import csr_array

from blunt_ember.errors import SolverError
from blunt_ember.fem.factors import Analysis, factorised


@pytest.mark.parametrize("middle", [2.1, -0.5])
def test_what_is_solved_leaves_nothing_over_whether_or_not_a_matrix_is_definite(middle: float) -> None:
    matrix = csr_array(middle * np.eye(100) - np.eye(100, k=1) - np.eye(100, k=-1))
    left = np.sin(np.arange(100.0))
    before = dict(os.environ)
    for spd in (True, False):
        found = factorised(matrix, spd)(left)
        assert np.abs(matrix @ found - left).max() < 1e-11
    assert dict(os.environ) == before


def test_a_singular_matrix_is_refused() -> None:
    nothing = csr_array((3, 3))
    with pytest.raises(SolverError, match="no single solution"):
        factorised(nothing, True)


def test_an_analysis_is_taken_again_for_the_same_places_and_made_anew_for_others() -> None:
    """What is indefinite in between leaves nothing behind."""
    analysis, random = Analysis(), np.random.default_rng(4)
    chain = csr_array(2.5 * np.eye(30) - np.eye(30, k=1) - np.eye(30, k=-1))
    ring = csr_array(chain + csr_array(([-0.2, -0.2], ([0, 29], [29, 0])), shape=(30, 30)))
    orders = []
    for matrix in (chain, csr_array(3 * chain), ring, csr_array(-ring), ring, chain):
        left = random.normal(size=30)
        found = factorised(matrix, True, analysis)(left)
        np.testing.assert_allclose(matrix @ found, left, rtol=1e-11, atol=1e-12)
        orders.append(analysis._factor)
    assert orders[0] is orders[1] and orders[1] is not orders[2]
    assert orders[3] is None and orders[4] is not None


def test_the_same_matrix_is_factorised_once_and_another_anew() -> None:
    matrix, analysis, left = csr_array([[4.0, 1.0], [1.0, 3.0]]), Analysis(), np.array([1.0, 2.0])
    filled, orders = [], []
    for given in (matrix, matrix.copy(), csr_array(2 * matrix), csr_array([[4.0, 0.0], [0.0, 3.0]])):
        np.testing.assert_allclose(given @ factorised(given, True, analysis)(left), left, rtol=1e-14)
        filled.append(analysis._entries)
        orders.append(analysis._factor)
    assert filled[0] is filled[1] and filled[1] is not filled[2]
    assert orders[0] is orders[2] and orders[2] is not orders[3]


def test_entries_that_are_stated_in_parts_and_in_any_order_are_summed() -> None:
    entries, columns = np.array([1.0, 3.0, 1.0, 1.0, 2.0, 1.0]), np.array([1, 0, 0, 0, 1, 1])
    parts = csr_array((entries, columns, np.array([0, 3, 6])), (2, 2))
    found = factorised(parts, True)(np.array([1.0, 2.0]))
    np.testing.assert_allclose(found, np.linalg.solve([[4.0, 1.0], [1.0, 3.0]], [1.0, 2.0]), rtol=1e-14)
