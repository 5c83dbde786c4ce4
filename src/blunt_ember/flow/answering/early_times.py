"""How far answers soon after a change may be off where heat has not come through a cell yet.

Until then cells lose what happens within them, and from mesh to mesh answers change by much less than they are off: a
flux is as large as the cells are small, not as √t has it (H. S. Carslaw & J. C. Jaeger, *Conduction of Heat in Solids*,
1959, 2.5 and 2.9), so that it is off by its change times the cells over the way heat has come.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from functools import partial

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.heat_stored import HeatStoredQuestion
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion, HeatPassedQuestion
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.questions.temperatures import PointQuestion
from blunt_ember.case.values.laws import Law
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.term import sampled
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import Mesh

#: How many times longer than what they ought to follow cells may be, in parts that their order makes of them, before
#: more is lost than is told: by cells of half the size, which change an answer twice as much as larger ones, or by
#: larger ones.
_BY_HALVES, _BY_LARGER = 2.5, 0.6
#: How many times as much where what is stated moves on: what meshes differ by may just pass through nothing.
_MOVING = 2.0
#: How many times what a heat flow changes within the first step it may be off at its begin, where it is read in the
#: mean of that step: with √t it would be twice.
_IN_FIRST_STEP = 3.0
#: Share of all that a law moves at a place that it must move there to have changed, the times before that are looked at
#: for it, at how many places, and what moves by less than such a share of the most at any of them stands still.
_MOVED, _LAGS, _SHORTEST, _PLACES, _STILL = 0.2, 80, 1e-6, 200, 0.05
#: At how many slownesses between the quickest and what cells follow it is looked how far a movement is felt.
_WAYS = 30


def told_early(case: Case, solved: SolvedField, amounts: Floats, values: Floats, halved: bool) -> Floats:
    """Return the ``amounts`` (a,) by which answers of these ``values`` (a,) may be off, SI, larger where they are asked
    for so soon after the start of a run, or after what is stated changed, that cells do not tell yet. They were told by
    cells that were ``halved``, or by larger ones."""
    run = solved.run
    if run is None:
        return amounts
    grown = amounts.copy()
    for place, question in enumerate(case.document.questions):
        if np.isnan(values[place]):
            continue
        asked = question.asked_time
        t = values[place] if question.condition is not None else run.times[-1] if asked is None else asked.si
        if isinstance(question, HeatPassedQuestion | HeatStoredQuestion) and _jumps(run):
            continue  # what nodes take at once becomes half as much with every halving
        if t > 0:
            grown[place] *= growth(_too_long(solved, run, question, float(t)), halved)
        elif isinstance(question, HeatFlowQuestion):
            first, second = (_flow(solved, run, question, row) for row in (0, min(1, len(run.times) - 1)))
            share = abs(second - first) / abs(first) if first else 0.0
            grown[place] = max(grown[place], _IN_FIRST_STEP * share * abs(values[place]))
    return grown


def growth(too_long: float, halved: bool) -> float:
    """Return how many times as much as is told is lost by cells that are so many times ``too_long`` for what they ought
    to follow, in parts that their order makes: told by cells that were ``halved``, or by larger ones."""
    return max(1.0, (too_long - 1) / (_BY_HALVES if halved else _BY_LARGER))


def jumps_at_start(solved: SolvedField, surfaces: Collection[str]) -> str | None:
    """Return the surface among some that is held, from the start of a run on, at another temperature than the body
    begins with; None where there is none. The heat that its own nodes take then has passed before any time has."""
    run = solved.run
    if run is None:
        return None
    return next((name for name in _jumps(run) if name in surfaces), None)


def _jumps(run: Run) -> list[str]:
    """The held surfaces through which heat has passed before any time has."""
    held = run.problem_at(0.0).held
    return [name for name in run.names if name in held and run.passed[0, run.column(name)] != 0]


def _flow(solved: SolvedField, run: Run, question: HeatFlowQuestion, row: int) -> float:
    members = solved.document.members_of(question.target)
    return float(sum(run.power[row, run.column(name)] for name in members if name in run.names))


def _too_long(solved: SolvedField, run: Run, question: Question, t: float) -> float:
    """How many times as long as heat has come the longest cell is where it enters, in parts that its order makes."""
    problem = run.problem_at(t)
    begun = max((begin for begin, _ in run.pieces if begin < t), default=0.0)
    mesh, mean = solved.mesh, float(solved.temperature.mean())
    stated = {*problem.held, *problem.exchanges, *problem.enclosed} & mesh.surfaces.keys()
    if isinstance(question, HeatFlowQuestion):
        stated &= set(solved.document.members_of(question.target))
    worst = 0.0
    for name in stated:
        laws = [law for each in problem.exchanges.get(name, ()) for law in each.values]
        laws += [problem.held[name]] if name in problem.held else []
        moving = [law for law in laws if law.follows_time]
        for region, longest, place in mesh.found(f"first cells at {name}", partial(_first_cells, mesh, name)):
            if not longest:  # its nodes all lie on the surface, as along a rod
                continue
            where = {**mesh.space.variables(place), "T": np.array([mean]), "t": np.array([t])}
            diffusivity, length = _diffusivity(problem, region, where), longest / mesh.order
            enough = length**2 / diffusivity
            since = _unchanged(moving, mesh, name, mean, t, enough)
            times = _MOVING if since < enough else 1.0
            come = float(np.sqrt(diffusivity * min(t - begun, since)))
            beyond = _depth(question, mesh, name) - longest if since < t - begun else 0.0
            worst = max(worst, _felt(times * length, come, max(beyond, 0.0)))
    return worst


def _depth(question: Question, mesh: Mesh, surface: str) -> float:
    """How far a point that is asked about lies from the nodes of a surface, m; nothing of any other question."""
    if not isinstance(question, PointQuestion):
        return 0.0
    point = np.array([each.si for each in question.temperature])
    return float(np.linalg.norm(mesh.points[mesh.surfaces[surface].nodes] - point, axis=1).min())


def _felt(length: float, come: float, beyond: float) -> float:
    """How many times a ``length`` of what cells lose is that which heat has ``come`` since something moved, m, as it is
    felt at a place so far ``beyond`` the first cells: what comes back dies out with exp(-d/√(αt)), the slower the less
    (H. S. Carslaw & J. C. Jaeger, *Conduction of Heat in Solids*, 1959, 2.6)."""
    if not beyond or come >= length:
        return length / come
    ways = np.geomspace(come, length, _WAYS)
    return float(np.max(1 + (length / ways - 1) * np.exp(-beyond / ways)))


def _unchanged(laws: Sequence[Law], mesh: Mesh, surface: str, temperature: float, t: float, longest: float) -> float:
    """For how long before a time, s, none of the ``laws`` on a surface has moved by much of all that it moves; what is
    ``longest``, s, is long enough."""
    since = longest
    seen, lags = t * (1 - 1e-12), np.geomspace(_SHORTEST * longest, longest, _LAGS)
    times = np.concatenate([[seen], seen - lags[lags < seen], np.linspace(0, seen, _LAGS)])
    nodes = mesh.surfaces[surface].nodes
    some = mesh.points[nodes[np.unique(np.linspace(0, len(nodes) - 1, _PLACES).astype(int))]]
    shape = len(some), len(times)  # what stands still at one place may move at another
    where = {each: np.broadcast_to(values[:, None], shape) for each, values in mesh.space.variables(some).items()}
    where |= {"t": np.broadcast_to(times, shape), "T": np.full(shape, temperature)}
    for law in laws:
        values = sampled(law, where)
        span = np.ptp(values, axis=1, keepdims=True)
        # Where a torch has not come yet next to nothing is many times what it was.
        moved = np.any(np.abs(values - values[:, :1]) > _MOVED * np.maximum(span, _STILL * span.max()), axis=0)
        before = lags[lags < seen][np.asarray(moved)[1 : 1 + int((lags < seen).sum())]]
        since = min(since, float(before[0]) if len(before) else longest)
    return since


def _first_cells(mesh: Mesh, surface: str) -> list[tuple[int, float, Floats]]:
    """Regions with how far the longest cells reach away from a surface at which they lie, m, and a place (1, d) in one
    of them."""
    found = []
    on = np.zeros(mesh.node_count, dtype=bool)
    on[mesh.surfaces[surface].nodes] = True
    for block in mesh.blocks:
        corners = block.nodes[:, : CELL_FAMILIES[block.family].corners]
        beside = np.flatnonzero(on[corners].sum(axis=1) >= max(mesh.dimension - 1, 1))
        if not len(beside):
            continue
        places, held = mesh.points[corners[beside]], on[corners[beside]]
        apart = np.linalg.norm(places[:, :, None] - places[:, None], axis=-1)
        reach = np.where(held[:, None], apart, np.inf).min(axis=2).max(axis=1)
        for region in np.unique(block.region[beside]).tolist():
            own = block.region[beside] == region
            found.append((region, float(reach[own].max()), places[own][:1].mean(axis=1)))
    return found


def _diffusivity(problem: Problem, region: int, where: dict[str, Floats]) -> float:
    """That of a region, m²/s, the lowest of its directions, at a place, a temperature in K and a time in s."""
    capacity = problem.capacities[region]
    stored = sampled(capacity.density, where) * sampled(capacity.c, where)
    conducted = min(float(sampled(law, where)[0]) for law in problem.conductors[region].k)
    return conducted / float(stored[0])
