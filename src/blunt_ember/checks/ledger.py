"""The heat ledger: every surface with the heat through it, and what does not balance."""

from __future__ import annotations

from dataclasses import dataclass

from blunt_ember.case.document import CaseDocument
from blunt_ember.fem.problem import Problem


@dataclass(frozen=True)
class LedgerRow:
    """Heat in W entering the body (+) or leaving it (−) through ``name``; ``statement`` says what stands there."""

    name: str
    heat: float
    statement: str


@dataclass(frozen=True)
class Ledger:
    """Rows and their sum, W; ``relative`` is the imbalance over the heat that passes through."""

    rows: tuple[LedgerRow, ...]
    imbalance: float
    relative: float


def ledger(problem: Problem, heat: dict[str, float], document: CaseDocument) -> Ledger:
    """Make the ledger of a steady solution from the heat through every surface, under the analyst's own names."""
    rows = []
    for name, facets in problem.mesh.surfaces.items():
        if facets.outer and (name in problem.held or name in problem.exchanges):
            rows.append(LedgerRow(document.own_name(name), heat[name], _statement(name, problem)))
    imbalance = sum(row.heat for row in rows)
    through = sum(abs(row.heat) for row in rows) / 2
    return Ledger(tuple(rows), imbalance, abs(imbalance) / through if through else 0.0)


def _statement(name: str, problem: Problem) -> str:
    if name in problem.held:
        return "held"
    exchange = problem.exchanges[name]
    said = (["flux"] if exchange.flux else []) + (["film"] if exchange.h else [])
    return " and ".join(said) or "insulated"
