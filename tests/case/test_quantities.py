"""Quantities as people write them, and what is refused."""

from __future__ import annotations

import contextlib
import math
import os
import pickle
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.values.display import number, shown
from blunt_ember.case.values.evaluation import STEFAN_BOLTZMANN, Value, evaluate, quantity_si, resolve
from blunt_ember.case.values.expressions import renamed
from blunt_ember.case.values.spellings import with_unit_of
from blunt_ember.case.values.units import (
    AREA_RESISTANCE,
    CONDUCTIVITY,
    DIMENSIONLESS,
    FILM_COEFFICIENT,
    HEAT_CAPACITY,
    HEAT_FLOW,
    HEAT_FLUX,
    LENGTH,
    NUMBER,
    RESISTANCE,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    Kind,
)
from blunt_ember.errors import CaseError, ExpressionError

BTU, FOOT = 1055.05585262, 0.3048


@pytest.mark.parametrize(
    ("text", "kind", "si"),
    [
        ("114 mm", LENGTH, 0.114),
        ("114mm", LENGTH, 0.114),
        ("1 in + 2*3 cm", LENGTH, 0.0854),
        ("sqrt(4 m²)", LENGTH, 2.0),
        ("max(1 mm, 2 cm, 3 mm)", LENGTH, 0.02),
        ("-2 mm", LENGTH, -0.002),
        ("1\u2009250 mm", LENGTH, 1.25),
        ("2e-3 m", LENGTH, 0.002),
        (".5 m", LENGTH, 0.5),
        ("12 W/(m² K)", FILM_COEFFICIENT, 12.0),
        ("12 W/m2K", FILM_COEFFICIENT, 12.0),
        ("12 W/m²K", FILM_COEFFICIENT, 12.0),
        ("12 W/m^2/K", FILM_COEFFICIENT, 12.0),
        ("12 W m-2 K-1", FILM_COEFFICIENT, 12.0),
        ("12 W·m⁻²·K⁻¹", FILM_COEFFICIENT, 12.0),
        ("12 W/(m²·K)", FILM_COEFFICIENT, 12.0),
        ("12 W/(m² °C)", FILM_COEFFICIENT, 12.0),
        ("2 BTU/(h ft² °F)", FILM_COEFFICIENT, 2 * BTU / 3600 / FOOT**2 * 1.8),
        ("0.35 W/m K", CONDUCTIVITY, 0.35),
        ("0.002 W/(mm K)", CONDUCTIVITY, 2.0),
        ("1.9 kW/m²", HEAT_FLUX, 1900.0),
        ("25 °C", TEMPERATURE, 298.15),
        ("77 °F", TEMPERATURE, 298.15),
        ("-40 °F", TEMPERATURE, 233.15),
        ("-5 degC", TEMPERATURE, 268.15),
        ("300 K", TEMPERATURE, 300.0),
        ("25 °C + 5 K", TEMPERATURE, 303.15),
        ("(20 °C + 30 °C)/2", TEMPERATURE, 298.15),
        ("0.5 °C", TEMPERATURE_DIFFERENCE, 0.5),
        ("9 °F", TEMPERATURE_DIFFERENCE, 5.0),
        ("980 °C - 25 °C", TEMPERATURE_DIFFERENCE, 955.0),
        ("0.5 %", NUMBER, 0.005),
        ("2^3^2", NUMBER, 512.0),
        ("-2^2", NUMBER, -4.0),
        ("2*-3", NUMBER, -6.0),
        ("erf(0.5) + cos(pi)", NUMBER, math.erf(0.5) - 1),
        ("30° / 1°", NUMBER, 30.0),
        ("0.9*sigma*(500 K)^4", HEAT_FLUX, 0.9 * STEFAN_BOLTZMANN * 500.0**4),
    ],
)
def test_a_quantity_is_read_in_si(text: str, kind: object, si: float) -> None:
    assert quantity_si(text, kind, {}) == pytest.approx(si, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "kind", "said"),
    [
        ("12", LENGTH, "has no unit: a length is written like '12 mm'"),
        ("12 W", LENGTH, "'12 W' is not a length"),
        ("12 mmm", LENGTH, "did you mean 'mm'"),
        ("min(20 °C, 30 °C) + 5 °C", TEMPERATURE, "a difference in kelvin"),
        ("abs(20 °C) + (5 °C)^1", TEMPERATURE, "a difference in kelvin"),
        ("20 degRe", TEMPERATURE, "'degRe' is not a unit"),
        ("25 % C", TEMPERATURE, "'% C' is no unit of a temperature"),
        ("25 Grad C", TEMPERATURE, "'Grad C' is no unit of a temperature"),
        ("12 w/m2K", FILM_COEFFICIENT, "did you mean 'W'"),
        ("0.9 KJ/kgK", HEAT_CAPACITY, "did you mean 'kJ'"),
        ("3 dB", NUMBER, "'dB' is not a unit"),
        ("2 Np", NUMBER, "'Np' is not a unit"),
        ("1,5,2 mm", LENGTH, "is no number"),
        ("1/h", NUMBER, "'h' is not defined"),
        ("12 kg m/s", LENGTH, "it is in kg m/s"),
        ("", LENGTH, "nothing"),
        ("25 °C + 5 °C", TEMPERATURE, "a difference in kelvin"),
        ("-300 °C", TEMPERATURE, "below absolute zero"),
        ("1 m + 1 s", LENGTH, "two sides of '+'"),
        ("1/0", NUMBER, "divides by zero"),
        ("9^9^9^9", NUMBER, "finite"),
        ("2 t_brick", LENGTH, "written with *"),
        ("(1 m", LENGTH, "')' is missing"),
        ("1 m)", LENGTH, "not expected"),
        ("sin(1 m)", NUMBER, "takes a plain number"),
        ("nope(1)", NUMBER, "not a function"),
        ("a", NUMBER, "not defined"),
        ("(1 m)^(1 m)", NUMBER, "exponent"),
        ("sqrt(1, 2)", NUMBER, "one argument"),
        ("T", TEMPERATURE, "no value here"),
        ("(" * 60 + "1" + ")" * 60, NUMBER, "nested too deep"),
        ("1" * 3000, NUMBER, "longer than"),
        ("().__class__", NUMBER, "no meaning"),
        ("__import__('os')", NUMBER, "no meaning"),
        ("ln(-1)", NUMBER, "finite"),
        ("5 m; 3", LENGTH, "no meaning"),
        ("1 m 20 cm", LENGTH, "not expected"),
        ("12 W / h", LENGTH, "'h' is not defined"),
    ],
)
def test_a_mistake_is_named(text: str, kind: object, said: str) -> None:
    with pytest.raises(ExpressionError, match=re.escape(said)):
        quantity_si(text, kind, {})


TRADE = [
    ("0.35 W/mK", CONDUCTIVITY, 0.35),
    ("0.35 W/m·K", CONDUCTIVITY, 0.35),
    ("0.35 W/m-K", CONDUCTIVITY, 0.35),
    ("22 deg C", TEMPERATURE, 295.15),
    ("25 ° C", TEMPERATURE, 298.15),
    ("25° C", TEMPERATURE, 298.15),
    ("25 ºC", TEMPERATURE, 298.15),
    ("25 ˚C", TEMPERATURE, 298.15),
    ("12 W.m-2.K-1", FILM_COEFFICIENT, 12.0),
    ('3"', LENGTH, 0.0762),
    ('1½"', LENGTH, 0.0381),
    ("1 1/2 in", LENGTH, 0.0381),
    ("1/2 in + 3/8 inch", LENGTH, 0.022225),
    ("1/(2 in)*1 in²", LENGTH, 0.0127),
    ("6'", LENGTH, 1.8288),
    ("72 degrees F", TEMPERATURE, 295.3722222222),
    ("22 deg. C", TEMPERATURE, 295.15),
    ("300 deg K", TEMPERATURE, 300.0),
    ("295 Kelvin", TEMPERATURE, 295.0),
    ("500 R", TEMPERATURE, 277.7777777778),
    ("12 W/(m2 deg C)", FILM_COEFFICIENT, 12.0),
    ("2 Btu/hr-ft2-F", FILM_COEFFICIENT, 11.3565266825),
    ("2 Btu/hr-ft²-°F", FILM_COEFFICIENT, 11.3565266825),
    ("5 kcal/m2-h-C", FILM_COEFFICIENT, 5.8111111111),
    ("0.5 Btu/(hr-ft-°F)", CONDUCTIVITY, 0.8653673332),
    ("5 Btu-in/hr-ft2-F", CONDUCTIVITY, 0.7211394443),
    ("13 hr-ft2-F/Btu", AREA_RESISTANCE, 2.28943238787),
    ("0.5 m2-K/W", AREA_RESISTANCE, 0.5),
    ("900 J/kg-C", HEAT_CAPACITY, 900.0),
    ("0.2 Btu/lbm-F", HEAT_CAPACITY, 837.36),
    ("2 mil", LENGTH, 5.08e-5),
    ("0.35 W/m.K", CONDUCTIVITY, 0.35),
    ("0.35 W/(mK)", CONDUCTIVITY, 0.35),
    ("0.35 W/m°C", CONDUCTIVITY, 0.35),
    ("0,35 W/mC", CONDUCTIVITY, 0.35),
    ("880 J/kgK", HEAT_CAPACITY, 880.0),
    ("0.88 kJ/kgK", HEAT_CAPACITY, 880.0),
    ("0.21 kcal/kg°C", HEAT_CAPACITY, 878.64),
    ("0.05 K/W", RESISTANCE, 0.05),
    ("0.13 m2K/W", AREA_RESISTANCE, 0.13),
    ("18.5 C", TEMPERATURE, 291.65),
    ("18,5C", TEMPERATURE, 291.65),
    ("72 F", TEMPERATURE, 295.372222222),
    ("980 °C-25 °C", TEMPERATURE_DIFFERENCE, 955.0),
    ("980 °C-5 °C", TEMPERATURE_DIFFERENCE, 975.0),
    ("980 K-5 K", TEMPERATURE_DIFFERENCE, 975.0),
    ("1.2×10^3 W", HEAT_FLOW, 1200.0),
    ("1.2*10^3 W", HEAT_FLOW, 1200.0),
    ("1.2·10⁻³ W", HEAT_FLOW, 1.2e-3),
    ("3*2*10^3 W", HEAT_FLOW, 6000.0),
    ("1 000 W", HEAT_FLOW, 1000.0),
    ("1.000,5 W", HEAT_FLOW, 1000.5),
    ("1,000.5 W", HEAT_FLOW, 1000.5),
    ("1,234,567 W", HEAT_FLOW, 1234567.0),
    ("0,125 W", HEAT_FLOW, 0.125),
    ("12,5*(1,5 mm + 2 mm)", LENGTH, 0.04375),
    ("max(1 mm, 2 mm) + 0,5 mm", LENGTH, 0.0025),
    ("max(1,2)*1 mm", LENGTH, 0.002),
    ("2^2*10^3", NUMBER, 4000.0),
    ("6/2*10^3", NUMBER, 3000.0),
    ("2^-2*10^3", NUMBER, 250.0),
    ("6/-2*10^3", NUMBER, -3000.0),
    ("max(1,5) + (0,5 + sqrt(4))", NUMBER, 7.5),
]


@pytest.mark.parametrize(("text", "kind", "si"), TRADE)
def test_the_trade_s_own_spellings_are_understood(text: str, kind: Kind, si: float) -> None:
    assert quantity_si(text, kind, {}) == pytest.approx(si, rel=1e-9)


@pytest.mark.parametrize(
    ("text", "value", "without"),
    [
        ("20 W/m2K*A", 40.0, 20.0),
        ("20 W/m2K * A", 40.0, 20.0),
        ("20 W/m2K*A^2", 80.0, 20.0),
        ("500 W/m2/k*L", 750.0, 3.62148525801996e22),
        ("100 W/(h*A)", 5.0, None),
        ("3 m * W", 12.0, 3.0),
        ("3 m*W", 3.0, 3.0),  # a product of units, as N*m is
        ("5 W*h", 18000.0, 18000.0),
        ("0.5 m2*K/W", 0.5, 0.5),
        ("12 W/(m²*K)", 12.0, 12.0),
        ("5 W / h", 0.5, None),
        ("0.0012/°F", 0.00216, 0.00216),
    ],
)
def test_behind_a_sign_a_name_of_the_case_is_meant_by_its_name(text: str, value: float, without: float | None) -> None:
    names = {
        "A": evaluate("2 m2", {}),
        "h": evaluate("10 W/m2K", {}),
        "k": evaluate("2 W/mK", {}),
        "L": evaluate("3 m", {}),
        "W": evaluate("4 m", {}),
    }
    assert evaluate(text, names).magnitude == pytest.approx(value)
    if without is None:
        with pytest.raises(ExpressionError, match="is not defined"):
            evaluate(text, {})
    else:
        assert evaluate(text, {}).magnitude == pytest.approx(without)
    assert "area" in renamed(text, "A", "area") or "A" not in text


def test_a_hyphen_before_a_name_of_the_case_takes_it_away() -> None:
    names = {
        "h": evaluate("3 W/m2K", {}),
        "m": evaluate("2 kg/s", {}),
        "t2": evaluate("5 mm", {}),
        "C": evaluate("4 K", {}),
    }
    for text, value in (("20 W/m2K-h", 17.0), ("5 kg/s-m", 3.0), ("20 mm-t2/2", 0.0175), ("(9 K-C)*2", 10.0)):
        assert evaluate(text, names).magnitude == pytest.approx(value)


def test_below_a_number_a_kelvin_is_a_unit_and_a_name_is_a_name() -> None:
    assert evaluate("0.0012/K", {}).magnitude == evaluate("0.0012 1/K", {}).magnitude == 0.0012
    assert evaluate("0.0012/K", {}).dimension == evaluate("0.0012 K^-1", {}).dimension
    own = Value(4.0, DIMENSIONLESS)
    assert evaluate("2/K", {"K": own}).magnitude == 0.5, "a name of the case is meant by its name"
    assert evaluate("2 1/K", {"K": own}).magnitude == 2.0
    with pytest.raises(ExpressionError, match="'K' is not defined"):
        evaluate("2*K", {})
    h = Value(4.0, FILM_COEFFICIENT.dimension)
    assert evaluate("1/h", {"h": h}).magnitude == 0.25 and evaluate("3 1/h", {}).magnitude == pytest.approx(3 / 3600)


@pytest.mark.parametrize(
    ("text", "kind", "instead"),
    [
        ("1,250 mm", LENGTH, ("1.250 mm", "1250 mm")),
        ("2 * 12,500 mm", LENGTH, ("2 * 12.500 mm", "2 * 12500 mm")),
        ("32", LENGTH, ("32 mm",)),
        ("5 IN + 3 Ft", LENGTH, ("5 in + 3 ft",)),
    ],
)
def test_what_can_be_read_in_two_ways_is_asked_back_with_both(text: str, kind: Kind, instead: tuple[str, ...]) -> None:
    with pytest.raises(ExpressionError) as refused:
        quantity_si(text, kind, {})
    again = pickle.loads(pickle.dumps(refused.value))
    assert str(again) == str(refused.value)
    assert refused.value.instead == instead and all(quantity_si(way, kind, {}) > 0 for way in instead)


@pytest.mark.parametrize(
    ("typed", "before", "stands"),
    [
        ("32", "137 mm", "32 mm"),
        ("0,4", "12 W/(m² K)", "0,4 W/(m² K)"),
        ("-5", "25 °C", "-5 °C"),
        ("1e-3", "2·10³ W", "1e-3"),
        ("32 cm", "137 mm", "32 cm"),
        ("t_brick", "137 mm", "t_brick"),
        ("3", "0.5 %", "3 %"),
        ("3", "0.85", "3"),
        ("3", "wide + 2*wall", "3"),
    ],
)
def test_a_number_alone_takes_the_unit_that_stood_there(typed: str, before: str, stands: str) -> None:
    assert with_unit_of(typed, before) == stands
    with pytest.raises(ExpressionError, match=r"'0\.4 %' or '40 %'"):
        with_unit_of("0.4", "50 %")


@given(st.text(alphabet="0123456789.eE+-*/^()·²³⁻°CFKWm tk_,%'\"\\[]{}µπ", max_size=40))
def test_junk_raises_nothing_but_our_error(text: str) -> None:
    with contextlib.suppress(ExpressionError):
        assert math.isfinite(quantity_si(text, LENGTH, {"t": Value(1.0, LENGTH.dimension)}))


def test_formulas_refer_to_each_other_in_any_order_and_loops_are_named() -> None:
    values, faults = resolve({"q": "dT/R", "R": "0.5 m² K/W", "dT": "100 K", "a": "b", "b": "a + 1", "c": "a"}, {})
    assert values["q"].magnitude == pytest.approx(200.0)
    assert "a → b → a" in str(faults["b"]) or "a → b → a" in str(faults["a"])
    assert set(faults) == {"a", "b", "c"}


def test_a_formula_is_evaluated_over_arrays() -> None:
    x = Value(np.linspace(0, 1, 5), LENGTH.dimension)
    value = evaluate("100 K * exp(-x/(0.5 m)) + 20 K", {"x": x})
    np.testing.assert_allclose(value.magnitude, 100 * np.exp(-np.linspace(0, 1, 5) / 0.5) + 20)
    assert evaluate("x/x + 1", {"x": Value(np.ones(3), LENGTH.dimension)}).dimension == DIMENSIONLESS


def test_renaming_leaves_units_of_the_same_spelling() -> None:
    assert renamed("5 m + m*2 - (m)", "m", "width") == "5 m + width*2 - (width)"


@pytest.mark.parametrize(
    ("value", "digits", "text"),
    [
        (1156.481022, 5, "1\u2009156.5"),
        (-0.00012, 5, "−0.00012"),
        (1234567.0, 7, "1\u2009234\u2009567"),
        (0.0, 5, "0"),
        (4.2e-13, 3, "4.2e−13"),
        (99999.7, 5, "100\u2009000"),
        (float("inf"), 3, "∞"),
        (25.0, 5, "25"),
    ],
)
def test_numbers_are_shown_to_significant_digits(value: float, digits: int, text: str) -> None:
    assert number(value, digits) == text


def test_a_temperature_is_shown_on_the_relative_scale() -> None:
    assert shown(298.15, TEMPERATURE) == "25 °C"
    assert shown(0.114, LENGTH) == "114 mm"


@pytest.mark.one_in(3)
@pytest.mark.parametrize("fault", ["cut short", "of another place", "no folder"])
def test_what_is_kept_of_the_units_may_be_broken(fault: str, tmp_path: Path) -> None:
    """The first start keeps what it read; the next one reads again where that is of no use."""
    home = {**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache")}
    asked = "from blunt_ember.case.values.units import single_unit; print(single_unit('furlong').factor)"

    def started() -> str:
        done = subprocess.run([sys.executable, "-c", asked], env=home, capture_output=True, text=True, check=True)
        assert done.stderr == ""
        return done.stdout

    if fault == "no folder":
        (tmp_path / "cache").write_text("a file where the folder should be")
    else:
        sound = started()
        kept = list((tmp_path / "cache").rglob("*.pickle"))
        assert kept
        names = next((tmp_path / "cache").rglob("names"))
        names.unlink()
        for path in kept:
            whole = path.read_bytes()
            path.write_bytes(whole[: len(whole) // 2] if fault == "cut short" else pickle.dumps("nothing of ours"))
        assert started() == sound
    assert float(started()) == pytest.approx(201.168, rel=1e-5)


@pytest.mark.parametrize("at", ["size", "at"])
def test_what_lies_beyond_all_reach_is_refused(at: str) -> None:
    plate = {"shape": "rectangle", "size": ["1 m", "1 m"], "at": ["0 m", "0 m"]} | {at: ["1e200 m", "1 m"]}
    with pytest.raises(CaseError, match="must lie within 1e"):
        case_from_data({"format": "blunt-ember/1", "body": {"kind": "section", "regions": {"plate": plate}}})
