"""Values that follow place and temperature, units, what looks like a slip, and the library."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_formula, renamed_part
from blunt_ember.case.faults.plausibility import plausibility
from blunt_ember.case.values.display import shown, shown_difference
from blunt_ember.case.values.evaluation import Value, evaluate
from blunt_ember.case.values.laws import law_of
from blunt_ember.case.values.tables import Cells, is_table, pasted_cells, stated_table
from blunt_ember.case.values.unit_sets import UnitSet
from blunt_ember.case.values.units import (
    CONDUCTIVITY,
    FILM_COEFFICIENT,
    HEAT_FLOW,
    HEAT_FLUX,
    KINDS,
    LENGTH,
    NUMBER,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    TIME,
)
from blunt_ember.errors import CaseError, ExpressionError
from blunt_ember.gallery.families import FAMILIES, family
from blunt_ember.library.shelves import keep, own_materials, shelves

ANYWHERE = frozenset(["x", "y", "z", "r", "theta", "T"])
ANYTIME = ANYWHERE | {"t"}


def test_a_formula_is_read_at_every_place_with_its_slope() -> None:
    law = law_of("30 W/(m² K)*(x/50 mm)^-0.5*(1 + (T - 20 °C)/400 K)", FILM_COEFFICIENT, {}, ANYWHERE)
    where = {"x": np.array([0.05, 0.2]), "T": np.array([293.15, 493.15])}
    np.testing.assert_allclose(law.at(where), [30.0, 22.5], rtol=1e-12)
    np.testing.assert_allclose(law.slope(where), [30 / 400, 15 / 400], rtol=1e-7)
    assert law.variables == {"x", "T"} and law.follows_temperature
    assert law_of("2*21 W/(m K)", CONDUCTIVITY, {}, ANYWHERE).constant == 42.0


def test_a_table_is_straight_between_its_rows_and_level_beyond() -> None:
    table = {"table": [["0 °C", "1 W/(m K)"], ["100 °C", "3 W/(m K)"], ["212 °F", "9 W/(m K)"]]}
    with pytest.raises(ExpressionError, match=r"row 3 of the table: '212 °F' must be more than '100 °C'"):
        law_of(table, CONDUCTIVITY, {}, ANYWHERE)
    law = law_of({"table": table["table"][:2]}, CONDUCTIVITY, {}, ANYWHERE)
    where = {"T": np.array([200.0, 298.15, 350.0, 500.0])}
    np.testing.assert_allclose(law.at(where), [1.0, 1.5, 2.537, 3.0], rtol=1e-12)
    np.testing.assert_allclose(law.slope(where), [0.0, 0.02, 0.02, 0.0])
    over = law_of({"over": "x", "table": [["0 mm", "1 W/m²"], ["1 in", "2 W/m²"]]}, HEAT_FLUX, {}, ANYWHERE)
    np.testing.assert_allclose(over.at({"x": np.array([0.0127])}), [1.5])


def test_a_table_over_time_steps_or_goes_smoothly_without_overshoot() -> None:
    rows = [["0 s", "0 W/m²"], ["10 s", "5 W/m²"], ["1 min", "5 W/m²"], ["70 s", "1 W/m²"]]
    t = np.array([-1.0, 0.0, 9.999, 10.0, 35.0, 60.0, 70.0, 99.0])
    step = law_of({"table": rows, "between": "step"}, HEAT_FLUX, {}, ANYTIME)
    np.testing.assert_array_equal(step.at({"t": t}), [0, 0, 0, 5, 5, 5, 1, 1])
    assert step.follows_time and step.breaks == (0.0, 10.0, 60.0, 70.0)
    smooth = law_of({"table": rows, "between": "smooth"}, HEAT_FLUX, {}, ANYTIME)
    np.testing.assert_allclose(smooth.at({"t": t})[[0, 1, 3, 4, 5, 6, 7]], [0, 0, 5, 5, 5, 1, 1])
    fine = smooth.at({"t": np.linspace(0, 70, 500)})
    assert fine.max() <= 5 and fine.min() >= 0 and smooth.breaks == step.breaks
    levels = [["0 °C", "1 W/(m K)"], ["50 °C", "2 W/(m K)"], ["90 °C", "2.2 W/(m K)"]]
    k = law_of({"table": levels, "between": "smooth"}, CONDUCTIVITY, {}, ANYWHERE)
    at = np.array([290.0, 330.0, 355.0])
    by_hand = (k.at({"T": at + 1e-4}) - k.at({"T": at - 1e-4})) / 2e-4
    np.testing.assert_allclose(k.slope({"T": at}), by_hand, rtol=1e-6)
    with pytest.raises(ExpressionError, match="cannot jump at a temperature"):
        law_of({"table": [["0 °C", "1 W/(m K)"], ["9 °C", "2 W/(m K)"]], "between": "step"}, CONDUCTIVITY, {}, ANYWHERE)
    with pytest.raises(ExpressionError, match="'between' is one of 'linear', 'step', 'smooth'"):
        law_of({"table": rows, "between": "cubic"}, HEAT_FLUX, {}, ANYTIME)


def test_heat_in_all_is_spread_over_an_amount_whatever_it_follows() -> None:
    t = {"t": np.array([0.0, 3.0])}
    for stated, values in (
        ("6 W", [6, 6]),
        ("6 W*exp(-t/(3 s))", [6, 6 / np.e]),
        ({"table": [["0 s", "6 W"], ["3 s", "9 W"]]}, [6, 9]),
    ):
        law = law_of(stated, HEAT_FLOW, {}, frozenset("t"))
        np.testing.assert_allclose(law.over_amount(4.0, HEAT_FLUX).at(t), np.array(values) / 4)


#: Formulas in all signs and functions, each of a plain number.
_FORMULAS = (
    "2*x/(1 m) - 3",
    "-(x/(1 m))^2/p",
    "exp(-t/(5 s))*sin(t/(2 s))",
    "min(p, x/(1 m), 0.3) + max(2, t/(1 s))",
    "sqrt(abs(x/(1 m) - 1))",
    "(T - 20 °C)/(1 K)",
    "(T/(300 K))^4 - 2^0.5",
    "bessel_j0(x/(1 m)) + erfc(t/(9 s))*pi",
    "5 K*t/(1 s)/(3 K)",
    "ln(2 + x/(1 m))^(1/3) - -p",
)


@pytest.mark.parametrize("text", _FORMULAS)
def test_a_law_gives_what_its_formula_says_dimension_by_dimension(text: str) -> None:
    p = Value(0.37, NUMBER.dimension)
    where = {"x": np.array([0.2, 1.7]), "t": np.array([4.0, 31.0]), "T": np.array([280.0, 900.0])}
    kinds = {"x": LENGTH, "t": TIME, "T": TEMPERATURE}
    names = {name: Value(values, kinds[name].dimension, 1.0 if name == "T" else None) for name, values in where.items()}
    expected = evaluate(text, {**names, "p": p}).magnitude
    np.testing.assert_allclose(law_of(text, NUMBER, {"p": p}, ANYTIME).at(where), expected, rtol=1e-14)


@pytest.mark.parametrize(
    ("stated", "said"),
    [
        ("3", "has no unit: a conductivity is written like"),
        ("3 W/(m K)*t", "depends on t"),
        ("x", "'x' is not a conductivity"),
        ({"table": [["1 mm", "2 W/(m K)"], ["2 mm", "2 W/(m K)"]]}, "goes over"),
        ({"table": [["20 °C", "2 W/(m K)"]]}, "at least two pairs"),
        ({"tabel": []}, "'tabel' is not known in a table"),
        ({"table": [["20 °C", "2 W/(m K)"], ["30 °C", "2 W"]]}, "row 2 of the table: '2 W' is not a conductivity"),
        ({"table": [["20", "2 W/(m K)"], ["30", "3 W/(m K)"]], "over": "T"}, "row 1 of the table: '20' has no unit"),
    ],
)
def test_what_is_no_law_says_why(stated: Any, said: str) -> None:
    with pytest.raises(ExpressionError) as caught:
        law_of(stated, CONDUCTIVITY, {}, ANYWHERE)
    assert said in str(caught.value)


@pytest.mark.parametrize(
    ("text", "rows", "units"),
    [
        ("T [°C]\tk [W/(m K)]\n20\t0,08\n400\t0,11\n", (("20", "0.08"), ("400", "0.11")), ("°C", "W/(m K)")),
        ("20 °C;0.08 W/(m K)\n400 °C;0.11 W/(m K)", (("20 °C", "0.08 W/(m K)"), ("400 °C", "0.11 W/(m K)")), ("", "")),
        ("x (mm)  h (W/(m² K))  note\n0  12  a\n\n50  9  b", (("0", "12"), ("50", "9")), ("mm", "W/(m² K)")),
    ],
)
def test_columns_pasted_from_a_spreadsheet_are_cells(
    text: str, rows: tuple[tuple[str, str], ...], units: tuple[str, str]
) -> None:
    assert is_table(text)
    cells = pasted_cells(text)
    assert cells.rows == rows and cells.units == units
    assert not is_table("0.35 W/(m K)") and not is_table("one\ntwo")


def test_plain_numbers_of_a_table_take_the_unit_of_their_column() -> None:
    stated = stated_table(Cells((("20", "0.1"), ("300 K", "2 W/(cm K)")), ("°C", "W/(m K)")), "T")
    assert stated == {"table": [["20 °C", "0.1 W/(m K)"], ["300 K", "2 W/(cm K)"]]}
    assert stated_table(Cells((("0", "1"), ("5", "2")), ("mm", "")), "x")["over"] == "x"


@given(st.sampled_from([kind for kind in KINDS if kind != NUMBER]), st.floats(1e-3, 1e6))
def test_a_value_shown_in_us_units_reads_back_as_itself(kind: Any, si: float) -> None:
    text = shown(si, UnitSet("US customary").of(kind), 9).replace("\u2009", "")
    case = {
        "format": "blunt-ember/1",
        "body": {"kind": "section", "regions": {"a": {"shape": "rectangle", "size": ["1 m", "1 m"]}}},
        "parameters": {"p": text},
    }
    value = case_from_data(case).parameters["p"]
    assert value.dimension == kind.dimension
    # A reading near the zero of its scale has fewer digits than its distance from absolute zero.
    assert float(value.magnitude) == pytest.approx(si, rel=1e-7, abs=1e-6 if kind == TEMPERATURE else 0)


@pytest.mark.parametrize("text", ["2 BTU/(h ft² °F)", "2 BTU/(h*ft^2*degF)", "2 Btu/h/ft2/°F"])
def test_film_coefficients_are_read_in_us_units(text: str) -> None:
    assert law_of(text, FILM_COEFFICIENT, {}, ANYWHERE).constant == pytest.approx(2 * 5.678263341, rel=1e-9)


def test_differences_are_never_offset_in_any_set() -> None:
    us = UnitSet("US customary")
    assert shown(373.15, us.of(TEMPERATURE)) == "212 °F"
    assert shown_difference(10.0, us.of(TEMPERATURE)) == "18 Δ°F" == shown(10.0, us.of(TEMPERATURE_DIFFERENCE))
    assert shown(1055.05585262 / 3600, us.of(HEAT_FLOW)) == "1 BTU/h"
    own = UnitSet("SI", (("length", "cm"), ("temperature", "K")))
    assert shown(0.123, own.of(LENGTH)) == "12.3 cm" and shown(300.0, own.of(TEMPERATURE)) == "300 K"


@pytest.mark.parametrize(
    ("units", "said"),
    [
        ("imperial", "no set of units 'imperial'"),
        ({"length": "kg"}, "'kg' is not a unit of a length"),
        ({"lenght": "m"}, "is no quantity"),
        ({"temperature": "W"}, "not a unit of temperature"),
        (3, "say one of"),
    ],
)
def test_wrong_units_are_named(units: Any, said: str) -> None:
    with pytest.raises(CaseError) as caught:
        with_value(family("plane-wall").case(), ("units",), units)
    assert caught.value.faults[0].path == "units" and said in caught.value.faults[0].message


@pytest.mark.parametrize(
    ("name", "path", "value", "said"),
    [
        ("plane-wall", ("parameters", "h_out"), "15 W/(mm² K)", "per mm² though it is per m²?"),
        ("plane-wall", ("parameters", "h_out"), "15e-6 W/(m² K)", "Was it meant per mm²?"),
        ("plane-wall", ("parameters", "k_plate"), "14 kW/(m K)", "far above what is usual: from 0.01"),
        ("plane-wall", ("parameters", "T_hot"), "46 K", "colder than any case"),
        ("wall-film-and-radiation", ("parameters", "T_walls"), "299 K", "0.15 K apart"),
        ("wall-film-and-radiation", ("parameters", "T_walls"), "26000 °C", "hotter than any flame"),
        ("wall-contact", ("parameters", "R_contact"), "450 m² K/W", "from 1e-6 between"),
    ],
)
def test_what_looks_like_a_slip_is_remarked_on(name: str, path: tuple[str, str], value: str, said: str) -> None:
    notes = plausibility(with_value(family(name).case(), path, value))
    assert any(said in note.message for note in notes), notes


def test_shipped_cases_and_materials_raise_no_eyebrows() -> None:
    for name in FAMILIES:
        assert plausibility(family(name).case()) == (), name
    body = {"kind": "section", "regions": {"a": {"shape": "rectangle", "size": ["1 m", "1 m"]}}}
    for shelf in shelves(Path("/nowhere/at/all")).values():
        for name, entry in shelf.items():
            assert entry["source"] and entry["range"], name
            case = case_from_data({"format": "blunt-ember/1", "body": body, "materials": {name: entry}})
            assert plausibility(case) == (), name


def test_an_analyst_keeps_materials_in_a_file_of_their_own(tmp_path: Path) -> None:
    path = tmp_path / "deep" / "materials.json"
    keep("my felt", {"k": "0.05 W/(m K)"}, path)
    keep("my brick", {"k": {"table": [["0 °C", "1 W/(m K)"], ["9 °C", "2 W/(m K)"]]}, "emissivity": 0.9}, path)
    assert list(own_materials(path)) == ["my felt", "my brick"]
    assert "my felt" in shelves(path)["my own"]
    with pytest.raises(CaseError, match=r"materials\.x\.k: only values that stand by themselves"):
        keep("x", {"k": "k_plate"}, path)
    path.write_text('{"odd": {"kk": "1 W/(m K)"}}', encoding="utf-8")
    with pytest.raises(CaseError, match=r"odd\.kk: 'kk' is not known here"):
        shelves(path)


def laminate() -> Any:
    data = dict(family("wall-contact").case().data)
    data["parameters"] = {**data["parameters"], "slant": "20°"}
    regions = {name: {**region, "direction": "slant"} for name, region in data["body"]["regions"].items()}
    data["body"] = {**data["body"], "regions": regions}
    data["heat_inside"] = [
        {"region": ["plate", "casting"], "total": "5 W"},
        {"region": "plate", "per_volume": "1 W/m³"},
    ]
    data["mesh"] = {"local": [{"on": "plate.left", "size": "2 mm"}]}
    return case_from_data(data)


def test_statements_follow_the_names_they_speak_of() -> None:
    case = renamed_formula(renamed_part(laminate(), ("body", "regions", "plate"), "sole"), "parameters", "slant", "out")
    assert case.data["joints"][0]["on"] == "sole|casting"
    assert [entry["region"] for entry in case.data["heat_inside"]] == [["sole", "casting"], "sole"]
    assert case.data["mesh"]["local"][0]["on"] == "sole.left"
    assert case.data["body"]["regions"]["sole"]["direction"] == "out"
    assert case.data["questions"][3]["direction"] == "out", "that of a heat flow is no formula"
    alone = {"shape": "rectangle", "size": ["t_casting", "80 mm"], "at": ["t_plate", "0 mm"], "material": "casting"}
    left = with_value(case, ("body", "regions", "casting"), alone)
    smaller, also = without_part(left, ("body", "regions", "sole"))
    assert smaller.data["joints"] == [] and smaller.data["heat_inside"] == [{"region": ["casting"], "total": "5 W"}]
    assert {"the joint sole|casting", "the heat in sole", "the cells on sole.left"} <= set(also)


def test_lines_of_the_working_may_follow_the_place() -> None:
    bare = with_value(family("plane-wall").case(), ("questions",), [])
    case = with_value(
        bare,
        ("working",),
        {"slope": "(T_hot - T_air)/thickness", "T_line": "T_hot - drop", "drop": "slope*x*(1 + 0*y/1 mm)"},
    )
    assert set(case.working) == {"slope"} and set(case.fields) == {"T_line", "drop"}
    assert case.fields["T_line"].at({"x": np.array([0.016]), "y": np.array([0.0])})[0] == pytest.approx(273.15 + 241)
    with pytest.raises(CaseError, match="is defined by itself"):
        with_value(case, ("working",), {"a": "b + x", "b": "a"})
    with pytest.raises(CaseError, match="only a field of temperature is compared"):
        with_value(case, ("questions",), [{"name": "q", "heat_flow": "plate.left", "expect": {"working": "T_line"}}])
