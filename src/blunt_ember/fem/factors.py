"""Factors of sparse matrices: Cholesky's by CHOLMOD where a matrix allows them, those of SuperLU otherwise."""

from __future__ import annotations

import os
from collections.abc import Callable
from functools import cache
from importlib.util import find_spec
from types import ModuleType
from typing import Any

import numpy as np
from scipy.sparse import csr_array
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
        self._places: tuple[Any, Any] | None = None
        self._taken: Ints = np.zeros(0, dtype=np.int64)
        self._lower: Any = None
        self._entries: Floats | None = None
        self._factor: Any = None

    def factor(self, matrix: csr_array, cvxopt: ModuleType) -> Any:
        """Return the factor of a symmetric matrix: that of before where it is the same; else it is filled anew, in the
        order of before where the places of its entries are the same. Raises ArithmeticError where it has none.
        """
        places = self._places
        if places is None or not all(map(np.array_equal, places, (matrix.indptr, matrix.indices))):
            self.forget()
            self._analyse(matrix, cvxopt)
        entries = matrix.data[self._taken]
        if self._entries is None or not np.array_equal(self._entries, entries):
            self._entries = None
            self._lower.V = cvxopt.matrix(entries)
            cvxopt.cholmod.numeric(self._lower, self._factor)
            self._entries = entries
        return self._factor

    def _analyse(self, matrix: csr_array, cvxopt: ModuleType) -> None:
        """Find the order, and which entries are those of the lower triangle, column by column."""
        numbered = csr_array((np.arange(len(matrix.data)), matrix.indices, matrix.indptr), matrix.shape).tocsc()
        column = np.repeat(np.arange(matrix.shape[1]), np.diff(numbered.indptr))
        row, lower = numbered.indices.astype(np.int64), numbered.indices >= column
        self._taken = numbered.data[lower]
        entries, *at = (cvxopt.matrix(each[lower]) for each in (matrix.data[numbered.data], row, column))
        self._lower = cvxopt.spmatrix(entries, *at, matrix.shape)
        self._factor = cvxopt.cholmod.symbolic(self._lower)
        self._places = matrix.indptr, matrix.indices

    def forget(self) -> None:
        """Find it anew the next time."""
        self._places = self._entries = self._factor = self._lower = None


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
    matrix.sum_duplicates()
    try:
        factor = analysis.factor(matrix, cvxopt)
    except (ArithmeticError, MemoryError):
        analysis.forget()
        return None

    def solve(left: Floats) -> Floats:
        found = dense(np.ascontiguousarray(left, dtype=float))
        cholmod.solve(factor, found)
        return np.array(found).reshape(np.shape(left))

    return solve
