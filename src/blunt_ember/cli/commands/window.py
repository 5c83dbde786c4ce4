"""Opens the window."""

from __future__ import annotations

import argparse
from pathlib import Path

from blunt_ember.cli.command import Command
from blunt_ember.errors import BluntEmberError


def _run(options: argparse.Namespace) -> int:
    path = Path(options.file) if options.file else None
    if path is not None and not path.exists() and path.suffix != ".ember":
        raise BluntEmberError(f"there is no file and no command '{options.file}'; see blunt-ember --help")
    from blunt_ember.desk.app.application import run_window

    return run_window(path, demo=False)


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", nargs="?", help="a case file (.ember)")


WINDOW = Command(
    "window", "open the window, on a case file if one is given (also: blunt-ember FILE)", _run, _add_arguments
)
