"""Heat that has no bound: through a surface that meets another one which is held at another temperature."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from blunt_ember.fem.problem.problem import Problem

#: Share of the larger of two temperatures above absolute zero up to which they are one.
_ALIKE = 1e-9


def meets_otherwise_held(problem: Problem, members: Collection[str], t: float) -> tuple[str, str] | None:
    """Return a held surface among ``members`` and one that is not, which it meets and which is held at another
    temperature at a time in s; None where there are no such.

    Near the edge where they meet, at a distance r, the flux goes with 1/r, so that the heat between them grows with the
    logarithm of how finely it is looked at (H. S. Carslaw & J. C. Jaeger, Conduction of Heat in Solids, 1959, 5.3). A
    mere corner of a solid, or a point on an axis, is no edge.
    """
    held, mesh = problem.held, problem.mesh
    if mesh.dimension == 1:
        return None
    for first in (name for name in held if name in members):
        for second in (name for name in held if name not in members):
            shared = np.intersect1d(mesh.surfaces[first].nodes, mesh.surfaces[second].nodes)
            points = mesh.points[shared]
            where = {**mesh.space.variables(points), "t": np.full(len(points), t)}
            ours, theirs = (np.broadcast_to(held[name].at(where), (len(points),)) for name in (first, second))
            apart = np.abs(ours - theirs) > _ALIKE * np.maximum(ours, theirs)
            if mesh.space.axisymmetric:
                apart = apart & (points[:, 0] > 0)
            if apart.sum() >= mesh.dimension - 1:
                return first, second
    return None
