"""Solves every reference case."""

from __future__ import annotations

import argparse
from typing import Any

from blunt_ember.cli.command import AGREED, OFF, Command, add_json, print_json
from blunt_ember.errors import BluntEmberError


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.checks.source import Provenance
    from blunt_ember.checks.verdict import Check
    from blunt_ember.flow.flow import Flow
    from blunt_ember.gallery.reference_cases import reference_cases
    from blunt_ember.report.checks_table import CHECK_HEADINGS, aligned, answer_object, check_rows

    flow, checks, objects = Flow(), list[Check](), list[dict[str, Any]]()
    rows: list[tuple[str, ...]] = [("case", *CHECK_HEADINGS)]
    by_case: list[tuple[str, ...]] = [("case", "checks", "agree", "largest deviation", "ledger")]
    for name, case in reference_cases():
        if options.name is not None and options.name not in name:
            continue
        outcome = flow.run(case)
        checks += outcome.checks
        known = [check for check in outcome.checks if check.relative is not None]
        largest = max((check.relative or 0.0 for check in known), default=0.0)
        agreed = sum(check.verdict == "agrees" for check in outcome.checks)
        open_by = outcome.ledger.relative if outcome.ledger is not None else 0.0
        by_case.append((name, str(len(outcome.checks)), str(agreed), f"{largest:.1e}", f"{open_by:.0e}"))
        objects += [{"case": name, **answer_object(check)} for check in outcome.checks]
        rows += [(name, *row) for row in check_rows(outcome.checks)]
    if not checks:
        raise BluntEmberError(f"there is no reference case with '{options.name}' in its name")
    agree = sum(check.verdict == "agrees" for check in checks)
    exact = [
        check.relative or 0.0
        for check in checks
        if check.source is not None and check.source.provenance is Provenance.EXACT
    ]
    if options.json:
        summary = {"agree": agree, "count": len(checks), "largest_deviation_from_exact": max(exact, default=0.0)}
        print_json({**summary, "checks": objects})
    else:
        print("\n".join(aligned(rows)))
        print("\n".join(["", *aligned(by_case)]))
        largest = max(exact, default=0.0)
        print(f"\n{agree} of {len(checks)} checks agree; largest deviation from an exact solution {largest:.1e}")
    return AGREED if agree == len(checks) else OFF


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("name", nargs="?", help="only cases with this in their name")
    add_json(command)


VERIFY = Command("verify", "solve every shipped reference case, one row a check", _run, _add_arguments)
