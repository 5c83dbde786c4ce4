"""How far answers about rods may be off whose cells are longer than the layer that a film at their sides lets a change
reach.

A temperature that is forced on a rod dies out along it with exp(-m x), m² = h P/(k A) (F. P. Incropera et al.,
*Fundamentals of Heat and Mass Transfer*, 2007, 3.6.2). Cells longer than 1/m lose it within them, and from mesh to mesh
answers change by less than they are off.
"""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.fem.problem.conductors import conductivity_at
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import surface_terms
from blunt_ember.flow.answering.early_times import growth
from blunt_ember.flow.answering.rivals import problem_at


def told_in_layers(case: Case, solved: SolvedField, amounts: Floats, halved: bool) -> Floats:
    """Return the ``amounts`` (a,) by which answers may be off, SI, larger where cells of a rod do not follow what its
    sides make of it at the time an answer is for. They were told by cells that were ``halved``, or by larger ones."""
    if solved.mesh.dimension != 1:
        return amounts
    asked = [problem_at(question, solved) for question in case.document.questions]
    at_time = {t: growth(_too_long(solved, problem, t), halved) for problem, t in asked}
    return amounts * [at_time[t] for _, t in asked]


def _too_long(solved: SolvedField, problem: Problem, t: float) -> float:
    """How many times as long as the layer at its side the longest cell is, in parts that its order makes of it."""
    mesh = solved.mesh
    worst = 0.0
    for term in surface_terms(problem, 0.0):
        falls = term.slope(solved.temperature[term.nodes], t)
        if falls is None or term.nodes.shape[1] == 1:  # what meets an end is no side
            continue
        ends = mesh.points[term.nodes[:, :2]]
        length, middle = np.abs(ends[:, 1, 0] - ends[:, 0, 0]), ends.mean(axis=1, keepdims=True)
        region = np.broadcast_to(term.regions, len(length))
        here = solved.temperature[term.nodes].mean(axis=1, keepdims=True)
        k = conductivity_at(problem.conductors, mesh, region, middle, here, t)[:, 0]
        passes = k * mesh.space.of_cells(region, middle)[:, 0] / length
        ratio = np.sqrt(np.maximum(falls.sum(axis=(1, 2)), 0.0) / passes) / mesh.order
        worst = max(worst, float(ratio.max(initial=0.0)))
    return worst
