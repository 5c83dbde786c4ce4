"""How far a study has got, told in a line: how many cases a second, and how long the rest will take."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

#: Seconds after which a rate says something.
_SETTLED = 1.0


@dataclass
class Pace:
    """Tells of progress as it is heard of; what was known already counts for no rate."""

    started: float = field(default_factory=time.monotonic)
    known: int | None = None

    def told(self, done: int, of: int) -> str:
        """Return the words for so many cases done, of so many where that is known (else 0)."""
        if self.known is None:
            self.started, self.known = time.monotonic(), done if of else 0
        if not of:
            return f"{done} cases"
        said, passed = f"{done:,} of {of:,} cases", time.monotonic() - self.started
        if done == of or done <= self.known or passed < _SETTLED:
            return said
        rate = (done - self.known) / passed
        return f"{said}, {rate:.3g} a second, {_lasting((of - done) / rate)} left"


def _lasting(seconds: float) -> str:
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"
