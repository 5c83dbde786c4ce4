"""How far a solve has got and how long it will go on, in words."""

from __future__ import annotations

from blunt_ember.case.values.display import number, time_kind
from blunt_ember.fem.steady.balance import NewtonStep
from blunt_ember.fem.transient.recorded.run import Progress


def progress_text(step: NewtonStep | Progress) -> str:
    """Say how far Newton's method, or a run, has got."""
    errors = "estimating errors: " if step.again else ""
    if isinstance(step, NewtonStep):
        return f"{errors}Newton: {step.residual:.1e} of the heat left over"
    kind = time_kind(step.end)
    reached, end = (number(t * kind.factor, 4) for t in (step.t, step.end))
    left = f", about {_duration(step.seconds_left)} left" if step.seconds_left and step.seconds_left > 1 else ""
    return f"{errors}reached {reached} of {end} {kind.shown}, {step.steps} steps{left}"


def _duration(seconds: float) -> str:
    """A guess of how long, as roughly as it is known."""
    if seconds < 100:
        return f"{number(seconds, 1 if seconds < 10 else 2)} s"
    minutes = seconds / 60
    return f"{number(minutes, 2)} min" if minutes < 100 else f"{number(minutes / 60, 2)} h"
