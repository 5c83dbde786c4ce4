"""Where the highest or lowest temperature that is asked for is."""

from __future__ import annotations

import numpy as np

from blunt_ember.case.document.questions.question import Question
from blunt_ember.checks.questions.extreme_probe import ExtremeProbe
from blunt_ember.checks.questions.probes import probe_of, sampled_temperatures
from blunt_ember.checks.questions.solved_field import SolvedField

#: Share of the span of temperatures below which what is read is one temperature, which is at no one place.
_ALIKE = 1e-9


def place_of_extreme(question: Question, place: int, solved: SolvedField) -> tuple[float, ...] | None:
    """Return the place (d,) in m of the extreme that a question at a ``place`` in the case asks for.

    None for other questions, where the temperature is the same all over, and for one time of a run that is not its end.
    """
    readings = question.readings
    if len(readings) != 1 or readings[0].how not in ("highest", "lowest") or question.asked_time is not None:
        return None
    if question.condition is not None:
        return None
    path = ("questions", place, question.asks)
    probe = probe_of(readings[0], solved.document, solved.mesh, solved.geometry, path)
    temperature, points = solved.temperature, solved.mesh.points
    if isinstance(probe, ExtremeProbe):
        found = probe.found(temperature)
        if probe.spread(temperature) <= _ALIKE * max(solved.span, abs(found.value)):
            return None
        return tuple((found.shares @ points[found.nodes]).tolist())
    values = sampled_temperatures(probe.weights, temperature)
    if np.ptp(values) <= _ALIKE * max(solved.span, np.abs(values).max()):
        return None
    place = int(values.argmax() if probe.reduction == "highest" else values.argmin())
    return tuple(np.asarray(probe.weights[[place]] @ points).ravel().tolist())
