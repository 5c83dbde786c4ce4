"""Writes a report."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from blunt_ember.cli.command import Command, add_output, count_of_meshes, require_new, status_of
from blunt_ember.cli.told import Told
from blunt_ember.kept_imports import kept_imports

if TYPE_CHECKING:
    from blunt_ember.case.case import Case
    from blunt_ember.studies.result import StudyDone


def _run(options: argparse.Namespace) -> int:
    path, source = Path(options.output), Path(options.file)
    require_new(path, options.force)
    with kept_imports():
        from blunt_ember.case.files.case_file import read_case
        from blunt_ember.flow.flow import Flow
        from blunt_ember.refinement.uniform import uniform_refinement
        from blunt_ember.report.page.html import write_report
        from blunt_ember.report.page.second_hand import drawing_along

    case = read_case(source)
    with drawing_along() as second:
        with Told() as told:
            flow = Flow(on_progress=told)
            outcome = flow.run(case)
            wanted = options.refine and case.document.questions
            levels = tuple(uniform_refinement(flow, case, options.refine)) if wanted else ()
        kinds = flow.kinds(case, flow.solved(case))
        studies = _studies(case, source) if case.document.studies else ()
        write_report(outcome, path, levels, kinds, studies=studies, second=second)
    print(f"{path} written")
    return status_of(outcome.checks)


def _studies(case: Case, source: Path) -> list[StudyDone]:
    """Those that can be done; of the others it is said that they are not in the report."""
    from blunt_ember.studies.points import StudyError
    from blunt_ember.studies.result import StudyDone
    from blunt_ember.studies.running.store import ResultsStore
    from blunt_ember.studies.study import study

    found = []
    store = ResultsStore(source.with_suffix(".results"))
    try:
        for name in case.document.studies:
            try:
                found.append(StudyDone(case, name, study(case, name, store)))
            except StudyError as error:
                print(f"the study '{name}' is not in the report: {error}", file=sys.stderr)
    finally:
        store.close()
    return found


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument("--refine", type=count_of_meshes, metavar="N", help="with what N finer and finer meshes say")
    add_output(command, "page to write (.html)")


REPORT = Command(
    "report", "write pictures, statement, checks, ledger and methods as one HTML page", _run, _add_arguments
)
