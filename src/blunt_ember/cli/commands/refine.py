"""Solves a case on finer and finer meshes."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from shutil import get_terminal_size

from blunt_ember.cli.command import AGREED, Command, add_json, count_of_meshes, print_json
from blunt_ember.cli.told import Told
from blunt_ember.errors import BluntEmberError


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import read_case
    from blunt_ember.flow.flow import Flow
    from blunt_ember.refinement.adaptive import adaptive_refinement
    from blunt_ember.refinement.uniform import LEVELS, uniform_refinement
    from blunt_ember.report.tables.refined import refined_object, refined_text

    told = Told()
    case, flow = read_case(Path(options.file)), Flow(on_progress=told)
    if not case.document.questions:
        raise BluntEmberError("nothing is asked of this case; add a question, so that there is an answer to follow")
    levels = []
    for level in (
        adaptive_refinement(flow, case)
        if options.follow_error
        else uniform_refinement(flow, case, options.levels or LEVELS)
    ):
        levels.append(level)
        told.clear()
        if not options.json:
            print(f"{level.nodes} nodes, {level.seconds:.2f} s", file=sys.stderr)
    kinds = flow.kinds(case, flow.solved(case))
    if options.json:
        print_json(refined_object(case, kinds, levels, options.follow_error))
    else:
        print(refined_text(case, kinds, levels, options.follow_error, get_terminal_size((120, 40)).columns))
    return AGREED


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument(
        "--levels", type=count_of_meshes, metavar="N", help="meshes at most; four when nothing is said"
    )
    finer = "finer cells where the answers need them, until every one is within its tolerance"
    command.add_argument("--follow-error", action="store_true", help=finer)
    add_json(command)


REFINE = Command(
    "refine",
    "solve on finer and finer meshes: order seen, what each answer tends to, and how far off",
    _run,
    _add_arguments,
)
