"""The solver behind its pipe, read as slowly as a busy window reads it."""

from __future__ import annotations

import pickle
from multiprocessing import Event, Pipe
from pathlib import Path
from threading import Thread
from typing import Any

import numpy as np

from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.process.server import LASTING, serve, with_news
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


def test_a_body_and_a_mesh_that_stay_are_sent_once(tmp_path: Path) -> None:
    """Whatever is asked between, put together they are what the flow finds."""
    ours, theirs = Pipe()
    server = Thread(target=serve, args=(theirs, Event(), str(tmp_path)), daemon=True)
    server.start()
    case = family("composite-wall").case()
    warmer = with_value(case, ("parameters", "T_inside"), "30 °C")
    finer = with_value(warmer, ("mesh", "size"), "3 mm")
    wrong = with_value(finer, ("surroundings",), [])
    asked = [case, warmer, wrong, warmer, finer, finer, case, wrong, case]
    meshes = [True, False, True, True, True, False, True, True, True]
    lasting: dict[str, Any] = {}
    flow = Flow()
    for number, (each, sent) in enumerate(zip(asked, meshes, strict=True)):
        ours.send((number, dict(each.data), each.folder))
        outcome, first = None, True
        while outcome is None or not outcome.final:
            assert ours.poll(120)
            told, news = ours.recv()
            assert told == number
            if first:
                assert ("mesh" in news) == sent and ("geometry" in news) == (number == 0), number
            else:
                assert not set(LASTING) & set(news)
            lasting.update({key: news[key] for key in LASTING if key in news})
            outcome, first = with_news(outcome, news, each, lasting), False
        *_, known = flow.outcomes(each)
        assert outcome.mesh is not None and known.mesh is not None and outcome.geometry is not None
        np.testing.assert_array_equal(outcome.mesh.points, known.mesh.points)
        assert (outcome.solution is None) == (known.solution is None) == (each is wrong)
        if outcome.solution is not None and known.solution is not None:
            assert outcome.problem is not None and outcome.problem.mesh is outcome.mesh
            np.testing.assert_array_equal(outcome.solution.temperature, known.solution.temperature)
            assert [check.value for check in outcome.checks] == [check.value for check in known.checks]
    ours.close()
    server.join(120)
