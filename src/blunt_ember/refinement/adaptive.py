"""Meshes that follow the error: finer where the heat flux is off and matters, until the answers are within their
tolerances."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.case import Case
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.verdict import allowed_of
from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow.flow import Flow
from blunt_ember.geometry.solid import SolidGeometry
from blunt_ember.mesh.any_body import AnyGeometry
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.derived.bisection import bisected, require_simplices
from blunt_ember.mesh.generate import generate_mesh
from blunt_ember.mesh.imported import ImportedGeometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.mesh.planar.size_field import LocalSizes
from blunt_ember.mesh.singular_lines import StatedSurfaces
from blunt_ember.refinement.goal_oriented_error import weighed_error
from blunt_ember.refinement.sharing import shared_evenly
from blunt_ember.refinement.spaces import followed_lattice, more_between
from blunt_ember.refinement.uniform import LONGER, MOST_NODES, SMALLER_STEPS, RefinementLevel, in_time_of

#: Each mesh has so many times the cells of the one before; a cell may shrink and grow so much.
_MORE, _SHRINK, _GROW = 2.0, 0.2, 1.6
#: What cells shrink by at most where others follow them: neighbours of those cut in two are cut, a column of a solid is
#: as fine as its finest cell wants, and a layer runs through all columns.
_SHRINK_GENTLY = 0.5
#: The share of a slab that may want more layers than it gets.
_WANTING = 0.1
_MOST_MESHES = 14
#: Meshes at most from which on steps are made no shorter.
_SHORTEST = 3
#: Instants of a run at which the error of the flux is looked at.
_INSTANTS = 6


@dataclass(frozen=True)
class _Estimate:
    """The squared error (c,) of the flux of every cell, block after block, and its share of the flux of the body."""

    error: Floats
    share: float


def adaptive_refinement(flow: Flow, case: Case, most_nodes: int | None = None) -> Iterator[RefinementLevel]:
    """Yield a case on meshes that are finer where its answers need it, each with about twice the cells.

    A rod is divided anew, a section meshed anew with triangles, and so is the plan of a solid, which gets more layers
    where they are wanted; of a mesh that was read cells are cut in two. Of a run the errors at several instants count
    together. It ends where every answer is within the tolerance of its question, see :func:`left_over`. Raises
    :class:`BluntEmberError` for cells that cannot follow.
    """
    document, geometry = case.document, flow.geometry(case)
    if document.mesh.cells == "quadrilaterals" and geometry.space.dimension == 2:
        raise BluntEmberError("mapped quadrilaterals cannot follow the error; let the cells be of any kind")
    most = most_nodes or MOST_NODES[geometry.space.dimension]
    found: list[RefinementLevel] = []
    begin = time.perf_counter()
    stated = StatedSurfaces.of(document)
    mesh = generate_mesh(geometry, document.mesh, 1, document.members_of, stated=stated)
    lattice, times = followed_lattice(geometry, document.mesh), None
    if isinstance(geometry, ImportedGeometry):
        require_simplices(mesh)
    for number in range(_MOST_MESHES):
        if found and mesh.node_count > most:
            return
        exactness = SMALLER_STEPS ** min(number, _SHORTEST)
        solved, problem = flow.solved_on(case, mesh, exactness)
        estimate = _estimated(solved, problem)
        values = flow.answers(case, solved)
        in_time: tuple[float, ...] = ()
        if solved.run is not None and solved.run.exact_in_time:
            in_time = tuple(0.0 for _ in values)
        elif solved.run is not None:
            in_time = in_time_of(values, flow.answers(case, flow.solved_on(case, mesh, LONGER * exactness)[0]))
        seconds = time.perf_counter() - begin
        found.append(RefinementLevel(mesh.node_count, mesh.cell_count, values, seconds, estimate.share, in_time))
        yield found[-1]
        allowed = allowances(case, found[-1], solved)
        settled = all(gap <= most_off for gap, most_off in zip(left_over(found), allowed, strict=True))
        if (len(found) > 2 and settled) or _MORE * mesh.node_count > most:
            return
        begin = time.perf_counter()
        error = estimate.error
        if solved.run is None and document.questions:
            error = weighed_error(document, solved, problem, error, allowed)
        if lattice is not None:
            assert isinstance(geometry, SolidGeometry)
            times = more_between(geometry, lattice, solved.mesh, error, times)
            mesh = generate_mesh(geometry, document.mesh, 1, document.members_of, stated=stated, times=times)
        elif isinstance(geometry, ImportedGeometry):
            mesh = _cut(mesh, _factors(error, mesh.order, mesh.dimension, _SHRINK_GENTLY, 1.0))
        else:
            finer, layers = _wanted(geometry, solved.mesh, error, document.mesh.order)
            mesh = generate_mesh(geometry, document.mesh, 1, document.members_of, finer, layers)


def left_over(levels: Sequence[RefinementLevel]) -> tuple[float, ...]:
    """Return how far each answer (a,) may still be off, SI: the last change, or a quarter of the one before if that is
    more, so that an answer which stands still by chance is not taken for settled; and what steps in time are off by."""
    if len(levels) < 2:
        return tuple(float("inf") for _ in levels[-1].values)
    changes = np.abs(np.diff([level.values for level in levels[-3:]], axis=0))
    change = np.maximum(changes[1], changes[0] / 4) if len(changes) == 2 else changes[0]
    return tuple((change + np.array(levels[-1].in_time or 0.0)).tolist())


def allowances(case: Case, level: RefinementLevel, solved: SolvedField) -> tuple[float, ...]:
    """Return the tolerance of every question in SI; shares are of the span of temperatures or of the answer."""
    return tuple(
        allowed_of(question, value, solved.span)
        for question, value in zip(case.document.questions, level.values, strict=True)
    )


def _estimated(solved: SolvedField, problem: Problem) -> _Estimate:
    """The error of the flux; of a run, that of several of its instants together."""
    run = solved.run
    if run is None:
        found = recovered(problem, solved.temperature)
        return _Estimate(np.concatenate(found.error), found.share)
    times = run.fields.times
    wanted = np.linspace(times[0], times[-1], _INSTANTS + 1)[1:]
    frames = np.unique(np.abs(times[None] - wanted[:, None]).argmin(axis=1)).tolist()
    error, energy = np.zeros(solved.mesh.cell_count), 0.0
    for frame in frames:
        t = float(times[frame])
        found = recovered(run.problem_at(t), run.fields.field(frame), t)
        error += np.concatenate(found.error)
        energy += found.energy
    return _Estimate(error, float(np.sqrt(error.sum() / max(energy + error.sum(), 1e-300))))


def _wanted(geometry: AnyGeometry, mesh: Mesh, error: Floats, order: int) -> tuple[LocalSizes, Ints | None]:
    """The sizes of cells by the places of today's, and of a solid the layers between its stations."""
    middles = np.concatenate([mesh.points[block.nodes].mean(axis=1) for block in mesh.blocks])
    swept = isinstance(geometry, SolidGeometry)
    factor = _factors(error, order, mesh.dimension, _SHRINK_GENTLY if swept else _SHRINK)
    reach = np.concatenate([_sizes(block.family, mesh.points[block.nodes]) for block in mesh.blocks])
    if not isinstance(geometry, SolidGeometry):
        return _by_size(middles, reach * factor), None
    plan, along = geometry.path.plan_of(middles)
    stations = geometry.path.stations
    slab = np.clip(np.searchsorted(stations, along, side="right") - 1, 0, len(stations) - 2)
    layers = np.empty(len(stations) - 1, dtype=np.int64)
    for number in range(len(layers)):
        own = slab == number
        today = len(np.unique(np.round(along[own], 12))) if own.any() else 1
        # Layers run through the whole slab, so they follow the cells that need them most, but for a few.
        layers[number] = max(1, int(np.ceil(today / float(np.quantile(factor[own], _WANTING))))) if own.any() else 1
    return _by_size(plan, _plan_reach(geometry, mesh) * factor), layers


def _cut(mesh: Mesh, factor: Floats) -> Mesh:
    """Cut the cells of a mesh in two until they have shrunk by their factor (c,), as near as that comes."""
    wanted = np.rint(-mesh.dimension * np.log2(factor))
    while (wanted > 0).any():
        mesh, parent, times = bisected(mesh, wanted > 0)
        wanted = wanted[parent] - times
    return mesh


def _by_size(places: Floats, wanted: Floats) -> LocalSizes:
    octave = np.floor(np.log2(wanted) * 4).astype(int)
    return [(places[octave == number], float(2 ** (number / 4))) for number in np.unique(octave).tolist()]


def _factors(error: Floats, order: int, dimension: int, least: float, most: float = _GROW) -> Floats:
    """By how much each cell is to shrink or grow so that the error is shared out evenly among about twice as many;
    none shrinks below the share ``least`` or grows beyond the share ``most``.

    The squared error of a cell goes with the power 2 p + d of its size where the field is smooth.
    """
    floor = max(float(error.max()), 1e-300) * 1e-12
    share = np.maximum(error, floor) ** (1 / (2 * order + dimension))
    return shared_evenly(share, lambda factor: float((factor**-dimension).sum()), _MORE * len(share), least, most)


def _sizes(family: str, corners: Floats) -> Floats:
    """The length (m,) of a side of an even cell about as large."""
    if CELL_FAMILIES[family].dimension == 1:
        return np.asarray(np.abs(corners[:, 1, 0] - corners[:, 0, 0]))
    three = corners[:, :3]
    first, second = three[:, 1] - three[:, 0], three[:, 2] - three[:, 0]
    area = (
        np.linalg.norm(np.cross(first, second), axis=1)
        if corners.shape[2] == 3
        else np.abs(first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0])
    )
    return np.asarray(np.sqrt(area if family.startswith("quad") else area * 2 / np.sqrt(3)))


def _plan_reach(geometry: SolidGeometry, mesh: Mesh) -> Floats:
    """The size (c,) in m of every cell of a solid in its plan, that of the face it was swept from."""
    found = []
    for block in mesh.blocks:
        count = 3 if block.family.startswith("wedge") else 4
        below = geometry.path.plan_of(mesh.points[block.nodes[:, :count]].reshape(-1, 3))[0].reshape(-1, count, 2)
        found.append(_sizes("tri3" if count == 3 else "quad4", below))
    return np.concatenate(found)
