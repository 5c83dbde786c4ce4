"""A case on finer and finer meshes: what its answers tend to, how fast, and how far off they may be.

Every cell is divided again and again, so that the order with which an answer settles can be observed. Where the clock
runs its steps are divided too, and what they are still off by is told apart by steps that are four times as long.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.values.display import number as shown_number
from blunt_ember.errors import CaseError, SolverError
from blunt_ember.flow.error_estimate import ResolveSpec
from blunt_ember.flow.flow import Flow

#: Nodes a sequence goes up to, by the dimensions of the body.
MOST_NODES = {1: 200_000, 2: 300_000, 3: 500_000}
LEVELS = 4
#: Safety of the error band of three meshes: Roache, J. Fluids Eng. 116 (1994) 405.
_SAFETY = 1.25
#: Changes below this share of an answer are round-off.
_ROUND_OFF = 1e-11
#: By how much the order of single answers on even cells may be above that of all of them.
_OVER = 2.5
#: Error allowed in time from mesh to mesh, by which steps are halved; how much larger it is where steps are four times
#: as long, and what share of the change that makes the error of the shorter ones is at most.
SMALLER_STEPS, LONGER, _LEFT_BY_LONGER = 0.25, 16.0, 0.25
#: Lowest order that a limit is extrapolated with.
_LEAST_ORDER = 0.5


@dataclass(frozen=True)
class RefinementLevel:
    """One mesh of a sequence: nodes, cells, the answers (a,) in SI on it, the seconds it took, and of a mesh that
    follows the error the estimated share of the heat flux that is off.

    ``in_time`` (a,) in SI is how far steps in time may put the answers off; empty where no clock runs. ``highest`` is
    the order with which answers on such cells settle at most. ``ended`` says why no finer mesh follows, where it is too
    large for one.
    """

    nodes: int
    cells: int
    values: tuple[float, ...]
    seconds: float
    off: float | None = None
    in_time: tuple[float, ...] = ()
    highest: float = np.inf
    ended: str = ""


@dataclass(frozen=True)
class Trend:
    """What an answer tends to: the observed ``order`` where one can be told, the ``limit`` and how far off that may be.

    Of that ``band``, ``in_time`` is what steps in time may be off by. ``note`` says why there is no order.
    """

    order: float | None
    limit: float
    band: float
    note: str = ""
    in_time: float = 0.0


def trend(values: Sequence[float], scale: float, in_time: Sequence[float] = (), highest: float = np.inf) -> Trend:
    """Return what an answer tends to whose cells were halved from value to value, at least three of them.

    ``scale`` is what round-off is measured by. What steps are off by ``in_time`` is added to the band, and changes that
    are no larger say nothing of cells. An order above the ``highest`` there can be is chance. Richardson extrapolation;
    see Roache, *Verification and Validation in Computational Science and Engineering* (1998), ch. 5.
    """
    if np.isnan(values).any():
        return Trend(None, float("nan"), float("nan"), "it was not answered on every mesh")
    last, off = values[-1], in_time[-1] if in_time else 0.0
    if np.isnan(in_time).any():
        return Trend(None, last, float("nan"), "longer steps gave no answer to it", float("nan"))
    if len(values) < 3:
        band = abs(values[-1] - values[0]) + off if len(values) == 2 else float("inf")
        return Trend(None, last, band, "three meshes are needed for an order", off)
    before, after = values[-2] - values[-3], values[-1] - values[-2]
    lost = sum(in_time[-2:])
    if abs(after) <= max(_ROUND_OFF * scale, lost):
        if lost > _ROUND_OFF * scale:
            return Trend(None, last, abs(after) + off, "what cells change is lost in the error in time", off)
        return Trend(None, last, max(abs(after), abs(before)) + off, "it has settled to round-off", off)
    if before * after <= 0:
        return Trend(None, last, _SAFETY * max(abs(before), abs(after)) + off, "it goes to and fro", off)
    order = float(np.log2(before / after))
    if order < _LEAST_ORDER:
        left = abs(after) / (2**_LEAST_ORDER - 1)
        return Trend(order, last, _SAFETY * left + off, "it settles too slowly to be extrapolated", off)
    if order > highest + _OVER:
        return Trend(None, last, _SAFETY * abs(after) + off, "it settled faster than such cells do, so by chance", off)
    step, band = after / (2**order - 1), after / (2 ** min(order, highest) - 1)
    return Trend(order, last + step, _SAFETY * abs(band) + off, in_time=off)


def uniform_refinement(flow: Flow, case: Case, levels: int = LEVELS) -> Iterator[RefinementLevel]:
    """Yield the case on its mesh, then with every cell divided in two, four, eight …, as long as it is affordable."""
    for number in range(levels):
        begin = time.perf_counter()
        try:
            solved = flow.solved(case, 2**number, SMALLER_STEPS**number)
            values = flow.answers(case, solved)
            in_time: tuple[float, ...] = ()
            if solved.run is not None and solved.run.exact_in_time:
                in_time = tuple(0.0 for _ in values)
            elif solved.run is not None:
                longer = ResolveSpec(2**number, LONGER * SMALLER_STEPS**number)
                in_time = in_time_of(values, flow.answers_again(case, longer))
        except (CaseError, SolverError):
            if number < 2:
                raise
            return  # too large to be meshed or solved: what there is will do
        mesh = solved.mesh
        seconds = time.perf_counter() - begin
        highest = 2.0 * mesh.order
        ended = too_many(mesh.node_count * 2**mesh.dimension, MOST_NODES[mesh.dimension]) if number + 1 < levels else ""
        yield RefinementLevel(mesh.node_count, mesh.cell_count, values, seconds, None, in_time, highest, ended)
        if ended:
            return


def too_many(nodes: float, most: int) -> str:
    """Return why no mesh of about so many ``nodes`` follows, where a sequence goes up to ``most``; nothing where one
    does."""
    if nodes <= most:
        return ""
    return f"a finer mesh would have about {shown_number(nodes, 2)} nodes, and it goes up to {shown_number(most, 7)}"


def in_time_of(values: Sequence[float], with_longer: Sequence[float]) -> tuple[float, ...]:
    """Return how far steps may put answers (a,) off, from those ``with_longer`` steps, SI."""
    return tuple((_LEFT_BY_LONGER * np.abs(np.subtract(with_longer, values))).tolist())
