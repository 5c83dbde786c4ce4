"""Cells of a lattice that shrink towards lines at which the flux is singular.

A field that behaves there like a power λ < 1 of the distance is followed with the order of a smooth one when the ends
of the cells lie at the power q ≥ p/λ of even shares, p being the order of the cells. Source: Schwab, *p- and hp-Finite
Element Methods* (1998), 3.3; Apel, *Anisotropic Finite Elements* (1999), chapter 3. Farther away than a few cells they
are as even as elsewhere.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import prod

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.immutable import immutable

#: Places at which a size is looked at, around each place that has its own.
_SAMPLES = 401
#: The power of the shares.
_POWER = 3
#: Cells of even size over which others shrink towards a line, and cells that take the place of one there, in a plan and
#: in a solid, whose cells are dearer.
_REACH = 1.5
_AS_MANY = {2: 3, 3: 2}
#: Cells of a box round the body at most; where there are so many lines that this takes more, fewer take the place of
#: one, or none shrink at all.
_MOST = {2: 5_000, 3: 20_000}


@immutable
class Shrinking:
    """The part of each space between lines (w, 2) over which cells shrink towards its start and its end, and how many
    cells take the place of an even one there."""

    reach: Floats
    as_many: int

    def counts(self, even: Ints) -> Ints:
        """Return so many more cells (w,) that the ``even`` ones (w,) keep their size, two at least towards a line."""
        more = np.ceil(even * (1 + (self.as_many - 1) * self.reach.sum(axis=1)) - 1e-9).astype(np.int64)
        return np.maximum(more, np.where(self.reach.any(axis=1), self.as_many * (self.reach > 0).sum(axis=1), 1))


@immutable
class Axis:
    """The ``widths`` (w,) in m of the spaces between lines, which of these (w + 1,) are ``singular``, and the cells
    (w,) of ``even`` size in the spaces."""

    widths: Floats
    singular: Flags
    even: Ints


def shrinkings(axes: Sequence[Axis], size: float, dimension: int) -> list[Shrinking] | None:
    """Return how cells shrink along each axis of a lattice, ``size`` (m) being that of even ones; None where that would
    take too many."""
    for as_many in range(_AS_MANY[dimension], 1, -1):
        found = [_shrinking(axis, size, as_many) for axis in axes]
        cells = [float(how.counts(axis.even).sum()) for how, axis in zip(found, axes, strict=True)]
        if prod(cells) <= max(_MOST[dimension], 1.5 * prod(float(axis.even.sum()) for axis in axes)):
            return found
    return None


def _shrinking(axis: Axis, size: float, as_many: int) -> Shrinking:
    towards = np.column_stack([axis.singular[:-1], axis.singular[1:]])
    most = 1 / np.maximum(towards.sum(axis=1), 1)
    return Shrinking(np.minimum(_REACH * size / axis.widths, most)[:, None] * towards, as_many)


def places_between(lines: Floats, counts: Ints, how: Shrinking | None = None) -> Floats:
    """Return ``lines`` (w + 1,) with ``counts`` (w,) pieces between them: even ones, or shrinking ones."""
    share = np.concatenate([np.arange(count) / count for count in counts.tolist()])
    space = np.repeat(np.arange(len(counts)), counts)
    if how is not None:
        share = _shrunk(share, how.reach[space, 0], how.reach[space, 1], how.as_many)
    return np.append(lines[space] + share * np.diff(lines)[space], lines[-1])


def _shrunk(share: Floats, first: Floats, last: Floats, as_many: int) -> Floats:
    """Where even shares (n,) of cells come to lie when they shrink over the parts ``first`` and ``last`` (n,)."""
    every = 1 + (as_many - 1) * (first + last)
    passed, left = share * every, (1 - share) * every
    with np.errstate(divide="ignore", invalid="ignore"):
        near = first * (passed / (as_many * first)) ** _POWER
        far = 1 - last * (left / (as_many * last)) ** _POWER
    between = passed - (as_many - 1) * first
    return np.select([passed < as_many * first, left < as_many * last], [near, far], between)


def sized(
    lines: Floats, near: Floats, sizes: Floats, size: float, growth: float, least: Ints, times: float
) -> tuple[Ints, Floats]:
    """Return the cells (w,) between ``lines`` (w + 1,) in m and their ends (c + 1,): none larger than ``size``, at the
    places ``near`` (n,) as large as ``sizes`` (n,), and larger by ``growth`` times the distance away from there.

    ``least`` (w,) are cells in each space at least; all is divided so many ``times``.
    """
    counts, ends = [], [lines[:1]]
    for low, high, fewest in zip(lines[:-1].tolist(), lines[1:].tolist(), least.tolist(), strict=True):
        # Steps that are short where cells are: even ones of a power, seen from each place in turn.
        steps = np.linspace(-1, 1, _SAMPLES)
        around = near[:, None] + np.sign(steps) * np.abs(steps) ** 4 * (lines[-1] - lines[0])
        z = np.unique(np.clip(np.append(around.ravel(), [low, high]), low, high))
        middle = (z[1:] + z[:-1]) / 2
        wanted = np.minimum(size, (sizes + growth * np.abs(middle[:, None] - near)).min(axis=1))
        passed = np.concatenate([[0.0], np.cumsum(np.diff(z) / wanted)])
        count = max(int(times * max(np.ceil(passed[-1] - 1e-9), fewest)), 1)
        counts.append(count)
        ends.append(np.interp(np.linspace(0, passed[-1], count + 1)[1:], passed, z))
    return np.array(counts), np.concatenate(ends)


def halved(lines: Floats, order: int) -> Floats:
    """Return ``lines`` (w + 1,) with what lies in the middle of them for cells of the second ``order``."""
    return lines if order == 1 else np.append(np.column_stack([lines[:-1], (lines[1:] + lines[:-1]) / 2]), lines[-1])
