"""Solves every reference case."""

from __future__ import annotations

import argparse
import os
import sys
import time
from itertools import chain
from typing import TYPE_CHECKING, Any

from blunt_ember.cli.command import AGREED, OFF, Command, add_json, print_json
from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable

if TYPE_CHECKING:
    from blunt_ember.case.case import Case
    from blunt_ember.checks.verdict import Check


@immutable
class _Verified:
    """What one reference case came to: its checks, by how much its ledger is open, and how many seconds it took."""

    name: str
    checks: tuple[Check, ...]
    open_by: float
    seconds: float


def _verified(name: str, case: Case) -> _Verified:
    """Solve a reference case; it runs in a process of its own.

    Where every answer is known beforehand nothing is held against estimated errors, which take further solutions.
    """
    from blunt_ember.flow.flow import Flow

    started = time.perf_counter()
    known_before = all(question.expect is not None for question in case.document.questions)
    flow = Flow(curves=False)
    outcome = flow.answered(case) if known_before else flow.run(case)
    open_by = outcome.ledger.relative if outcome.ledger is not None else 0.0
    # What nobody knows beforehand is asked for its own sake.
    known = tuple(check for check in outcome.checks if check.expected is not None or check.source is not None)
    return _Verified(name, known, open_by, time.perf_counter() - started)


def _all_verified(cases: list[tuple[str, Case]]) -> list[_Verified]:
    """Solve cases on all cores, and say on the error channel how far it is; the order stays."""
    # What other commands do without.
    from concurrent.futures import ProcessPoolExecutor, as_completed
    from multiprocessing import get_context

    workers = min(os.cpu_count() or 1, len(cases))
    with ProcessPoolExecutor(workers, get_context("spawn")) as pool:
        # What runs in time takes longest, so that it comes first.
        order = sorted(cases, key=lambda each: each[1].document.running_clock is None)
        waiting = {pool.submit(_verified, name, case): name for name, case in order}
        found: dict[str, _Verified] = {}
        for done in as_completed(waiting):
            found[waiting[done]] = one = done.result()
            print(f"{len(found):>4} of {len(cases)}  {one.name}  {one.seconds:.1f} s", file=sys.stderr, flush=True)
    return [found[name] for name, _ in cases]


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.checks.source import Provenance
    from blunt_ember.gallery.reference_cases import reference_cases
    from blunt_ember.gallery.varied import varied_cases
    from blunt_ember.report.tables.checks import CHECK_HEADINGS, aligned, answer_object, check_rows

    checks: list[Check] = []
    objects: list[dict[str, Any]] = []
    rows: list[tuple[str, ...]] = [("case", *CHECK_HEADINGS)]
    by_case: list[tuple[str, ...]] = [("case", "checks", "agree", "largest deviation", "ledger")]
    every = chain(reference_cases(), varied_cases())
    cases = [(name, case) for name, case in every if options.name is None or options.name in name]
    for one in _all_verified(cases) if cases else ():
        checks += one.checks
        known = [check for check in one.checks if check.relative is not None]
        largest = max((check.relative or 0.0 for check in known), default=0.0)
        agreed = sum(check.verdict == "agrees" for check in one.checks)
        by_case.append((one.name, str(len(one.checks)), str(agreed), f"{largest:.1e}", f"{one.open_by:.0e}"))
        objects += [{"case": one.name, **answer_object(check)} for check in one.checks]
        rows += [(one.name, *row) for row in check_rows(one.checks)]
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
        worst = f"; largest deviation from an exact solution {max(exact):.1e}" if exact else ""
        print(f"\n{agree} of {len(checks)} checks agree{worst}")
    return AGREED if agree == len(checks) else OFF


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("name", nargs="?", help="only cases with this in their name")
    add_json(command)


VERIFY = Command("verify", "solve every shipped reference case, one row a check", _run, _add_arguments)
