"""A mark of a process that no later one has, to be put on what it leaves lying about."""

from __future__ import annotations

import os
from pathlib import Path


def own_mark() -> str:
    """Return the mark of this process: its number and when it started."""
    return f"{os.getpid()}-{_started(os.getpid())}"


def is_alive(mark: str) -> bool:
    """Tell whether the process of a mark still runs."""
    number, _, started = mark.partition("-")
    return number.isdigit() and started != "" and _started(int(number)) == started


def _started(number: int) -> str:
    """When a process started, in ticks since the machine did; empty where there is none."""
    try:
        said = Path(f"/proc/{number}/stat").read_text(encoding="ascii", errors="replace")
    except OSError:
        return ""
    return said.rpartition(")")[2].split()[19]
