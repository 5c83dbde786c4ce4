"""Products of large sparse matrices with vectors, by several threads, each with rows of its own."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import AnyFloats

#: Entries below which one thread is as fast, and threads that memory is wide enough for.
_LARGE = 2_000_000
_MOST_THREADS = 4


class Product:
    """``product @ x`` is that of a matrix (n, m) with x (m,), to the last digit."""

    def __init__(self, matrix: csr_array) -> None:
        self.shape = matrix.shape
        count = min(len(os.sched_getaffinity(0)), _MOST_THREADS) if matrix.nnz >= _LARGE else 1
        cuts = np.linspace(0, matrix.nnz, count + 1)[1:-1]
        ends = [0, *np.searchsorted(matrix.indptr, cuts).tolist(), matrix.shape[0]]
        self._parts = [_rows(matrix, first, last) for first, last in pairwise(ends)]
        self._threads = ThreadPoolExecutor(count - 1) if count > 1 else None

    def __matmul__(self, x: AnyFloats) -> AnyFloats:
        if self._threads is None:
            return np.asarray(self._parts[0] @ x)
        others = [self._threads.submit(part.__matmul__, x) for part in self._parts[1:]]
        return np.concatenate([self._parts[0] @ x, *(each.result() for each in others)])


def _rows(matrix: csr_array, first: int, last: int) -> csr_array:
    """Rows of a matrix that share its memory."""
    begin, end = matrix.indptr[[first, last]]
    parts = (matrix.data[begin:end], matrix.indices[begin:end], matrix.indptr[first : last + 1] - begin)
    return csr_array(parts, shape=(last - first, matrix.shape[1]))
