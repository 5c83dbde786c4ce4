"""Work on runs of numbers by several threads, each with a run of its own."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from contextvars import copy_context
from functools import lru_cache, partial
from itertools import pairwise

import numpy as np

from blunt_ember.arrays import Floats, Ints

#: What threads are called that stay for the work to come.
NAME = "shared work"
#: Threads that memory is wide enough for.
_MOST_THREADS = 4


def even_runs(efforts: Ints | Floats) -> list[tuple[int, int]]:
    """Return the first and the one after the last of the runs that threads take, who then have the same effort about.

    ``efforts`` (n + 1,) is what all before each of the n take together.
    """
    count = min(len(os.sched_getaffinity(0)), _MOST_THREADS)
    cuts = np.searchsorted(efforts, np.linspace(0, efforts[-1], count + 1)[1:-1]).tolist()
    return [(first, last) for first, last in pairwise([0, *cuts, len(efforts) - 1]) if first < last]


def in_threads(work: Callable[[int, int], None], runs: list[tuple[int, int]]) -> None:
    """Do the work on every run; the first in this thread, and each of the others in one beside it.

    The work must not ask for threads itself.
    """
    if len(runs) < 2:
        for run in runs:
            work(*run)
        return
    # What NumPy is to ignore holds in all of them.
    others = [_threads(os.getpid()).submit(partial(copy_context().run, work, *run)) for run in runs[1:]]
    try:
        work(*runs[0])
    finally:
        wait(others)
    for other in others:
        other.result()


def each_in_threads(work: Callable[[int], None], count: int, large: bool) -> None:
    """Do the work on each of a ``count`` of numbers, in even shares by several threads where it is ``large``."""

    def share(first: int, last: int) -> None:
        for number in range(first, last):
            work(number)

    in_threads(share, even_runs(np.arange(count + 1)) if large else [(0, count)])


@lru_cache(maxsize=1)
def _threads(process: int) -> ThreadPoolExecutor:
    """Those of a process, which begin when they are first needed: to start one anew takes as long as much of the work.

    A process that was forked has none of the threads of the one before.
    """
    return ThreadPoolExecutor(_MOST_THREADS - 1, NAME)
