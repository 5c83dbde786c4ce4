"""Studies in the strip: a sweep that is asked for there, one that the case states, and a point put on the desk."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QPushButton, QToolButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.editing.edits import with_value
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.strip.study_view import StudyView
from blunt_ember.errors import path_text
from blunt_ember.gallery.families import family
from blunt_ember.picture.charts.studies.pointed import StudyPlot
from blunt_ember.studies.telling import stated_as
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into


def view_of(window: Window) -> StudyView:
    button = window.strip.findChild(QPushButton, "view study")
    assert button is not None
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    return window.strip.study


def finished(qtbot: QtBot, view: StudyView) -> None:
    qtbot.waitUntil(lambda: not view.running, timeout=PATIENCE)


def test_a_parameter_is_swept_drawn_and_a_point_of_it_put_on_the_desk(window: Window, qtbot: QtBot) -> None:
    view = view_of(window)
    view.which.setCurrentText("sweep of h_out")
    view.which.activated.emit(view.which.currentIndex())
    assert view.start.text() == "6 W/(m² K)" and view.end_value.text() == "24 W/(m² K)"
    type_into(view.end_value, "18 W/(m² K)", Qt.Key.Key_Tab)
    view.count.setValue(3)
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    finished(qtbot, view)
    assert view.result is not None and [point["h_out"] for point in view.result.points] == [6, 12, 18]
    flux = [955 / (0.114 / 0.35 + 0.05 / 0.12 + 0.003 / 45 + 1 / h) for h in (6, 12, 18)]
    assert view.result.answers("heat flow") == pytest.approx(flux)
    assert view.result.expected("heat flow") == pytest.approx(flux)
    assert view.table.rowCount() == 3 and view.chart.plot is not None and "3 cases" in view.said.text()
    view.table.cellClicked.emit(2, 0)
    settled(qtbot, window)
    assert window.current.case is not None and window.outcome is not None
    assert window.current.case.data["parameters"]["h_out"] == "18 W/(m² K)"
    assert window.outcome.checks[0].value == pytest.approx(flux[2])
    assert "run it again" in view.said.text() and view.table.rowCount() == 3
    window.current.undo()
    settled(qtbot, window)
    assert window.current.case.data["parameters"]["h_out"] == "12 W/(m² K)"


def test_a_study_is_of_the_case_on_the_desk_and_what_is_typed_stays(window: Window, qtbot: QtBot) -> None:
    view = view_of(window)
    view.which.setCurrentText("sweep of h_out")
    view.which.activated.emit(view.which.currentIndex())
    view.count.setValue(2)
    view.start.clear()
    view.start.setFocus()
    window.current.edit_or_tell("k", lambda now: with_value(now, ("parameters", "k_brick"), "0.7 W/(m K)"))
    assert view.start.text() == "" and not window.is_current()  # it is not solved yet
    QTest.keyClicks(view.start, "9 W/m2K")
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    finished(qtbot, view)
    assert view.result is not None
    flux = [955 / (0.114 / 0.7 + 0.05 / 0.12 + 0.003 / 45 + 1 / h) for h in (9, 24)]
    assert view.result.answers("heat flow") == pytest.approx(flux) and "2 cases" in view.said.text()
    settled(qtbot, window)
    window.show_case(family("composite-wall").case(), None)
    assert view.result is None and view.start.text() == "6 W/(m² K)"


def test_what_is_typed_wrong_is_said_and_a_study_of_the_case_is_done(window: Window, qtbot: QtBot) -> None:
    view = view_of(window)
    view.which.setCurrentText("sweep of t_blanket")
    view.which.activated.emit(view.which.currentIndex())
    type_into(view.start, "3 W")
    finished(qtbot, view)
    assert "'3 W' is no value of t_blanket; write it like" in view.said.text()
    aim = {"kind": "target", "vary": "t_blanket", "start": "20 mm", "end": "300 mm"}
    stated = {"thick enough": {**aim, "question": "outer surface", "value": "60 °C"}}
    window.current.edit_or_tell("study", lambda now: with_value(now, ("studies",), stated))
    settled(qtbot, window)
    assert view.which.itemText(0) == "thick enough"
    view.which.setCurrentIndex(0)
    view.which.activated.emit(0)
    assert not view.start.isVisible()
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    finished(qtbot, view)
    assert view.said.text().startswith("t_blanket = 223.76")


def test_a_study_is_stopped_and_ends_with_its_window(window: Window, qtbot: QtBot) -> None:
    view = view_of(window)
    view.which.setCurrentText("sweep of k_brick")
    view.which.activated.emit(view.which.currentIndex())
    view.count.setValue(900)
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: " of 900 cases" in view.said.text(), timeout=PATIENCE)
    QTest.mouseClick(view.stop, Qt.MouseButton.LeftButton)
    assert not view.running and "stopped" in view.said.text() and view.result is None
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    assert view.running


def at(study: str, *more: str | int) -> str:
    """What the field of a study is called."""
    return path_text(("studies", study, *more))


def click(window: Window, key: str) -> None:
    """Click a word of the sheet that does something at once."""
    button = next(b for b in window.sheet.findChildren(QToolButton, key) if b.isVisibleTo(window.sheet))
    window.sheet.ensureWidgetVisible(button)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_a_study_is_stated_in_the_sheet_done_and_a_point_of_its_map_put_on_the_desk(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    choose(window, "add study", "every answer over a parameter", "h_out")
    assert field(window, at("over h_out", "vary", "h_out", "start")).text() == "6 W/(m² K)"
    type_into(field(window, at("over h_out", "vary", "h_out", "count")), "3")
    type_into(field(window, at("over h_out", "vary", "h_out", "end")), "30 W/m2K")
    choose(window, f"add to {at('over h_out', 'vary')}", "t_blanket")
    type_into(field(window, at("over h_out", "vary", "t_blanket", "count")), "2")
    settled(qtbot, window)
    click(window, "do study over h_out")
    view = window.strip.study
    finished(qtbot, view)
    assert window.strip.view == "study" and view.result is not None and len(view.result.points) == 6
    assert all(row.errors is not None for row in view.result.rows)
    assert [view.way.itemText(place) for place in range(view.way.count())] == ["curves", "map"]
    view.way.setCurrentText("map")
    view.way.activated.emit(1)
    window.show()
    view.chart.grab()
    plot = view.chart.plot
    assert isinstance(plot, StudyPlot) and sorted(plot.numbers) == list(range(6))
    number = plot.numbers[4]
    x, y = plot.places[4]
    QTest.mouseClick(view.chart, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    settled(qtbot, window)
    assert window.current.case is not None and window.outcome is not None
    point = view.result.points[number]
    stated = window.current.case.data["parameters"]
    assert stated["h_out"] == stated_as(window.current.case, "h_out", point["h_out"])
    assert window.outcome.checks[0].value == pytest.approx(view.result.rows[number].answers["heat flow"], rel=1e-9)
    window.current.undo()
    for suffix in (".csv", ".json"):
        target = tmp_path / f"found{suffix}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, target=target: (str(target), ""))
        QTest.mouseClick(view.save, Qt.MouseButton.LeftButton)
        assert f"saved {target}" in view.said.text()
    assert (tmp_path / "found.csv").read_text().count("\n") == 7
    assert len(json.loads((tmp_path / "found.json").read_text())["points"]) == 6


def test_a_study_that_was_stopped_goes_on_where_it_was_even_without_a_file(window: Window, qtbot: QtBot) -> None:
    view = view_of(window)
    view.which.setCurrentText("sweep of h_out")
    view.which.activated.emit(view.which.currentIndex())
    view.errors.setChecked(False)
    view.count.setValue(60)
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: view.progress[0] > 5, timeout=PATIENCE)
    QTest.mouseClick(view.stop, Qt.MouseButton.LeftButton)
    assert "of 60 cases are kept: run goes on from there" in view.said.text()
    kept = view.progress[0]
    heard: list[int] = []
    view.progressed.connect(lambda done, of: heard.append(done))
    QTest.mouseClick(view.run, Qt.MouseButton.LeftButton)
    finished(qtbot, view)
    assert heard[0] >= kept and heard[-1] == 60 and view.result is not None


def test_every_kind_of_study_is_added_in_the_sheet_changed_there_and_seen(window: Window, qtbot: QtBot) -> None:
    choose(window, "add study", "what matters: how much answers follow from parameters")
    choose(window, at("what matters", "vary"), "k_brick alone")
    choose(window, at("what matters", "vary"), "h_out too")
    choose(window, "add study", "how uncertain answers are", "h_out")
    type_into(field(window, at("how sure", "count")), "16")
    choose(window, f"distribution at {at('how sure', 'spread', 'h_out')}", "uniform")
    type_into(field(window, at("how sure", "spread", "h_out", "uniform", 1)), "20 W/m2K")
    choose(window, f"add to {at('how sure', 'spread')}", "k_brick")
    choose(window, f"add to {at('how sure', 'correlated')}", "h_out and k_brick")
    type_into(field(window, at("how sure", "correlated", 0, "by")), "-0,4")
    choose(window, "add study", "the parameter at which an answer is as wished", "t_blanket")
    choose(window, at("wished", "question"), "outer surface")
    type_into(field(window, at("wished", "value")), "100 C")
    choose(window, at("wished", "want"), "is at most")
    choose(window, "add study", "a parameter from what was measured", "k_brick")
    type_into(field(window, at("from measurements", "measured", "heat flow")), "1100 W/m2")
    click(window, f"add {at('from measurements', 'within', 'heat flow')}")
    settled(qtbot, window)
    assert window.current.case is not None
    stated = window.current.case.data["studies"]
    assert stated["what matters"]["vary"] == ["k_brick", "h_out"]
    assert stated["how sure"]["correlated"] == [{"parameters": ["h_out", "k_brick"], "by": -0.4}]
    assert stated["how sure"]["spread"]["h_out"]["uniform"][1] == "20 W/m2K"
    assert stated["from measurements"]["within"] == {"heat flow": "2 %"}
    view = window.strip.study
    told = {"what matters": "ranked", "how sure": "histogram", "wished": "curve", "from measurements": None}
    for name, way in told.items():
        click(window, f"do study {name}")
        finished(qtbot, view)
        assert view.result is not None, view.said.text()
        view.question.setCurrentText("outer surface")
        view.question.activated.emit(view.question.currentIndex())
        assert (view.chart.plot is not None) == (way is not None) and view.way.currentText() == (way or "")
        if view.chart.plot is not None:
            assert not view.chart.grab().isNull()
    assert view.result is not None and view.result.deviations["k_brick"] > 0
    # Names are followed: of a study, of a parameter, of a question.
    type_into(field(window, "study wished"), "thick enough")
    type_into(field(window, "parameters name t_blanket"), "blanket")
    type_into(field(window, "question 4"), "shell")
    settled(qtbot, window)
    aim = window.current.case.data["studies"]["thick enough"]
    assert aim["vary"] == "blanket" and aim["question"] == "shell"
    type_into(field(window, at("how sure", "count")), "many")
    assert field(window, at("how sure", "count")).property("wrong")
