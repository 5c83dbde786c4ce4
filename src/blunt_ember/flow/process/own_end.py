"""The end of a process that works for another: it does not outlive the one it works for."""

from __future__ import annotations

import ctypes
import os
import signal
import sys

#: What a process asks the Linux kernel for: a signal when the one that started it ends (prctl(2)).
_PR_SET_PDEATHSIG = 1


def end_with_starter() -> None:
    """Let this process be killed when the one that started it ends, whatever it is computing then."""
    end_with(os.getppid())


def end_with(starter: int) -> None:
    """Let this process be killed when ``starter`` ends, the number of the one that started it; now if it has ended."""
    if sys.platform == "linux":
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
        if os.getppid() != starter:
            os.kill(os.getpid(), signal.SIGKILL)
