"""Roots that balance heat, and when a condition is first met."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.crossing import first_crossing
from blunt_ember.reference.roots import balanced, straight_root
from blunt_ember.reference.side import Side

SIGMA = 5.670374419e-8


@given(st.floats(1, 3000), st.floats(1, 3000), st.floats(0.1, 1e4))
def test_a_monotone_balance_is_found_from_any_guess(root: float, guess: float, reach: float) -> None:
    for way in (1.0, -1.0):
        found = balanced(lambda t, way=way: way * (t * abs(t) ** 3 - root**4), guess, reach)
        assert found == pytest.approx(root, rel=1e-12)
    # Where it has no value the search turns back.
    edge = root * 0.7
    found = balanced(lambda t: np.log(t - edge) - np.log(root - edge) if t > edge else np.nan, root * 1.5, reach)
    assert found == pytest.approx(root, rel=1e-9)


def test_a_balance_without_a_root_is_refused() -> None:
    with pytest.raises(ReferenceRefusedError, match="no temperature balances"):
        balanced(lambda t: 1.0 + np.exp(-abs(t)), 300.0, 10.0)
    with pytest.raises(ReferenceRefusedError, match="has no value"):
        balanced(lambda t: float("nan"), 300.0, 10.0)


@given(st.floats(-1e3, 1e3), st.floats(1e-3, 1e3), st.floats(-1e3, 1e3))
def test_a_straight_balance_is_solved_to_round_off(root: float, slope: float, guess: float) -> None:
    found = straight_root(lambda t: slope * (t - root), guess, 10.0)
    assert found == pytest.approx(root, rel=1e-13, abs=1e-12)
    assert straight_root(lambda t: 0.0 * t, guess, 10.0) == guess


@given(st.floats(0.05, 0.95), st.floats(1e-3, 1e6))
def test_the_first_crossing_is_found_wherever_it_lies(share: float, latest: float) -> None:
    at = share * latest
    for way in (1, -1):
        found = first_crossing(lambda t, way=way: way * (at - t), latest, 200)
        assert found == pytest.approx(at, rel=1e-10)
    assert np.isnan(first_crossing(lambda t: 1 + t, latest, 50))
    # Of several the first; what has no value counts as the start.
    wave = first_crossing(lambda t: np.nan if 0 < t < at / 50 else np.cos(np.pi * t / (2 * at)), latest * 1.1, 4000)
    assert wave == pytest.approx(at, rel=1e-6)


@given(st.floats(1, 2000), st.floats(1, 2000), st.floats(0, 500), st.floats(0, 1), st.floats(-1e5, 1e5))
def test_a_side_takes_in_what_its_parts_give(
    face: float, around: float, h: float, emissivity: float, flux: float
) -> None:
    side = Side(flux=flux, h=h, fluid=around, radiation=((emissivity, around),))
    expected = flux + h * (around - face) + emissivity * SIGMA * (around**4 - face**4)
    assert side.inflow(face) == pytest.approx(expected, rel=1e-9, abs=1e-6)
    assert side.drives and around in side.driving
    assert not Side(flux=flux).drives and Side(held=face).driving == (face,)
