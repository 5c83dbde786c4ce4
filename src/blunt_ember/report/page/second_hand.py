"""A second process that draws, forked from one that has imported what that takes and has solved nothing yet."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from typing import Any

from blunt_ember.flow.process.job import do_job


class SecondHand:
    """Draws what it is told to, after it was told of which body, in a process of its own."""

    def __init__(self) -> None:
        # Forked, as imports of its own would take as long as all there is to draw.
        context = multiprocessing.get_context("fork")
        self._connection, its = context.Pipe()
        self._process = context.Process(target=_serve, args=(its,), name="second hand", daemon=True)
        self._process.start()
        its.close()

    def has_said(self) -> bool:
        """Return whether :meth:`said` would not wait."""
        return self._connection.poll()

    def said(self) -> str | None:
        """Return the next picture, once it is drawn; None where it has ended, or could not draw it."""
        try:
            said = self._connection.recv()
        except (EOFError, OSError):
            return None
        return said.decode("ascii") if isinstance(said, bytes) else None

    def tell(self, what: Any) -> bool:
        """Tell it the body first, then what to draw of it; return whether it is still there."""
        try:
            self._connection.send(what)
        except OSError:
            return False
        return True

    def close(self) -> None:
        """Let it end."""
        self._connection.close()
        self._process.kill()
        self._process.join()


@contextmanager
def drawing_along() -> Iterator[SecondHand | None]:
    """Have a second hand, until all is written, where there is a core for it and no thread that a fork would lose."""
    second = SecondHand() if len(os.sched_getaffinity(0)) > 1 and threading.active_count() == 1 else None
    try:
        yield second
    finally:
        if second is not None:
            second.close()


def _serve(connection: Connection) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # a key that stops the first hand ends the second one by it

    def job(send: Callable[[Any], None]) -> None:
        from blunt_ember.flow.process.server import unpacked
        from blunt_ember.report.page.drawings import Hand

        hand, outcome = Hand(), unpacked(connection.recv())
        while True:
            send(hand.drawn(outcome, connection.recv()).encode("ascii"))

    do_job(connection, "report", job)
