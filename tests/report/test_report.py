"""The report: one file that holds everything, in words and pictures, of cases that stand still and that run."""

from __future__ import annotations

import base64
import re
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest
from matplotlib.image import imread

from blunt_ember.case.case import case_from_data
from blunt_ember.cli.main import main
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.refinement.uniform import uniform_refinement
from blunt_ember.report.html import report_html, write_report
from blunt_ember.report.statement import statement


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
    outcome = flow.run(case)
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
    for _, rows in statement(case):
        assert all(what in said and value in said for what, value in rows)
    assert len(page.pictures) == 5
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


def test_the_statement_keeps_names_and_units_as_they_were_written() -> None:
    found = dict(statement(family("firing").case()))
    assert ("t_brick", "114 mm") in found["Parameters"]
    clock = dict(found["Clock"])
    assert "table 0 s → 20 °C, 2 hour → 300 °C, 6 hour → T_top (over t)" in clock["stages"]
    assert ("blanket.right", "film h h_out, temperature T_air") in found["Surroundings"]
    assert any(what == "brick" and "size t_brick, 20 mm" in said for what, said in found["Body"])


def test_a_report_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    case, page = str(tmp_path / "w.ember"), tmp_path / "w.html"
    assert main(["new", "rod-film-tip", "-o", case]) == 0
    assert main(["report", case, "-o", str(page), "--refine", "3"]) == 0
    assert "tends to" in page.read_text(encoding="utf-8")
    assert main(["report", case, "-o", str(page)]) == 2
    assert "exists already" in capsys.readouterr().err
