"""How the temperature that a side is held at, or meets, goes on: it swings, or goes by straight pieces."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from blunt_ember.immutable import immutable


@immutable
class Swing:
    """The temperature that a side is held at, or meets, swings about its mean by ``amplitude`` K sin(``rate`` t +
    ``phase``), rate in rad/s."""

    amplitude: float
    rate: float
    phase: float

    def at(self, t: float) -> float:
        """How far it is off its mean at a time in s, K."""
        return self.amplitude * float(np.sin(self.rate * t + self.phase))


@immutable
class Course:
    """The temperature that a side is held at, or meets, goes by straight pieces: ``rises`` K over what is stated of
    the side, at ``times`` s, the first of them 0; two of one time are a jump. After the last it stays."""

    times: tuple[float, ...]
    rises: tuple[float, ...]

    def at(self, t: float) -> float:
        """How far it is from what is stated of the side, K; at a jump that behind it."""
        before = int(np.searchsorted(self.times, t, side="right")) - 1
        if before + 1 == len(self.times):
            return self.rises[-1]
        share = (t - self.times[before]) / (self.times[before + 1] - self.times[before])
        return self.rises[before] + share * (self.rises[before + 1] - self.rises[before])

    def rate(self, t: float) -> float:
        """How fast it goes on at a time in s, K/s; where it bends, as before."""
        place = int(np.searchsorted(self.times, t, side="left"))
        if not 0 < place < len(self.times):
            return 0.0
        return (self.rises[place] - self.rises[place - 1]) / (self.times[place] - self.times[place - 1])

    def lasting(self, t: float) -> float:
        """∫ of what it is off what is stated, from the start to a time, K s."""
        times = np.array([0.0, *(each for each in self.times if 0 < each < t), t])
        values = np.array([self.at(each) for each in times])
        before = np.array([self._before(each) for each in times])
        return float(((values[:-1] + before[1:]) / 2) @ np.diff(times))

    def _before(self, t: float) -> float:
        """The same as :meth:`at`, at a jump that before it."""
        place = int(np.searchsorted(self.times, t, side="left"))
        return self.rises[place] if place < len(self.times) and self.times[place] == t else self.at(t)

    def pieces(self, t: float) -> list[tuple[float, float, float]]:
        """The pieces so far: when they begin, when they end, and what they rise by."""
        found = []
        for (begin, end), (low, high) in zip(pairwise(self.times), pairwise(self.rises), strict=True):
            if begin < t or begin == end == t:
                last = min(end, t)
                share = (last - begin) / (end - begin) if end > begin else 1.0
                found.append((begin, last, (high - low) * share))
        return found


@immutable
class Swinging:
    """What swings ``at`` one surface comes ``to`` another, a ``share`` of it (the decrement), a ``lag`` in s later."""

    at: str
    to: str
    share: float
    lag: float


Unsteady = Swing | Course
