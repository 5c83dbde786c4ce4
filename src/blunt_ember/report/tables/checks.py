"""Checks and ledger as JSON objects, CSV and aligned text."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import Any

import numpy as np

from blunt_ember.case.values.display import in_shown_unit, number, shown, shown_difference, time_shown
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS, UnitSet
from blunt_ember.case.values.units import HEAT_FLOW
from blunt_ember.checks.ledger import LedgerRow
from blunt_ember.checks.verdict import Check, place_texts
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.cells.quality import quality_of
from blunt_ember.report.files.series import history_objects

MARKS = {"agrees": "✓ agrees", "off": "✕ off", "open": "○ open"}


def outcome_object(outcome: Outcome) -> dict[str, Any]:
    """Return the outcome as ``blunt-ember solve --json`` prints it."""
    mesh, ledger = outcome.mesh, outcome.ledger
    return {
        "title": outcome.case.document.title,
        "mesh": {
            "nodes": mesh.node_count,
            "cells": mesh.cell_count,
            "order": mesh.order,
            "smallest_angle_deg": round(float(quality_of(mesh).smallest_angle.min()), 2),
        }
        if mesh
        else None,
        "answers": [answer_object(check, outcome.case.units) for check in outcome.checks],
        "ledger": {
            "rows": [_ledger_row(row) for row in ledger.rows],
            "joints": [_ledger_row(row) for row in ledger.joints],
            "isothermal": [_ledger_row(row) for row in ledger.isothermal],
            "environments": [_ledger_row(row) for row in ledger.environments],
            "imbalance_W": ledger.imbalance,
            "imbalance_relative": ledger.relative,
            "stored_W": ledger.stored,
        }
        if ledger
        else None,
        "errors_told_by": outcome.errors.told_by if outcome.errors else "",
        "errors_missing": outcome.errors.missing if outcome.errors else "",
        "unstated": list(outcome.unstated),
        "notes": [{"path": note.path, "message": note.message} for note in outcome.notes],
        "newton": [step.residual for step in outcome.solution.steps] if outcome.solution else [],
        "method": outcome.solution.method if outcome.solution else None,
        "seconds": round(outcome.seconds, 4),
        **_in_time(outcome),
    }


def _ledger_row(row: LedgerRow) -> dict[str, Any]:
    return {"name": row.name, "heat_flow": row.heat, "unit": "W", "stated": row.statement}


def _in_time(outcome: Outcome) -> dict[str, Any]:
    """Of a clock that ran: what was predicted, what it cost, and the histories asked for."""
    run, scales = outcome.run, outcome.scales
    if run is None or scales is None:
        return {}
    return {
        "time_constants_s": {"slowest": scales.slowest, "lumped": scales.lumped, "biot": scales.biot},
        "run": {
            "end_s": float(run.times[-1]),
            "steps": run.work.steps,
            "exact_in_time": run.exact_in_time,
            "refused": run.work.refused,
            "factorised": run.work.factorised,
            "solved": run.work.solved,
            "unfinished": run.unfinished,
            "stage_ends_s": list(run.stage_ends),
            "ledger_worst_step": run.worst_step,
            "ledger_gap_J": float(run.missing[-1]),
        },
        "times_s": run.times.tolist(),
        "histories": history_objects(outcome),
    }


def answer_object(check: Check, units: UnitSet = DEFAULT_UNITS) -> dict[str, Any]:
    """Return a check as a JSON object; value, expected, error, deviation and tolerance are in ``unit`` (or K)."""
    factor = check.kind.factor
    return {
        "name": check.name,
        "asked": check.asked,
        "where": None if check.where is None else place_texts(check.where, units),
        "value": in_shown_unit(check.value, check.kind),
        "unit": check.kind.shown,
        "error": None if check.error is None else check.error * factor,
        "expected": None if check.expected is None else in_shown_unit(check.expected, check.kind),
        "source": None if check.source is None else str(check.source),
        "deviation": None if check.deviation is None else check.deviation * factor,
        "deviation_relative": check.relative,
        "tolerance": check.tolerance,
        "verdict": check.verdict,
        "note": check.note,
    }


CHECK_HEADINGS = ("question", "mesh", "± error", "expected", "deviation", "tolerance", "verdict", "source")


def check_rows(checks: Sequence[Check]) -> list[tuple[str, ...]]:
    """Return a row a check under :data:`CHECK_HEADINGS`, for people."""
    return [
        (
            check.name,
            shown(check.value, check.kind),
            "" if check.error is None else shown_difference(check.error, check.kind),
            "" if check.expected is None else shown(check.expected, check.kind),
            "" if check.deviation is None else shown_difference(check.deviation, check.kind),
            check.tolerance,
            MARKS[check.verdict],
            check.note or ("" if check.source is None else str(check.source)),
        )
        for check in checks
    ]


def checks_csv(outcome: Outcome) -> str:
    """Return the checks as CSV with plain numbers, a unit column, and the ledger's rows behind them."""
    stream = io.StringIO()
    writer = csv.writer(stream)
    writer.writerow(["name", "value", "unit", "error", "expected", "deviation", "tolerance", "verdict", "source"])
    for check in outcome.checks:
        row = answer_object(check)
        keys = ("name", "value", "unit", "error", "expected", "deviation", "tolerance", "verdict", "source")
        writer.writerow(["" if row[key] is None else row[key] for key in keys])
    if outcome.ledger:
        for entry in outcome.ledger.rows:
            writer.writerow([f"ledger: {entry.name} ({entry.statement})", entry.heat, "W"])
        writer.writerow(["ledger: imbalance", outcome.ledger.imbalance, "W"])
    return stream.getvalue()


def outcome_text(outcome: Outcome) -> str:
    """Return the outcome as text for a terminal: mesh, checks, what is not stated, ledger."""
    mesh, ledger = outcome.mesh, outcome.ledger
    lines = [outcome.case.document.title]
    if mesh and outcome.solution:
        kind = "quadratic" if mesh.order == 2 else "linear"
        lines.append(
            f"{number(mesh.node_count)} nodes, {number(mesh.cell_count)} {kind} cells, "
            f"{outcome.solution.method} solve, {outcome.seconds:.2f} s"
        )
    lines += ["", *aligned([CHECK_HEADINGS, *check_rows(outcome.checks)])]
    if outcome.errors and outcome.errors.told_by:
        lines += ["", f"± is {outcome.errors.told_by}"]
    if outcome.errors and outcome.errors.missing:
        lines += ["", f"○ errors not estimated: {outcome.errors.missing}"]
    if outcome.unstated:
        lines += ["", f"○ insulated, as nothing is stated: {', '.join(outcome.unstated)}"]
    if outcome.notes:
        lines += ["", *(f"note: {note}" for note in outcome.notes)]
    if ledger:
        heat = outcome.case.units.of(HEAT_FLOW)
        rows = [(row.name, row.statement, shown(row.heat, heat)) for row in ledger.rows]
        if ledger.stored is not None:
            rows.append(("goes into storage", "", shown(ledger.stored, heat)))
        rows.append(("imbalance", "", f"{ledger.imbalance:.1e} W ({ledger.relative:.1e} of what passes)"))
        rows += [(row.name, f"{row.statement}, inside the body", shown(row.heat, heat)) for row in ledger.joints]
        rows += [(row.name, row.statement, shown(row.heat, heat)) for row in ledger.isothermal + ledger.environments]
        lines += ["", f"Heat ledger, + into the body, {basis(outcome)}", *aligned(rows)]
    lines += _run_lines(outcome)
    if outcome.solution and outcome.solution.steps:
        steps = ", ".join(f"{step.residual:.1e}" for step in outcome.solution.steps)
        lines += ["", f"Newton's method, heat left over after each step: {steps}"]
    return "\n".join(lines)


def _run_lines(outcome: Outcome) -> list[str]:
    """Of a clock that ran: how far, what was predicted, what it cost, and whether the ledger closed throughout."""
    run, scales = outcome.run, outcome.scales
    if run is None:
        return []
    end = float(run.times[-1])
    steps = ", exactly in time" if run.exact_in_time else f" in {run.work.steps} steps"
    lines = [
        "",
        f"The clock ran to {time_shown(end)}{steps} ({run.work.refused} tried again, "
        f"{run.work.factorised} matrices made, {run.work.solved} systems solved)",
    ]
    if run.unfinished:
        lines.append("○ unfinished: it was stopped there")
    if scales is not None and scales.slowest:
        lumped = f", {time_shown(scales.lumped)} if lumped" if scales.lumped is not None else ""
        lines.append(f"predicted: slowest time constant {time_shown(scales.slowest)}{lumped}")
    for swing in outcome.swings:
        later = f"what swings at {swing.at} comes to {swing.to} {time_shown(swing.lag)} later"
        lines.append(f"exact: {later}, {swing.share:.4g} as high (decrement)")
    passed = max(float(np.abs(run.passed).max()), float(np.abs(run.stored).max()), 1e-300)
    gap = float(np.abs(run.missing).max())
    lines.append(f"ledger over the run: {gap:.1e} J unaccounted for at most ({gap / passed:.1e} of what passes)")
    return lines


def basis(outcome: Outcome) -> str:
    """Say what every heat flow of an outcome is for."""
    if outcome.geometry is None:
        return ""
    return outcome.case.document.body.heat_basis


def aligned(rows: Sequence[Sequence[str]]) -> list[str]:
    """Return rows with their columns aligned by spaces."""
    widths = [max(len(row[column]) for row in rows) for column in range(len(rows[0]))]
    return ["  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip() for row in rows]


def in_blocks(rows: Sequence[Sequence[str]], lead: int, most: int) -> list[str]:
    """Return rows with their columns aligned, in as many blocks below each other as keep lines within ``most``
    characters; the first ``lead`` columns stand in each, and no column is cut."""
    widths = [max(len(row[column]) for row in rows) + 2 for column in range(len(rows[0]))]
    blocks: list[list[int]] = [[]]
    for column in range(lead, len(widths)):
        taken = sum(widths[:lead]) + sum(widths[other] for other in blocks[-1])
        if blocks[-1] and taken + widths[column] - 2 > most:
            blocks.append([])
        blocks[-1].append(column)
    lines: list[str] = []
    for block in blocks:
        columns = [*range(lead), *block]
        lines += ["", *aligned([[row[column] for column in columns] for row in rows])]
    return lines[1:]
