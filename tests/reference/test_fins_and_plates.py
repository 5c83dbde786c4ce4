"""Fins and plates against their differential equations and conditions."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.along.fins import AnnularFin, StraightFin, require_thin
from blunt_ember.reference.along.radiating_chain import RadiatingChain, ring_piece
from blunt_ember.reference.along.rod_chain import RodChain, RodPiece
from blunt_ember.reference.crosswise.hot_edge_plate import HotEdgePlate
from blunt_ember.reference.crosswise.rectangle import RectangleSeries
from blunt_ember.reference.side import Side

TIPS = st.sampled_from([Side(), Side(held=330.0), Side(h=35.0, fluid=295.0), Side(flux=900.0)])


@settings(max_examples=300)
@given(TIPS, st.integers(5, 400), st.integers(1, 380), st.integers(2, 200))
def test_a_straight_fin_obeys_its_equation_and_its_ends(tip: Side, length: int, k: int, h: int) -> None:
    fin = StraightFin(length / 1000, 2e-3, 2.0, float(k), float(h), 295.0, 380.0, tip)
    x = np.linspace(0, fin.length, 9)
    theta = fin.temperature_at(x) - 295.0
    # θ'' = m² θ in the form that holds for any step s: θ(x + s) + θ(x − s) = 2 cosh(ms) θ(x).
    neighbours = theta[2:] + theta[:-2]
    factor = 2 * np.cosh(fin.m * x[1])
    grain = 8 * np.finfo(float).eps * 500 * factor  # what is lost by reading θ as a difference of temperatures
    np.testing.assert_allclose(neighbours, factor * theta[1:-1], rtol=1e-9, atol=grain)
    assert theta[0] + 295.0 == pytest.approx(380.0)
    if tip.held is not None:
        assert theta[-1] + 295.0 == pytest.approx(tip.held, rel=1e-12)
    else:
        into = (tip.flux + (tip.h * (tip.fluid - theta[-1] - 295.0) if tip.h else 0.0)) * fin.area
        assert fin.tip_heat == pytest.approx(-into, rel=1e-9, abs=1e-9 * abs(fin.heat))
    if fin.m * fin.length > 18:
        return  # the trapezoids below are too coarse for so steep a fall
    excess = fin.temperature_at(np.linspace(0, fin.length, 4001)) - 295.0
    lost = fin.h * fin.perimeter * np.trapezoid(excess, dx=fin.length / 4000)
    assert fin.heat - fin.tip_heat == pytest.approx(lost, rel=1e-4, abs=1e-6)


@pytest.mark.parametrize("tip", [Side(), Side(held=330.0), Side(h=35.0, fluid=315.0), Side(flux=900.0)])
def test_an_annular_fin_obeys_its_equation_and_is_near_a_straight_one_when_large(tip: Side) -> None:
    fin = AnnularFin(0.04, 0.09, 0.002, 45.0, 25.0, 290.0, 480.0, tip)
    at_rim = fin.temperature_at(np.array([0.09]))[0]
    assert fin.temperature_at(np.array([0.04]))[0] == pytest.approx(480.0, rel=1e-12)
    r = np.linspace(0.045, 0.085, 6)
    step = 1e-5
    up, at, down = (fin.temperature_at(r + s) for s in (step, 0.0, -step))
    left = (up - 2 * at + down) / step**2 + (up - down) / (2 * step) / r
    np.testing.assert_allclose(left, fin.m**2 * (at - 290.0), rtol=1e-4)
    into = tip.flux + (tip.h * (tip.fluid - at_rim) if tip.h else 0.0)
    if tip.held is not None:
        assert at_rim == pytest.approx(tip.held, rel=1e-12)
    else:
        assert fin.tip_heat == pytest.approx(-into * 2 * np.pi * 0.09 * 0.002, rel=1e-9, abs=1e-9 * abs(fin.heat))
    across = np.linspace(0.04, 0.09, 4001)
    lost = 2 * 25.0 * np.trapezoid((fin.temperature_at(across) - 290.0) * 2 * np.pi * across, across)
    assert fin.heat - fin.tip_heat == pytest.approx(lost, rel=1e-5)
    wide = AnnularFin(40.0, 40.05, 0.002, 45.0, 25.0, 290.0, 480.0, tip)
    straight = StraightFin(0.05, 0.002, 2.0, 45.0, 25.0, 290.0, 480.0, tip)
    assert wide.heat / (2 * np.pi * 40.0) == pytest.approx(straight.heat, rel=2e-3)


FILM = Side(h=30.0, fluid=300.0)
GLOWING = Side(h=5.0, fluid=290.0, radiation=((0.8, 280.0), (0.1, 600.0)))


def test_a_chain_that_does_not_radiate_is_what_its_waves_say() -> None:
    pieces = (
        RodPiece(0.1, 1e-4, 0.04, 40.0, FILM, 1e5, 0.5),
        RodPiece(0.05, 5e-5, 0.03, 20.0, Side(h=10.0, fluid=280.0), contact=0.2),
        RodPiece(0.08, 8e-5, 0.03, 5.0, Side(flux=100.0)),
    )
    ends = Side(held=450.0), Side(h=20.0, fluid=310.0)
    waves, points = RodChain(pieces, *ends), RadiatingChain(pieces, *ends)
    x = np.linspace(0, 0.23, 24)
    np.testing.assert_allclose(points.temperature_at(x), waves.temperature_at(x), rtol=1e-11)
    for piece, place in ((0, 0.0), (0, 0.1), (1, 0.02), (2, 0.08)):
        assert points.heat_along(piece, place) == pytest.approx(waves.heat_along(piece, place), rel=1e-8)
    fin = AnnularFin(0.012, 0.03, 0.001, 180.0, 50.0, 293.0, 393.0, FILM)
    ring = RadiatingChain(
        (ring_piece(0.018, 0.001, 180.0, Side(h=50.0, fluid=293.0), 2),), Side(held=393.0), FILM, 0.012
    )
    radii = np.linspace(0.012, 0.03, 9)
    np.testing.assert_allclose(ring.temperature_at(radii - 0.012), fin.temperature_at(radii), rtol=1e-11)
    assert ring.heat_along(0, 0.0) == pytest.approx(fin.heat, rel=1e-9)
    assert ring.heat_along(0, 0.018) == pytest.approx(fin.tip_heat, rel=1e-9)


@pytest.mark.parametrize("inner", [None, 0.02])
@pytest.mark.parametrize("end", [Side(), GLOWING, Side(held=400.0)])
def test_a_chain_that_radiates_loses_what_comes_in(inner: float | None, end: Side) -> None:
    piece = RodPiece(0.2, 7e-6, 0.0094, 20.0, GLOWING, 2e5)
    chain = RadiatingChain((piece,), Side(held=900.0), end, inner)
    share, weight = np.polynomial.legendre.leggauss(60)
    x = 0.1 * (share + 1)
    wide = 1.0 if inner is None else inner + x
    lost = -np.array([GLOWING.inflow(t) for t in chain.temperature_at(x)]) * piece.perimeter * wide
    made = piece.generation * piece.area * wide
    kept = float((lost - made) @ weight * 0.1)
    assert chain.heat_along(0, 0.0) - chain.heat_along(0, 0.2) == pytest.approx(kept, rel=1e-8)
    face = chain.temperature_in(0, 0.2)
    if end.held is None:
        wide_at_end = 1.0 if inner is None else inner + 0.2
        assert -chain.heat_along(0, 0.2) == pytest.approx(end.inflow(face) * piece.area * wide_at_end, abs=1e-9)
    else:
        assert face == pytest.approx(400.0, rel=1e-13)


def test_a_chain_that_radiates_says_what_it_cannot_do() -> None:
    with pytest.raises(ReferenceRefusedError, match="any temperature would do"):
        RadiatingChain((RodPiece(0.1, 1e-4, 0.04, 20.0, Side(flux=3.0)),), Side(), Side(flux=2.0))
    with pytest.raises(ReferenceRefusedError, match="too steeply"):
        RadiatingChain((RodPiece(90.0, 7e-6, 0.0094, 20.0, GLOWING),), Side(held=900.0), Side()).temperature_in(0, 1.0)


def test_a_thick_fin_is_refused() -> None:
    with pytest.raises(ReferenceRefusedError, match="too thick"):
        require_thin(0.2)


@pytest.mark.parametrize(("width", "height"), [(0.3, 0.2), (0.1, 0.9), (1.0, 0.05)])
def test_the_hot_edge_plate_is_harmonic_and_meets_its_edges(width: float, height: float) -> None:
    plate = HotEdgePlate(width, height, 500.0, 300.0)
    x, y = np.meshgrid(np.linspace(0.2, 0.8, 4) * width, np.linspace(0.1, 0.8, 4) * height)
    places = np.column_stack([x.ravel(), y.ravel()])
    step = 1e-3 * min(width, height)
    around = sum(plate.temperature_at(places + np.array(s) * step) for s in ((1, 0), (-1, 0), (0, 1), (0, -1)))
    assert np.abs(around / 4 - plate.temperature_at(places)).max() < 1e-6
    edge = plate.temperature_at(np.array([[0.4 * width, 0.0], [0.0, 0.3 * height], [width, 0.5 * height]]))
    np.testing.assert_allclose(edge, 300.0, atol=1e-9)
    square = HotEdgePlate(1.0, 1.0, 400.0, 300.0)
    assert square.temperature_at(np.array([[0.5, 0.5]]))[0] == pytest.approx(325.0, rel=1e-12)


def test_the_hot_edge_plate_is_exact_next_to_its_hot_edge() -> None:
    plate, away = HotEdgePlate(1.0, 4.0, 400.0, 300.0), 1e-6
    x = np.array([0.2, 0.5, 0.9])
    theta = (plate.temperature_at(np.column_stack([x, np.full(3, 4.0 - away)])) - 300.0) / 100.0
    np.testing.assert_allclose(theta, 2 / np.pi * np.arctan2(np.sin(np.pi * x), np.sinh(np.pi * away)), rtol=1e-13)
    n = np.arange(1, 4001, 2) * np.pi
    far = np.array([[0.3, 3.9]])
    series = 4 * np.sum(np.sin(0.3 * n) / n * np.exp(-0.1 * n) * (1 - np.exp(-2 * n * 3.9)) / (1 - np.exp(-8 * n)))
    assert (plate.temperature_at(far)[0] - 300.0) / 100.0 == pytest.approx(series, rel=1e-12)
    odd = np.arange(1, 40, 2)
    heat = 8 / np.pi * 2.0 * 100.0 * np.sum(1 / (odd * np.sinh(odd * np.pi * 0.5)))
    assert HotEdgePlate(2.0, 1.0, 400.0, 300.0).far_edge_heat(2.0) == pytest.approx(heat, rel=1e-13)


EDGES = [Side(), Side(held=340.0), Side(h=35.0, fluid=290.0), Side(flux=900.0), Side(h=12.0, fluid=310.0, flux=-200.0)]


@settings(max_examples=25, deadline=None)
@given(*[st.sampled_from(EDGES)] * 4, st.sampled_from([0.0, 3e4]), st.sampled_from([1.0, 6.0]))
def test_a_rectangle_obeys_its_equation_and_its_edges(
    left: Side, right: Side, bottom: Side, top: Side, generation: float, ky: float
) -> None:
    if not any(side.drives for side in (left, right, bottom, top)):
        with pytest.raises(ReferenceRefusedError, match="any temperature"):
            RectangleSeries(0.3, 0.2, 2.0, ky, generation, left, right, bottom, top)
        return
    plate = RectangleSeries(0.3, 0.2, 2.0, ky, generation, left, right, bottom, top)
    x, y = (grid.ravel() for grid in np.meshgrid([0.06, 0.15, 0.27], [0.05, 0.1, 0.17]))
    d = 1e-3

    def at(shift_x: float, shift_y: float) -> Any:
        return plate.temperature_at(np.column_stack([x + shift_x, y + shift_y]))

    middle = at(0, 0)
    bent = 2 * (at(d, 0) + at(-d, 0) - 2 * middle) + ky * (at(0, d) + at(0, -d) - 2 * middle)
    np.testing.assert_allclose(bent / d**2, -generation, atol=30 + 1e-3 * generation)
    for side, place, inward, k in (
        (left, (0.0, 0.09), (1, 0), 2.0),
        (right, (0.3, 0.09), (-1, 0), 2.0),
        (bottom, (0.13, 0.0), (0, 1), ky),
        (top, (0.13, 0.2), (0, -1), ky),
    ):
        s = 2e-5
        face, near, further = plate.temperature_at(
            np.array([np.array(place) + n * s * np.array(inward) for n in range(3)])
        )
        entering = k * (3 * face - 4 * near + further) / (2 * s)
        if side.held is not None:
            assert face == pytest.approx(side.held, abs=1e-8)
        else:
            assert entering == pytest.approx(side.inflow(face), abs=0.5 + 2e-3 * abs(entering))
    heats = [plate.heat(edge) for edge in ("left", "right", "bottom", "top")]
    if not np.isnan(heats).any():
        assert abs(sum(heats) + generation * 0.06) < 1e-6 * (np.abs(heats).sum() + 1)


def test_the_plate_of_test_t4_and_the_hot_edge_are_special_cases() -> None:
    film = Side(h=750.0, fluid=273.15)
    plate = RectangleSeries(0.6, 1.0, 52.0, 52.0, 0.0, Side(), film, Side(held=373.15), film)
    # The digits of test T4's exact series.
    assert plate.temperature_at(np.array([[0.6, 0.2]]))[0] - 273.15 == pytest.approx(18.2538, abs=5e-5)
    cold = Side(held=300.0)
    hot = HotEdgePlate(0.3, 0.2, 500.0, 300.0)
    same = RectangleSeries(0.3, 0.2, 2.0, 2.0, 0.0, cold, cold, cold, Side(held=500.0))
    places = np.array([[0.1, 0.05], [0.1, 0.19], [0.29, 0.1]])
    np.testing.assert_allclose(same.temperature_at(places), hot.temperature_at(places), rtol=1e-13)
    assert same.heat("bottom") == pytest.approx(-hot.far_edge_heat(2.0), rel=1e-10)
    assert np.isnan(same.heat("top"))
