"""Places that may be as hot, or as cold, as the one an extreme is read at.

The extreme may stand still from mesh to mesh, as at the edge of what is held, while it is another place that comes to
lie beyond it: as far as that one may be off, less by how far it lies behind. And the place itself may be none: by the
maximum principle nothing is hotter than all beside it without heat that takes it there.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from blunt_ember.arrays import Flags, Floats, Ints
from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.question import Question
from blunt_ember.case.document.questions.temperatures import PointQuestion
from blunt_ember.case.kept_blocks import BlockTexts
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.readers import question_probes
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.bounds import Bounds, met_beside
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.flow.answering.about_points import nearest_kept, temperature_at
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Rivals of one extreme at most, and the share of the span of temperatures that they may lie behind it.
_MOST, _BEHIND = 6, 0.25
#: How far inwards of its node a place is asked for, as a share of its cell: a body ends elsewhere on other cells.
_INWARDS = 0.05
#: What is held differs at most by so much from what the body meets there, K.
HELD = 1e-9
#: What lies beyond all beside it should lie inside of that, and is off by more than it is beyond.
_INSIDE = 1.5
#: Shares of the span of temperatures by which nodes that are looked beside with an extreme may lie behind it, and how
#: many these may be.
_OUT, _MOST_OUT = (0.02, 0.1, 0.3), 5_000
#: Share of a temperature that is lost in keeping fields of a run.
_KEPT = 1e-6


@immutable
class Rivals:
    """The question (r,) that each rival belongs to, 1 where that is for the highest and -1 for the lowest, the
    ``extreme`` (r,) in K that it found, beyond it by what is lost in keeping, and how far this may go before it is
    beyond what the body meets, ``most`` (r,) in K."""

    owners: Ints
    signs: Floats
    extreme: Floats
    most: Floats

    def taken_in(self, amounts: Floats, beside: Floats) -> Floats:
        """Return the amounts (a,) of a case's own questions from all, of which those of rivals (r,), whose temperatures
        are ``beside`` (r,) in K, are the last."""
        own = amounts[: len(amounts) - len(self.owners)].copy()
        behind = self.signs * (self.extreme - beside)
        np.fmax.at(own, self.owners, np.minimum(amounts[len(own) :] - behind, self.most))
        return own


NO_RIVALS = Rivals(np.zeros(0, dtype=np.int64), np.zeros(0), np.zeros(0), np.zeros(0))


def asked_at_rivals(case: Case, solved: SolvedField) -> tuple[Case, Rivals]:
    """Return a case with questions for the places that rival its extremes behind its own."""
    questions = list[Question](case.document.questions)
    found: list[tuple[int, float, float, float]] = []
    for place, question, probe in extremes_asked(case, solved):
        asked, run = question.asked_time, solved.run
        kept = run is not None and asked is not None
        if run is not None and asked is not None and run.fields.times[nearest_kept(asked.si, run)] != asked.si:
            continue  # what is beside it then is not known
        temperature, sign = temperature_at(question, solved), 1.0 if probe.highest else -1.0
        extreme = solved.reached(probe(temperature), probe.highest)
        most = abs(solved.reached(np.inf if probe.highest else -np.inf, probe.highest) - extreme)
        lost = _KEPT * abs(extreme) if kept else 0.0
        for node in _rivals(probe, temperature, held_at(question, solved)).tolist() if most > 0 else ():
            questions.append(_asked_near(solved.mesh, node, f"rival {place} {len(found)}", question))
            found.append((place, sign, extreme + sign * lost, most))
    columns = np.array(found, dtype=float).reshape(-1, 4).T
    document = case.document.model_copy(update={"questions": questions})
    rivals = Rivals(columns[0].astype(np.int64), *columns[1:])
    return replace(case, document=document, texts=BlockTexts({})), rivals


def beyond_all_beside(case: Case, solved: SolvedField) -> Floats:
    """Return how far extremes are off (a,), K, that lie beyond all beside them, where heat does not take them there: in
    a run beyond what was there at any time before too. What was cut to what the body meets is not as far off as that.

    Cells swing so where a film is strong beside what is held, by nearly as much on those of half the size; in space all
    along the edge of that, so that it is the nodes that are nearly as far out, together, that have to be looked beside.
    """
    beyond = np.zeros(len(case.document.questions))
    for place, question, probe in extremes_asked(case, solved):
        temperature, held = temperature_at(question, solved), held_at(question, solved)
        found, sign = probe.found(temperature), 1.0 if probe.highest else -1.0
        node = int(found.nodes[found.shares.argmax()])
        told, own = solved.reached(found.value, probe.highest), probe.nodes
        if held[node] or np.any(np.abs(temperature[own[held[own]]] - told) <= HELD):
            continue  # it is right there
        most = 0.0
        for nodes in _as_far_out(solved.mesh, np.where(held, -np.inf, sign * temperature), node):
            least = np.inf
            for low, high in _beside(question, solved, temperature, nodes):  # few have to be looked at
                least = min(least, sign * (found.value - (high if probe.highest else low)))
                if least <= 0:
                    break
            if np.isfinite(least):  # all of a body has nothing beside it
                most = max(most, least)
        beyond[place] = _INSIDE * most - abs(told - found.value)
    return beyond


def _as_far_out(mesh: Mesh, up: Floats, node: int) -> Iterator[Ints]:
    """A ``node``, and then those of its neighbourhood that lie behind it by less than ever larger shares of the span
    of ``up`` (n,) in K, -inf at nodes that do not count."""
    yield np.array([node])
    span = float(up[node] - up[np.isfinite(up)].min())
    for share in _OUT:
        out = up >= up[node] - share * span
        if out.sum() > _MOST_OUT:
            return
        yield _joined(mesh, out, node)


def _joined(mesh: Mesh, out: Flags, node: int) -> Ints:
    """The nodes that are ``out`` (n,) and that cells join to a ``node``."""
    cells = [block.nodes[out[block.nodes].any(axis=1)] for block in mesh.blocks]
    rows = np.concatenate([np.repeat(np.arange(len(each)), each.shape[1]) for each in cells])
    rows += np.repeat(np.cumsum([0, *(len(each) for each in cells)])[:-1], [each.size for each in cells])
    columns = np.concatenate([each.ravel() for each in cells])
    kept = out[columns]
    numbers, places = np.unique(columns[kept], return_inverse=True)
    has = csr_array((np.ones(len(places)), (rows[kept], places)), shape=(len(rows), len(numbers)))
    _, component = connected_components(has.T @ has, directed=False)
    return np.asarray(numbers[component == component[np.searchsorted(numbers, node)]])


def _beside(question: Question, solved: SolvedField, temperature: Floats, nodes: Ints) -> Iterator[Bounds]:
    """What nodes (k,) have beside them where a question is asked, and in a run what was there before, the latest
    first."""
    run = solved.run
    if run is None:
        assert solved.problem is not None
        yield met_beside(solved.problem, temperature, nodes, 0.0)
        return
    fields, asked = run.fields, question.asked_time
    end = float(run.times[-1]) if asked is None else float(fields.times[nearest_kept(asked.si, run)])
    yield met_beside(run.problem_at(end), temperature, nodes, end)
    start = fields.field(0)[nodes]
    yield float(start.min()), float(start.max())
    for frame, t in reversed(list(enumerate(fields.times.tolist()))):
        if t <= end:
            yield met_beside(run.problem_at(t), fields.field(frame), nodes, t)


def extremes_asked(case: Case, solved: SolvedField) -> Iterator[tuple[int, Question, ExtremeProbe]]:
    """The questions for an extreme of elements at one time, with their places and what reads them."""
    for place, question in enumerate(case.document.questions):
        if question.condition is None and question.readings and question.readings[0].how in ("highest", "lowest"):
            (probe,) = question_probes(question, place, solved)
            if isinstance(probe, ExtremeProbe):
                yield place, question, probe


def problem_at(question: Question, solved: SolvedField) -> tuple[Problem, float]:
    """What is solved at the time of a question, and that time in s."""
    if solved.run is None:
        assert solved.problem is not None
        return solved.problem, 0.0
    asked = question.asked_time
    t = float(solved.run.times[-1]) if asked is None else asked.si
    return solved.run.problem_at(t), t


def held_at(question: Question, solved: SolvedField) -> Flags:
    """Which nodes (n,) are held at the time of a question."""
    held = np.zeros(solved.mesh.node_count, dtype=bool)
    for name in problem_at(question, solved)[0].held:
        held[solved.mesh.surfaces[name].nodes] = True
    return held


def _rivals(probe: ExtremeProbe, temperature: Floats, held: Flags) -> Ints:
    """Nodes (r,) that nothing holds and none beside them, which nothing holds either, exceeds; the nearest rivals
    first."""
    best, sign = probe.found(temperature), 1.0 if probe.highest else -1.0
    up, least = sign * temperature, sign * best.value - _BEHIND * float(np.ptp(temperature))
    up = np.where(held | (up < least), -np.inf, up)
    around = np.full(len(up), np.inf)
    around[probe.nodes] = -np.inf
    for block in probe.blocks:
        nodes = block.nodes[np.isfinite(up[block.nodes]).any(axis=1)]
        np.maximum.at(around, nodes, up[nodes].max(axis=1, keepdims=True))
    own = best.nodes[~held[best.nodes]]
    rivals = np.setdiff1d(np.flatnonzero(np.isfinite(up) & (up >= around)), own)
    return rivals[np.argsort(-up[rivals], kind="stable")][:_MOST]


def _asked_near(mesh: Mesh, node: int, name: str, like: Question) -> Question:
    """A question for the temperature a little inwards of a node, at the time of one ``like`` it."""
    for block in mesh.blocks:
        cells = np.flatnonzero((block.nodes == node).any(axis=1))
        if len(cells):
            break
    middle, place = mesh.points[block.nodes[cells[0]]].mean(axis=0), mesh.points[node]
    texts = [f"{value!r} m" for value in (place + _INWARDS * (middle - place)).tolist()]
    side = mesh.regions[block.region[cells[0]]]
    point = PointQuestion.model_validate({"name": name, "temperature": texts, "side": side})
    return point.model_copy(update={"time": like.asked_time})
