"""Meshes that follow the error: finer where the heat flux is off and matters, until the answers are within their
tolerances."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.checks.verdict import allowed_of
from blunt_ember.errors import BluntEmberError
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.recovery import recovered
from blunt_ember.flow.answering.error_estimate import unseen_by_cells
from blunt_ember.flow.flow import Flow
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh_request import MeshRequest
from blunt_ember.refinement.followers import MORE, follower_of
from blunt_ember.refinement.goal_oriented_error import weighed_error
from blunt_ember.refinement.trend import RefinementLevel, left_over
from blunt_ember.refinement.uniform import LONGER, MOST_NODES, SMALLER_STEPS, in_time_of, too_many

_MOST_MESHES = 14
#: Meshes at most from which on steps are made no shorter.
_SHORTEST = 3
#: Instants of a run at which the error of the flux is looked at.
_INSTANTS = 6


@immutable
class _Estimate:
    """The squared error (c, d) of the flux of every cell along each of its directions, block after block, and its share
    of the flux of the body."""

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
    follower = follower_of(geometry, MeshRequest.of(document))
    mesh = follower.first()
    for number in range(_MOST_MESHES):
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
        unseen = tuple(unseen_by_cells(case, solved).tolist())
        level = RefinementLevel(mesh.node_count, mesh.cell_count, values, seconds, estimate.share, in_time, unseen)
        allowed = allowances(case, level, solved)
        gaps = left_over([*found, level])
        settled = len(found) > 1 and all(gap <= most_off for gap, most_off in zip(gaps, allowed, strict=True))
        grows = max([MORE, *(mesh.node_count / before.nodes for before in found[-1:])])
        ended = "" if settled else too_many(grows * mesh.node_count, most)
        found.append(replace(level, ended=ended))
        yield found[-1]
        if settled or ended:
            return
        begin = time.perf_counter()
        error = estimate.error
        if solved.run is None and document.questions:
            error = weighed_error(document, solved, problem, error, allowed)
        mesh = follower.finer(solved.mesh, error)


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
        return _Estimate(np.concatenate(found.along), found.share)
    times = run.fields.times
    wanted = np.linspace(times[0], times[-1], _INSTANTS + 1)[1:]
    frames = np.unique(np.abs(times[None] - wanted[:, None]).argmin(axis=1)).tolist()
    error, energy = np.zeros((solved.mesh.cell_count, solved.mesh.dimension)), 0.0
    for frame in frames:
        t = float(times[frame])
        found = recovered(run.problem_at(t), run.fields.field(frame), t)
        error += np.concatenate(found.along)
        energy += found.energy
    return _Estimate(error, float(np.sqrt(error.sum() / max(energy + error.sum(), 1e-300))))
