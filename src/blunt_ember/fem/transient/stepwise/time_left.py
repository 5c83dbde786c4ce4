"""How long a run will go on, told by the steps it has taken."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from blunt_ember.arrays import Floats

#: Steps that are kept at most, of those the last from which the pace is taken, and the fewest a guess is made of.
_KEPT, _LAST, _FEWEST = 80, 24, 6
#: The growth of steps that is gone on with, and the share of them that must grow for it to be one.
_MOST_GROWTH, _MOSTLY = 1.25, 0.8


@dataclass
class TimeLeft:
    """Steps of a run, each with the time in s it ended at, and when that was, on a clock in s.

    Steps are short at first and grow, so what is left is counted in steps: of the length the last ones had, growing as
    they grew, each as long to compute as they were. Where many were taken every so manyth counts, so that what swings
    is seen as a whole.
    """

    _kept: list[tuple[float, float]] = field(default_factory=list)
    _stride: int = 1
    _count: int = 0
    _newest: tuple[float, float] = (0.0, 0.0)

    def took(self, t: float, now: float) -> None:
        """Note a step that ended at a time in s, ``now``."""
        if self._count % self._stride == 0:
            self._kept.append((t, now))
            if len(self._kept) > _KEPT:
                del self._kept[1::2]
                self._stride *= 2
        self._count += 1
        self._newest = (t, now)

    def seconds(self, end: float) -> float | None:
        """Return how many seconds it takes up to the ``end`` in s; None where too little is known."""
        if len(self._kept) < _FEWEST:
            return None
        if end <= self._newest[0]:
            return 0.0
        t, now = np.array(self._kept[-_LAST:]).T
        lengths = np.diff(t)
        growth = _growth(lengths)
        left = (end - t[-1]) / max(float(lengths[-3:].mean()), 1e-300)
        steps = left if growth < 1 + 1e-6 else np.log1p(left * (growth - 1)) / np.log(growth)
        return max(float(steps * (now[-1] - now[0]) / (len(now) - 1)) - (self._newest[1] - float(now[-1])), 0.0)


def _growth(lengths: Floats) -> float:
    """By how much each of the lengths (n,) is longer than the one before; 1 where they come and go."""
    if (np.diff(lengths) >= -1e-9 * lengths[1:]).mean() < _MOSTLY:
        return 1.0
    late = lengths[len(lengths) // 2 :]
    early = lengths[: len(lengths) - len(late)]
    return float(np.clip((late.mean() / early.mean()) ** (2 / len(lengths)), 1.0, _MOST_GROWTH))
