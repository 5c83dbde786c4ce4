"""Tables for other programs and for people."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest

from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import GROUPS, family
from blunt_ember.report.folder import write_demo
from blunt_ember.report.tables.checks import answer_object, basis, checks_csv, outcome_object, outcome_text


@pytest.fixture(scope="module")
def outcome() -> Outcome:
    return Flow().run(family("composite-wall").case())


def test_csv_holds_plain_numbers_with_their_units_and_the_ledger(outcome: Outcome) -> None:
    rows = list(csv.DictReader(io.StringIO(checks_csv(outcome))))
    by_name = {row["name"]: row for row in rows}
    assert float(by_name["heat flow"]["value"]) == pytest.approx(1156.4810222934711, rel=1e-12)
    assert by_name["heat flow"]["unit"] == "W/m²"
    assert float(by_name["outer surface"]["value"]) == pytest.approx(121.37341852445596, rel=1e-10)
    assert by_name["outer surface"]["unit"] == "°C"
    heats = [float(row["value"]) for name, row in by_name.items() if name.startswith("ledger: ")]
    assert sum(heats[:-1]) == pytest.approx(heats[-1], abs=1e-9)


def test_an_answer_off_its_mark_is_told_in_the_unit_of_the_answer(outcome: Outcome) -> None:
    case = with_value(outcome.case, ("questions", 4, "expect"), {"value": "250 °F", "source": "made up"})
    row = answer_object(Flow().answered(case).checks[4])
    assert row["expected"] == pytest.approx((250 + 459.67) / 1.8 - 273.15)
    assert row["deviation"] == pytest.approx(row["value"] - row["expected"])
    assert (row["verdict"], row["source"], row["tolerance"]) == ("agrees", "made up", "0.5 K")
    far = with_value(case, ("questions", 4, "expect", "value"), "253 °F")
    assert answer_object(Flow().answered(far).checks[4])["verdict"] == "off"


#: One of every group, and one whose clock runs; that all of them agree is tested elsewhere.
TOLD = [*(families[0].name for families in GROUPS.values()), "settling-wall"]


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", TOLD)
def test_every_family_is_told_whole(name: str) -> None:
    outcome = Flow().run(family(name).case())
    told, text = outcome_object(outcome), outcome_text(outcome)
    assert told["title"] in text and basis(outcome) in text
    for answer in told["answers"]:
        assert answer["name"] in text
        assert answer["verdict"] == ("agrees" if answer["source"] else "open") and answer["error"] >= 0
    assert told["mesh"]["smallest_angle_deg"] > 20
    assert {row["name"] for row in told["ledger"]["rows"]} == {row.name for row in outcome.ledger.rows}
    assert set(told["unstated"]) == set(outcome.unstated)


def test_the_demo_folder_holds_a_case_that_gives_its_own_table(tmp_path: Path) -> None:
    _, written = write_demo(tmp_path / "deep" / "er")
    assert {path.suffix for path in written} == {".ember", ".csv", ".txt", ".png"}
    assert all(path.stat().st_size > 300 for path in written)
    assert (tmp_path / "deep" / "er" / "checks.csv").read_text(encoding="utf-8").count("agrees") == 5
