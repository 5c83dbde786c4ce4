"""Studies: against formulas on paper, kept and gone on with, and what is wrong with one."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.renaming import renamed_formula
from blunt_ember.case.files.case_file import write_case
from blunt_ember.case.values.units import KINDS
from blunt_ember.cli.main import main
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.report.exporting import ExportOptions, write_outcome
from blunt_ember.studies.points import StudyError, parameter_value, si_text
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.running.store import ResultsStore, key_of
from blunt_ember.studies.study import study

T_HOT, T_AIR = 1253.15, 298.15


def resistance(t_blanket: float = 0.05, h: float = 12.0, k_brick: float = 0.35, k_blanket: float = 0.12) -> float:
    return 0.114 / k_brick + t_blanket / k_blanket + 0.003 / 45 + 1 / h


def wall(**studies: Any) -> Case:
    # A wall is answered exactly on any mesh.
    mesh = {"size": "200 mm", "across": 1, "order": 1}
    return case_from_data({**family("composite-wall").case().data, "studies": studies, "mesh": mesh})


def done(stated: dict[str, Any], case: Case | None = None, jobs: int = 1) -> StudyResult:
    return study(case or wall(it=stated), "it", ResultsStore(None), jobs=jobs)


FILM = {"values": ["5 W/(m² K)", "12 W/(m² K)", "30 W/(m² K)"]}


def test_a_sweep_crosses_parameters_or_takes_them_side_by_side() -> None:
    blanket = {"start": "20 mm", "end": "80 mm", "count": 3}
    crossed = done({"kind": "sweep", "vary": {"h_out": FILM, "t_blanket": blanket}}, jobs=2)
    assert len(crossed.points) == 9 and crossed.points[1] == pytest.approx({"h_out": 5, "t_blanket": 0.05})
    expected = [(T_HOT - T_AIR) / resistance(each["t_blanket"], each["h_out"]) for each in crossed.points]
    assert crossed.answers("heat flow") == pytest.approx(expected, rel=1e-9)
    beside = done({"kind": "sweep", "vary": {"h_out": FILM, "t_blanket": blanket}, "together": True})
    assert [point["t_blanket"] for point in beside.points] == pytest.approx([0.02, 0.05, 0.08])
    ratio = {"start": "1 W/(m² K)", "end": "100 W/(m² K)", "count": 5, "by": "ratio"}
    found = done({"kind": "sweep", "vary": {"h_out": ratio}})
    assert [point["h_out"] for point in found.points] == pytest.approx(np.geomspace(1, 100, 5))


def test_a_point_that_is_wrong_keeps_its_row_with_the_reason() -> None:
    found = done({"kind": "sweep", "vary": {"t_blanket": {"values": ["50 mm", "0 mm", "-3 mm", "20 mm"]}}})
    assert [bool(row.trouble) for row in found.rows] == [False, True, True, False]
    assert "more than zero" in found.rows[1].trouble
    with pytest.raises(StudyError, match="no point has an answer"):
        done({"kind": "sweep", "vary": {"t_blanket": {"values": ["0 mm", "-3 mm"]}}})


def test_sensitivities_are_the_derivatives_of_the_formula() -> None:
    found = done({"kind": "sensitivity"}).findings["heat flow"]
    q, r = (T_HOT - T_AIR) / resistance(), resistance()
    assert found["h_out"] == pytest.approx(q / r / 12**2, rel=1e-3)
    assert found["t_blanket"] == pytest.approx(-q / r / 0.12, rel=1e-3)
    assert found["T_hot"] == pytest.approx(1 / r, rel=1e-6)
    chosen = done({"kind": "sensitivity", "vary": ["k_brick"]}).findings["outer surface"]
    assert set(chosen) == {"k_brick"} and chosen["k_brick"] > 0


def test_an_uncertain_answer_has_the_variance_of_its_closed_form() -> None:
    """The loss is linear in both temperatures."""
    spread = {"T_hot": {"normal": "10 K"}, "T_air": {"uniform": ["15 °C", "35 °C"]}}
    stated = {"kind": "uncertainty", "spread": spread, "count": 128}
    found = done(stated, jobs=2).findings["heat flow"]
    deviations = np.array([10.0, 20 / np.sqrt(12)]) / resistance()
    assert found["mean"] == pytest.approx((T_HOT - T_AIR) / resistance(), rel=1e-3)
    assert found["deviation"] == pytest.approx(np.linalg.norm(deviations), rel=0.03)
    shares = deviations**2 / (deviations**2).sum()
    assert [found["share of T_hot"], found["share of T_air"]] == pytest.approx(shares, abs=0.03)
    assert found["2.5 %"] < found["50 %"] < found["97.5 %"]
    few = {**stated, "count": 16}
    assert done(few).findings["heat flow"] == done(few, jobs=2).findings["heat flow"]  # the same seed draws the same


@pytest.mark.parametrize(
    ("spread", "low", "high"),
    [
        ({"lognormal": "1.5"}, 0.12 / 1.5**5, 0.12 * 1.5**5),
        ({"triangular": ["0.1 W/(m K)", "0.12 W/(m K)", "0.2 W/(m K)"]}, 0.1, 0.2),
        ({"normal": "5 %"}, 0.12 - 5 * 0.006, 0.12 + 5 * 0.006),
    ],
)
def test_every_distribution_stays_where_it_belongs(spread: dict[str, Any], low: float, high: float) -> None:
    found = done({"kind": "uncertainty", "spread": {"k_blanket": spread}, "count": 32})
    values = [point["k_blanket"] for point in found.points]
    assert low <= min(values) < 0.12 < max(values) <= high


AIM = {"kind": "target", "vary": "t_blanket", "start": "20 mm", "end": "300 mm", "question": "outer surface"}


def test_a_target_is_met_and_one_that_cannot_be_says_the_values_at_both_ends() -> None:
    found = done({**AIM, "value": "60 °C"}).found["t_blanket"]
    flux = 12 * (60 - 25) * (1 + 0.0)
    expected = 0.12 * ((980 - 60) / flux - 0.114 / 0.35 - 0.003 / 45)
    assert found == pytest.approx(expected, rel=1e-6)
    with pytest.raises(StudyError, match=r"at '20 mm' and .* at '300 mm', both on one side of '400 °C'"):
        done({**AIM, "value": "400 °C"})


def test_the_smallest_that_will_do_is_found_where_an_answer_rises_and_falls() -> None:
    """The film falls and rises again with the parameter: the surface is at most 120 °C near both ends."""
    wave = "9 W/(m² K) + 9 W/(m² K)*cos(2*pi*(h_out/(1 W/(m² K)) - 5)/10)"
    stated = {**AIM, "vary": "h_out", "start": "5 W/(m² K)", "end": "15 W/(m² K)", "value": "150 °C"}

    def found(**more: Any) -> StudyResult:
        return done({}, with_film(wall(it={**stated, **more}), wave))

    def surface(h_out: float) -> float:
        h = 9 + 9 * np.cos(2 * np.pi * (h_out - 5) / 10)
        return float((T_AIR + (T_HOT - T_AIR) / resistance(h=max(h, 1e-9)) / max(h, 1e-9)) - 273.15)

    least = found(want="at least")
    assert surface(least.found["h_out"]) == pytest.approx(150, abs=1e-4) and least.found["h_out"] < 10
    assert "bracketed by" in least.said
    last = found(want="at least", seek="largest")
    assert surface(last.found["h_out"]) == pytest.approx(150, abs=1e-4) and last.found["h_out"] > 10
    at_once = found(want="at most")
    assert at_once.found["h_out"] == 5 and "the smallest value of the range" in at_once.said
    with pytest.raises(StudyError, match=r"at '15 W/\(m² K\)', nowhere at most '20 °C'; widen the range"):
        found(want="at most", value="20 °C")


def measured(k_brick: float, h: float) -> dict[str, str]:
    q = (T_HOT - T_AIR) / resistance(h=h, k_brick=k_brick)
    inner = T_HOT - q * 0.114 / k_brick
    return {"heat flow": f"{q} W/m²", "outer surface": f"{T_AIR + q / h} K", "brick to blanket": f"{inner} K"}


WITHIN = {"heat flow": "12 W/m²", "outer surface": "1 K", "brick to blanket": "3 K"}
FITTED = {"k_brick": ["0.1 W/(m K)", "2 W/(m K)"], "h_out": ["2 W/(m² K)", "50 W/(m² K)"]}


def correlation(k_brick: float, h: float) -> float:
    """That of both deviations, from the slopes of the formulas."""
    within = np.array([float(text.split()[0]) for text in WITHIN.values()])

    def computed(k: float, h: float) -> np.ndarray:
        return np.array([float(text.split()[0]) for text in measured(k, h).values()]) / within

    slopes = np.stack(
        [computed(k_brick + dk, h + dh) - computed(k_brick - dk, h - dh) for dk, dh in ((1e-4, 0), (0, 1e-3))], axis=1
    )
    spread = np.linalg.inv(slopes.T @ slopes)
    return float(spread[0, 1] / np.sqrt(spread[0, 0] * spread[1, 1]))


def test_a_fit_finds_what_made_the_values_and_how_well_they_tell_it() -> None:
    wide = done({"kind": "fit", "vary": FITTED, "measured": measured(0.42, 9.0), "within": WITHIN})
    assert wide.found == pytest.approx({"k_brick": 0.42, "h_out": 9.0}, rel=1e-6)
    assert wide.said == f"k_brick and h_out are correlated by {correlation(0.42, 9.0):.3f}"
    narrow = {name: text.replace(text.split()[0], str(float(text.split()[0]) / 10)) for name, text in WITHIN.items()}
    tight = done({"kind": "fit", "vary": FITTED, "measured": measured(0.42, 9.0), "within": narrow})
    assert wide.deviations["k_brick"] == pytest.approx(10 * tight.deviations["k_brick"], rel=1e-3)
    assert 0 < tight.deviations["k_brick"] < 0.01


def test_in_all_but_few_noisy_logs_the_truth_lies_within_two_deviations() -> None:
    rng, inside = np.random.default_rng(4), 0
    deviations = {"heat flow": 12.0, "outer surface": 1.0, "brick to blanket": 3.0}
    for _ in range(8):
        noisy = {}
        for name, text in measured(0.42, 9.0).items():
            value, unit = text.split(" ", 1)
            noisy[name] = f"{float(value) + deviations[name] * rng.normal()} {unit}"
        found = done({"kind": "fit", "vary": FITTED, "measured": noisy, "within": WITHIN})
        inside += abs(found.found["k_brick"] - 0.42) <= 2 * found.deviations["k_brick"]
    assert inside >= 7


def test_parameters_that_data_cannot_tell_apart_are_named() -> None:
    vary = {"k_blanket": ["0.02 W/(m K)", "1 W/(m K)"], "t_blanket": ["5 mm", "400 mm"]}
    given = {"heat flow": "1100 W/m²", "outer surface": "117 °C"}
    found = done(
        {"kind": "fit", "vary": vary, "measured": given, "within": {"heat flow": "2 %", "outer surface": "1 K"}}
    )
    assert "cannot tell k_blanket and t_blanket apart" in found.said and not found.deviations
    # Temperatures hang on k/h alone, and not in a straight line.
    vary = {"k_plate": ["0.2 W/(m K)", "5 W/(m K)"], "h_out": ["2 W/(m² K)", "90 W/(m² K)"]}
    plate = family("plane-wall").case()
    places = {"front": 0.3, "middle": 0.6, "back": 0.9}
    asked = [{"name": name, "temperature": [f"thickness*{at}", "0 mm"]} for name, at in places.items()]
    given = {"front": "300 °C", "middle": "240 °C", "back": "180 °C"}
    stated = {"it": {"kind": "fit", "vary": vary, "measured": given}}
    found = done({}, case_from_data({**plate.data, "questions": asked, "studies": stated}))
    assert "cannot tell" in found.said and not found.deviations


def test_a_fit_that_ends_at_a_bound_and_a_target_that_is_jumped_over_say_so() -> None:
    vary = {"k_brick": ["0.1 W/(m K)", "0.3 W/(m K)"]}
    found = done({"kind": "fit", "vary": vary, "measured": measured(0.42, 12.0), "within": WITHIN})
    assert found.said.startswith("k_brick ended at a bound") and not found.deviations
    jump = "12 W/(m² K) + 8 W/(m² K)*min(max((h_out/(1 W/(m² K)) - 10)*1e12, 0), 1)"
    case = wall(it=AIM | {"vary": "h_out", "start": "5 W/(m² K)", "end": "15 W/(m² K)", "value": "105 °C"})
    found = done({}, with_film(case, jump))
    assert found.found["h_out"] == pytest.approx(10) and "jumps there" in found.said


def with_film(case: Case, h: str) -> Case:
    place = next(place for place, entry in enumerate(case.data["surroundings"]) if "film" in entry)
    return with_value(case, ("surroundings", place, "film"), {"h": h, "temperature": "T_air"})


def test_a_slope_that_a_bend_spoils_is_told_to_be_poor_and_what_fails_is_told() -> None:
    kink = "h_out*(1 + 40*abs(t_shell/(3 mm) - 1.004))"
    by_hand = {"kind": "sensitivity", "vary": ["t_shell", "h_out"], "by": "differences"}
    found = done({}, with_film(wall(it=by_hand), kink))
    assert "heat flow by t_shell" in found.said and "h_out" not in found.said
    by_hand = {**by_hand, "vary": ["T_hot"]}
    case = with_value(wall(it=by_hand), ("parameters", "T_hot"), "2 K")
    case = with_value(case, ("parameters", "t_shell"), "3 mm*(T_hot - 1.985 K)/(0.015 K)")
    assert "1 of 4 cases have no answer" in done({}, case).said


@pytest.mark.parametrize(
    ("stated", "reason"),
    [
        ({"kind": "sweep", "vary": {"h_out": {"start": "5 W/(m² K)", "end": "5 W/(m² K)", "count": 3}}}, "is no range"),
        ({"kind": "sweep", "vary": {"h_out": {"values": ["5 mm"]}}}, "is no value of h_out; write it like '12.0 W"),
        ({"kind": "sweep", "vary": {"h_out": {"values": ["5 W/(m² K"]}}}, "for h_out"),
        (
            {"kind": "sweep", "vary": {"h_out": FILM, "t_shell": {"values": ["1 mm"]}}, "together": True},
            "equally many; there are h_out 3, t_shell 1",
        ),
        (
            {
                "kind": "target",
                "vary": "h_out",
                "start": "5 W/(m² K)",
                "end": "9 W/(m² K)",
                "question": "losss",
                "value": "1 W",
            },
            "there is no question 'losss'",
        ),
        (AIM | {"value": "60 °C", "vary": "t_shell", "start": "3 mm", "end": "3 mm"}, "is no range"),
        ({"kind": "fit", "vary": FITTED, "measured": {"heat flow": "1100 W/m²"}}, "2 parameters cannot be told from 1"),
        ({"kind": "uncertainty", "spread": {"h_out": {"uniform": ["9 W/(m² K)", "5 W/(m² K)"]}}}, "must be below"),
        ({"kind": "uncertainty", "spread": {"h_out": {"normal": "0 %"}}}, "must be above zero"),
        ({"kind": "uncertainty", "spread": {"T_air": {"normal": "2 °C"}}}, "it is a reading of a scale; write it"),
        ({"kind": "uncertainty", "spread": {"T_air": {"normal": "10 %"}}}, "hangs on its scale; write it like '2 K'"),
        ({"kind": "uncertainty", "spread": {"h_out": {"normal": "1 mm"}}}, "no deviation of 'h_out'; write it like"),
        ({"kind": "fit", "vary": FITTED, "measured": measured(1, 1)}, "of different kinds"),
        (
            {"kind": "fit", "vary": FITTED, "measured": measured(1, 1), "within": {"outer surface": "1 K"}},
            "say how well 'heat flow' is known too",
        ),
        (
            {"kind": "fit", "vary": FITTED, "measured": measured(1, 1), "within": {**WITHIN, "outer": "1 K"}},
            "did you mean 'outer surface'",
        ),
        (
            {"kind": "fit", "vary": FITTED, "measured": measured(1, 1), "within": {**WITHIN, "heat flow": "1 mm"}},
            "no deviation of 'heat flow'; write it like",
        ),
    ],
)
def test_a_study_that_cannot_be_done_says_why(stated: dict[str, Any], reason: str) -> None:
    with pytest.raises(StudyError) as refused:
        done(stated)
    assert reason in str(refused.value)


@pytest.mark.parametrize(
    ("stated", "at", "reason"),
    [
        ({"kind": "sweep", "vary": {"h_aut": FILM}}, "studies.it.vary.h_aut", "did you mean 'h_out'"),
        ({"kind": "sweep", "vary": {"h_out": {"start": "5 W/(m² K)"}}}, "studies.it.vary.h_out", "all three"),
        ({"kind": "uncertainty", "spread": {"h_out": {}}}, "studies.it.spread.h_out", "say one of"),
        ({"kind": "fit", "vary": {"h_out": ["5 W/(m² K)"]}, "measured": {"a": "1 W"}}, "studies.it", "its highest"),
    ],
)
def test_what_is_wrong_in_the_file_is_said_where_it_stands(stated: dict[str, Any], at: str, reason: str) -> None:
    with pytest.raises(CaseError) as refused:
        wall(it=stated)
    assert any(fault.path.startswith(at) and reason in fault.message for fault in refused.value.faults)


@pytest.mark.parametrize(
    "stated",
    [
        {"kind": "sweep", "vary": {"spare": {"values": ["1 mm", "2 mm"]}}},
        {"kind": "sensitivity", "vary": ["through"]},
        {"kind": "uncertainty", "spread": {"spare": {"normal": "10 %"}}},
    ],
)
def test_a_parameter_that_nothing_follows_is_refused_even_where_another_idle_one_follows_it(
    stated: dict[str, Any],
) -> None:
    case = wall()
    parameters = {**case.data["parameters"], "through": "2 mm", "spare": "3 mm + through"}
    idle = case_from_data({**case.data, "parameters": parameters, "studies": {"it": stated}})
    with pytest.raises(StudyError, match=r"nothing in the case follows the parameter (spare|through), so"):
        done({}, idle)


def test_a_parameter_that_is_renamed_is_followed() -> None:
    case = renamed_formula(wall(it={"kind": "sweep", "vary": {"h_out": FILM}}), "parameters", "h_out", "h_yard")
    assert list(case.data["studies"]["it"]["vary"]) == ["h_yard"]
    assert len(done({}, case).points) == 3


def test_what_is_written_of_a_quantity_is_read_again() -> None:
    case = wall()
    for kind in KINDS:
        text = si_text(kind.dimension, 0.37)
        stated = case_from_data({**case.data, "parameters": {**case.data["parameters"], "p": text}})
        assert parameter_value(stated, "p", text) == pytest.approx(0.37, rel=1e-12), kind.name


def test_a_row_is_never_computed_twice_and_a_killed_study_goes_on(tmp_path: Path) -> None:
    many = {"start": "5 W/(m² K)", "end": "25 W/(m² K)", "count": 60}
    case = wall(it={"kind": "sweep", "vary": {"h_out": many}})
    path = tmp_path / "wall.ember"
    write_case(case, path)
    command = [sys.executable, "-m", "blunt_ember", "study", str(path), "it", "--jobs", "2"]
    running = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True)
    results = path.with_suffix(".results")
    end = time.monotonic() + 120
    while time.monotonic() < end and (not results.exists() or len(kept(results)) < 5):
        time.sleep(0.05)
    os.killpg(running.pid, signal.SIGKILL)
    running.communicate()
    before = kept(results)
    assert len(before) >= 5
    heard: list[tuple[int, int]] = []
    store = ResultsStore(results)
    found = study(case, "it", store, lambda done, of: heard.append((done, of)), jobs=1)
    assert heard[0] == (len(before), 60) and heard[-1] == (60, 60) and len(found.rows) == 60
    heard.clear()
    study(case, "it", store, lambda done, of: heard.append((done, of)), jobs=1)
    assert heard == [(60, 60)]
    store.close()


def kept(results: Path) -> list[Any]:
    import sqlite3

    try:
        base = sqlite3.connect(f"file:{results}?mode=ro", uri=True)
        rows = base.execute("SELECT key FROM points").fetchall()
        base.close()
    except sqlite3.Error:
        return []
    return rows


def test_the_command_prints_json_in_the_units_of_the_case(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "wall.ember"
    write_case(wall(it={"kind": "sweep", "vary": {"t_blanket": {"values": ["20 mm", "60 mm"]}}}), path)
    assert main(["study", str(path), "it", "--json", "--csv", str(tmp_path / "w.csv")]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["parameters"] == {"t_blanket": "mm"} and [p["t_blanket"] for p in told["points"]] == [20, 60]
    assert told["points"][1]["outer surface"] == pytest.approx(25 + 955 / resistance(0.06) / 12)
    assert (tmp_path / "w.csv").read_text(encoding="utf-8").count("\n") == 3
    assert main(["study", str(path), "ti"]) == 2 and "did you mean 'it'" in capsys.readouterr().err


def test_what_an_answer_depends_on_is_part_of_its_key(tmp_path: Path) -> None:
    case = wall()
    again = case_from_data({**case.data, "working": {**case.data["working"], "q": "(T_hot - T_air)/R/2"}})
    retitled = case_from_data({**case.data, "title": "another wall"})
    assert key_of(again) != key_of(case) == key_of(retitled)
    write_outcome(Flow().answered(family("bowl").case()), tmp_path / "bowl.vtu", ExportOptions())
    body = {"kind": "imported", "file": "bowl.vtu", "unit": "1 m", "groups": {}}
    read = case_from_data({"format": "blunt-ember/1", "body": body}, str(tmp_path))
    before = key_of(read)
    os.utime(tmp_path / "bowl.vtu", (1, 1))
    assert key_of(read) != before


HEADED = "t_blanket [mm], h_out [W/(m² K)], T_air\n20, 5, 25 °C\n50, 12, 18 °C\n\n80, 30, 25 °C\n"


@pytest.mark.parametrize("text", [HEADED, "\ufeff" + HEADED.replace(", ", ";"), HEADED.replace(", ", "\t")])
def test_the_rows_of_a_file_are_points(text: str, tmp_path: Path) -> None:
    (tmp_path / "points.csv").write_text(text)
    case = case_from_data(wall(it={"kind": "sweep", "rows": "points.csv"}).data, str(tmp_path))
    found = done({}, case)
    assert [point["t_blanket"] for point in found.points] == pytest.approx([0.02, 0.05, 0.08])
    assert [point["T_air"] for point in found.points] == pytest.approx([298.15, 291.15, 298.15])
    air = [point["T_air"] for point in found.points]
    walls = [resistance(point["t_blanket"], point["h_out"]) for point in found.points]
    expected = [(T_HOT - t) / r for t, r in zip(air, walls, strict=True)]
    assert found.answers("heat flow") == pytest.approx(expected, rel=1e-9)


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("../points.csv", HEADED, "outside the folder of the case"),
        ("none.csv", None, "cannot be read"),
        ("no\0name.csv", None, "is no name of a file"),
        ("points.csv", "h_out\n" + "9" * 200_000 + "\n", "is no table of rows"),
        ("points.csv", "t_blanket [mm]\n", "wants a heading .* and rows below it"),
        ("points.csv", "t_blankt [mm]\n20\n", "'t_blankt' in the heading .* did you mean 't_blanket'"),
        ("points.csv", "t_blanket [mm]\n20\n20 W\n", "row 3: '20 W' is no value of t_blanket; write it like"),
        ("points.csv", "t_blanket [mm], h_out\n20\n", "row 2: it has 1 cells, and the heading 2"),
        ("points.csv", "h_out, h_out\n5 W/m2K, 6 W/m2K\n", "stands twice"),
    ],
)
def test_rows_that_are_wrong_are_refused_with_their_place(
    name: str, text: str | None, said: str, tmp_path: Path
) -> None:
    (tmp_path / "case").mkdir()
    if text is not None:
        (tmp_path / "case" / name).write_text(text)
    case = case_from_data(wall(it={"kind": "sweep", "rows": name}).data, str(tmp_path / "case"))
    with pytest.raises(StudyError, match=said):
        done({}, case)
