"""The resistance chain against equations written out by hand, in exact fractions."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.composite_wall import CompositeWall, Layer
from blunt_ember.reference.series import Side

SIDES = st.one_of(
    st.builds(Side, held=st.integers(250, 1500)),
    st.builds(Side, h=st.integers(1, 5000), fluid=st.integers(250, 1500), flux=st.integers(-5000, 5000)),
    st.builds(Side, flux=st.integers(-5000, 5000)),
)
LAYERS = st.lists(st.builds(Layer, st.integers(1, 40), st.integers(1, 400)), min_size=1, max_size=5)


def side_imbalance(side: Side, face: float, into_wall: Fraction) -> Fraction:
    """What is left of the condition a side states at its face."""
    if side.held is not None:
        return Fraction(face) - Fraction(side.held)
    return Fraction(side.flux) + Fraction(side.h) * (Fraction(side.fluid) - Fraction(face)) - into_wall


@given(LAYERS, SIDES, SIDES)
def test_every_condition_holds_to_round_off(layers: list[Layer], start: Side, end: Side) -> None:
    if not (start.drives or end.drives):
        with pytest.raises(ReferenceRefusedError):
            CompositeWall(tuple(layers), start, end)
        return
    wall = CompositeWall(tuple(layers), start, end)
    faces, flux = wall.temperatures, Fraction(wall.flux)
    scale = max(abs(t) for t in faces) + 1
    for layer, hot, cold in zip(layers, faces, faces[1:], strict=False):
        drop = flux * Fraction(layer.thickness) / Fraction(layer.conductivity)
        assert abs(Fraction(hot) - Fraction(cold) - drop) < 1e-13 * scale
    for side, face, into in ((start, faces[0], flux), (end, faces[-1], -flux)):
        weight = 1.0 if side.held is not None else side.h + 1.0
        assert abs(side_imbalance(side, face, into)) < 1e-13 * weight * (scale + abs(side.fluid) + abs(side.flux))


def test_a_wall_worked_by_hand() -> None:
    wall = CompositeWall((Layer(0.2, 0.5), Layer(0.1, 0.05)), Side(h=10.0, fluid=400.0), Side(held=300.0))
    assert wall.flux == pytest.approx(100 / 2.5)
    assert wall.temperatures == pytest.approx((396.0, 380.0, 300.0))
    at = wall.temperature_at(np.array([0.0, 0.1, 0.2, 0.25, 0.3, 0.31]))
    np.testing.assert_allclose(at[:5], [396, 388, 380, 340, 300])
    assert np.isnan(at[5])
