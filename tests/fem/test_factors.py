"""Factors of matrices that are positive definite, and of those that are said to be and are not."""

from __future__ import annotations

import os

import numpy as np
import pytest
from scipy.sparse import csr_array

from blunt_ember.errors import SolverError
from blunt_ember.fem.factors import factorised


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
