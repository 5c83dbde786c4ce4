"""The temperature."""

from __future__ import annotations

from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.lenses.field import Field
from blunt_ember.picture.lenses.lens import Lens


def _temperature(outcome: Outcome, part: str) -> Field | None:
    mesh, solution = outcome.mesh, outcome.solution
    if mesh is None or solution is None:
        return None
    values = tuple(solution.temperature[block.nodes] for block in mesh.blocks)
    ends = float(solution.temperature.min()), float(solution.temperature.max())
    return Field("Temperature", outcome.case.units.of(TEMPERATURE), values, ends)


TEMPERATURE_LENS = Lens("Temperature", _temperature)
