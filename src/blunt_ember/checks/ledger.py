"""The heat ledger: every surface with the heat through it, and what does not balance."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from types import MappingProxyType

import numpy as np

from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.values.units import HEAT, HEAT_FLOW, Kind
from blunt_ember.errors import SolverError
from blunt_ember.fem.laws.film import FilmLaw
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.transient.recorded.run import AS_NOTHING, Run
from blunt_ember.immutable import immutable

#: What an imbalance of the size of round-off counts for.
_ROUND_OFF = 1e-9
_NONE: Mapping[str, float] = MappingProxyType({})
#: Share of the most heat that ever moved below which an instant of a run is as good as still.
_STILL = 1e-9
#: Share of all heat that has moved within the body that passes through it at least, for the imbalance of a whole run to
#: be held against.
_WITHIN = 1e-3


@immutable
class LedgerRow:
    """Heat in W, or J of a whole run, entering the body (+) or leaving it (−) through ``name``.

    ``statement`` says what stands there.
    """

    name: str
    heat: float
    statement: str


@immutable
class Ledger:
    """Rows, and by how much their sum is more than what is ``stored``, W; ``relative`` is that imbalance over the heat
    that passes through.

    ``joints`` are heat that passes inside the body, from the first region to the second, and ``isothermal`` what parts
    of one temperature take in and pass on; ``environments`` what comes from each through all that faces it, where it is
    more than one. Of a whole run all is in J, as its ``kind`` says; of a steady answer nothing is stored.
    """

    rows: tuple[LedgerRow, ...]
    imbalance: float
    relative: float
    joints: tuple[LedgerRow, ...] = ()
    stored: float | None = None
    kind: Kind = HEAT_FLOW
    isothermal: tuple[LedgerRow, ...] = ()
    environments: tuple[LedgerRow, ...] = ()

    @property
    def aside(self) -> tuple[LedgerRow, ...]:
        """The rows that take no part in the balance."""
        return self.joints + self.isothermal + self.environments


#: By how much of the heat that passes a ledger may be open; what is solved closes a thousand times better.
TOLERANCE = 1e-6


def require_closed(found: Ledger | None) -> None:
    """Raise :class:`SolverError` where a ledger does not close: such a solution is no answer."""
    if found is None or found.relative <= TOLERANCE:
        return
    raise SolverError(
        f"the heat ledger is open by {found.relative:.2%} of the heat that passes, {TOLERANCE:.4%} is allowed: "
        "this is no answer; look for values far out of scale, such as a conductivity without bounds"
    )


def ledger(
    problem: Problem,
    heat: Mapping[str, float],
    document: CaseDocument,
    noise: float = 0.0,
    radiated: Mapping[str, float] = _NONE,
) -> Ledger:
    """Make the ledger of a steady solution, under the analyst's own names: every surface on which something acts, every
    source, and the joints, which take no part in the balance.

    Of a surface of an enclosure on which something else acts besides, what it gains of the ``radiated`` heat, W, is a
    row of its own. Where hardly any heat passes, the imbalance is held against the ``noise`` of round-off, W, instead.
    """
    rows, joints = _rows(problem, heat, document, radiated)
    imbalance = sum(row.heat for row in rows)
    return Ledger(
        rows,
        imbalance,
        _relative(rows, imbalance, noise),
        joints,
        isothermal=_isothermal(problem, heat, document),
        environments=_environments(problem, heat),
    )


def ledger_at(run: Run, document: CaseDocument, instant: int, whole: bool = False) -> Ledger:
    """Make the ledger of an ``instant`` of a run by its number, in W; or of the ``whole`` run up to it, in J."""
    problem = run.problem_at(float(run.times[instant]))
    source = run.passed if whole else run.power
    heat = dict(zip(run.names, source[instant].tolist(), strict=True))
    rows, joints = _rows(problem, heat, document)
    shown = {row.name for row in rows}
    inner = {name for name, facets in problem.mesh.surfaces.items() if not facets.outer}
    others = [name for name in run.names if name not in inner and run.passed[:, run.column(name)].any()]
    rows += tuple(
        LedgerRow(document.own_name(name), heat[name], "earlier or later")
        for name in others
        if document.own_name(name) not in shown
    )
    stored = float(run.stored[instant].sum()) if whole else float(run.storing[instant])
    imbalance = sum(row.heat for row in rows) - stored
    gone = (*rows, LedgerRow("", stored, ""))
    # What moves within a body that hardly anything enters or leaves counts too.
    lasted = float(run.times[-1]) or 1.0
    most, moved = float(np.abs(run.passed if whole else run.power).sum(axis=1).max()), run.moved[0 if whole else 1]
    floor = max(
        _STILL * most, (_WITHIN if whole else _STILL) * moved, AS_NOTHING * run.held / (1.0 if whole else lasted)
    )
    return Ledger(
        rows,
        imbalance,
        _relative(gone, imbalance, floor * _ROUND_OFF),
        joints,
        stored,
        HEAT if whole else HEAT_FLOW,
        environments=_environments(problem, heat),
    )


def _rows(
    problem: Problem, heat: Mapping[str, float], document: CaseDocument, radiated: Mapping[str, float] = _NONE
) -> tuple[tuple[LedgerRow, ...], tuple[LedgerRow, ...]]:
    """What takes part in the balance, and the joints."""
    periodic = {name for pair in problem.periodic for name in pair}
    rows = []
    for name, facets in problem.mesh.surfaces.items():
        acted = name in problem.held or name in problem.exchanges or name in problem.enclosed
        if not facets.outer or not (acted or name in periodic):
            continue
        own, through = document.own_name(name), heat.get(name, 0.0)
        others = _acting(name, problem)
        if name in radiated and others:
            rows.append(LedgerRow(own, through - radiated[name], others))
            rows.append(LedgerRow(own, radiated[name], problem.enclosed[name].label))
        else:
            rows.append(LedgerRow(own, through, _statement(name, problem)))
    # Several statements may give heat to one region, which is one row.
    sources = {each.name: each.label for each in problem.sources} | {each.name: each.label for each in problem.points}
    rows += [LedgerRow(name, heat.get(name, 0.0), label) for name, label in sources.items()]
    joints = tuple(
        LedgerRow(document.own_name(name), heat.get(name, 0.0), joint.label) for name, joint in problem.joints.items()
    )
    return tuple(rows), joints


def _relative(rows: Iterable[LedgerRow], imbalance: float, noise: float) -> float:
    through = max(sum(abs(row.heat) for row in rows) / 2, noise / _ROUND_OFF)
    return abs(imbalance) / through if through else 0.0


def _environments(problem: Problem, heat: Mapping[str, float]) -> tuple[LedgerRow, ...]:
    """What comes from each environment through all surfaces that face it; nothing where each has one."""
    facing: dict[str, list[str]] = {}
    for name, laws in problem.exchanges.items():
        for environment in {law.environment for law in laws if isinstance(law, FilmLaw) and law.environment}:
            facing.setdefault(environment, []).append(name)
    if max(map(len, facing.values()), default=0) < 2:
        return ()
    return tuple(
        LedgerRow(environment, sum(heat.get(name, 0.0) for name in names), "all that faces it")
        for environment, names in facing.items()
    )


def _isothermal(problem: Problem, heat: Mapping[str, float], document: CaseDocument) -> tuple[LedgerRow, ...]:
    """What every part of one temperature takes in, and so passes on."""
    rows = []
    for each in problem.isothermal:
        inside = {source.name for source in problem.sources if source.region in each.regions}
        taken = [heat.get(name, 0.0) for name in inside] + [abs(heat.get(name, 0.0)) for name in each.surfaces]
        for name, facets in problem.mesh.surfaces.items():
            within = [region in each.regions for region in facets.regions]
            if facets.outer and within[0]:
                taken.append(heat.get(name, 0.0))
            elif not facets.outer and sum(within) == 1:
                # Through an interface it passes from the first region to the second.
                taken.append(heat.get(name, 0.0) * (-1 if within[0] else 1))
        rows.append(
            LedgerRow(each.name, sum(amount for amount in taken if amount > 0), "passes on, of one temperature")
        )
    return tuple(rows)


def _statement(name: str, problem: Problem) -> str:
    seen = [problem.enclosed[name].label] if name in problem.enclosed else []
    if name not in problem.held and name not in problem.exchanges and not seen:
        return "periodic"
    return " and ".join(dict.fromkeys([each for each in (_acting(name, problem), *seen) if each])) or "insulated"


def _acting(name: str, problem: Problem) -> str:
    """What acts on a surface besides an enclosure."""
    if name in problem.held:
        return "held"
    return " and ".join(dict.fromkeys(law.label for law in problem.exchanges.get(name, ())))
