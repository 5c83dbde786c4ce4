"""Opens the demo case, or writes it where there is no display."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from blunt_ember.cli.command import Command, status_of


def _run(options: argparse.Namespace) -> int:
    if has_display():
        from blunt_ember.desk.app.application import run_window

        return run_window(None, demo=True)
    from blunt_ember.report.folder import write_demo

    outcome, written = write_demo(Path(options.output))
    from blunt_ember.report.tables.checks import outcome_text

    print(outcome_text(outcome))
    print("\nThere is no display, so no window was opened. Pictures and tables are in", Path(options.output).resolve())
    for path in written:
        print(f"  {path.name}")
    return status_of(outcome.checks)


def has_display() -> bool:
    """Tell whether a window could be seen."""
    if os.environ.get("QT_QPA_PLATFORM", "").split(":")[0] in ("offscreen", "minimal"):
        return False
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _add_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "-o", "--output", default="blunt-ember-demo", help="folder for pictures and tables without a display"
    )


DEMO = Command(
    "demo", "open the demo case; with no display, solve it and write its pictures and tables", _run, _add_arguments
)
