"""Solves a case and prints its checks."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from blunt_ember.cli.command import Command, add_json, print_json, require_new, status_of
from blunt_ember.cli.told import Told
from blunt_ember.errors import BluntEmberError
from blunt_ember.kept_imports import kept_imports

if TYPE_CHECKING:
    from blunt_ember.case.case import Case
    from blunt_ember.flow.outcome import Outcome


def _run(options: argparse.Namespace) -> int:
    with kept_imports():
        from blunt_ember.case.editing.edits import with_value
        from blunt_ember.case.files.case_file import read_case
        from blunt_ember.flow.flow import Flow
        from blunt_ember.report.tables.checks import outcome_object, outcome_text

    case = read_case(Path(options.file))
    if options.units is not None:
        case = with_value(case, ("units",), options.units)
    written = _asked_for(options, case)
    with Told() as told:
        outcome = Flow(on_progress=told).run(case)
    if written:
        _write_in_time(options, outcome)
    if options.json:
        print_json(outcome_object(outcome))
    else:
        print(outcome_text(outcome))
        for path in written:
            print(f"{path} written")
    return status_of(outcome.checks)


def _asked_for(options: argparse.Namespace, case: Case) -> list[Path]:
    """The files that histories and fields of a run go to, which nothing is solved for where they cannot be written."""
    written = [Path(name) for name in (options.history, options.series) if name is not None]
    for path in written:
        require_new(path, options.force)
    if written and case.document.running_clock is None:
        raise BluntEmberError("the clock of this case is steady, so it has no histories; let it run first")
    return written


def _write_in_time(options: argparse.Namespace, outcome: Outcome) -> None:
    """Write the histories and the fields of a run where they were asked for."""
    from blunt_ember.report.files.series import write_histories, write_series

    if options.history is not None:
        write_histories(outcome, Path(options.history))
    if options.series is not None:
        write_series(outcome, Path(options.series))


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument("--units", metavar="SET", help="show values in SI, 'SI with mm' or 'US customary'")
    command.add_argument("--history", metavar="FILE", help="write what was asked at every instant of a run (.csv)")
    command.add_argument("--series", metavar="FILE", help="write the fields of a run, for viewers (.xdmf)")
    command.add_argument("--force", action="store_true", help="write over files that exist")
    add_json(command)


SOLVE = Command("solve", "solve a case file and print its checks and heat ledger", _run, _add_arguments)
