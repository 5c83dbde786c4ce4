"""What every command has, and what several share: arguments, exit statuses, and how things are printed."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from blunt_ember.errors import BluntEmberError
from blunt_ember.immutable import immutable
from blunt_ember.written_file import reason

AGREED, OFF, WRONG_CASE, SOLVER_FAILED, STOPPED = 0, 1, 2, 3, 130


@immutable
class Command:
    """A command by its name: what it does in a line, its arguments, and what runs it and returns the exit status."""

    name: str
    summary: str
    run: Callable[[argparse.Namespace], int]
    add_arguments: Callable[[argparse.ArgumentParser], None] = lambda command: None


def require_new(path: Path, force: bool) -> None:
    """Raise :class:`BluntEmberError` where a file exists that must not be written over."""
    try:
        exists = path.exists()
    except OSError as error:
        raise BluntEmberError(f"{path} cannot be written: {reason(error)}") from error
    if exists and not force:
        raise BluntEmberError(f"{path} exists already; choose another name or add --force")


def status_of(checks: Sequence[Any]) -> int:
    """Return the exit status that checks make."""
    return OFF if any(check.verdict == "off" for check in checks) else AGREED


def print_json(value: Any) -> None:
    """Print a value for other programs."""
    print(json.dumps(value, ensure_ascii=False, indent=2))


def add_json(command: argparse.ArgumentParser) -> None:
    """Add the argument that asks for JSON."""
    command.add_argument("--json", action="store_true", help="print JSON, for other programs")


def add_output(command: argparse.ArgumentParser, what: str) -> None:
    """Add the arguments of a file that is written."""
    command.add_argument("-o", "--output", required=True, metavar="FILE", help=what)
    command.add_argument("--force", action="store_true", help="write over a file that exists")


def count_of_meshes(text: str) -> int:
    """Read how many meshes are wanted."""
    if not text.isdigit() or not 2 <= int(text) <= 10:
        raise argparse.ArgumentTypeError(f"'{text}' is not a number of meshes from 2 to 10")
    return int(text)
