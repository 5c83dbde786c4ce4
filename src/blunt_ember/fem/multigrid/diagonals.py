"""Symmetric matrices between nodes on a lattice by diagonals: entries in the order of places, without their columns.

Nodes of one sort, those at ends of cells along every axis or in the middle along some, lie in a box of their own, and
all boxes have the same shape. A neighbour of theirs then is as far away for all of them, and what they have with it is
one diagonal of a matrix between two boxes. Places where no node is have entries of nothing.
"""

from __future__ import annotations

from functools import cached_property, lru_cache
from itertools import product

import numpy as np
from scipy.sparse import csr_array, dia_array, vstack

from blunt_ember.arrays import AnyFloats, Floats, Ints
from blunt_ember.fem.lattice_sums import sums_in_boxes
from blunt_ember.immutable import immutable
from blunt_ember.in_threads import even_runs, in_threads

#: Rows that are multiplied at once, so that what comes of them stays in the cache of memory.
_ROWS = 32_768
#: Entries below which one thread is as fast.
_LARGE = 1_000_000
#: Places along an axis at least, so that no two neighbours of a node are equally far away.
_FEWEST = 3


@immutable
class _Group:
    """Neighbours of one sort: the ``rows`` of a node's entries that they have, and how far ``away`` (r,) from them in
    its box the place of the node is."""

    sort: int
    rows: slice
    away: Ints


def box_shape(lines: tuple[int, ...]) -> tuple[int, ...]:
    """Return the shape of the boxes of nodes of cells between so many lines along each axis."""
    return tuple(max(count, _FEWEST) for count in lines)


def sorts_of(order: int, dimension: int) -> list[tuple[int, ...]]:
    """Return along which axes the nodes of each sort lie in the middle of cells of an ``order``."""
    return list(product(range(order), repeat=dimension))


class Diagonals:
    """A matrix (n, n), where n places are those of all boxes, one after the other; ``matrix @ x`` is a product.

    ``entries`` has for every sort what its nodes have with each of their neighbours, (r, b), in the order of
    :func:`_neighbourhood`.
    """

    def __init__(self, order: int, shape: tuple[int, ...], entries: list[AnyFloats]) -> None:
        self.order, self._box, self._entries = order, shape, entries
        self._places = int(np.prod(shape))
        self.shape = (self._places * len(entries),) * 2
        self.digits = entries[0].dtype
        runs = [
            (sort, low, min(low + _ROWS, self._places))
            for sort in range(len(entries))
            for low in range(0, self._places, _ROWS)
        ]
        self._runs = [(sort, low, high, self._between(sort, low, high)) for sort, low, high in runs]
        done = np.cumsum([0, *((high - low) * len(entries[sort]) for sort, low, high in runs)])
        large = sum(each.size for each in entries) >= _LARGE
        self._shares = even_runs(done) if large else [(0, len(runs))]

    @classmethod
    def of_cells(cls, weights: Floats, order: int) -> Diagonals:
        """Sum the conduction of all cells in a box: ``weights`` (d, …) as of :func:`sums_in_boxes`, 0 where none is."""
        shape = box_shape(tuple(count + 1 for count in weights.shape[1:]))
        sorts = sorts_of(order, len(shape))
        ranks = [_neighbourhood(order, shape, number)[0] for number in range(len(sorts))]
        entries = sums_in_boxes(weights, order, shape, sorts, ranks)
        return cls(order, shape, [each.reshape(len(each), -1) for each in entries])

    def _between(self, sort: int, low: int, high: int) -> list[tuple[int, dia_array]]:
        """What a run of rows has with the nodes of every sort."""
        found = []
        for column, entries in enumerate(self._entries):
            for group in _neighbourhood(self.order, self._box, column)[1]:
                if group.sort == sort:
                    parts = (entries[group.rows], group.away + low)
                    found.append((column, dia_array(parts, shape=(high - low, self._places))))
        return found

    def __matmul__(self, x: AnyFloats) -> AnyFloats:
        result = np.empty(self.shape[0], dtype=self.digits)
        boxes = x.reshape(len(self._entries), -1)
        into = result.reshape(boxes.shape)
        in_threads(lambda first, last: self._multiply(boxes, into, first, last), self._shares)
        return result

    def _multiply(self, boxes: AnyFloats, into: AnyFloats, first: int, last: int) -> None:
        for sort, low, high, between in self._runs[first:last]:
            (column, matrix), *others = between
            total = matrix @ boxes[column]
            for column, matrix in others:
                total += matrix @ boxes[column]
            into[sort, low:high] = total

    @cached_property
    def sums_of_sizes(self) -> AnyFloats:
        """The sums (n,) of the sizes of the entries of each row."""
        sums = np.zeros((len(self._entries), self._places), dtype=self.digits)
        for total, entries in zip(sums, self._entries, strict=True):
            for row in entries:
                total += np.abs(row)
        return sums.ravel()

    def with_digits(self, digits: np.dtype[np.floating]) -> Diagonals:
        """Return the same with other digits."""
        if self.digits == digits:
            return self
        return Diagonals(self.order, self._box, [each.astype(digits) for each in self._entries])

    def leave_out(self, places: Ints) -> None:
        """Take the rows and columns of some ``places`` (h,) out."""
        sort, place = np.divmod(places, self._places)
        for column, entries in enumerate(self._entries):
            entries[:, place[sort == column]] = 0.0
            for group in _neighbourhood(self.order, self._box, column)[1]:
                # A step beyond the box comes to a place at its other side, which has nothing with the one it came from.
                columns = place[sort == group.sort] + group.away[:, None]
                there = (columns >= 0) & (columns < self._places)
                rows = np.broadcast_to(np.arange(len(entries))[group.rows, None], columns.shape)
                entries[rows[there], columns[there]] = 0.0

    def written(self) -> csr_array:
        """Return the same by rows."""
        return csr_array(
            vstack(
                [
                    sum((self._placed(column, matrix) for column, matrix in between[1:]), self._placed(*between[0]))
                    for _, _, _, between in self._runs
                ]
            )
        )

    def _placed(self, column: int, matrix: dia_array) -> csr_array:
        """A matrix between two boxes among those of all columns."""
        rows = csr_array(matrix)
        parts = (rows.data, rows.indices + column * self._places, rows.indptr)
        return csr_array(parts, shape=(matrix.shape[0], self.shape[1]))


@lru_cache(maxsize=256)
def _neighbourhood(order: int, shape: tuple[int, ...], sort: int) -> tuple[Ints, list[_Group]]:
    """The row of each neighbour of the nodes of a sort, by its place among all, and the groups of rows that neighbours
    of one sort have, each by how far they are away."""
    halves = sorts_of(order, len(shape))[sort]
    sides = [range(-(1 if half else order), (1 if half else order) + 1) for half in halves]
    steps = np.array(list(product(*sides))) + halves
    across = np.concatenate([np.cumprod(shape[:0:-1])[::-1], [1]]).astype(np.int64)
    away = np.asarray(-(steps // order) @ across, dtype=np.int64)
    sorts = np.ravel_multi_index(tuple((steps % order).T), [order] * len(shape)) if order > 1 else 0 * away
    ordered = np.lexsort((away, sorts))
    rank = np.empty(len(steps), dtype=np.int64)
    rank[ordered] = np.arange(len(steps))
    groups = []
    for each in np.unique(sorts).tolist():
        rows = np.flatnonzero(sorts[ordered] == each)
        groups.append(_Group(each, slice(int(rows[0]), int(rows[-1]) + 1), away[ordered][rows]))
    return rank, groups
