"""Writes a mesh, a picture, a table or a body."""

from __future__ import annotations

import argparse
from pathlib import Path

from blunt_ember.cli.command import AGREED, Command, add_output, require_new
from blunt_ember.cli.told import Told
from blunt_ember.kept_imports import kept_imports


def _run(options: argparse.Namespace) -> int:
    with kept_imports():
        from blunt_ember.case.files.case_file import read_case
        from blunt_ember.flow.flow import Flow
        from blunt_ember.picture.look import Look
        from blunt_ember.picture.palette import LIGHT
        from blunt_ember.report.exporting import ExportOptions, write_outcome
        from blunt_ember.report.files.picture_file import USUAL, picture_size

    path = Path(options.output)
    require_new(path, options.force)
    size = USUAL if options.size is None else picture_size(options.size)
    with Told() as told:
        *_, outcome = Flow(on_progress=told).outcomes(read_case(Path(options.file)))
    look = Look(options.lens, options.part or "")
    write_outcome(outcome, path, ExportOptions(look, LIGHT, size=size, table=options.table or ""))
    known = " with its temperatures" if outcome.solution is not None and path.suffix == ".vtu" else ""
    print(f"{path} written{known}")
    return AGREED


def _add_arguments(command: argparse.ArgumentParser) -> None:
    from blunt_ember.picture.lenses.registry import LENSES
    from blunt_ember.report.exporting import export_words
    from blunt_ember.report.tables.number_tables import TABLES

    command.add_argument("file", metavar="FILE", help="a case file (.ember)")
    command.add_argument("--lens", choices=tuple(LENSES), default="Temperature", help="what a picture shows")
    command.add_argument("--part", help="what of a lens, such as 'along x' of the heat flow")
    command.add_argument("--size", metavar="WxH", help="size of a picture in pixels, such as 1600x1000")
    command.add_argument("--table", choices=TABLES, help="write this table instead of the checks (.csv)")
    add_output(command, f"file to write, of a kind that its suffix says: {export_words()}")


EXPORT = Command(
    "export",
    "write the mesh with its temperatures (VTU), a picture, a table, or the body as STL or SVG",
    _run,
    _add_arguments,
)
