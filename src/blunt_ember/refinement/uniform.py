"""A case on finer and finer meshes: what its answers tend to, how fast, and how far off they may be.

Every cell is divided again and again, so that the order with which an answer settles can be observed. Where the clock
runs its steps are divided too, and what they are still off by is told apart by steps that are four times as long.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.values.display import number as shown_number
from blunt_ember.errors import CaseError, SolverError
from blunt_ember.flow.answering.error_estimate import ResolveSpec, unseen_by_cells
from blunt_ember.flow.flow import Flow
from blunt_ember.refinement.trend import RefinementLevel

#: Nodes a sequence goes up to, by the dimensions of the body.
MOST_NODES = {1: 200_000, 2: 300_000, 3: 500_000}
LEVELS = 4
#: Error allowed in time from mesh to mesh, by which steps are halved; how much larger it is where steps are four times
#: as long, and what share of the change that makes the error of the shorter ones is at most.
SMALLER_STEPS, LONGER, _LEFT_BY_LONGER = 0.25, 16.0, 0.25


def uniform_refinement(flow: Flow, case: Case, levels: int = LEVELS) -> Iterator[RefinementLevel]:
    """Yield the case on its mesh, then with every cell divided in two, four, eight …, as long as it is affordable."""
    for number in range(levels):
        begin = time.perf_counter()
        try:
            solved = flow.solved(case, 2**number, SMALLER_STEPS**number)
            values = flow.answers(case, solved)
            unseen = tuple(unseen_by_cells(case, solved).tolist())
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
        yield RefinementLevel(mesh.node_count, mesh.cell_count, values, seconds, None, in_time, unseen, highest, ended)
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
