"""What has no bound: heat through a surface that meets another one which is held at another temperature, and the
temperature where heat arises at a point or along a line."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Literal

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.clock import How
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.probes import Probe
from blunt_ember.fem.problem.problem import PointSource, Problem
from blunt_ember.fem.reading import weights_at
from blunt_ember.fem.terms.term import sampled
from blunt_ember.mesh.mesh import Mesh

#: Share of the larger of two temperatures above absolute zero up to which they are one.
_ALIKE = 1e-9
#: Share of the size of a body up to which two places are one, and places of a line of heat that are looked at.
_SAME_PLACE, _LOOKED_AT = 1e-9, 50


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


def heated_at_a_place(
    problem: Problem, how: How, probe: Probe | ExtremeProbe, t: float
) -> tuple[str, Literal["higher", "lower"]] | None:
    """Return the name of heat that arises, at a time in s, at a place whose temperature is read by a ``probe``, and
    what it makes that without bound; None where no heat does.

    Beside a point in space the temperature goes with 1/r, beside a line in space and a point of a section with the
    logarithm of r (H. S. Carslaw & J. C. Jaeger, Conduction of Heat in Solids, 1959, 10.2 and 10.3). Where heat arises
    the lowest temperature has its bound, and where it is taken away the highest.
    """
    mesh = problem.mesh
    if how == "mean" or not problem.points:
        return None
    reads = _reading(probe, mesh)
    for source in problem.points:
        is_line = len(source.places) > 1
        if mesh.dimension == 1 or (mesh.dimension == 2 and is_line):
            continue
        total = float(sampled(source.total, {"t": np.array([t])})[0])
        one_sided = (how == "highest" and total <= 0) or (how == "lowest" and total >= 0)
        if total == 0 or one_sided or _is_evened_out(problem, source):
            continue
        if reads(source):
            return source.name, "higher" if total > 0 else "lower"
    return None


def _is_evened_out(problem: Problem, source: PointSource) -> bool:
    """Whether the heat arises in what has one temperature, or is held at one."""
    sets: list[Ints] = [each.nodes for each in problem.isothermal]
    sets += [problem.mesh.surfaces[name].nodes for name in problem.held]
    used = source.nodes[source.shares != 0]
    return any(bool(np.isin(used, nodes).all()) for nodes in sets)


def _reading(probe: Probe | ExtremeProbe, mesh: Mesh) -> Callable[[PointSource], bool]:
    """What tells whether the temperature is read where heat arises."""
    if isinstance(probe, ExtremeProbe):
        is_read = np.zeros(mesh.node_count, dtype=bool)
        is_read[probe.nodes] = True

        def within(source: PointSource) -> bool:
            near = weights_at(mesh, source.places[:: max(len(source.places) // _LOOKED_AT, 1)])
            share = np.where(is_read[near.indices], 0.0, np.abs(near.data))
            outside = np.bincount(np.repeat(np.arange(near.shape[0]), np.diff(near.indptr)), share, near.shape[0])
            return bool(((outside < _SAME_PLACE) & (np.diff(near.indptr) > 0)).any())

        return within
    line, size = np.asarray(probe.weights @ mesh.points), float(np.ptp(mesh.points, axis=0).max())
    return lambda source: _apart(line, source.ends) <= _SAME_PLACE * size


def _apart(line: Floats, other: Floats) -> float:
    """How near a line through places (p, d) comes to the straight one between two (2, d); each may be one place."""
    nearest = min(*(_from(place, line) for place in other), *(_from(place, other) for place in line))
    if len(line) < 2 or len(other) < 2:
        return float(nearest)
    # Where both come nearest to each other within their lengths: with a, b along them, (a·a, −a·b; a·b, −b·b) (s, t).
    along, across, between = np.diff(line, axis=0), other[1] - other[0], other[0] - line[:-1]
    aa, ab, bb = (along**2).sum(axis=1), along @ across, float(across @ across)
    det = ab**2 - aa * bb
    met = np.abs(det) > _SAME_PLACE * aa * bb
    to_a, to_b = (along * between).sum(axis=1)[met], (between @ across)[met]
    s = (ab[met] * to_b - bb * to_a) / det[met]
    t = (aa[met] * to_b - ab[met] * to_a) / det[met]
    inside = (s >= 0) & (s <= 1) & (t >= 0) & (t <= 1)
    gap = between[met] + t[:, None] * across - s[:, None] * along[met]
    return float(min(nearest, np.linalg.norm(gap[inside], axis=1).min(initial=np.inf)))


def _from(place: Floats, line: Floats) -> float:
    """The distance of a place (d,) from a line through places (p, d), of which there may be but one."""
    if len(line) == 1:
        return float(np.linalg.norm(line[0] - place))
    begin, along = line[:-1], np.diff(line, axis=0)
    length = np.maximum((along**2).sum(axis=1), 1e-300)
    share = np.clip(((place - begin) * along).sum(axis=1) / length, 0, 1)
    return float(np.linalg.norm(begin + share[:, None] * along - place, axis=1).min())
