"""One cycle of multigrid through ever coarser spaces: smooth, correct on the next space, smooth back."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np
from scipy.sparse import csr_array, csr_matrix

from blunt_ember.arrays import AnyFloats, Floats
from blunt_ember.fem.factors import factorised
from blunt_ember.fem.multigrid.product import Product
from blunt_ember.fem.multigrid.smoothing import Smoothing
from blunt_ember.fem.multigrid.spaces import Space
from blunt_ember.immutable import immutable

Correction = Callable[[Floats], Floats]

#: Unknowns of a space that are solved for by factors, and up to which more spaces do not pay.
FACTORED = 3_000
#: A space that has more than this share of the unknowns of the one before is not worth its cycle.
WORTH = 0.95


@immutable
class Level:
    """A space: how it is smoothed, and how values go ``up`` to it from the next one and ``down`` again."""

    smoothing: Smoothing
    up: csr_array
    down: csr_array


def multigrid_cycle(
    matrix: csr_array, spaces: Iterable[Space], rest: csr_array | None = None, single: bool = False
) -> Correction:
    """Return what nearly solves with a symmetric matrix (n, n), positive definite; with half the digits, and so with
    half the memory to go through, if ``single``.

    ``spaces`` begin with the one after that of the matrix, and ``rest`` (n, n) is what it has beside the conduction
    that they know. Where they end in one that is still large, algebraic multigrid goes on.
    """
    digits: np.dtype[np.floating] = np.dtype(np.float32) if single else np.dtype(np.float64)
    levels: list[Level] = []
    for space in spaces:
        up = space.up
        if matrix.shape[0] <= FACTORED or up.shape[1] > WORTH * up.shape[0]:
            break
        down = csr_array(up.T)
        levels.append(
            Level(Smoothing(Product(with_digits(matrix, digits))), with_digits(up, digits), with_digits(down, digits))
        )
        rest = None if rest is None else csr_array(down @ csr_array(rest @ up))
        if rest is not None and space.conduction is not None:
            matrix = csr_array(space.conduction + rest)
        else:
            matrix = csr_array(down @ csr_array(matrix @ up))
    return cycle_through(levels, last_solver(matrix), digits)


def last_solver(matrix: csr_array) -> Correction:
    """Return what solves in the last space, or nearly where it is large."""
    return factorised(matrix, True) if matrix.shape[0] <= FACTORED else aggregated(matrix)


def cycle_through(levels: Sequence[Level], last: Correction, digits: np.dtype[np.floating]) -> Correction:
    """Return one cycle through ``levels`` and what solves in the ``last`` space."""

    def cycle(left: AnyFloats, number: int = 0) -> AnyFloats:
        if number == len(levels):
            return last(left.astype(float)).astype(digits)
        level = levels[number]
        x, after = level.smoothing.from_nothing(left)
        x += level.up @ cycle(level.down @ after, number + 1)
        return level.smoothing.on(x, left)

    def whole(left: Floats) -> Floats:
        size = float(np.abs(left).max(initial=0.0)) or 1.0  # what is single has fewer powers of ten too
        return size * cycle((np.ravel(left) / size).astype(digits)).astype(float)

    return whole


def with_digits(matrix: csr_array, digits: np.dtype[np.floating]) -> csr_array:
    """Return a matrix with other digits, which shares the places of its entries."""
    if matrix.dtype == digits:
        return matrix
    return csr_array((matrix.data.astype(digits), matrix.indices, matrix.indptr), shape=matrix.shape)


def aggregated(matrix: csr_array) -> Correction:
    """One cycle of algebraic multigrid by smoothed aggregation."""
    import pyamg  # which most solutions do without

    cycle = pyamg.smoothed_aggregation_solver(csr_matrix(matrix)).aspreconditioner(cycle="V")
    return lambda left: np.asarray(cycle @ left)
