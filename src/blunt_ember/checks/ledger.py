"""The heat ledger: every surface with the heat through it, and what does not balance."""

from __future__ import annotations

from dataclasses import dataclass

from blunt_ember.case.document import CaseDocument
from blunt_ember.fem.problem import Problem

#: What an imbalance of the size of round-off counts for.
_ROUND_OFF = 1e-9


@dataclass(frozen=True)
class LedgerRow:
    """Heat in W entering the body (+) or leaving it (−) through ``name``; ``statement`` says what stands there."""

    name: str
    heat: float
    statement: str


@dataclass(frozen=True)
class Ledger:
    """Rows and their sum, W; ``relative`` is the imbalance over the heat that passes through.

    ``joints`` are heat that passes inside the body, from the first region to the second.
    """

    rows: tuple[LedgerRow, ...]
    imbalance: float
    relative: float
    joints: tuple[LedgerRow, ...] = ()


def ledger(problem: Problem, heat: dict[str, float], document: CaseDocument, noise: float = 0.0) -> Ledger:
    """Make the ledger of a steady solution, under the analyst's own names: every surface on which something acts, every
    source, and the joints, which take no part in the balance.

    Where hardly any heat passes, the imbalance is held against the ``noise`` of round-off, W, instead.
    """
    periodic = {name for pair in problem.periodic for name in pair}
    rows = []
    for name, facets in problem.mesh.surfaces.items():
        if facets.outer and (name in problem.held or name in problem.exchanges or name in periodic):
            rows.append(LedgerRow(document.own_name(name), heat[name], _statement(name, problem)))
    # Several statements may give heat to one region, which is one row.
    sources = dict.fromkeys([each.name for each in problem.sources] + [each.name for each in problem.points])
    rows += [LedgerRow(name, heat[name], "arises inside") for name in sources]
    imbalance = sum(row.heat for row in rows)
    through = sum(abs(row.heat) for row in rows) / 2
    joints = tuple(
        LedgerRow(document.own_name(name), heat[name], "open gap" if conductance is None else "joint")
        for name, conductance in problem.joints.items()
    )
    through = max(through, noise / _ROUND_OFF)
    relative = abs(imbalance) / through if through else 0.0
    return Ledger(tuple(rows), imbalance, relative, joints)


def _statement(name: str, problem: Problem) -> str:
    if name in problem.held:
        return "held"
    if name not in problem.exchanges:
        return "periodic"
    exchange = problem.exchanges[name]
    said = ["flux"] if exchange.fluxes or exchange.even else []
    said += ["film"] if exchange.films else []
    said += ["radiation"] if exchange.radiations else []
    return " and ".join(said) or "insulated"
