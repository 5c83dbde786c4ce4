"""Smoothing by Chebyshev polynomials of a matrix scaled by the sums of its rows.

The sum of the sizes of a row bounds what the matrix does there, so that no eigenvalue of the scaled matrix exceeds one:
nothing is estimated. Source: Adams, Brezina, Hu & Tuminaro, *J. Comput. Phys.* 188 (2003) 593.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

from blunt_ember.arrays import AnyFloats

#: Eigenvalues of the scaled matrix that are smoothed; what lies below is left to coarser spaces.
_HIGHEST, _LOWEST = 1.0, 0.2
_MIDDLE, _HALF = (_HIGHEST + _LOWEST) / 2, (_HIGHEST - _LOWEST) / 2
_RATIO = _MIDDLE / _HALF
#: How far the second step goes on with the first, and what it adds of what that left over.
_GO_ON = 1 / (2 * _RATIO**2 - 1)
_ADDED = 2 * _RATIO / (2 * _RATIO**2 - 1) / _HALF


class Multiplies(Protocol):
    """A symmetric matrix (n, n), however it is kept."""

    def __matmul__(self, x: AnyFloats) -> AnyFloats: ...

    @property
    def sums_of_sizes(self) -> AnyFloats:
        """The sums (n,) of the sizes of the entries of each row, or a little more."""


class Smoothing:
    """Two steps of it with a matrix (n, n), which is symmetric and positive definite, in the digits it has."""

    def __init__(self, matrix: Multiplies) -> None:
        self._matrix = matrix
        sums = matrix.sums_of_sizes
        scale = 1 / np.where(sums > 0, sums, 1)
        self._first, self._added = scale / _MIDDLE, scale * _ADDED

    def from_nothing(self, left: AnyFloats) -> tuple[AnyFloats, AnyFloats]:
        """Return x (n,) with A x nearly ``left`` (n,), and what it leaves over (n,)."""
        first, second, after = self._steps(left)
        after -= self._matrix @ second
        first += second
        return first, after

    def on(self, x: AnyFloats, left: AnyFloats) -> AnyFloats:
        """Return a better x (n,) than the one that is given, in its place."""
        first, second, _ = self._steps(left - self._matrix @ x)
        x += first
        x += second
        return x

    def _steps(self, left: AnyFloats) -> tuple[AnyFloats, AnyFloats, AnyFloats]:
        """Both steps (n,), and what the first leaves over (n,)."""
        first = left * self._first
        after = self._matrix @ first
        np.subtract(left, after, out=after)
        second = self._added * after
        second += _GO_ON * first
        return first, second, after
