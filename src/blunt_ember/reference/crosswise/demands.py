"""Least squares of unknowns in groups of which each demand touches but few: one group is eliminated after the other.

QR factors by fronts: the demands that touch a group are made a triangle; its first rows tell the group once the others
are known, the rest is a demand on those (Å. Björck, Numerical Methods for Least Squares Problems (1996), ch. 6).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from scipy.linalg import solve_triangular

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable


@immutable
class Demand:
    """Σ rows · unknowns = ``right`` (p,), with the ``rows`` (p, n) of every group that is touched, by its number."""

    rows: Mapping[int, Floats]
    right: Floats

    def missed(self, found: Sequence[Floats]) -> Floats:
        """Return by how much unknowns, (n,) by group, miss it (p,)."""
        return np.asarray(sum(rows @ found[group] for group, rows in self.rows.items()) - self.right)

    @property
    def is_finite(self) -> bool:
        """Whether all of it is."""
        return bool(np.isfinite(self.right).all() and all(np.isfinite(rows).all() for rows in self.rows.values()))


def least_squares(demands: Sequence[Demand], sizes: Sequence[int], trace: float) -> list[Floats]:
    """Return the unknowns, (n,) of every group of some ``sizes``, that miss demands least in the sum of squares.

    Columns count as if each had the norm 1; all unknowns are wished to be small by a ``trace`` of that, so that of
    columns that are nearly alike no order has to be chosen.
    """
    squares = [np.zeros(size) for size in sizes]
    for demand in demands:
        for group, rows in demand.rows.items():
            squares[group] += (rows**2).sum(axis=0)
    scales = [np.maximum(np.sqrt(each), 1e-300) for each in squares]
    left = [Demand({group: rows / scales[group] for group, rows in each.rows.items()}, each.right) for each in demands]
    left += [Demand({group: trace * np.eye(size)}, np.zeros(size)) for group, size in enumerate(sizes)]
    told: list[tuple[int, Demand]] = []
    waiting = set(range(len(sizes)))
    while waiting:
        group = min(waiting, key=lambda each: (len(_beside(left, each)), each))
        waiting.remove(group)
        triangle, left = _eliminated(left, group, sizes)
        told.append((group, triangle))
    found = [np.zeros(size) for size in sizes]
    for group, triangle in reversed(told):
        others = {other: rows for other, rows in triangle.rows.items() if other != group}
        found[group] = solve_triangular(triangle.rows[group], -Demand(others, triangle.right).missed(found))
    return [each / scale for each, scale in zip(found, scales, strict=True)]


def _beside(demands: Sequence[Demand], group: int) -> set[int]:
    """The groups that demands on one touch too."""
    return {other for each in demands if group in each.rows for other in each.rows} - {group}


def _eliminated(demands: Sequence[Demand], group: int, sizes: Sequence[int]) -> tuple[Demand, list[Demand]]:
    """What tells a group by the others, and the demands that are left on these."""
    order = [group, *sorted(_beside(demands, group))]
    ends = np.cumsum([sizes[each] for each in order])
    own = [each for each in demands if group in each.rows]
    whole = np.zeros((sum(len(each.right) for each in own), ends[-1] + 1))
    begin = 0
    for each in own:
        rows = slice(begin, begin + len(each.right))
        for touched, block in each.rows.items():
            place = order.index(touched)
            whole[rows, ends[place] - sizes[touched] : ends[place]] = block
        whole[rows, -1] = each.right
        begin = rows.stop
    triangle = np.asarray(np.linalg.qr(whole, mode="r"))
    cut = sizes[group]
    parts = np.split(triangle[:, :-1], ends[:-1], axis=1)
    told = Demand({each: part[:cut] for each, part in zip(order, parts, strict=True)}, triangle[:cut, -1])
    rest = [each for each in demands if group not in each.rows]
    if len(order) > 1:
        rest.append(
            Demand({each: part[cut:] for each, part in zip(order[1:], parts[1:], strict=True)}, triangle[cut:, -1])
        )
    return told, rest
