"""How long a run goes on: told by its last steps, wherever it stands."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.fem.transient.stepwise.time_left import TimeLeft


@pytest.mark.parametrize("growth", [1.0, 1.05, 1.2])
def test_what_is_left_is_believable_from_soon_after_the_start(growth: float) -> None:
    """Steps that grow from a thousandth of a second on, each 0.1 s long to compute, up to an hour of the run."""
    ends, t, step = [], 0.0, 1e-3 if growth > 1 else 9.0
    while t < 3600:
        t = min(t + step, 3600)
        ends.append(t)
        step *= growth
    left = TimeLeft()
    for place, end in enumerate(ends):
        left.took(end, 0.1 * (place + 1))
        known = left.seconds(3600)
        if place < 5:
            assert known is None
        elif place < len(ends) - 4:
            true = 0.1 * (len(ends) - 1 - place)
            assert known == pytest.approx(true, rel=0.25, abs=0.5)
    assert left.seconds(3600) == 0


def test_steps_that_come_and_go_are_no_growth() -> None:
    """A swing of 240 steps, short and long in turn: seen as a whole after a few, and never thought to grow on."""
    left, t, swings = TimeLeft(), 0.0, 500
    for place in range(240 * swings // 4):
        t += (1 + 0.8 * np.sin(2 * np.pi * place / 240)) / 240
        left.took(t, 1e-3 * (place + 1))
        if place > 240 * 12:
            assert left.seconds(swings) == pytest.approx(240 * 1e-3 * (swings - t), rel=0.4)
