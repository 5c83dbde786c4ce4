"""Work shared by threads: all of it is done, with what NumPy is to ignore, and what stops it is told."""

from __future__ import annotations

import os
import threading

import numpy as np
import pytest

from blunt_ember.errors import SolverError
from blunt_ember.in_threads import even_runs, in_threads


@pytest.fixture(autouse=True)
def _three(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("os.sched_getaffinity", lambda process: {0, 1, 2})


def test_runs_of_like_effort_cover_all() -> None:
    efforts = np.cumsum([0, 5, 1, 1, 1, 1, 1, 5, 0, 0])
    runs = even_runs(efforts)
    assert [first for first, _ in runs] == [0, *(last for _, last in runs[:-1])] and runs[-1][1] == 9
    assert max(efforts[last] - efforts[first] for first, last in runs) <= 6 and len(runs) == 3
    assert even_runs(np.array([0, 7])) == [(0, 1)] and even_runs(np.zeros(1)) == []


def test_what_is_ignored_and_what_stops_holds_in_every_thread() -> None:
    seen, done = set(), np.zeros(30)

    def work(first: int, last: int) -> None:
        seen.add(threading.get_ident())
        done[first:last] = 1 / np.zeros(last - first)

    with np.errstate(divide="ignore"):
        in_threads(work, even_runs(np.arange(31)))
    assert np.isinf(done).all() and threading.get_ident() in seen

    def stopped(first: int, last: int) -> None:
        done[first:last] = 2
        if last == 30:
            raise SolverError("no value there")

    with pytest.raises(SolverError, match="no value there"):
        in_threads(stopped, even_runs(np.arange(31)))
    assert (done == 2).all()


@pytest.mark.filterwarnings("ignore:.*multi-threaded:DeprecationWarning")
def test_a_process_that_is_forked_has_threads_of_its_own() -> None:
    in_threads(lambda first, last: None, even_runs(np.arange(31)))
    child = os.fork()
    if not child:  # without any of what the tests would do at its end
        done = np.zeros(30)
        in_threads(lambda first, last: done.__setitem__(slice(first, last), 1.0), even_runs(np.arange(31)))
        os._exit(0 if done.all() else 1)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
