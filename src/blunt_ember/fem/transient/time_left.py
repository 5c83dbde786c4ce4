"""How long a run will go on, told by the steps it has just taken."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field

import numpy as np

#: Steps that the pace is taken from, the fewest a guess is made of, and the growth of steps that is gone on with.
_STEPS, _FEWEST = 40, 6
_MOST_GROWTH = 1.25


@dataclass
class TimeLeft:
    """Steps of a run, each with the time in s it ended at, and when that was, on a clock in s.

    Steps are short at first and grow, so what is left is counted in steps: of the length the last ones had, growing as
    they grew, each as long to compute as they were.
    """

    _last: deque[tuple[float, float]] = field(default_factory=lambda: deque(maxlen=_STEPS))

    def took(self, t: float, now: float) -> None:
        """Note a step that ended at a time in s, ``now``."""
        self._last.append((t, now))

    def seconds(self, end: float) -> float | None:
        """Return how many seconds it takes up to the ``end`` in s; None where too little is known."""
        t, now = np.array(self._last).T if self._last else np.zeros((2, 0))
        if len(t) < _FEWEST or end <= t[-1]:
            return None if len(t) < _FEWEST else 0.0
        lengths = np.diff(t)
        late = lengths[len(lengths) // 2 :]
        early = lengths[: len(lengths) - len(late)]
        growth = float(np.clip((late.mean() / early.mean()) ** (2 / len(lengths)), 1.0, _MOST_GROWTH))
        left = (end - t[-1]) / max(float(lengths[-3:].mean()), 1e-300)
        steps = left if growth < 1 + 1e-6 else np.log1p(left * (growth - 1)) / np.log(growth)
        return float(steps * (now[-1] - now[0]) / (len(now) - 1))
