"""What cells cannot see beside the edge of what is held, where heat enters the surface next to it.

An extreme that is read at what is held stands still from mesh to mesh. Where a neighbouring surface takes up heat at
that temperature, the body is a little hotter beside the edge than at it, however small the cell in which it is: for the
held surface leaves no room for the heat that enters in the corner.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.case.case import Case
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.problem.conductors import conductivity_at
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import surface_terms
from blunt_ember.fem.terms.on_facets import OnSurface
from blunt_ember.flow.answering.about_points import temperature_at
from blunt_ember.flow.answering.rivals import extremes_asked, held_at, problem_at
from blunt_ember.mesh.cells.facets import normals

#: What is unseen is off by at most so many times what the field about a corner alone comes to.
_MORE = 1.5
#: Where along the facet that field is looked at, as shares of its length, and the widest angle it is written for.
_ALONG, _WIDEST = np.linspace(0.005, 1.0, 200), np.pi / 2 - 1e-6


def unseen_beside_held(case: Case, solved: SolvedField) -> Floats:
    """Return how far extremes that are read at what is held may be exceeded in the cells beside it (a,), K."""
    unseen = np.zeros(len(case.document.questions))
    if solved.mesh.dimension == 1:
        return unseen
    for place, question, probe in extremes_asked(case, solved):
        temperature, held = temperature_at(question, solved), held_at(question, solved)
        found, sign = probe.found(temperature), 1.0 if probe.highest else -1.0
        if not held[int(found.nodes[found.shares.argmax()])]:
            continue
        most = abs(solved.reached(sign * np.inf, probe.highest) - found.value)  # what the body meets
        problem, t = problem_at(question, solved)
        own = np.zeros(solved.mesh.node_count, dtype=bool)
        own[probe.nodes] = True
        for term in surface_terms(problem, 0.0):
            for at_edge, beyond in _beyond_edges(problem, term, temperature, held, own, sign, t):
                beyond = _MORE * beyond - sign * (found.value - at_edge)
                unseen[place] = max(unseen[place], min(most, float(np.max(beyond))))
    return unseen


def _beyond_edges(
    problem: Problem, term: OnSurface, temperature: Floats, held: Flags, own: Flags, sign: float, t: float
) -> Iterator[tuple[Floats, Floats]]:
    """The temperatures (f,) in K that facets are held at, at whose edge heat enters, and how far (f,) in K it may be
    exceeded beside that, for every surface that is held."""
    mesh = problem.mesh
    for name in problem.held:
        edge = np.zeros(mesh.node_count, dtype=bool)
        edge[mesh.surfaces[name].nodes] = True
        facets = np.flatnonzero(
            edge[term.nodes].any(axis=1) & ~held[term.nodes].all(axis=1) & own[term.nodes].all(axis=1)
        )
        if not len(facets):
            continue
        nodes = term.nodes[facets]
        level = np.where(edge[nodes], sign * temperature[nodes], -np.inf)
        corner = level.argmax(axis=1)
        at_edge = sign * level.max(axis=1)
        # The nearest of its nodes that nothing holds: what cells see begins there.
        from_corner = mesh.points[nodes] - mesh.points[nodes[np.arange(len(nodes)), corner]][:, None]
        apart = np.where(held[nodes], np.inf, np.linalg.norm(from_corner, axis=-1))
        nearest = apart.argmin(axis=1)
        length = apart.min(axis=1)
        fall = sign * (at_edge - temperature[nodes[np.arange(len(nodes)), nearest]])
        out = _normals(problem, name)[nodes[np.arange(len(nodes)), corner]]
        height = np.abs((from_corner[np.arange(len(nodes)), nearest] * out).sum(axis=1))
        excess = np.zeros(term.nodes.shape)
        excess[facets] = at_edge[:, None]
        heat = sign * term.heat(excess, t)[facets].sum(axis=1) / term.weights[facets].sum(axis=1)
        rise = np.maximum(heat, 0.0) * length / _least_conductivity(problem, term, nodes, at_edge, t)
        yield at_edge, beyond_corner(rise, np.maximum(fall, 0.0), np.arcsin(np.minimum(height / length, 1.0)))


def beyond_corner(rise: Floats, fall: Floats, angle: Floats) -> Floats:
    """Return by how much (f,) in K the temperature beside a corner exceeds that of its held side, along the side at an
    ``angle`` (f,) in rad to it, no more than a right one, that takes up heat.

    ``rise`` (f,) in K is the flux that enters times the length that is looked at over the conductivity, ``fall`` (f,)
    in K how far behind the temperature lies at its end. In polar coordinates about the corner the field is r tan α,
    which takes up the flux, less the first harmonic function that is nothing on the held side and insulated on the
    other, r to the π/(2α), so that it falls by what it does.
    """
    angle = np.clip(angle, 1e-6, _WIDEST)[:, None]
    power = np.pi / (2 * angle)
    bent = _ALONG * -np.expm1((power - 1) * np.log(_ALONG)) * np.tan(angle)
    return np.max(rise[:, None] * bent - fall[:, None] * _ALONG**power, axis=1, initial=0.0)


def _normals(problem: Problem, name: str) -> Floats:
    """A normal (n, d) of a surface at each of its nodes, of one of the facets there; zero elsewhere, and where those
    shrink to lines, as on an axis."""
    mesh = problem.mesh
    found = np.zeros(mesh.points.shape)
    for block in mesh.surfaces[name].blocks:
        if mesh.dimension == 2:
            along = mesh.points[block.nodes[:, 1]] - mesh.points[block.nodes[:, 0]]
            normal = np.stack([along[:, 1], -along[:, 0]], axis=1) / np.linalg.norm(along, axis=1, keepdims=True)
            found[block.nodes] = normal[:, None]
        else:
            each = normals(block, mesh.points)
            wide = each.any(axis=-1)
            found[block.nodes[wide]] = each[wide]
    return found


def _least_conductivity(problem: Problem, term: OnSurface, nodes: Ints, temperature: Floats, t: float) -> Floats:
    """The least conductivity (f,) in W/(m K) that what is behind facets of ``nodes`` (f, k) has in any direction."""
    least = np.full(len(nodes), np.inf)
    for region in term.regions.tolist():
        k = conductivity_at(
            problem.conductors,
            problem.mesh,
            np.full(len(nodes), region),
            problem.mesh.points[nodes[:, :1]],
            temperature[:, None],
            t,
        )[:, 0]
        least = np.minimum(least, k if k.ndim == 1 else np.linalg.eigvalsh(k)[:, 0])
    return least
