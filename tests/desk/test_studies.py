"""Studies in the strip: a sweep that is asked for there, one that the case states, and a point put on the desk."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.editing.edits import with_value
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.strip.study_view import StudyView
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, settled, type_into


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
