"""Factors of sparse matrices: Cholesky's by CHOLMOD where a matrix allows them, those of SuperLU otherwise."""

from __future__ import annotations

from collections.abc import Callable
from importlib.util import find_spec

import numpy as np
from scipy.sparse import csr_array, tril
from scipy.sparse.linalg import splu

from blunt_ember.arrays import Floats
from blunt_ember.errors import SolverError

#: Solves with a matrix: x (n,) of A x = left (n,).
Solve = Callable[[Floats], Floats]


def factorised(matrix: csr_array, spd: bool) -> Solve:
    """Return what solves with a matrix (n, n); ``spd`` says that it is symmetric and positive definite.

    Raises :class:`SolverError` where it is singular.
    """
    if spd and len(matrix.data) and find_spec("cvxopt"):
        solve = _cholesky(matrix)
        if solve is not None:
            return solve
    pivots = 0.0 if spd else None
    try:
        factors = splu(
            matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=pivots, options={"SymmetricMode": spd}
        )
    except (RuntimeError, MemoryError) as error:
        raise SolverError(f"the equations have no single solution ({error})") from error
    return lambda left: factors.solve(left)


def _cholesky(matrix: csr_array) -> Solve | None:
    """By CHOLMOD (Y. Chen et al., ACM Trans. Math. Softw. 35 (2008) 22); None where it is not positive definite."""
    from cvxopt import cholmod, spmatrix
    from cvxopt import matrix as dense

    lower = tril(matrix, format="coo")
    places = (dense(each.astype(np.int64)) for each in (lower.row, lower.col))
    try:
        given = spmatrix(dense(lower.data), *places, matrix.shape)
        factor = cholmod.symbolic(given)
        cholmod.numeric(given, factor)
    except (ArithmeticError, MemoryError):
        return None

    def solve(left: Floats) -> Floats:
        found = dense(np.ascontiguousarray(left, dtype=float))
        cholmod.solve(factor, found)
        return np.array(found).reshape(np.shape(left))

    return solve
