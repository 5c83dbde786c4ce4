"""Between which temperatures heat can flow: by the maximum principle those of the start and of what the body meets."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.term import Term, sampled

#: Lowest and highest temperature, K; infinite on a side to which heat is given or taken out.
Bounds = tuple[float, float]


def met_at(problem: Problem, terms: Sequence[Term], excess: Floats, reference_temperature: float, t: float) -> Bounds:
    """Return the lowest and highest excess over the reference temperature, K, that a body of an ``excess`` (n,) in K
    meets at a time ``t`` in s: where it is held, in fluids, surroundings and behind openings."""
    values: list[float] = []
    signs: list[float] = []
    mesh = problem.mesh
    for name, law in problem.held.items():
        nodes = mesh.surfaces[name].nodes
        held = sampled(law, {**mesh.space.variables(mesh.points[nodes]), "t": np.full(len(nodes), t)})
        values += [float(np.min(held)) - reference_temperature, float(np.max(held)) - reference_temperature]
    behind = [law.opening for law in problem.enclosures if law.opening is not None]
    values += [float(each.at({"t": np.array([t])})[0]) - reference_temperature for each in behind]
    for name, laws in problem.exchanges.items():
        nodes = mesh.surfaces[name].nodes
        where = {
            **mesh.space.variables(mesh.points[nodes]),
            "t": np.full(len(nodes), t),
            "T": excess[nodes] + reference_temperature,
        }
        for law in (ambient for each in laws for ambient in each.ambient):
            around = law.at(where) - reference_temperature
            values += [float(around.min()), float(around.max())]
        for law in (imposed for each in laws for imposed in each.imposed):
            flux = law.at(where)
            signs += [float(flux.min()), float(flux.max())]
    for term in terms:
        if term.kind in ("region", "point"):
            heat = term.heat(excess[term.nodes], t)
            signs += [float(heat.min()), float(heat.max())]
    low = -np.inf if min(signs, default=0.0) < 0 else min(values, default=np.inf)
    high = np.inf if max(signs, default=0.0) > 0 else max(values, default=-np.inf)
    return low, high


def together(bounds: Iterable[Bounds]) -> Bounds:
    """Return the lowest and the highest of several bounds."""
    lows, highs = zip(*bounds, strict=True)
    return min(lows), max(highs)
