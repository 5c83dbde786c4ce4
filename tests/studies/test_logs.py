"""Parameters from logs: what a thermocouple said at many times."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.gallery.families import family
from blunt_ember.reference.in_layers.warming import one_layer
from blunt_ember.reference.side import Side
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.study import study
from blunt_ember.studies.telling import findings_table, found_lines

TIMES = np.array([1.0, 3.0, 5.0, 8.0, 12.0, 16.0])  # min
NOISE = 1.5


def log_of(folder: Path, h: float, seed: int) -> None:
    """What the middle of the casting would have been by the series, with noise."""
    air = Side(h=h, fluid=291.15)
    wall = one_layer("wall", 0.0, 0.06, 44.0, 44.0 / (7300 * 540), (air, air), 913.15)
    random = np.random.default_rng(seed)
    rows = [
        f"{t}; {wall.temperature_at(np.array([0.03]), 60 * t)[0] - 273.15 + NOISE * random.normal():.3f}" for t in TIMES
    ]
    (folder / "middle.csv").write_text("time [min]; T [°C]\n" + "\n".join(rows) + "\n", encoding="utf-8")


def stated(folder: Path, **more: Any) -> Case:
    base = family("cooling-wall").case().data
    fit = {
        "kind": "fit",
        "vary": {"h_out": ["60 W/(m² K)", "160 W/(m² K)"]},
        "logs": {"middle": "middle.csv"},
        "within": {"middle": f"{NOISE} K"},
        **more,
    }
    asked = [question for question in base["questions"] if question["name"] == "middle"]
    return case_from_data(
        {**base, "mesh": {"size": "30 mm"}, "questions": asked, "studies": {"film": fit}}, str(folder)
    )


def done(case: Case) -> StudyResult:
    return study(case, "film", ResultsStore(None), jobs=1)


def test_a_film_is_found_from_the_log_of_a_thermocouple(tmp_path: Path) -> None:
    log_of(tmp_path, 112.0, 5)
    case = stated(tmp_path)
    result = done(case)
    off = result.deviations["h_out"]
    assert abs(result.found["h_out"] - 112.0) < 3 * off and off < 0.5
    # The slope by the film, of the series, says how well so noisy a log can tell it.
    slopes = []
    for h in (111.5, 112.5):
        air = Side(h=h, fluid=291.15)
        wall = one_layer("wall", 0.0, 0.06, 44.0, 44.0 / (7300 * 540), (air, air), 913.15)
        slopes.append([wall.temperature_at(np.array([0.03]), 60 * t)[0] for t in TIMES])
    assert off == pytest.approx(NOISE / np.linalg.norm(np.diff(slopes, axis=0)), rel=0.02)
    table = findings_table(case, result)
    assert [row[0] for row in table[1:]] == [f"middle at {t} min" for t in TIMES] and table[0][1:] == (
        "measured",
        "computed",
        "off",
    )
    assert found_lines(case, result)[0].startswith("h_out = 11")
    aside = [found["off"] for found in result.findings.values()]
    assert 0.3 * NOISE < np.std(aside) < 2 * NOISE


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("T [°C]; time [min]\n20; 1\n", "wants two columns: t, such as 't \\[min\\]'"),
        ("time; T [°C]\n3 kg; 20\n", "row 2: '3 kg' is not a time"),
        ("time [min]; T [kg]\n1; 20\n", "'middle row 2': '20 kg'"),
        ("time [min]; T [°C]\n1; 20; 3\n", "row 2: it has 3 cells, and the heading 2"),
        ("time [min]; T [°C]\n900; 20\n", "a log cannot be asked for: it is asked for 900 min, but the clock ends"),
    ],
)
def test_a_log_that_cannot_be_read_says_where(tmp_path: Path, text: str, said: str) -> None:
    (tmp_path / "middle.csv").write_text(text, encoding="utf-8")
    with pytest.raises(StudyError, match=said):
        done(stated(tmp_path))


def test_a_reading_may_stand_beside_a_log_of_the_same_question(tmp_path: Path) -> None:
    log_of(tmp_path, 112.0, 5)
    both = done(stated(tmp_path, measured={"middle": "171 °C"}))
    assert list(both.findings)[:2] == ["middle", "middle at 1.0 min"] and both.deviations["h_out"] > 0


def test_a_log_needs_a_question_and_a_clock(tmp_path: Path) -> None:
    log_of(tmp_path, 80.0, 1)
    with pytest.raises(StudyError, match="there is no question 'midle'; did you mean 'middle'"):
        done(stated(tmp_path, logs={"midle": "middle.csv"}, within={}))
    data = stated(tmp_path).data
    still = {key: entry for key, entry in data.items() if key != "clock"}
    with pytest.raises(StudyError, match="is a log, and the clock of this case is steady"):
        done(case_from_data(still, str(tmp_path)))
