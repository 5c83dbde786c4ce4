"""Element matrices of cells that are alike but for a few numbers each, which are never written out."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.in_threads import each_in_threads

#: Numbers of vectors that are taken at once, so that they stay in the cache of memory.
_AT_ONCE = 16_384
#: Numbers from which on more threads than one take part.
_LARGE = 500_000


@immutable
class AlikeMatrices:
    """The matrices (m, n, n) of cells: sums of ``products`` (p, n, n) with ``weights`` (m, p)."""

    weights: Floats
    products: Floats

    @property
    def shape(self) -> tuple[int, int, int]:
        """As if they were written out."""
        return len(self.weights), self.products.shape[1], self.products.shape[2]

    def __getitem__(self, run: slice) -> Floats:
        count, n, _ = self.products.shape
        return (self.weights[run] @ self.products.reshape(count, n * n)).reshape(-1, n, n)

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> NDArray[Any]:
        return np.asarray(self[:], dtype)

    @property
    def diagonals(self) -> Floats:
        """The diagonal (m, n) of each."""
        return self.weights @ np.diagonal(self.products, axis1=1, axis2=2)

    def times_differences(self, vectors: Floats) -> Floats:
        """Return the products (m, n) with what the vector of each cell (m, n) is over its first entry."""
        result = np.empty(vectors.shape)
        size = max(1, _AT_ONCE // vectors.shape[1])
        starts = range(0, len(vectors), size)

        def multiply(number: int) -> None:
            run = slice(starts[number], starts[number] + size)
            self._multiply(run, vectors[run] - vectors[run, :1], result[run])

        each_in_threads(multiply, len(starts), vectors.size >= _LARGE)
        return result

    def _multiply(self, run: slice, vectors: Floats, into: Floats) -> None:
        into[:] = 0.0
        if not vectors.any():  # as in all cells that touch nothing that is held, before anything is solved
            return
        for weight, product in zip(self.weights[run].T, self.products, strict=True):
            into += weight[:, None] * (vectors @ product.T)


#: Written out, or not.
ElementMatrices = Floats | AlikeMatrices


def diagonals_of(matrices: ElementMatrices) -> Floats:
    """Return the diagonal (m, n) of each matrix."""
    return matrices.diagonals if isinstance(matrices, AlikeMatrices) else np.diagonal(matrices, axis1=1, axis2=2)


def times_differences(matrices: ElementMatrices, vectors: Floats) -> Floats:
    """Return the product (m, n) of each matrix with what its vector of ``vectors`` (m, n) is over its first entry."""
    if isinstance(matrices, AlikeMatrices):
        return matrices.times_differences(vectors)
    return np.asarray((matrices @ (vectors - vectors[:, :1])[..., None])[..., 0])
