"""How far the surfaces of a room are above the dew point of its air; below it they are wet."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.document.questions.surface_humidity import SurfaceHumidityQuestion
from blunt_ember.case.values.display import shown
from blunt_ember.case.values.units import TEMPERATURE, TEMPERATURE_DIFFERENCE
from blunt_ember.checks.environments import faces_of, room_dew_point
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.picture.lenses.field import Field
from blunt_ember.picture.lenses.lens import Lens
from blunt_ember.picture.lenses.on_facets import in_cells


@immutable
class _Margin:
    """Kelvins (m, k) above the dew point at the nodes (m, k) of facets of a surface."""

    surface: str
    family: str
    nodes: Ints
    values: Floats


def _condensation(outcome: Outcome, part: str) -> Field | None:
    mesh, solution, problem = outcome.mesh, outcome.solution, outcome.problem
    assert mesh is not None and solution is not None and problem is not None
    asked = next((each for each in _asked(outcome) if each.surface_humidity == part), None)
    dew = None if asked is None else room_dew_point(problem, part, asked.humidity.si)
    if asked is None or dew is None:
        return None
    margins = [
        _Margin(name, block.family, block.nodes, solution.temperature[block.nodes] - dew)
        for name in faces_of(problem, part)
        for block in mesh.surfaces[name].blocks
    ]
    far = max((float(np.abs(each.values).max(initial=0.0)) for each in margins), default=0.0)
    at = shown(dew, outcome.case.units.of(TEMPERATURE), 3)
    return Field(
        f"Over dew {at}",
        outcome.case.units.of(TEMPERATURE_DIFFERENCE),
        in_cells(mesh, margins),
        (-far, far),
        signed=True,
        surfaces=frozenset(each.surface for each in margins),
    )


def _asked(outcome: Outcome) -> list[SurfaceHumidityQuestion]:
    return [each for each in outcome.case.document.questions if isinstance(each, SurfaceHumidityQuestion)]


def _parts(outcome: Outcome) -> tuple[str, ...]:
    """The rooms whose humidity is asked about."""
    if outcome.problem is None:
        return ()
    rooms = dict.fromkeys(each.surface_humidity for each in _asked(outcome))
    return tuple(room for room in rooms if faces_of(outcome.problem, room))


CONDENSATION_LENS = Lens("Condensation", _condensation, _parts, wants_parts=True, seldom=True)
