"""Products of large sparse matrices with vectors, by several threads, each with rows of its own."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import AnyFloats
from blunt_ember.in_threads import even_runs, in_threads

#: Entries below which one thread is as fast.
_LARGE = 2_000_000


class Product:
    """``product @ x`` is that of a matrix (n, m) with x (m,), to the last digit."""

    def __init__(self, matrix: csr_array) -> None:
        self.shape = matrix.shape
        self._digits = matrix.dtype
        runs = even_runs(matrix.indptr.astype(np.int64)) if matrix.nnz >= _LARGE else [(0, matrix.shape[0])]
        self._parts = [(first, last, _rows(matrix, first, last)) for first, last in runs]

    @property
    def sums_of_sizes(self) -> AnyFloats:
        """The sums (n,) of the sizes of the entries of each row, of which none is empty."""
        return np.concatenate([np.add.reduceat(np.abs(part.data), part.indptr[:-1]) for _, _, part in self._parts])

    def __matmul__(self, x: AnyFloats) -> AnyFloats:
        if len(self._parts) == 1:
            return np.asarray(self._parts[0][2] @ x)
        result = np.empty(self.shape[0], dtype=self._digits)

        def multiply(number: int, _: int) -> None:
            first, last, part = self._parts[number]
            result[first:last] = part @ x

        in_threads(multiply, [(number, number + 1) for number in range(len(self._parts))])
        return result


def _rows(matrix: csr_array, first: int, last: int) -> csr_array:
    """Rows of a matrix that share its memory."""
    begin, end = matrix.indptr[[first, last]]
    parts = (matrix.data[begin:end], matrix.indices[begin:end], matrix.indptr[first : last + 1] - begin)
    return csr_array(parts, shape=(last - first, matrix.shape[1]))
