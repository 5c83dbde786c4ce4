"""The solver behind its pipe, read as slowly as a busy window reads it."""

from __future__ import annotations

import pickle
from multiprocessing import Event, Pipe
from pathlib import Path
from threading import Thread

import numpy as np

from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.process.server import serve
from blunt_ember.gallery.families import family

#: Longer than any report of how far a run is, and shorter than any run that is sent.
LONG = 5_000


def test_a_run_that_was_stopped_can_be_read_when_the_window_gets_to_it(tmp_path: Path) -> None:
    """Nothing but the server holds such a run, and its fields go with it."""
    ours, theirs = Pipe()
    stop = Event()
    server = Thread(target=serve, args=(theirs, stop, str(tmp_path)), daemon=True)
    server.start()
    case = with_value(family("cooling-wall").case(), ("clock", "tolerance"), "0.00000002 %")
    # What follows temperature goes in steps: so many that it is stopped long before its end on any machine.
    case = with_value(case, ("materials", "casting", "k"), "k_casting*(1 + (T - T_air)/5000 K)")
    ours.send((1, dict(case.data), case.folder))
    unread: list[bytes] = []
    while not any(len(message) < LONG for message in unread):  # how far it is, after what is known before the run
        assert ours.poll(120)
        unread.append(ours.recv_bytes())
    stop.set()
    known = len(unread)
    while ours.poll(1 if any(len(message) > LONG for message in unread[known:]) else 120):
        unread.append(ours.recv_bytes())
    replies = [news for _, news in map(pickle.loads, unread) if isinstance(news, dict)]
    run = next(news["run"] for news in replies if news.get("run") is not None)
    assert run.unfinished
    assert np.isfinite(run.fields.field(len(run.fields.times) - 1)).all()
    ours.close()
    server.join(120)
    assert not server.is_alive()
