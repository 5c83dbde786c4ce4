"""The command line: a thin user of the flow."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Mapping, Sequence
from types import MappingProxyType

from blunt_ember import __version__
from blunt_ember.cli.command import AGREED, SOLVER_FAILED, STOPPED, WRONG_CASE, Command
from blunt_ember.cli.commands.demo import DEMO
from blunt_ember.cli.commands.export import EXPORT
from blunt_ember.cli.commands.families import FAMILIES_COMMAND
from blunt_ember.cli.commands.materials import MATERIALS
from blunt_ember.cli.commands.new_case import NEW
from blunt_ember.cli.commands.read_file import READ
from blunt_ember.cli.commands.refine import REFINE
from blunt_ember.cli.commands.report import REPORT
from blunt_ember.cli.commands.say import SAY
from blunt_ember.cli.commands.schema import SCHEMA
from blunt_ember.cli.commands.solve import SOLVE
from blunt_ember.cli.commands.study import STUDY
from blunt_ember.cli.commands.textbook import TEXTBOOK_COMMAND
from blunt_ember.cli.commands.verify import VERIFY
from blunt_ember.cli.commands.window import WINDOW
from blunt_ember.errors import BluntEmberError, CaseError, SolverError

#: Every command by its name, in the order of the help.
COMMANDS: Mapping[str, Command] = MappingProxyType(
    {
        command.name: command
        for command in (
            WINDOW,
            DEMO,
            FAMILIES_COMMAND,
            NEW,
            SAY,
            SOLVE,
            REFINE,
            REPORT,
            READ,
            EXPORT,
            MATERIALS,
            TEXTBOOK_COMMAND,
            STUDY,
            VERIFY,
            SCHEMA,
        )
    }
)

_EPILOG = """\
a first case, from nothing to a verdict:
  blunt-ember families                          see which cases there are, and their parameters
  blunt-ember new composite-wall -o wall.ember  write one, with values you can change in any text editor
  blunt-ember solve wall.ember                  solve it and set every answer beside what is expected
  blunt-ember wall.ember                        the same in the window

exit status: 0 nothing is off, 1 a check is off, 2 the case or the command is wrong, 3 the solver failed,
             130 it was stopped (Ctrl+C)
"""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; return the exit status."""
    # Threads of dense linear algebra wait for each other in a loop: where another program has a core too, what takes
    # three seconds takes twenty. It is read when NumPy is loaded, which is after this.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    given = list(sys.argv[1:] if arguments is None else arguments)
    if not given or (not given[0].startswith("-") and given[0] not in COMMANDS):
        given = ["window", *given]
    parser = _parser(given[0])
    options = parser.parse_args(given)
    try:
        return int(options.run(options))
    except CaseError as error:
        return _fail(
            options,
            "the case is wrong",
            [{"path": f.path, "message": f.message} for f in error.faults],
            [str(fault) for fault in error.faults],
            WRONG_CASE,
        )
    except SolverError as error:
        return _fail(options, "the solver failed", [{"path": "", "message": str(error)}], [str(error)], SOLVER_FAILED)
    except BluntEmberError as error:
        return _fail(options, "this cannot be done", [{"path": "", "message": str(error)}], [str(error)], WRONG_CASE)
    except KeyboardInterrupt:
        print("\nstopped", file=sys.stderr)
        return STOPPED
    except BrokenPipeError:  # the reader of a pipe, such as head, has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return AGREED


def _fail(options: argparse.Namespace, what: str, faults: list[dict[str, str]], lines: list[str], status: int) -> int:
    if getattr(options, "json", False):
        print(json.dumps({"error": what, "faults": faults}, ensure_ascii=False, indent=2))
    name = f"{options.file}: " if getattr(options, "file", None) else ""
    print(f"{name}{what}", file=sys.stderr)
    for line in lines:
        print(f"  {line}", file=sys.stderr)
    return status


def _parser(chosen: str) -> argparse.ArgumentParser:
    """The parser, with the arguments of the chosen command: those of others may take long to import."""
    parser = argparse.ArgumentParser(
        prog="blunt-ember",
        description="State a thermal case, solve it on a mesh, and set every answer beside theory.",
        epilog=_EPILOG,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"blunt-ember {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True)
    for command in COMMANDS.values():
        own = commands.add_parser(command.name, help=command.summary, description=command.summary)
        own.set_defaults(run=command.run)
        if command.name == chosen:
            command.add_arguments(own)
    return parser
