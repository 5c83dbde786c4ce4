"""What a solution itself gives away: values used outside the range they hold in, temperatures that cannot be."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.values.display import shown, shown_difference, time_shown
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.errors import Note
from blunt_ember.fem.bounds import met_at, together
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.build import build_terms
from blunt_ember.fem.transient.recorded.run import Run
from blunt_ember.mesh.motion import laid_upon
from blunt_ember.tree_of_places import tree_of

#: How far beyond a range a temperature may go before it is remarked on, K.
_SLACK = 0.5
#: Share of all temperatures that may lie beyond what heat can lead to, and instants looked at.
_BEYOND, _LOOKED_AT = 5e-4, 50
#: Share of the span of a steady solution by which it may lie beyond what heat can lead to, and round-off in K.
_SWING, _ROUND_OFF = 0.01, 1e-6
#: Share of the extent of a side by which nodes may lie apart and be one.
_SAME = 1e-6


def remarks(case: Case, problem: Problem, temperatures: Floats, t: float = 0.0) -> tuple[Note, ...]:
    """Return what temperatures (s, n) in K show to be doubtful: of a solution, or of several instants of a run.

    ``t`` is the time in s at which what is stated is looked at.
    """
    return (
        *_below_zero(temperatures),
        *_beyond_ranges(case, problem, temperatures),
        *_impossible(problem, temperatures, t),
        *_unlike_sides(problem),
    )


def steady_remarks(case: Case, problem: Problem, temperature: Floats) -> tuple[Note, ...]:
    """Return what the temperatures (n,) in K of a steady solution show to be doubtful."""
    return (*remarks(case, problem, temperature[None]), *_swinging(case, problem, temperature))


def _swinging(case: Case, problem: Problem, temperature: Floats) -> Iterator[Note]:
    """Temperatures that no flow of heat leads to, beside a jump of what is held or where conduction has a direction."""
    least, most = float(temperature.min()), float(temperature.max())
    low, high = met_at(problem, (), temperature, 0.0, 0.0)
    much = _SWING * (most - least) + _ROUND_OFF
    if max(low - least, most - high) > much:
        low, high = met_at(problem, build_terms(problem, 0.0), temperature, 0.0, 0.0)
    below = low - least if np.isfinite(low) else 0.0  # else it may go anywhere, or meets nothing
    above = most - high if np.isfinite(high) else 0.0
    if max(below, above) > much:
        kind = case.units.of(TEMPERATURE)
        side, by, bound = ("above", above, high) if above > below else ("below", below, low)
        what = f"temperatures reach {shown_difference(by, kind)} {side} {shown(bound, kind)}, to which no heat can lead"
        yield Note(
            ("mesh",), f"{what}: cells swing beside a jump; extremes leave it out, and cells of order 1 swing less"
        )


def run_remarks(case: Case, run: Run) -> Iterator[Note]:
    """Return what the analyst should know of a run: how it ended, and what its hottest and coldest instants show."""
    kept = run.fields.times
    extreme = [run.times[np.argmax(run.highest)], run.times[np.argmin(run.lowest)], run.times[-1]]
    frames = {int(np.argmin(np.abs(kept - t))) for t in extreme}
    t = float(np.nextafter(run.times[-1], -np.inf))
    yield from remarks(case, run.pieces[-1][1], np.array([run.fields.field(frame) for frame in sorted(frames)]), t)
    yield from _out_of_bounds(case, run)
    if run.unfinished:
        yield Note(("clock",), f"the run was stopped at {time_shown(run.times[-1])}; what comes after is missing")
    clock = case.document.running_clock
    waited = clock is not None and (clock.stages[-1].until if clock.stages else clock.until) is not None
    if waited and not run.met and not run.unfinished:
        yield Note(("clock",), f"the condition was not met by {time_shown(run.times[-1])}, where the clock ends")


def _out_of_bounds(case: Case, run: Run) -> Iterator[Note]:
    """Temperatures that no flow of heat leads to, which cells or steps too large for a sudden change make."""
    first = run.fields.field(0)
    span = float(run.highest.max() - run.lowest.min())
    bounds = [(float(run.lowest[0]), float(run.highest[0]))]
    times = run.times[:: max(1, len(run.times) // _LOOKED_AT)]
    for begin, problem in run.pieces:
        end = next((t for t, _ in run.pieces if t > begin), float(run.times[-1]))
        terms = build_terms(problem, 0.0)
        seen = [begin, *times[(times > begin) & (times < end)].tolist(), float(np.nextafter(end, -np.inf))]
        bounds += [met_at(problem, terms, first, 0.0, t) for t in seen]
    low, high = together(bounds)
    below, above = low - float(run.lowest.min()), float(run.highest.max()) - high
    if max(below, above) <= _BEYOND * span:
        return
    kind = case.units.of(TEMPERATURE)
    side, by, bound = ("above", above, high) if above > below else ("below", below, low)
    slack = _BEYOND * span
    until = run.times[(run.highest > high + slack) | (run.lowest < low - slack)][-1]
    reach = f"temperatures reach {shown_difference(by, kind)} {side} {shown(bound, kind)}"
    what = f"{reach} up to {time_shown(float(until))}, to which no heat can lead"
    cure = "smaller cells, or a 'lumped' capacity with cells of order 1, take that away"
    yield Note(("clock",), f"{what}: the cells are too large for how suddenly it changes; {cure}")


def _unlike_sides(problem: Problem) -> Iterator[Note]:
    """Periodic sides whose nodes do not lie upon each other, as where a mesh was read or divided by hand: what passes
    is then less exact than other cells tell."""
    mesh = problem.mesh
    for names in problem.periodic:
        first, second = (mesh.surfaces[name] for name in names)
        places = laid_upon(mesh, second, first)(mesh.points[second.nodes])
        far = np.asarray(tree_of(mesh.points[first.nodes]).query(places)[0])
        if len(first.nodes) != len(second.nodes) or far.max() > _SAME * np.ptp(mesh.points[first.nodes], axis=0).max():
            what = f"the nodes of '{names[0]}' and '{names[1]}' do not lie upon each other"
            yield Note(("surroundings",), f"{what}; answers may be off by more than their ±. Divide both sides alike")


def _below_zero(temperatures: Floats) -> Iterator[Note]:
    if temperatures.min() < 0:
        what = f"temperatures reach {temperatures.min():.4g} K, below absolute zero"
        yield Note(
            ("surroundings",), f"{what}: more heat is taken out than can flow in; look at signs and units of heat"
        )


def _impossible(problem: Problem, temperatures: Floats, t: float) -> Iterator[Note]:
    """Formulas for emissivities and film coefficients that leave what is possible at the temperatures found."""
    mesh = problem.mesh
    limits = [(name, [limit for law in laws for limit in law.limits]) for name, laws in problem.exchanges.items()]
    limits += [each for law in problem.enclosures for each in law.limits]
    for name, bounds in limits:
        nodes = mesh.surfaces[name].nodes
        over = temperatures[:, nodes]
        places = {
            key: np.broadcast_to(values, over.shape) for key, values in mesh.space.variables(mesh.points[nodes]).items()
        }
        where = {**places, "t": np.full(over.shape, t), "T": over}
        for limit in bounds:
            values = limit.law.at(where)
            values = values[np.isfinite(values)]
            if len(values) and (values.min() < limit.low or values.max() > limit.high):
                span = f"{values.min():.4g} to {values.max():.4g}"
                said = f"the {limit.name} '{limit.law.text}' on {name} goes from {span} (SI)"
                yield Note(("surroundings",), f"{said}; it is {limit.possible}")


def _beyond_ranges(case: Case, problem: Problem, temperatures: Floats) -> Iterator[Note]:
    mesh = problem.mesh
    reached: dict[str, tuple[float, float]] = {}
    fillings = case.document.body.fillings
    for number, region in enumerate(mesh.regions):
        material = fillings[region].material
        own = [temperatures[:, block.nodes[block.region == number]].ravel() for block in mesh.blocks]
        values = np.concatenate(own)
        if material is not None and len(values):
            low, high = reached.get(material, (np.inf, -np.inf))
            reached[material] = min(low, float(values.min())), max(high, float(values.max()))
    kind = case.units.of(TEMPERATURE)
    for name, (low, high) in reached.items():
        material_stated = case.document.materials[name]
        k = material_stated.k
        table = getattr(k, "table", None)
        if material_stated.range is not None and all(end.constant is not None for end in material_stated.range):
            ends = tuple(end.constant or 0.0 for end in material_stated.range)
            what = "its values hold"
        elif table is not None and table.over == "T":
            ends, what = (table.xs[0], table.xs[-1]), "its table goes"
        else:
            continue
        if low < ends[0] - _SLACK or high > ends[1] + _SLACK:
            said = f"{what} from {shown(ends[0], kind)} to {shown(ends[1], kind)}"
            yield Note(
                ("materials", name), f"'{name}' lies between {shown(low, kind)} and {shown(high, kind)}, but {said}"
            )
