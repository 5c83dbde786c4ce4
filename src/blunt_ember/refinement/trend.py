"""What the answers of a case on finer and finer meshes tend to, how fast, and how far off they may be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from blunt_ember.immutable import immutable

#: Safety of the error band of three meshes whose order is that of their cells, within such a share of it, and of any
#: other three, as of two: Roache, J. Fluids Eng. 116 (1994) 405.
_SAFETY, _CONFIRMED, _DOUBTED = 1.25, 0.1, 3.0
#: Changes below this share of an answer are round-off.
_ROUND_OFF = 1e-11
#: By how much the order of single answers on even cells may be above that of all of them.
_OVER = 2.5
#: Lowest order that a limit is extrapolated with.
_LEAST_ORDER = 0.5
#: An order that is none: heat between two faces that meet at two temperatures goes with the logarithm of the cells.
_NONE = 0.1


@immutable
class RefinementLevel:
    """One mesh of a sequence: nodes, cells, the answers (a,) in SI on it, the seconds it took, and of a mesh that
    follows the error the estimated share of the heat flux that is off.

    ``in_time`` (a,) in SI is how far steps in time may put the answers off; empty where no clock runs. ``unseen`` (a,)
    in SI is how far they may be off by what no change from mesh to mesh tells; empty where nothing is. ``highest`` is
    the order with which answers on such cells settle at most. ``ended`` says why no finer mesh follows, where it is too
    large for one.
    """

    nodes: int
    cells: int
    values: tuple[float, ...]
    seconds: float
    off: float | None = None
    in_time: tuple[float, ...] = ()
    unseen: tuple[float, ...] = ()
    highest: float = np.inf
    ended: str = ""


@immutable
class Trend:
    """What an answer tends to: the observed ``order`` where one can be told, the ``limit`` and how far off that may be.

    Of that ``band``, ``in_time`` is what steps in time may be off by. ``note`` says why there is no order.
    """

    order: float | None
    limit: float
    band: float
    note: str = ""
    in_time: float = 0.0


def trend(
    values: Sequence[float], scale: float, in_time: Sequence[float] = (), highest: float = np.inf, unseen: float = 0.0
) -> Trend:
    """Return what an answer tends to whose cells were halved from value to value, at least three of them.

    ``scale`` is what round-off is measured by. What steps are off by ``in_time`` is added to the band, and changes that
    are no larger say nothing of cells; nor do those that are no larger than what the last cells leave ``unseen``, which
    is the least of the band. An order above the ``highest`` there can be is chance. Richardson extrapolation;
    see Roache, *Verification and Validation in Computational Science and Engineering* (1998), ch. 5.
    """
    if np.isnan(values).any():
        return Trend(None, float("nan"), float("nan"), "it was not answered on every mesh")
    last, off = values[-1], in_time[-1] if in_time else 0.0
    if np.isnan(in_time).any():
        return Trend(None, last, float("nan"), "longer steps gave no answer to it", float("nan"))
    found = _tends(values, scale, off, sum(in_time[-2:]), highest, unseen)
    return replace(found, band=max(found.band, unseen + off))


def _tends(values: Sequence[float], scale: float, off: float, lost: float, highest: float, unseen: float) -> Trend:
    """What values tend to that steps put ``off``, of whose changes so much is ``lost`` in that and ``unseen``."""
    last = values[-1]
    if len(values) < 3:
        # The order is not known, and near edges at which the flux is singular it is low.
        band = abs(values[-1] - values[0]) / (2**_LEAST_ORDER - 1) + off if len(values) == 2 else float("inf")
        return Trend(None, last, band, "three meshes are needed for an order", off)
    before, after = values[-2] - values[-3], values[-1] - values[-2]
    if max(abs(after), _ROUND_OFF * scale, lost) < unseen:
        left = max(abs(after), abs(before) / 4)
        return Trend(None, last, left + off, "it changes by less than the cells leave open", off)
    if abs(after) <= max(_ROUND_OFF * scale, lost):
        if lost > _ROUND_OFF * scale:
            return Trend(None, last, abs(after) + off, "what cells change is lost in the error in time", off)
        return Trend(None, last, max(abs(after), abs(before)) + off, "it has settled to round-off", off)
    if before * after <= 0:
        return Trend(None, last, max(_SAFETY * abs(before), _DOUBTED * abs(after)) + off, "it goes to and fro", off)
    order = float(np.log2(before / after))
    if order < _NONE:
        what = "it changes by as much with every halving, as what has no bound does"
        return Trend(order, last, float("inf"), what, off)
    if order < _LEAST_ORDER:
        left = abs(after) / (2**_LEAST_ORDER - 1)
        return Trend(order, last, _SAFETY * left + off, "it settles too slowly to be extrapolated", off)
    # A last change that is small by chance is not less than what such cells leave of the one before.
    left = max(abs(after), abs(before) / 2**highest)
    if order > highest + _OVER:
        return Trend(None, last, _DOUBTED * left + off, "it settled faster than such cells do, so by chance", off)
    safety = _SAFETY if np.isinf(highest) or abs(order - highest) <= _CONFIRMED * highest else _DOUBTED
    band = safety * left / (2 ** min(order, highest) - 1)
    return Trend(order, last + after / (2**order - 1), band + off, in_time=off)


def left_over(levels: Sequence[RefinementLevel]) -> tuple[float, ...]:
    """Return how far each answer (a,) may still be off, SI: the last change, or a quarter of the one before if that is
    more, so that an answer which stands still by chance is not taken for settled, or what no change tells; and what
    steps in time are off by."""
    if len(levels) < 2:
        return tuple(float("inf") for _ in levels[-1].values)
    changes = np.abs(np.diff([level.values for level in levels[-3:]], axis=0))
    change = np.maximum(changes[1], changes[0] / 4) if len(changes) == 2 else changes[0]
    change = np.maximum(change, levels[-1].unseen or 0.0)
    return tuple((change + np.array(levels[-1].in_time or 0.0)).tolist())
