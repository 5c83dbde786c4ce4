"""How long a body takes, told before it is solved: lumped, and by the slowest of its own modes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.errors import BluntEmberError, OpenCaseError
from blunt_ember.fem.assembly import facet_weights
from blunt_ember.fem.coupling import coupled
from blunt_ember.fem.linear import LinearSolver
from blunt_ember.fem.problem.conductors import conductivity_at
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.problem.well_posedness import require_anchor, separate_parts_of
from blunt_ember.fem.steady.steady import solve_steady
from blunt_ember.fem.terms.on_facets import OnSurface
from blunt_ember.fem.transient.exact.exact_in_time import ExactStepper, is_exact
from blunt_ember.fem.transient.heat_balance import Heating
from blunt_ember.fem.transient.stepwise.stepping import Stepper
from blunt_ember.immutable import immutable

#: Inverse iteration for the slowest mode: most steps, and the change of its time at which it ends.
_MODE_STEPS, _MODE_CHANGE = 60, 1e-6
#: Time constants after which 99.3 % of a change is over.
SETTLED_AFTER = 5.0
#: Share of the span within which a run ends that says nothing of its end.
SETTLED_SHARE = 0.005
#: Instants at which what follows time is looked at for its range.
_LOOKS = 65


@immutable
class TimeScales:
    """What physics says of a case before it is solved.

    ``slowest`` is the time constant in s of the slowest mode, 1/λ₁ of K x = λ C x as linearised at the start; None
    where nothing holds a temperature. ``lumped`` in s is C/(h A), the body at one temperature; None where a surface is
    held or none meets a fluid. ``biot`` is h L/k with ``length`` L in m, volume over the surface that exchanges heat;
    ``diffusivity`` in m²/s. ``span`` in K is how far temperatures are expected to lie apart, ``first_step`` in s what
    the first step is tried with.
    """

    slowest: float | None
    lumped: float | None
    biot: float | None
    length: float | None
    diffusivity: float
    span: float
    first_step: float

    @property
    def suggested_end(self) -> float | None:
        """Time in s after which next to nothing changes any more."""
        return None if self.slowest is None else SETTLED_AFTER * self.slowest

    def fourier(self, t: float) -> float | None:
        """Return the Fourier number a t/L² of a time in s."""
        return None if self.length is None else self.diffusivity * t / self.length**2


def time_scales(
    problem: Problem,
    start: Floats,
    reference_temperature: float,
    horizon: float | None,
    tolerance: Callable[[float], float],
) -> TimeScales:
    """Return the time scales of a problem from its ``start`` (n,) in K.

    ``horizon`` in s is when it ends, if known; ``tolerance`` in K is what time stepping may be wrong by, for a span of
    temperatures in K.
    """
    heating = Heating(problem, reference_temperature, 0.0)
    state = heating.state(start - reference_temperature, 0.0)
    excess = state.excess
    slowest = _slowest(heating, excess)
    mesh = problem.mesh
    storage = heating.storage
    capacity = float(sum(each.slope(excess[each.nodes]).sum() for each in storage))
    volume = float(sum(each.volumes.sum() for each in storage))
    exchanged, area = 0.0, 0.0
    for term in heating.terms:
        if isinstance(term, OnSurface) and term.anchors:
            slope = term.slope(excess[term.nodes], 0.0)
            exchanged += 0.0 if slope is None else float(slope.sum())
            area += float(term.weights.sum())
    held = sum(
        float(facet_weights(mesh.surfaces[name], block, mesh).sum())
        for name in problem.held
        for block in mesh.surfaces[name].blocks
    )
    conductivity = _mean_conductivity(heating, excess)
    length = volume / (area + held) if area + held > 0 else None
    films_only = exchanged > 0 and not problem.held
    biot = exchanged / area * length / conductivity if films_only and length is not None else None
    lumped = capacity / exchanged if films_only else None
    end = horizon if horizon is not None else SETTLED_AFTER * slowest if slowest is not None else 0.0
    span = _span(heating, start, slowest, end, capacity)
    plain = Stepper(heating, tolerance(span), slowest or np.inf)
    stepper = ExactStepper(heating, plain) if is_exact(heating) else plain
    first = stepper.first_length(state, end) if end > 0 else 0.0
    return TimeScales(slowest, lumped, biot, length, conductivity * volume / capacity, span, first)


def _slowest(heating: Heating, excess: Floats) -> float | None:
    """The slowest time constant in s by inverse iteration; None where a part of the body keeps its heat for ever."""
    parts = separate_parts_of(heating.problem, heating.terms, heating.constraints)
    try:
        require_anchor(heating.problem, heating.terms, heating.constraints, parts)
    except OpenCaseError:
        return None
    if not heating.constraints.prolongation.shape[1]:
        return 0.0
    conductance = heating.constraints.reduced(heating.conductance(excess, 0.0))
    capacity = heating.constraints.reduced(heating.capacity(excess))
    couplings = heating.couplings(excess, 0.0, 1.0)
    sparse = LinearSolver(conductance, heating.spaces, heating.problem.mesh.dimension, heating.symmetric, repeated=True)
    solver = coupled(sparse, couplings)
    mode = np.ones(conductance.shape[0])
    slowest = 0.0
    for _ in range(_MODE_STEPS):
        mode = solver.solve(np.asarray(capacity @ mode))
        mode /= np.abs(mode).max()
        lost = conductance @ mode - sum(each.left @ (each.middle @ (each.right @ mode)) for each in couplings)
        before, slowest = slowest, float((mode @ (capacity @ mode)) / (mode @ lost))
        if abs(slowest - before) <= _MODE_CHANGE * abs(slowest):
            break
    return slowest if np.isfinite(slowest) and slowest > 0 else None


def _mean_conductivity(heating: Heating, excess: Floats) -> float:
    """Conductivity in W/(m K) by volume, in the first of its directions."""
    mesh, total, volume = heating.problem.mesh, 0.0, 0.0
    for each in heating.storage:
        block = each.block
        places = mesh.points[block.nodes].mean(axis=1)[:, None]
        temperature = heating.reference_temperature + excess[block.nodes].mean(axis=1)[:, None]
        k = conductivity_at(heating.problem.conductors, mesh, block.region, places, temperature)
        by_cell = k[:, 0] if k.ndim == 2 else k[:, 0, 0, 0]
        total += float(by_cell @ each.volumes.sum(axis=1))
        volume += float(each.volumes.sum())
    return total / volume


def _span(heating: Heating, start: Floats, slowest: float | None, end: float, capacity: float) -> float:
    """How far temperatures are expected to lie apart by the end, K: the start, what is held, and where it settles."""
    problem, mesh = heating.problem, heating.problem.mesh
    seen = [float(start.min()), float(start.max())]
    met = [(name, law) for name, laws in problem.exchanges.items() for each in laws for law in each.ambient]
    # What merely surrounds the body may lie far off; it counts where it changes, as the body will follow.
    met += [(law.chamber.surfaces[0], law.opening) for law in problem.enclosures if law.opening is not None]
    stated = [*problem.held.items(), *((name, law) for name, law in met if not law.variables - {"t"})]
    for name, law in stated:
        points = mesh.points[mesh.surfaces[name].nodes]
        for t in np.linspace(0.0, end, _LOOKS) if law.follows_time else (0.0,):
            values = law.at({**mesh.space.variables(points), "t": np.full(len(points), t)})
            values = values[np.isfinite(values)]
            seen += [float(values.min()), float(values.max())] if len(values) else []
    if slowest is not None:
        try:
            come = 1 - np.exp(-end / slowest) if slowest > 0 else 1.0
            reached = start + come * (solve_steady(problem).temperature - start)
            seen += [float(reached.min()), float(reached.max())]
        except BluntEmberError:
            pass  # the run itself will say what is wrong, if anything is
    elif end > 0:
        power = float(np.abs(heating.heat(start - heating.reference_temperature, 0.0).sum()))
        seen.append(seen[0] + power * end / capacity)
    return max(seen) - min(seen)
