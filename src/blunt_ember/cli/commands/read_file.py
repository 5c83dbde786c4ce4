"""Makes a case of a drawing or a mesh."""

from __future__ import annotations

import argparse
from pathlib import Path

from blunt_ember.cli.command import AGREED, Command, add_output, require_new
from blunt_ember.errors import BluntEmberError


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.report.files.foreign_files import UnitMissingError, case_from_foreign

    path = Path(options.output)
    require_new(path, options.force)
    try:
        read = case_from_foreign(Path(options.file), options.unit)
    except UnitMissingError as error:
        raise BluntEmberError(f"{error} (--unit mm)") from error
    write_case(read.case, path)
    names = ", ".join(read.case.document.body.fillings)
    print(f"{path} written: {names}. State their materials and what surrounds them.")
    if read.left_out:
        print(read.left_out)
    return AGREED


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE", help="a drawing (.dxf, .svg) or a mesh (.vtu and others)")
    command.add_argument("--unit", help="what 1 is in the file, such as mm, where it does not say")
    add_output(command, "case file to write")


READ = Command("read", "make a case of a drawing (DXF, SVG) or of a mesh file", _run, _add_arguments)
