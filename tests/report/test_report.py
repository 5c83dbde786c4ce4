"""The report: one file that holds everything, in words and pictures, of cases that stand still and that run."""

from __future__ import annotations

import base64
import re
import subprocess
import sys
from collections.abc import Iterator, Mapping
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from matplotlib.image import imread

from blunt_ember.case.case import case_from_data, case_to_text
from blunt_ember.cli.main import main
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import FAMILIES, family
from blunt_ember.refinement.uniform import uniform_refinement
from blunt_ember.report.page.html import report_html, write_report
from blunt_ember.report.page.statement import parameters, statement, working


class Page(HTMLParser):
    """Collects the text of a page, its pictures, and whether every element is closed."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.texts: list[str] = []
        self.pictures: list[str] = []
        self.open: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "img":
            self.pictures.append(dict(attrs)["src"] or "")
        elif tag != "meta":
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.texts.append(data)


def test_a_report_holds_everything_in_one_file() -> None:
    case = family("wall-corner").case()
    data = {**case.data, "title": "Corner <of> the room & more"}
    case, flow = case_from_data(data), Flow()
    outcome = flow.answered(case)
    levels = list(uniform_refinement(flow, case, 3))
    text = report_html(outcome, levels, flow.kinds(case, flow.solved(case)))
    page = Page(text)
    said = " ".join(" ".join(page.texts).split())
    assert not page.open and "http" not in text.replace("http-equiv", "")
    assert "Corner <of> the room & more" in said  # what was typed is text, not markup
    check = outcome.checks[0]
    for wanted in (
        check.name,
        check.asked,
        "✓ agrees",
        "Heat ledger",
        "does not balance",
        "1.33",
        "Refinement",
        "insulated, as nothing is stated",
        "patch recovery",
    ):
        assert wanted in said, wanted
    for section in statement(case, outcome):
        assert section.title in said
        assert all(each.name in said and " ".join(each.text.split()) in said for each in section.sentences)
    assert len(page.pictures) == 6
    for source in page.pictures:
        raw = base64.b64decode(source.removeprefix("data:image/png;base64,"))
        path = Path("picture.png")
        assert raw.startswith(b"\x89PNG") and len(raw) > 2000, path


def test_a_report_of_a_run_has_its_histories(tmp_path: Path) -> None:
    outcome = next(each for each in Flow().outcomes(family("cooling-bar").case()) if each.histories)
    path = tmp_path / "run.html"
    write_report(outcome, path)
    text = path.read_text(encoding="utf-8")
    for question in outcome.case.document.questions:
        if question.condition is None:
            assert f"Over time: {question.name}" in text
    assert "Time: exactly" in text and "goes into storage" in text
    (picture,) = [
        each
        for each in re.findall(r'alt="([^"]+)" src="data:image/png;base64,([^"]+)"', text)
        if each[0] == "Over time: heat stored"
    ]
    (tmp_path / "p.png").write_bytes(base64.b64decode(picture[1]))
    assert np.ptp(imread(tmp_path / "p.png")[..., 0]) > 0.5
    with pytest.raises(BluntEmberError, match="before the case is solved"):
        write_report(Outcome(outcome.case), path)
    with pytest.raises(BluntEmberError, match="cannot be written"):
        write_report(outcome, tmp_path / "none" / "run.html")


BY_TWO_HANDS = """
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.report.page.html import report_html
from blunt_ember.report.page.second_hand import SecondHand

seconds = {dies_after: SecondHand() for dies_after in (9, 1, 0)}
third = SecondHand()
outcome = Flow().answered(family("stacked-floor").case())
alone = report_html(outcome)
for dies_after, second in seconds.items():
    said, heard = second.said, []

    def until_it_dies():
        heard.append(said())
        if len(heard) > dies_after:
            second._process.kill()
        return heard[-1]

    second.said = until_it_dies
    assert report_html(outcome, second=second) == alone, dies_after
    print(len([each for each in heard if each]))
    second.close()
tell = third.tell
third.tell = lambda what: tell("no body" if isinstance(what, tuple) else what)
assert report_html(outcome, second=third) == alone
third.close()
"""  # the third one says that it cannot draw that, which is no picture


def test_a_second_hand_draws_the_same_and_may_die() -> None:
    done = subprocess.run(
        [sys.executable, "-c", BY_TWO_HANDS], capture_output=True, text=True, timeout=120, check=False
    )
    assert done.returncode == 0, done.stderr
    by_it = [int(line) for line in done.stdout.split()]
    assert by_it[0] >= 2 and by_it[1] >= 2 and by_it[2] >= 1, "pictures that the second hand drew"


def values_in(data: Any) -> Iterator[str]:
    """Every quantity, formula and name that is stated."""
    if isinstance(data, Mapping):
        for key, entry in data.items():
            if key not in ("format", "units", "questions", "shape", "kind", "over", "between", "expect"):
                yield from values_in(entry)
    elif isinstance(data, list):
        for entry in data:
            yield from values_in(entry)
    elif isinstance(data, str):
        yield data


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", FAMILIES)
def test_whatever_is_stated_is_said(name: str) -> None:
    case = family(name).case()
    sections = statement(case, Outcome(case, Flow().geometry(case)))
    said = [f"{each.name} {each.text}" for section in sections for each in section.sentences]
    said += [section.state for section in sections]
    said += [f"{name} {value}" for name, value in parameters(case)] + [line.formula for line in working(case)]
    whole = " ".join(" ".join(said).split())
    missing = {value for value in values_in({**case.data, "title": ""}) if " ".join(value.split()) not in whole}
    assert not missing - {"0 mm"}  # what stands at the origin stands nowhere else


def test_the_statement_reads_as_it_was_written_with_what_follows_from_it() -> None:
    found = {section.title: [str(each) for each in section.sentences] for section in statement(family("firing").case())}
    assert "brick: rectangle t_brick = 114 mm × 20 mm of brick" in found["Body"]
    assert any("held at 3 rows over t (0 s → 20 °C; 2 hour → 300 °C; 6 hour → T_top)" in row for row in found["Clock"])
    assert "blanket.right meets a fluid at T_air = 20 °C = 293.15 K, h h_out = 9 W/(m² K)" in found["Surroundings"]
    lines = {line.name: line for line in working(family("composite-wall").case())}
    assert lines["q"].formula == "(T_hot - T_air)/R" and lines["q"].value.startswith("1\u2009156.5")


def test_a_report_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    case, page = str(tmp_path / "w.ember"), tmp_path / "w.html"
    assert main(["new", "rod-film-tip", "-o", case]) == 0
    assert main(["report", case, "-o", str(page), "--refine", "3"]) == 0
    assert "tends to" in page.read_text(encoding="utf-8")
    assert main(["report", case, "-o", str(page)]) == 2
    assert "exists already" in capsys.readouterr().err


def test_studies_stand_in_the_report_with_what_was_found_charts_and_points(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    thickness = {"start": "20 mm", "end": "120 mm", "count": 6}
    case = family("composite-wall").case()
    studies = {
        "lagging": {"kind": "sweep", "vary": {"t_blanket": thickness}},
        "hot shell": {
            "kind": "target",
            "vary": "t_blanket",
            "start": "5 mm",
            "end": "400 mm",
            "question": "outer surface",
            "value": "60 °C",
        },
        "out of reach": {
            "kind": "target",
            "vary": "t_blanket",
            "start": "5 mm",
            "end": "10 mm",
            "question": "outer surface",
            "value": "20 °C",
        },
    }
    path = tmp_path / "wall.ember"
    path.write_text(case_to_text(case_from_data({**case.data, "studies": studies})), encoding="utf-8")
    assert main(["report", str(path), "-o", str(tmp_path / "wall.html")]) == 0
    page = (tmp_path / "wall.html").read_text(encoding="utf-8")
    lagging = page[page.index("Study “lagging”: sweep") :]
    assert "Study “hot shell”: target" in lagging and re.search(r"t_blanket = \d+", lagging)
    for value in ("20 mm", "40 mm", "60 mm", "80 mm", "100 mm", "120 mm"):
        assert f">{value}<" in lagging
    for question in case.document.questions:
        assert f"{question.name} over t_blanket</figcaption>" in lagging
    # One that cannot be done loses nothing of the rest.
    assert "the study 'out of reach' is not in the report: " in capsys.readouterr().err
    assert "out of reach”" not in page
    assert (tmp_path / "wall.results").exists()  # so that nothing is solved again
