"""What one more correction makes of the heat of a solution: by how much it is off, where the sum of all that is left
over says too little."""

from __future__ import annotations

from blunt_ember.errors import SolverError
from blunt_ember.fem.coupling import coupled
from blunt_ember.fem.linear import LinearSolver
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.steady.balance import Balance
from blunt_ember.fem.steady.heat_flows import HeatFlows, noise_of
from blunt_ember.fem.steady.steady import Solution

#: How many times as far as the correction takes it heat may be off: the correction is off itself by round-off.
_MORE = 2.0


def missed_by_correction(problem: Problem, solution: Solution) -> dict[str, float]:
    """Return by how much heat in W may be off through every surface and of every source, by its name.

    Costs as much as solving once more. Raises :class:`SolverError` as that does.
    """
    heat = solution.heat
    if heat is None:
        raise SolverError("the heat of this solution was not kept")
    balance = Balance(problem)
    excess = solution.temperature - balance.reference_temperature
    left = balance.constraints.collected(balance.residual(excess))
    if len(left):
        sparse = LinearSolver(balance.matrix(excess), balance.spaces, problem.mesh.dimension, balance.symmetric)
        by = coupled(sparse, balance.couplings(excess)).solve(left)
        excess = excess + balance.constraints.every(by)
    reaction = -balance.residual(excess)
    reaction[balance.untied] = 0.0
    flows = HeatFlows(problem, balance.constraints)
    before, after = flows.of(heat.given, heat.reaction), flows.of(balance.given(excess), reaction)
    noise = noise_of(problem, heat)
    return {name: _MORE * abs(after[name] - before[name]) + noise.get(name, 0.0) for name in before}
