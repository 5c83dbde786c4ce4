"""The end of a process that works for another: it does not outlive the one it works for."""

from __future__ import annotations

import ctypes
import os
import signal
import sys
from multiprocessing import forkserver
from pathlib import Path

#: What a process asks the Linux kernel for: a signal when the one that started it ends (prctl(2)).
_PR_SET_PDEATHSIG = 1


#: What says the number of the one that starts a process, which may have ended before that process can ask for it.
_STARTER = "BLUNT_EMBER_STARTER"


def begin_forking() -> None:
    """Start the process that others are forked from, which imports the first of what it is told to at once: it ends
    with this one, and with the thread that starts it."""
    os.environ[_STARTER] = str(os.getpid())
    try:
        forkserver.ensure_running()
    finally:
        del os.environ[_STARTER]


def end_with_starter() -> None:
    """Let this process be killed when the one that started it ends, whatever it is computing then."""
    end_with(int(os.environ.pop(_STARTER, os.getppid())))


def end_with(starter: int) -> None:
    """Let this process be killed when ``starter`` ends, the number of the one that started it; now if it has ended."""
    if sys.platform == "linux":
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
        if os.getppid() != starter:
            os.kill(os.getpid(), signal.SIGKILL)


def end_without(origin: int) -> None:
    """Let this process end now where what it was forked from works for ``origin`` no more.

    That may have ended before its number could be known there; as long as what is forked from it lives, so does it.
    """
    if sys.platform == "linux":
        # The name, which may hold anything, stands in brackets; behind it come the state and the parent.
        said = Path(f"/proc/{os.getppid()}/stat").read_text()
        if int(said.rpartition(")")[2].split()[1]) != origin:
            os.kill(os.getpid(), signal.SIGKILL)
