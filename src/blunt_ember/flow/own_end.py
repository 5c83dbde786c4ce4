"""The end of a process that works for another: it does not outlive the one it works for."""

from __future__ import annotations

import ctypes
import os
import signal
import sys
from pathlib import Path

#: What a process asks the Linux kernel for: a signal when the one that started it ends (prctl(2)).
_PR_SET_PDEATHSIG = 1


def end_with_starter() -> None:
    """Let this process be killed when the one that started it ends, whatever it is computing then."""
    if sys.platform == "linux":
        starter = os.getppid()
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
        if os.getppid() != starter:  # it ended in between
            os.kill(os.getpid(), signal.SIGKILL)


def own_mark() -> str:
    """Return a mark of this process that no later one has: its number and when it started."""
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
