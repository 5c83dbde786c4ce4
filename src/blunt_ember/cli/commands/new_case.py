"""Writes a case of a family."""

from __future__ import annotations

import argparse
from pathlib import Path

from blunt_ember.cli.command import AGREED, Command, add_output


def _run(options: argparse.Namespace) -> int:
    from blunt_ember.case.files.case_file import write_case
    from blunt_ember.gallery.families import family
    from blunt_ember.gallery.family import FamilyError

    settings: dict[str, str] = {}
    for setting in options.set:
        name, equals, value = setting.partition("=")
        if not equals or not name.strip() or not value.strip():
            raise FamilyError(f"'{setting}' is not NAME=QUANTITY; write for example --set \"t_brick=120 mm\"")
        settings[name.strip()] = value.strip()
    path = Path(options.output)
    case = family(options.family).case(settings)
    if path.exists() and not options.force:
        raise FamilyError(f"{path} exists already; choose another name or add --force")
    write_case(case, path)
    print(f"wrote {path}")
    return AGREED


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("family", metavar="FAMILY", help="a family, as 'blunt-ember families' lists them")
    command.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=QUANTITY",
        help='set a parameter, with its unit: --set "t_brick=120 mm"; may be repeated',
    )
    add_output(command, "case file to write")


NEW = Command("new", "write a case of a family to a file", _run, _add_arguments)
