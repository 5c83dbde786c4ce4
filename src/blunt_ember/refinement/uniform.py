"""A case on finer and finer meshes: what its answers tend to, how fast, and how far off they may be.

Every cell is divided again and again, so that the order with which an answer settles can be observed.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.errors import CaseError, SolverError
from blunt_ember.flow.flow import Flow

#: Nodes a sequence goes up to, by the dimensions of the body.
MOST_NODES = {1: 200_000, 2: 300_000, 3: 500_000}
LEVELS = 4
#: Safety of the error band of three meshes: Roache, J. Fluids Eng. 116 (1994) 405.
_SAFETY = 1.25
#: Changes below this share of an answer are round-off.
_ROUND_OFF = 1e-11
#: Lowest order that a limit is extrapolated with.
_LEAST_ORDER = 0.5


@dataclass(frozen=True)
class RefinementLevel:
    """One mesh of a sequence: nodes, cells, the answers (a,) in SI on it, the seconds it took, and of a mesh that
    follows the error the estimated share of the heat flux that is off."""

    nodes: int
    cells: int
    values: tuple[float, ...]
    seconds: float
    off: float | None = None


@dataclass(frozen=True)
class Trend:
    """What an answer tends to: the observed ``order`` where one can be told, the ``limit`` and how far off that may be.

    ``note`` says why there is no order.
    """

    order: float | None
    limit: float
    band: float
    note: str = ""


def trend(values: Sequence[float], scale: float) -> Trend:
    """Return what an answer tends to whose cells were halved from value to value, at least three of them.

    ``scale`` is what round-off is measured by. Richardson extrapolation; see Roache, *Verification and Validation in
    Computational Science and Engineering* (1998), ch. 5.
    """
    if np.isnan(values).any():
        return Trend(None, float("nan"), float("nan"), "it was not answered on every mesh")
    last = values[-1]
    if len(values) < 3:
        band = abs(values[-1] - values[0]) if len(values) == 2 else float("inf")
        return Trend(None, last, band, "three meshes are needed for an order")
    before, after = values[-2] - values[-3], values[-1] - values[-2]
    if abs(after) <= _ROUND_OFF * scale:
        return Trend(None, last, max(abs(after), abs(before)), "it has settled to round-off")
    if before * after <= 0:
        return Trend(None, last, _SAFETY * max(abs(before), abs(after)), "it goes to and fro")
    order = float(np.log2(before / after))
    if order < _LEAST_ORDER:
        left = abs(after) / (2**_LEAST_ORDER - 1)
        return Trend(order, last, _SAFETY * left, "it settles too slowly to be extrapolated")
    step = after / (2**order - 1)
    return Trend(order, last + step, _SAFETY * abs(step))


def uniform_refinement(flow: Flow, case: Case, levels: int = LEVELS) -> Iterator[RefinementLevel]:
    """Yield the case on its mesh, then with every cell divided in two, four, eight …, as long as it is affordable."""
    for number in range(levels):
        begin = time.perf_counter()
        try:
            solved = flow.solved(case, 2**number)
        except (CaseError, SolverError):
            if number < 2:
                raise
            return  # too large to be meshed or solved: what there is will do
        mesh = solved.mesh
        yield RefinementLevel(mesh.node_count, mesh.cell_count, flow.answers(case, solved), time.perf_counter() - begin)
        if mesh.node_count * 2**mesh.dimension > MOST_NODES[mesh.dimension]:
            return
