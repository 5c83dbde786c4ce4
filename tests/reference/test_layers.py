"""Layers against equations written out by hand, in exact fractions, and against their differential equation."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN
from blunt_ember.case.values.laws import Law, constant_law, law_of
from blunt_ember.case.values.units import CONDUCTIVITY
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.in_layers.layers import Layers, ReferenceLayer
from blunt_ember.reference.side import Side

SIDES = st.one_of(
    st.builds(Side, held=st.integers(250, 1500)),
    st.builds(Side, h=st.integers(1, 5000), fluid=st.integers(250, 1500), flux=st.integers(-5000, 5000)),
    st.builds(Side, flux=st.integers(-5000, 5000)),
)
#: Thickness, conductivity and contact resistance behind.
LAYERS = st.lists(
    st.tuples(st.integers(1, 40), st.integers(1, 400), st.sampled_from([0, 0, 3])), min_size=1, max_size=5
)


def even(k: float) -> Law:
    return constant_law(k, CONDUCTIVITY)


def growing(stated: Any) -> Law:
    return law_of(stated, CONDUCTIVITY, {}, frozenset("T"))


@given(LAYERS, SIDES, SIDES)
def test_every_condition_of_a_wall_holds_to_round_off(
    layers: list[tuple[int, int, int]], start: Side, end: Side
) -> None:
    ends = np.cumsum([thickness for thickness, _, _ in layers])
    stack = tuple(
        ReferenceLayer(float(at), even(k), 0.0, contact) for at, (_, k, contact) in zip(ends, layers, strict=True)
    )
    if not (start.drives or end.drives):
        with pytest.raises(ReferenceRefusedError):
            _ = Layers("wall", 0.0, stack, start, end).heat_in
        return
    wall = Layers("wall", 0.0, stack, start, end)
    flux = Fraction(wall.heat_in)
    faces = [wall.faces(place) for place in range(len(layers))]
    scale = max(abs(t) for pair in faces for t in pair) + 1
    for place, ((hot, cold), (thickness, k, contact)) in enumerate(zip(faces, layers, strict=True)):
        assert abs(Fraction(hot) - Fraction(cold) - flux * thickness / k) < 1e-12 * scale
        if place + 1 < len(layers):
            assert abs(Fraction(cold) - Fraction(faces[place + 1][0]) - flux * contact) < 1e-12 * scale
    last = wall.temperature_at(ends[-1:].astype(float))[0] - float(flux) * layers[-1][2]
    for side, face, into in ((start, faces[0][0], flux), (end, last, -flux)):
        left = face - side.held if side.held is not None else side.inflow(face) - float(into)
        weight = 1.0 if side.held is not None else side.h + 1.0
        assert abs(left) < 1e-12 * weight * (scale + abs(side.fluid) + abs(side.flux) + abs(float(flux)))


def test_a_wall_worked_by_hand() -> None:
    wall = Layers(
        "wall",
        0.0,
        (ReferenceLayer(0.2, even(0.5)), ReferenceLayer(0.3, even(0.05))),
        Side(h=10.0, fluid=400.0),
        Side(held=300.0),
    )
    assert wall.heat_in == pytest.approx(100 / 2.5)
    at = wall.temperature_at(np.array([0.0, 0.1, 0.2, 0.25, 0.3, 0.31]))
    np.testing.assert_allclose(at[:5], [396, 388, 380, 340, 300])
    assert np.isnan(at[5])


RADIATING = Side(h=6.0, fluid=300.0, radiation=((0.8, 290.0),))
CONDUCTIVITIES = [
    "1.4 W/(m K)",
    "0.6 W/(m K) + 0.002 W/(m K^2)*(T - 20 °C)",
    "35 W/(m K)*(T/300 K)^-0.6",
    {"table": [["0 °C", "0.2 W/(m K)"], ["200 °C", "0.3 W/(m K)"], ["600 °C", "0.9 W/(m K)"]]},
]


@pytest.mark.parametrize("stated", CONDUCTIVITIES, ids=["even", "straight", "power", "table"])
@pytest.mark.parametrize(
    ("form", "start"), [("wall", 0.0), ("cylinder", 0.02), ("cylinder", 0.0), ("sphere", 0.03), ("sphere", 0.0)]
)
def test_layers_obey_their_equation_and_both_sides(form: Any, start: float, stated: Any) -> None:
    """(1/A) d/ds (A k dT/ds) + g = 0 by differences, in two layers with a contact between them."""
    inner = Side() if form != "wall" and start == 0 else Side(h=40.0, fluid=700.0, flux=100.0)
    k, generation = growing(stated), 3e4
    made = Layers(
        form, start, (ReferenceLayer(0.05, k, generation, 1e-3), ReferenceLayer(0.08, even(2.0))), inner, RADIATING
    )
    power = {"wall": 0, "cylinder": 1, "sphere": 2}[form]
    s, d = np.linspace(start + 0.004, 0.046, 7), 2e-4
    low, at, high = (made.temperature_at(s + step, 0) for step in (-d, 0.0, d))
    before, after = (
        k.at({"T": (at + other) / 2}) * (s + way * d / 2) ** power * way * (other - at) / d
        for way, other in ((-1, low), (1, high))
    )
    np.testing.assert_allclose((after - before) / d / s**power, -generation, rtol=2e-3)
    # What the layer gives off arrives outside, through the contact, and leaves by film and radiation.
    volume = (0.05 ** (power + 1) - start ** (power + 1)) / (power + 1)
    assert made.heat_out == pytest.approx(made.heat_in + generation * volume, rel=1e-12)
    near, far = made.temperature_at(np.array([0.05]), 0)[0], made.temperature_at(np.array([0.05]), 1)[0]
    assert near - far == pytest.approx(made.heat_after(0) / 0.05**power * 1e-3, rel=1e-9)
    face = made.temperature_at(np.array([0.08]))[0]
    given_off = 6 * (face - 300) + 0.8 * STEFAN_BOLTZMANN * (face**4 - 290**4)
    assert given_off * 0.08**power == pytest.approx(made.heat_out, rel=1e-11)
    if inner.drives:
        first = made.temperature_at(np.array([start]), 0)[0]
        assert inner.inflow(first) * start**power == pytest.approx(made.heat_in, rel=1e-9)


@settings(max_examples=60, deadline=None)
@given(st.integers(300, 1500), st.integers(250, 1500), st.integers(-40, 60))
def test_the_kirchhoff_transform_is_met_between_held_faces(hot: int, cold: int, steep: int) -> None:
    """k = k₀ (1 + b (T − 300)): q L = k₀ (ΔT + b/2 (Θ_hot² − Θ_cold²)), or nothing holds where k falls below zero."""
    b = steep / 50_000
    law = growing(f"2 W/(m K)*(1 + {b} * (T - 300 K)/1 K)")
    wall = Layers("wall", 0.0, (ReferenceLayer(0.1, law),), Side(held=float(hot)), Side(held=float(cold)))
    expected = 20 * ((hot - cold) + b / 2 * ((hot - 300) ** 2 - (cold - 300) ** 2))
    lowest = min(1 + b * (hot - 300), 1 + b * (cold - 300))
    assume(abs(lowest) > 0.02)
    if lowest > 0:
        assert wall.heat_in == pytest.approx(expected, rel=1e-9, abs=1e-9)
    else:
        with pytest.raises(ReferenceRefusedError):
            _ = wall.heat_in


def test_lagging_about_a_thin_pipe_loses_most_at_the_critical_radius() -> None:
    def loss(radius: float) -> float:
        return Layers(
            "cylinder", 0.005, (ReferenceLayer(radius, even(0.2)),), Side(held=400.0), Side(h=8.0, fluid=300.0)
        ).heat_in

    best = 0.2 / 8.0
    assert loss(best) > max(loss(best * 1.01), loss(best * 0.99))
    assert loss(best) == pytest.approx(100 / (np.log(best / 0.005) / 0.2 + 1 / (8 * best)), rel=1e-13)
