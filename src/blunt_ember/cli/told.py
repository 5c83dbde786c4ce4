"""Says on the terminal how far a long solve has got, and lets it be stopped."""

from __future__ import annotations

import sys
import time
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from blunt_ember.fem.steady.balance import NewtonStep
    from blunt_ember.fem.transient.recorded.run import Progress

#: What takes less says nothing, s; then it is said so often on a terminal, and in a file after twice the time each.
_QUIET, _OFTEN = 3.0, 0.5


class Told:
    """Takes the steps of a solve; what it has said is closed by ``with``."""

    def __init__(self) -> None:
        self._begun = time.monotonic()
        self._next = self._begun + _QUIET
        self._said = False

    def __call__(self, step: NewtonStep | Progress) -> None:
        """Say how far it has got, where it is time to."""
        now = time.monotonic()
        if now < self._next:
            return
        from blunt_ember.sentences.progress import progress_text

        self._said = True
        if sys.stderr.isatty():
            self._next = now + _OFTEN
            print(f"\r{progress_text(step)}\x1b[K", end="", file=sys.stderr, flush=True)
        else:
            self._next = now + (now - self._begun)
            print(progress_text(step), file=sys.stderr, flush=True)

    def __enter__(self) -> Told:
        return self

    def __exit__(self, *_: object) -> None:
        self.clear()

    def clear(self) -> None:
        """Take what was said off the terminal."""
        if self._said and sys.stderr.isatty():
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)
