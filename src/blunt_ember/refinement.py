"""A case on finer and finer meshes: what its answers tend to, how fast, and how far off they may be.

Either every cell is divided again and again, so that the order with which an answer settles can be observed, or a
section is meshed anew, finer where the heat flux of its cells is estimated to be off.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.units import NUMBER, TEMPERATURE
from blunt_ember.errors import BluntEmberError, CaseError, SolverError
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow import Flow
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.making import mesh_of
from blunt_ember.mesh.mesh import Floats, Mesh
from blunt_ember.mesh.size_field import LocalSizes

#: Nodes a sequence goes up to, by the dimensions of the body.
MOST_NODES = {1: 200_000, 2: 300_000, 3: 60_000}
LEVELS = 4
#: Safety of the error band of three meshes: Roache, J. Fluids Eng. 116 (1994) 405.
_SAFETY = 1.25
#: Changes below this share of an answer are round-off.
_ROUND_OFF = 1e-11
#: Lowest order that a limit is extrapolated with.
_LEAST_ORDER = 0.5
#: Each mesh that follows the error has so many times the cells of the one before; a cell may shrink and grow so much.
_MORE, _SHRINK, _GROW = 2.0, 0.2, 1.6
_MOST_ADAPTED = 14


@dataclass(frozen=True)
class Level:
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


def divided(flow: Flow, case: Case, levels: int = LEVELS) -> Iterator[Level]:
    """Yield the case on its mesh, then with every cell divided in two, four, eight …, as long as it is affordable."""
    geometry = flow.geometry(case)
    if isinstance(geometry, ImportedGeometry):
        raise BluntEmberError("a mesh that was read stays as it is; make a finer one where it came from")
    for number in range(levels):
        begin = time.perf_counter()
        try:
            solved = flow.solved(case, 2**number)
        except (CaseError, SolverError):
            if number < 2:
                raise
            return  # too large to be meshed or solved: what there is will do
        mesh = solved.mesh
        yield Level(mesh.node_count, mesh.cell_count, flow.answers(case, solved), time.perf_counter() - begin)
        if mesh.node_count * 2**mesh.dimension > MOST_NODES[mesh.dimension]:
            return


def adapted(flow: Flow, case: Case, most_nodes: int | None = None) -> Iterator[Level]:
    """Yield the case on meshes of a section that are finer where its heat flux is off, each with twice the cells.

    It ends where every answer is within the tolerance of its question, see :func:`left_over`. Raises
    :class:`BluntEmberError` for a body or a clock this cannot be done with.
    """
    document, geometry = case.document, flow.geometry(case)
    if document.running_clock is not None or not isinstance(geometry, SectionGeometry):
        raise BluntEmberError("only steady sections are refined where the error is; divide every cell instead")
    if document.mesh.cells == "quadrilaterals":
        raise BluntEmberError("mapped quadrilaterals cannot follow the error; let the cells be of any kind")
    most = most_nodes or MOST_NODES[2]
    finer: LocalSizes = ()
    found: list[Level] = []
    for _ in range(_MOST_ADAPTED):
        begin = time.perf_counter()
        mesh = mesh_of(geometry, document.mesh, 1, document.members_of, finer)
        solved, problem = flow.solved_on(case, mesh)
        estimate = recovered(problem, solved.temperature)
        values = flow.answers(case, solved)
        found.append(Level(mesh.node_count, mesh.cell_count, values, time.perf_counter() - begin, estimate.share))
        yield found[-1]
        allowed = allowances(case, found[-1], solved.temperature)
        settled = all(gap <= most_off for gap, most_off in zip(left_over(found), allowed, strict=True))
        if (len(found) > 2 and settled) or _MORE * mesh.node_count > most:
            return
        finer = _wanted_sizes(problem.mesh, np.concatenate(estimate.error), document.mesh.order)


def left_over(levels: Sequence[Level]) -> tuple[float, ...]:
    """Return how far each answer (a,) may still be off, SI: the last change, or a quarter of the one before if that is
    more, so that an answer which stands still by chance is not taken for settled."""
    if len(levels) < 2:
        return tuple(float("inf") for _ in levels[-1].values)
    changes = np.abs(np.diff([level.values for level in levels[-3:]], axis=0))
    if len(changes) == 2:
        return tuple(np.maximum(changes[1], changes[0] / 4).tolist())
    return tuple(changes[0].tolist())


def allowances(case: Case, level: Level, temperature: Floats) -> tuple[float, ...]:
    """Return the tolerance of every question in SI; shares are of the span of temperatures or of the answer."""
    span = float(np.ptp(temperature))
    allowed = []
    for question, value in zip(case.document.questions, level.values, strict=True):
        scale = span if question.kind.name == TEMPERATURE.name else abs(value)
        amount = question.tolerance.amount
        allowed.append(amount * scale if question.tolerance.kind == NUMBER else amount)
    return tuple(allowed)


def _wanted_sizes(mesh: Mesh, error: Floats, order: int) -> LocalSizes:
    """Return the sizes of cells that share the error out evenly among about twice as many, by the places of today's.

    The squared error of a cell goes with the power 2 p + 2 of its size where the field is smooth.
    """
    middles = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    reach = np.concatenate([_sizes(mesh.points[block.nodes]) for block in mesh.blocks])
    floor = max(float(error.max()), 1e-300) * 1e-12
    share = np.maximum(error, floor) ** (1 / (2 * order + 2))
    low, high = 1e-6 * share.min(), 1e6 * share.max()
    factor = np.ones(len(share))
    for _ in range(60):  # how large the even share is that gives the number of cells
        even = np.sqrt(low * high)
        factor = np.clip(even / share, _SHRINK, _GROW)
        low, high = (even, high) if (factor**-2).sum() > _MORE * len(factor) else (low, even)
    wanted = reach * factor
    octave = np.floor(np.log2(wanted) * 4).astype(int)
    return [(middles[octave == number], float(2 ** (number / 4))) for number in np.unique(octave).tolist()]


def _sizes(corners: Floats) -> Floats:
    """The length (m,) of a side of a triangle or quadrilateral of about the same area."""
    three = corners[:, :3]
    first, second = three[:, 1] - three[:, 0], three[:, 2] - three[:, 0]
    area = np.abs(first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0])
    return np.asarray(np.sqrt(area if corners.shape[1] in (4, 9) else area * 2 / np.sqrt(3)))
