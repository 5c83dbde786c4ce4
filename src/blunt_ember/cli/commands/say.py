"""Makes a case of a problem that is noted in one line."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from blunt_ember.cli.command import AGREED, WRONG_CASE, Command, require_new


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.case.case import case_to_text
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.library.shelves import shelves
    from blunt_ember.noted.reading import EXAMPLES, read_line

    read = read_line(options.line, shelves())
    for fault in read.not_understood:
        print(f"not understood: {options.line[fault.start : fault.end].strip()}: {fault.message}", file=sys.stderr)
    for lack in read.missing:
        print(f"still to say: {lack}", file=sys.stderr)
    if read.case is None:
        print(f"write for example: {EXAMPLES[0]}", file=sys.stderr)
        return WRONG_CASE
    if options.output is None:
        print(case_to_text(read.case), end="")
    else:
        path = Path(options.output)
        require_new(path, options.force)
        write_case(read.case, path)
        print(f"wrote {path}")
    return WRONG_CASE if read.not_understood else AGREED


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("line", metavar="LINE", help='such as "wall 114 mm k 0.35; left 980 °C; right air 25 °C h 12"')
    command.add_argument("-o", "--output", metavar="FILE", help="case file to write; printed when nothing is said")
    command.add_argument("--force", action="store_true", help="write over a file that exists")


SAY = Command("say", "make a case of a problem noted in one line", _run, _add_arguments)
