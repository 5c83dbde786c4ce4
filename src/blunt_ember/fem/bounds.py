"""Between which temperatures heat can flow: by the maximum principle those of the start and of what the body meets."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import build_terms
from blunt_ember.fem.terms.term import Term, sampled

#: Lowest and highest temperature, K; infinite on a side to which heat is given or taken out.
Bounds = tuple[float, float]

#: By how much warmer nodes are for it to be seen what they give off more, K.
_WARMER = 0.01


def met_at(
    problem: Problem,
    terms: Sequence[Term],
    excess: Floats,
    reference_temperature: float,
    t: float,
    at: Flags | None = None,
) -> Bounds:
    """Return the lowest and highest excess over the reference temperature, K, that a body of an ``excess`` (n,) in K
    meets at a time ``t`` in s: where it is held, in fluids, surroundings and behind openings; ``at`` (n,) nodes alone
    where they are given, of which those that face an enclosure may meet anything. Heat that ``terms`` give out inside
    takes it beyond any."""
    values: list[float] = []
    signs: list[float] = []
    mesh = problem.mesh

    def nodes_of(name: str) -> Ints:
        nodes = mesh.surfaces[name].nodes
        return nodes if at is None else nodes[at[nodes]]

    for name, law in problem.held.items():
        if len(nodes := nodes_of(name)):
            held = sampled(law, {**mesh.space.variables(mesh.points[nodes]), "t": np.full(len(nodes), t)})
            values += [float(np.min(held)) - reference_temperature, float(np.max(held)) - reference_temperature]
    if at is None:
        behind = [law.opening for law in problem.enclosures if law.opening is not None]
        values += [float(each.at({"t": np.array([t])})[0]) - reference_temperature for each in behind]
    elif any(len(nodes_of(name)) for name in problem.enclosed):
        signs += [-1.0, 1.0]
    for name, laws in problem.exchanges.items():
        if not len(nodes := nodes_of(name)):
            continue
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
            signs += [float(heat.min(initial=0.0)), float(heat.max(initial=0.0))]
    low = -np.inf if min(signs, default=0.0) < 0 else min(values, default=np.inf)
    high = np.inf if max(signs, default=0.0) > 0 else max(values, default=-np.inf)
    return low, high


def met_beside(problem: Problem, temperature: Floats, nodes: Ints, t: float) -> Bounds:
    """Return the lowest and highest temperature, K, that ``nodes`` (k,) have beside them in a ``temperature`` (n,) in
    K: at the other nodes of their cells, across their joints, and in what they meet themselves at a time ``t`` in s.
    Infinite where one is tied to others."""
    mesh = problem.mesh
    at = np.zeros(mesh.node_count, dtype=bool)
    at[nodes] = True
    tied = [mesh.surfaces[name].nodes for pair in problem.periodic for name in pair]
    if any(at[each].any() for each in [*tied, *(each.nodes for each in problem.isothermal)]):
        return -np.inf, np.inf
    gives = problem.sources or problem.points or problem.joints
    terms = build_terms(problem, 0.0) if gives else []
    beside = [block.nodes[at[block.nodes].any(axis=1)].ravel() for block in mesh.blocks]
    for term in terms:
        if term.kind == "joint":
            beside.append(term.nodes[at[term.nodes].any(axis=1)].ravel())
    around = np.concatenate(beside)
    values = temperature[around[~at[around]]]
    low, high = together((met_at(problem, (), temperature, 0.0, t, at), _settled(terms, temperature, t, at)))
    return min(low, float(values.min(initial=np.inf))), max(high, float(values.max(initial=-np.inf)))


def _settled(terms: Sequence[Term], temperature: Floats, t: float, at: Flags) -> Bounds:
    """Return between which temperatures in K nodes ``at`` (n,) to which heat is given would be, were what they meet all
    that takes it from them: the fluid about a rod, and more than that by what arises in it over h P."""
    given = [term for term in terms if term.kind in ("region", "point")]
    heated = np.zeros(len(at), dtype=bool)
    for term in given:
        heated[term.nodes] = True
    heated &= at
    if not heated.any():
        return np.inf, -np.inf
    ends = []
    for level in (float(temperature[heated].min()), float(temperature[heated].max())):
        heat, slope = np.zeros(len(at)), np.zeros(len(at))
        for term in (*given, *(term for term in terms if term.kind == "surface")):
            excess = np.full(term.nodes.shape, level)
            own = term.heat(excess, t)
            np.add.at(heat, term.nodes, own)
            np.add.at(slope, term.nodes, (own - term.heat(excess + _WARMER, t)) / _WARMER)
        gains = heated & (heat != 0)
        taken = np.where(slope[gains] > 0, slope[gains], np.inf)
        ends.append(level + np.where(np.isfinite(taken), heat[gains] / taken, np.copysign(np.inf, heat[gains])))
    return float(ends[0].min(initial=np.inf)), float(ends[1].max(initial=-np.inf))


def together(bounds: Iterable[Bounds]) -> Bounds:
    """Return the lowest and the highest of several bounds."""
    lows, highs = zip(*bounds, strict=True)
    return min(lows), max(highs)
