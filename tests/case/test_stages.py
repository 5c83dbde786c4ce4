"""Stages and what names them: edits carry all they name along, and the time line shows all that changes."""

from __future__ import annotations

import copy
import json

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_formula, renamed_part, renamed_surface
from blunt_ember.case.values.laws import law_of
from blunt_ember.case.values.units import TEMPERATURE
from blunt_ember.checks.references.fits.in_time.changing_sides import swing_of
from blunt_ember.errors import CaseError, ReferenceRefusedError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.picture.charts.time_line import tracks


@pytest.fixture
def firing() -> Case:
    return family("firing").case()


def test_a_renamed_region_is_renamed_wherever_the_clock_names_it(firing: Case) -> None:
    data = copy.deepcopy(dict(firing.data))
    data["clock"]["start_in"] = {"brick": "30 °C"}
    data["clock"]["stages"][2]["until"] = {"passes": "80 °C", "highest": "brick.left"}
    data["questions"] = [*data["questions"], {"name": "held", "heat_stored": "brick", "time": "2 hour"}]
    before = case_from_data(data)
    after = renamed_part(before, ("body", "regions", "brick"), "lining")
    assert '"brick' not in json.dumps({**after.data, "materials": {}}).replace('"material": "brick"', "")
    clock = after.data["clock"]
    assert clock["start_in"] == {"lining": "30 °C"} and clock["stages"][2]["until"]["highest"] == "lining.left"
    assert [stage["surroundings"][0]["on"] for stage in clock["stages"]] == ["lining.left"] * 3
    assert after.document.questions[-1].heat_stored == "lining"
    back = renamed_part(after, ("body", "regions", "lining"), "brick")
    assert back.data == before.data


def test_a_parameter_and_a_surface_are_renamed_in_stages_too(firing: Case) -> None:
    own = case_from_data({**firing.data, "surfaces": {"fire side": "brick.left"}})
    text = json.dumps(own.data["clock"]).replace("brick.left", "fire side")
    own = case_from_data({**own.data, "clock": json.loads(text)})
    named = renamed_surface(own, "fire side", "hot face")
    assert json.dumps(dict(named.data)).count('"hot face"') == 4 and "fire side" not in json.dumps(dict(named.data))
    formula = renamed_formula(named, "parameters", "T_top", "T_soak")
    assert "T_top" not in json.dumps(dict(formula.data))
    stages = formula.data["clock"]["stages"]
    assert stages[0]["surroundings"][0]["temperature"]["table"][2] == ["6 hour", "T_soak"]
    assert stages[1]["surroundings"][0] == {"on": "hot face", "temperature": "T_soak"}


def test_a_removed_region_takes_what_its_stages_state_and_says_so(firing: Case) -> None:
    data = dict(firing.data)
    stages = [dict(stage) for stage in data["clock"]["stages"]]
    stages[1]["surroundings"] = [*stages[1]["surroundings"], {"on": "blanket.top", "flux": "5 W/m²"}]
    waits = [*stages[:2], {**stages[2], "until": {"passes": "80 °C", "mean": "blanket"}}]
    data["clock"] = {**data["clock"], "start_in": {"blanket": "30 °C", "brick": "25 °C"}, "stages": stages}
    left, gone = without_part(case_from_data(data), ("body", "regions", "blanket"))
    said = json.dumps({**left.data, "materials": {}})
    assert '"blanket"' not in said and "blanket." not in said
    assert {"the start of blanket", "the statement on blanket.top in soak"} <= set(gone)
    assert left.data["clock"]["start_in"] == {"brick": "25 °C"}
    assert [stage["name"] for stage in left.data["clock"]["stages"]] == ["heating", "soak", "cooling"]
    with pytest.raises(CaseError, match="waits for something there"):
        without_part(
            case_from_data({**data, "clock": {**data["clock"], "stages": waits}}), ("body", "regions", "blanket")
        )


def test_the_time_line_shows_stages_tables_and_what_holds_for_a_while(firing: Case) -> None:
    rows = tracks(firing, 67.5 * 3600, (6 * 3600, 7.5 * 3600, 50 * 3600))
    stages = [(row.label, row.begin / 3600, row.end / 3600) for row in rows if row.said == "stage"]
    assert stages == [("heating", 0, 6), ("soak", 6, 7.5), ("cooling", 7.5, 50)]
    table = next(row for row in rows if row.times is not None)
    assert table.said == "20 … 1\u2009180 °C" and table.heights is not None and table.times is not None
    two = int(np.argmin(np.abs(table.times - 7200)))
    assert table.times[two] == 7200 and table.heights[two] == pytest.approx(280 / 1160)
    assert [(row.label, row.begin, row.end) for row in rows if row.said == "holds"] == [
        ("brick.left", 6 * 3600, 7.5 * 3600),
        ("brick.left", 7.5 * 3600, 50 * 3600),
    ]


@pytest.mark.parametrize(
    ("text", "mean", "amplitude", "period"),
    [
        ("12 °C + 9 K*sin(2*pi*t/(1 day))", 285.15, 9.0, 86400.0),
        ("12 °C - 9 K*cos(2*pi*(t - 6 hour)/(1 day))", 285.15, 9.0, 86400.0),
        ("300 K + 5 K*sin(1 - 0.01*t/(1 s))", 300.0, 5.0, 200 * np.pi),
        ("(2 - cos(t/(3 s)))*150 K", 300.0, 150.0, 6 * np.pi),
    ],
)
def test_one_sine_is_recognised_however_it_is_written(text: str, mean: float, amplitude: float, period: float) -> None:
    law = law_of(text, TEMPERATURE, {}, frozenset("t"))
    found, swing = swing_of(law)
    assert found == pytest.approx(mean, rel=1e-12) and abs(swing.amplitude) == pytest.approx(amplitude)
    assert 2 * np.pi / swing.rate == pytest.approx(period, rel=1e-9)
    t = np.linspace(0, period, 7)
    np.testing.assert_allclose(found + swing.amplitude * np.sin(swing.rate * t + swing.phase), law.at({"t": t}))


@pytest.mark.parametrize(
    "text",
    [
        "300 K + 5 K*sin(t/(3 s)) + 2 K*sin(t/(1 s))",
        "300 K + 5 K*sin((t/(3 s))^2)",
        "300 K + 1 K*t/(1 s)*sin(t/(3 s))",
        "300 K + 5 K*exp(-t/(9 s))",
        "300 K + 4 K*sin(t/(3 s))^2",
    ],
)
def test_anything_else_is_not_taken_for_a_sine(text: str) -> None:
    with pytest.raises(ReferenceRefusedError, match="otherwise than as one sine"):
        swing_of(law_of(text, TEMPERATURE, {}, frozenset("t")))


@pytest.mark.parametrize(
    ("clock", "path", "said"),
    [
        ({"start": "20 W"}, "clock.start", "is not a temperature"),
        ({"start": "20 °C", "end": "-3 s"}, "clock.end", "must be more than zero"),
        ({"start": "20 °C", "end": "9 s", "until": {"passes": "90 °C", "highest": "brik"}}, "clock.until", "brik"),
        (
            {"start": "20 °C", "stages": [{"name": "a", "lasts": "9 s"}, {"name": "a", "lasts": "9 s"}]},
            "clock",
            "two stages are named",
        ),
        ({"start": "20 °C", "end": "9 s", "tolerance": "2"}, "clock", "'2' is 200 %"),
        ({"start": "20 °C", "end": "9 s", "capacty": "lumped"}, "clock.capacty", "did you mean 'capacity'"),
    ],
)
def test_a_clock_that_cannot_run_says_where_and_how_to_mend_it(clock: object, path: str, said: str) -> None:
    data = dict(family("cooling-wall").case().data)
    try:
        trouble = Flow().answered(case_from_data({**data, "clock": clock, "questions": []})).trouble
    except CaseError as error:
        trouble = error
    assert isinstance(trouble, CaseError)
    faults = [(fault.path, fault.message) for fault in trouble.faults]
    assert any(at.startswith(path) and said in message for at, message in faults), faults
