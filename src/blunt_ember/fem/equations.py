"""A sparse matrix that is written out by rows when that is first asked for."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array

from blunt_ember.arrays import Floats
from blunt_ember.fem.multigrid.on_boxes import OnBoxes


class Equations:
    """A matrix (n, n), which is multiplied with and solved in boxes where it has them."""

    def __init__(self, count: int, write: Callable[[], csr_array], boxes: OnBoxes | None = None) -> None:
        self.count, self._write, self.boxes = count, write, boxes

    @classmethod
    def of(cls, matrix: csr_array) -> Equations:
        """Take what is written out already."""
        return cls(matrix.shape[0], lambda: matrix)

    @cached_property
    def written(self) -> csr_array:
        """Its entries by rows."""
        return self._write()

    def times(self, x: Floats) -> Floats:
        """Return its product (n,) with ``x`` (n,)."""
        return np.asarray(self.written @ x) if self.boxes is None else self.boxes.times(x)

    @property
    def finite(self) -> bool:
        """Whether all its entries are."""
        if self.boxes is not None:
            return self.boxes.finite
        return bool(np.isfinite(self.written.data).all())
