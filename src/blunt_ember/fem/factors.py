"""Factors of sparse matrices: Cholesky's by CHOLMOD where a matrix allows them, those of SuperLU otherwise."""

from __future__ import annotations

import os
from collections.abc import Callable
from functools import cache
from importlib.util import find_spec
from types import ModuleType
from typing import Any

import numpy as np
from scipy.sparse import csr_array, tril
from scipy.sparse.linalg import splu

from blunt_ember.arrays import Floats, Ints
from blunt_ember.errors import SolverError

_THREADS = "OPENBLAS_NUM_THREADS"
#: Solves with a matrix: x (n,) of A x = left (n,).
Solve = Callable[[Floats], Floats]


class Analysis:
    """In which order the unknowns of matrices are eliminated whose entries have the same places: found once.

    Factors made with it hold until the next ones are.
    """

    def __init__(self) -> None:
        self._of: tuple[Ints, Ints] | None = None
        self._entries: Floats | None = None
        self._factor: Any = None

    def factor(
        self, row: Ints, column: Ints, entries: Floats, find: Callable[[], Any], fill: Callable[[Any], None]
    ) -> Any:
        """Return the factor of a matrix with ``entries`` (e,) at rows and columns (e,): that of before where it is the
        same; else it is filled anew, in the order of before where the places are the same.
        """
        known = self._of
        if known is None or not (np.array_equal(known[0], row) and np.array_equal(known[1], column)):
            self._factor, self._of, self._entries = find(), (row, column), None
        if self._entries is None or not np.array_equal(self._entries, entries):
            self._entries = None
            fill(self._factor)
            self._entries = entries
        return self._factor

    def forget(self) -> None:
        """Find it anew the next time."""
        self._of = self._entries = self._factor = None


def factorised(matrix: csr_array, spd: bool, analysis: Analysis | None = None) -> Solve:
    """Return what solves with a matrix (n, n); ``spd`` says that it is symmetric and positive definite.

    Factors by the same ``analysis`` hold until the next ones are made.

    Raises :class:`SolverError` where it is singular.
    """
    if spd and len(matrix.data) and find_spec("cvxopt"):
        solve = _cholesky(matrix, analysis or Analysis())
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


@cache
def _single_threaded() -> ModuleType:
    """Import CVXOPT with one thread for its linear algebra, which is read when it is loaded.

    Threads of small factors wait for each other in a loop, and take the window its core: an edit took twice as long.
    """
    stated = os.environ.get(_THREADS)
    os.environ[_THREADS] = stated or "1"
    try:
        import cvxopt.cholmod
    finally:
        if stated is None:
            del os.environ[_THREADS]
    return cvxopt


def _cholesky(matrix: csr_array, analysis: Analysis) -> Solve | None:
    """By CHOLMOD (Y. Chen et al., ACM Trans. Math. Softw. 35 (2008) 22); None where it is not positive definite."""
    cvxopt = _single_threaded()
    cholmod, dense = cvxopt.cholmod, cvxopt.matrix
    lower = tril(matrix, format="coo")

    @cache
    def given() -> Any:
        places = (dense(each.astype(np.int64)) for each in (lower.row, lower.col))
        return cvxopt.spmatrix(dense(lower.data), *places, matrix.shape)

    def fill(factor: Any) -> None:
        cholmod.numeric(given(), factor)

    try:
        factor = analysis.factor(lower.row, lower.col, lower.data, lambda: cholmod.symbolic(given()), fill)
    except (ArithmeticError, MemoryError):
        analysis.forget()
        return None

    def solve(left: Floats) -> Floats:
        found = dense(np.ascontiguousarray(left, dtype=float))
        cholmod.solve(factor, found)
        return np.array(found).reshape(np.shape(left))

    return solve
