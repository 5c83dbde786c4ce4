"""How far the answers of a case may be off, told by what they are on other cells and with other steps in time.

Small cases are solved again on finer cells. Of large ones that would cost many times the answer; they are solved again
on coarser cells, three times, so that no answer stands still by chance. Where there is nothing coarser, as on a mesh
that was read, the cells are halved after all.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Protocol

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.case import Case
from blunt_ember.case.document.questions.heat_through import HeatFlowQuestion
from blunt_ember.case.document.questions.temperatures import PointQuestion
from blunt_ember.case.values.laws import Law
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.checks.questions.answers import answer
from blunt_ember.checks.questions.readers import question_probes
from blunt_ember.checks.questions.solved_field import SolvedField
from blunt_ember.errors import BluntEmberError, CaseError, StoppedError
from blunt_ember.fem.between_nodes import missed_between_nodes
from blunt_ember.fem.memory import require_memory
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.singular_flux import flux_is_singular, settles_slowly
from blunt_ember.flow.answering.about_points import answers_beside, asked_about_points, largest_about, temperature_at
from blunt_ember.flow.answering.beside_held import unseen_beside_held
from blunt_ember.flow.answering.early_times import told_early
from blunt_ember.flow.answering.rivals import HELD, NO_RIVALS, asked_at_rivals, beyond_all_beside
from blunt_ember.flow.answering.side_layers import told_in_layers
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Nodes up to which a steady case is solved again on halved cells, and nodes times steps of a run, by the dimension of
#: the mesh.
FINER_NODES = {1: 200_000, 2: 60_000, 3: 8_000}
FINER_WORK = {1: 200_000, 2: 60_000, 3: 6_000}
#: A halved cell size takes at least half of the error away where the field is no smoother than at a singular corner:
#: the error of the coarser answer is at most twice the change, and that of the finer one at most the change.
_LEFT_BY_FINER, _LEFT_BY_COARSER = 2.0, 1.0
#: Where the flux is singular an answer may keep more of its error, down to an order of a half; and it leaps from mesh
#: to mesh, so that a part of what larger cells change is added.
_MORE_BY_FINER, _MORE_BY_COARSER, _PART_OF_LARGER = 1.75, 3.0, 0.3
_WHERE_SINGULAR = ", as the flux has singularities"
#: So it does where what is stated bends with temperature or place: within a cell, at one place in one mesh and at
#: another in the next, so that halved cells may change little by chance; all of what larger ones change is added.
_WHERE_BENT, _PART_WHERE_BENT = ", as what is stated bends", 1.0
#: Free cells lie otherwise about a singular corner on every mesh, so that answers leap most.
_PART_LAID_ANEW = 1.5
#: By why answers leap, how much more than twice the change on halved cells is taken, and how that is said.
_MORE = {"": (1.0, "twice"), _WHERE_SINGULAR: (_MORE_BY_FINER, "3.5 times"), _WHERE_BENT: (2.5, "5 times")}
#: Share of an answer that round-off of many steps may take.
_LAST_DIGITS = 1e-14
#: As far as cells swing beyond the limit of an extreme, and as far again, it may lie from that limit.
_CUT = 2.0
#: What cells miss between nodes is known from gradients that are known poorly at surfaces.
_MISSED = 2.0
#: So much larger coarser cells are at least, taken over the body.
_LARGER = 1.5


@immutable
class ResolveSpec:
    """A second solution of a case: how many times every cell is divided, and by how much the error of a step in time
    may be larger."""

    refinement: float = 1.0
    time_tolerance_factor: float = 1.0


#: Share of an answer up to which what sums of all that is left over say is taken as it is.
_COUNTS = 1e-7

#: Why there are no errors where what was running was asked to stop.
STOPPED = "it was stopped before the errors were estimated"
#: On divided cells it is more exact in time as well.
_FINER = ResolveSpec(2, 0.0625)
_LOOSER = 8.0
#: They differ in cells: an answer that one of them leaves where it is by chance is moved by another.
_COARSER = tuple(ResolveSpec(refinement, _LOOSER) for refinement in (0.5, 0.55, 0.6))


class CaseSolver(Protocol):
    """What can solve a case again."""

    def answers(self, case: Case, solved: SolvedField) -> tuple[float, ...]:
        """The mesh value of every question (a,), in SI."""
        ...

    def mesh(self, case: Case, refinement: float) -> Mesh:
        """The mesh of a case with every cell divided so often."""
        ...

    def answers_again(self, case: Case, again: ResolveSpec) -> tuple[float, ...]:
        """The mesh value (a,) of every question in a second solution; raises what stops it."""
        ...


@immutable
class Errors:
    """The estimated error (a,) of every answer in SI, NaN where there is none; ``told_by`` says what they were taken
    from, ``missing`` why one is missing."""

    amounts: tuple[float, ...]
    told_by: str = ""
    missing: str = ""


def estimate_errors(solver: CaseSolver, case: Case, solved: SolvedField) -> Errors:
    """Return how far the answers of a ``solved`` case may be off.

    Raises nothing that has to do with the case: what can't be solved again is an answer without an estimate.
    """
    values = np.array(solver.answers(case, solved))
    none = tuple(np.full(len(values), np.nan).tolist())
    if solved.run is not None and solved.run.unfinished:
        return Errors(none, missing="the run was stopped before its end")
    try:
        amounts, told_by = _amounts_about(solver, case, solved, values)
        amounts = told_in_layers(case, solved, amounts, "half the size" in told_by)
        least = np.maximum(_round_off(case, solved, amounts, values), _LAST_DIGITS * np.abs(values))
        amounts = np.maximum(amounts + _cut_off(case, solved), np.maximum(least, unseen_by_cells(case, solved)))
        amounts = told_early(case, solved, amounts, values, "half the size" in told_by)
    except StoppedError:
        return Errors(none, missing=STOPPED)
    except MemoryError:
        return Errors(none, missing="solving the case again did not fit in memory")
    except BluntEmberError as error:
        return Errors(none, missing=f"solving it again on finer cells: {error}")
    missing = ""
    if np.isnan(amounts[~np.isnan(values)]).any():
        missing = "the condition was not met in a solution it was compared with"
    elif np.isnan(values).any():
        missing = "there is no answer to it"
    return Errors(tuple(amounts.tolist()), told_by, missing)


def _amounts_about(solver: CaseSolver, case: Case, solved: SolvedField, values: Floats) -> tuple[Floats, str]:
    """The amounts, of points the largest of those about them where one other mesh alone is asked, and of extremes what
    their rivals make of them."""
    about = solved.run is None and _small(solved) and not _rough(solved)
    for begun, rivals in (asked_at_rivals(case, solved), (case, NO_RIVALS)):
        more, owners = asked_about_points(begun, solved) if about else (begun, NO_RIVALS.owners)
        if len(more.document.questions) == len(values):
            break
        asked = replace(solved, document=more.document)
        try:
            beside = answers_beside(more, asked, len(values))
            amounts, told_by = _amounts(solver, more, asked, np.concatenate([values, beside]), added=True)
        except CaseError:  # a place beside one that is asked about lies outside of other cells
            continue
        return rivals.taken_in(largest_about(amounts, owners), beside[: len(rivals.owners)]), told_by
    return _amounts(solver, case, solved, values)


def _amounts(
    solver: CaseSolver, case: Case, solved: SolvedField, values: Floats, added: bool = False
) -> tuple[Floats, str]:
    """The amounts, and what they were taken from; raises :class:`CaseError` where places that were ``added`` to those
    asked about lie outside of other cells."""
    in_time = "" if _lost_nothing_in_time(solved) else " and other steps in time"
    why, halved = _rough(solved), f"the change on cells of half the size{in_time}"
    if _small(solved):
        change = _LEFT_BY_FINER * np.abs(solver.answers_again(case, _FINER) - values)
        if not why and solved.run is None and not _is_laid_freely(solved.mesh):
            return change, f"twice {halved}"
        # What was stated at the start of a run need not be smooth either.
        more, times = _MORE[why]
        part = f"{times} {halved}{why}, and a part of that on larger cells"
        if why == _WHERE_SINGULAR and _is_laid_anew(solved.mesh):
            part = f"{times} {halved}{why}, and 1.5 times the largest of those on three meshes of larger cells"
            larger = _by_larger(solver, case, solved, values, _COARSER, added)
            return more * change + _PART_LAID_ANEW * larger, part
        share = _PART_WHERE_BENT if why == _WHERE_BENT else _PART_OF_LARGER
        return more * change + share * _by_larger(solver, case, solved, values, _COARSER[:1], added), part
    if _joinable(case):
        try:
            coarse = solver.mesh(case, _COARSER[0].refinement)
            if coarse.cell_count * _LARGER**coarse.dimension <= solved.mesh.cell_count:
                slow = why == _WHERE_SINGULAR and settles_slowly(_last_problem(solved))
                leaps = slow or (coarse.dimension == 3 and _is_laid_freely(solved.mesh))
                more, times = (_MORE_BY_COARSER, "three times ") if leaps else (1.0, "")
                told_by = f"{times}the largest change on three meshes of larger cells{in_time}{why if slow else ''}"
                return more * _by_coarser(solver, case, solved, values), told_by
        except StoppedError:
            raise
        except BluntEmberError as error:  # larger cells do not follow the body, or miss a place that is asked for
            if added and isinstance(error, CaseError):
                raise
    more, times = _MORE[why]
    return more * _by_finer(solver, case, solved, values), f"{times} {halved}{why}"


def _is_laid_anew(mesh: Mesh) -> bool:
    """Whether cells lie otherwise about a corner each time: free ones, and all that are paired."""
    families = {block.family for block in mesh.blocks}
    return len(families) > 1 or any(name.startswith(("tri", "tet", "wedge")) for name in families)


def _is_laid_freely(mesh: Mesh) -> bool:
    """Whether cells that are laid anew lose here what they gain there: linear ones, and all that are paired."""
    return _is_laid_anew(mesh) and (mesh.order == 1 or len({block.family for block in mesh.blocks}) > 1)


def unseen_by_cells(case: Case, solved: SolvedField) -> Floats:
    """Return how far answers (a,) may be off, SI, by what no change from mesh to mesh tells: between nodes, beside what
    is held, and where cells swing."""
    told = (_between_nodes, _cut_off, beyond_all_beside, unseen_beside_held)
    return np.max([each(case, solved) for each in told], axis=0)


def _cut_off(case: Case, solved: SolvedField) -> Floats:
    """Twice by how much what cells have lies beyond what the body meets, where that is taken for an extreme instead
    (a,), K: other cells may swing as far, so that nothing changes, or as far to the other side. Where a place that is
    read is held at it, it is right."""
    cut = np.zeros(len(case.document.questions))
    for place, question in enumerate(case.document.questions):
        if question.readings and question.readings[0].how in ("highest", "lowest") and question.condition is None:
            (probe,) = question_probes(question, place, solved)
            value = probe(solved.temperature)
            met = solved.reached(value, question.readings[0].how == "highest")
            if met != value and np.abs(solved.temperature[probe.nodes] - met).min() > HELD:
                cut[place] = _CUT * abs(met - value)
    return cut


def _between_nodes(case: Case, solved: SolvedField) -> Floats:
    """What linear cells miss between their nodes at points and extremes that are asked about (a,), K, 0 for other
    answers: on other cells the place may lie as well as on these, so that nothing changes."""
    questions, mesh = case.document.questions, solved.mesh
    missed = np.zeros(len(questions))
    if mesh.order != 1:
        return missed
    for place, question in enumerate(questions):
        if not question.readings or question.condition is not None:
            continue
        temperature = temperature_at(question, solved)
        for reading in question.readings if question.asks == PointQuestion.asks else ():
            point = np.array([each.si for each in reading.place])
            side = mesh.regions.index(reading.side) if reading.side is not None else None
            missed[place] = _MISSED * missed_between_nodes(mesh, temperature, point, side)
        for reading, probe in zip(question.readings, question_probes(question, place, solved), strict=True):
            if reading.how in ("highest", "lowest"):
                highest = reading.how == "highest"
                last = solved.reached(np.inf if highest else -np.inf, highest)
                most = abs(last - probe(temperature))  # what the body meets
                missed[place] = min(_MISSED * probe.missed(temperature, mesh), most) if most > 0 else 0.0
    return missed


def _round_off(case: Case, solved: SolvedField, amounts: Floats, values: Floats) -> Floats:
    """What round-off, and what an iteration leaves over, may make of answers (a,), SI: what cells say no more cannot be
    less. Where it would count beside ``amounts`` (a,) and ``values`` (a,) it is looked at closely."""
    if solved.run is not None:
        return np.zeros(len(values))
    at_most = _made_of_heat(case, solved, solved.round_off)
    if solved.missed is not None and (at_most > np.maximum(amounts, _COUNTS * np.abs(values))).any():
        at_most = np.minimum(at_most, _made_of_heat(case, solved, solved.missed()))
    of_temperature = np.array([question.kind is TEMPERATURE for question in case.document.questions], dtype=bool)
    return np.where(of_temperature, solved.off, at_most)


def _made_of_heat(case: Case, solved: SolvedField, missed: dict[str, float]) -> Floats:
    """What answers (a,) come to, SI, where so much heat in W is ``missed`` by name; 0 of what is no heat flow."""
    noisy, made = replace(solved, heat=missed), np.zeros(len(case.document.questions))
    for place, question in enumerate(case.document.questions):
        if question.asks == HeatFlowQuestion.asks:
            made[place] = abs(answer(question, place, noisy))
    return made


def _by_looser_steps(solver: CaseSolver, case: Case, solved: SolvedField, values: Floats) -> Floats:
    """The answers (a,) with looser steps on the same cells. What steps and what cells change is told apart with them:
    the one may hide the other where both change together."""
    if _lost_nothing_in_time(solved):
        return values
    return np.asarray(solver.answers_again(case, ResolveSpec(1, _LOOSER)))


def _by_larger(
    solver: CaseSolver, case: Case, solved: SolvedField, values: Floats, meshes: tuple[ResolveSpec, ...], added: bool
) -> Floats:
    """The largest change on ``meshes`` of larger cells (a,), a part of which lets no answer stand still by chance; 0
    where there are none."""
    looser = _by_looser_steps(solver, case, solved, values)
    in_time = np.abs(looser - values)
    if not _joinable(case):
        return in_time
    try:
        changes = [np.abs(np.subtract(solver.answers_again(case, again), looser)) for again in meshes]
        return in_time + np.max(changes, axis=0)
    except StoppedError:
        raise
    except BluntEmberError as error:  # larger cells do not follow the body, or miss a place that is asked for
        if added and isinstance(error, CaseError):
            raise
        return in_time


def _rough(solved: SolvedField) -> str:
    """Why answers leap from mesh to mesh, empty where they do not; of a run, in the end."""
    problem = _last_problem(solved)
    if flux_is_singular(problem):
        return _WHERE_SINGULAR
    laws = (value for _, value in solved.document.values if isinstance(value, Law))
    return _WHERE_BENT if any(law.has_kinks and law.variables - {"t"} for law in laws) else ""


def _last_problem(solved: SolvedField) -> Problem:
    """What was solved, or held in the end of a run."""
    problem = solved.problem if solved.run is None else solved.run.pieces[-1][1]
    assert problem is not None
    return problem


def _lost_nothing_in_time(solved: SolvedField) -> bool:
    """Whether all errors are those of the mesh."""
    return solved.run is None or solved.run.exact_in_time


def _small(solved: SolvedField) -> bool:
    nodes, dimension = solved.mesh.node_count, solved.mesh.dimension
    if solved.run is None:
        return nodes <= FINER_NODES[dimension]
    return nodes * solved.run.work.steps <= FINER_WORK[dimension]


def _joinable(case: Case) -> bool:
    """Whether there are larger cells: not where the mesh was read, or one cell was counted out by hand."""
    document = case.document
    return not document.body.files and all(entry.divisions != 1 for entry in document.mesh.local)


def _by_coarser(solver: CaseSolver, case: Case, solved: SolvedField, values: Floats) -> Floats:
    """What looser steps change, and the largest change to coarser cells; with one cell across every layer also what a
    second one changes."""
    beside = _by_looser_steps(solver, case, solved, values)
    changes = [np.abs(solver.answers_again(case, again) - beside) for again in _COARSER]
    error = np.abs(beside - values) + _LEFT_BY_COARSER * np.max(changes, axis=0)
    if case.document.mesh.across != 1:
        return error
    time_tolerance_factor = ResolveSpec(1, 1 if _lost_nothing_in_time(solved) else _LOOSER)
    two = replace(
        case, document=case.document.model_copy(update={"mesh": case.document.mesh.model_copy(update={"across": 2})})
    )
    return error + _LEFT_BY_FINER * np.abs(np.subtract(solver.answers_again(two, time_tolerance_factor), beside))


def _by_finer(solver: CaseSolver, case: Case, solved: SolvedField, values: Floats) -> Floats:
    """Twice the change on halved cells; of a run with looser steps, and added what these change by themselves."""
    require_memory(solver.mesh(case, 2))
    if _lost_nothing_in_time(solved):
        return _LEFT_BY_FINER * np.abs(solver.answers_again(case, ResolveSpec(2)) - values)
    beside = _by_looser_steps(solver, case, solved, values)
    finer = solver.answers_again(case, ResolveSpec(2, _LOOSER))
    return np.abs(np.subtract(beside, values)) + _LEFT_BY_FINER * np.abs(np.subtract(finer, beside))
