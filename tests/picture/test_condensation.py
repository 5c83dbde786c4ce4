"""Where the air of a room condenses on its surfaces: the dew point, and how far each place is above it."""

from __future__ import annotations

import numpy as np
import pytest

from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.picture.lenses.registry import field_of, lens_parts
from blunt_ember.reference.humid_air import dew_point, saturation_pressure


@pytest.mark.parametrize("celsius", [-12.0, 0.5, 20.0, 35.0])
@pytest.mark.parametrize("humidity", [0.05, 0.3, 0.65, 1.0])
def test_air_is_saturated_at_its_dew_point(celsius: float, humidity: float) -> None:
    found = dew_point(celsius + 273.15, humidity)
    assert saturation_pressure(found) == pytest.approx(humidity * saturation_pressure(celsius + 273.15), rel=1e-12)
    assert found <= celsius + 273.15 + 1e-9


def test_the_dew_point_of_a_room_is_the_one_that_is_tabulated() -> None:
    """Air of 20 °C and 50 % condenses at 9.3 °C, of 22 °C and 60 % at 13.9 °C."""
    assert dew_point(293.15, 0.5) - 273.15 == pytest.approx(9.3, abs=0.05)
    assert dew_point(295.15, 0.6) - 273.15 == pytest.approx(13.9, abs=0.05)


def test_a_surface_of_one_temperature_is_above_the_dew_point_by_one_margin_and_nothing_else_is_coloured() -> None:
    case = family("coupled-wall").case()
    asked = [{"name": "damp", "surface_humidity": "workshop", "humidity": "68 %"}]
    outcome = Flow().answered(with_value(case, ("questions",), asked))
    assert outcome.mesh is not None and outcome.solution is not None
    assert lens_parts(outcome, "Condensation") == ("workshop",)
    field = field_of(outcome, "Condensation")
    assert field is not None and field.signed and len(field.surfaces) == 1
    known = np.concatenate([values[np.isfinite(values)] for values in field.values])
    resistance = 0.13 + 0.24 / 0.52 + 0.12 / 0.036 + 0.04
    there = 20.0 - 26.0 * 0.13 / resistance + 273.15
    np.testing.assert_allclose(known, there - dew_point(293.15, 0.68), atol=1e-9)
    (name,) = field.surfaces
    facets = outcome.mesh.surfaces[name]
    cells = sum(len(values) for values in field.values)
    assert len(known) >= len(facets.nodes) and len(known) < cells  # only nodes of cells on that face
    (check,) = outcome.checks
    wet = saturation_pressure(293.15) * 0.68 / saturation_pressure(there)
    assert check.value == pytest.approx(wet, rel=1e-9) and (wet > 1) == (known[0] < 0)


def test_rooms_of_which_nothing_is_asked_are_not_offered() -> None:
    outcome = Flow().answered(family("coupled-wall").case())
    assert lens_parts(outcome, "Condensation") == () and field_of(outcome, "Condensation") is None
