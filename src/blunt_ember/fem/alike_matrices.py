"""Element matrices of cells that are alike but for a few numbers each, which are never written out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from blunt_ember.arrays import Floats

#: Numbers of vectors that are taken at once, so that they stay in the cache of memory.
_AT_ONCE = 16_384


@dataclass(frozen=True)
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

    def times(self, vectors: Floats) -> Floats:
        """Return the products (m, n) with a vector for each cell (m, n)."""
        result = np.empty(vectors.shape)
        size = max(1, _AT_ONCE // vectors.shape[1])
        for start in range(0, len(vectors), size):
            run = slice(start, start + size)
            first, *others = zip(self.weights[run].T, self.products, strict=True)
            result[run] = first[0][:, None] * (vectors[run] @ first[1].T)
            for weight, product in others:
                result[run] += weight[:, None] * (vectors[run] @ product.T)
        return result


#: Written out, or not.
ElementMatrices = Floats | AlikeMatrices


def diagonals_of(matrices: ElementMatrices) -> Floats:
    """Return the diagonal (m, n) of each matrix."""
    return matrices.diagonals if isinstance(matrices, AlikeMatrices) else np.diagonal(matrices, axis1=1, axis2=2)


def times(matrices: ElementMatrices, vectors: Floats) -> Floats:
    """Return the product (m, n) of each matrix with its vector of ``vectors`` (m, n)."""
    if isinstance(matrices, AlikeMatrices):
        return matrices.times(vectors)
    return np.asarray((matrices @ vectors[..., None])[..., 0])
