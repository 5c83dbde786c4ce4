"""What a window remembers and survives: geometry, theme, recent files, edits of names, a slip of our own."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtGui import QEnterEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QMessageBox, QToolButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.files.case_file import write_case
from blunt_ember.desk.app.application import _survive_slips, log_path
from blunt_ember.desk.app.settings import RECENT, Settings
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.fields import WordButton
from blunt_ember.gallery.families import demo_case, family
from tests.desk.conftest import field, settled, type_into

CTRL = Qt.KeyboardModifier.ControlModifier


def test_size_theme_and_files_are_remembered(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.resize(780, 700)
    window._right.setSizes([300, 333])
    qtbot.wait(20)
    QTest.keyClick(window, Qt.Key.Key_D, CTRL)
    for number in range(RECENT + 2):
        path = tmp_path / f"case {number}.ember"
        write_case(family("plane-wall").case(), path)
        assert window.open_path(path)
    assert window.close()
    again = Window(settings=Settings())
    try:
        assert again.height() == 700, "the off-screen display is 800 wide, so the width is not free"
        assert again.settings.dark
        assert [path.name for path in again.settings.recent][:2] == [f"case {RECENT + 1}.ember", f"case {RECENT}.ember"]
        assert len(again.settings.recent) == RECENT
        again.show()
        qtbot.wait(50)
        again.show_case(demo_case(), None)
        qtbot.wait(50)
        assert abs(again._right.sizes()[1] - 333) < 20
        again._pages.setCurrentIndex(0)
        qtbot.wait(20)
        links = [link.text() for link in again.start_page.findChildren(QToolButton)]
        assert str(tmp_path / f"case {RECENT}.ember") in links
    finally:
        again.close()
        again.deleteLater()


def test_a_file_that_cannot_be_written_is_told_and_the_case_stays(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    type_into(field(window, "materials.brick.k"), "0.5 W/(m K)")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "such" / "folder.ember"), ""))
    told: list[str] = []

    def read_and_close() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, QMessageBox):
            told.append(box.text())
            box.accept()

    QTimer.singleShot(150, read_and_close)
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "cannot be written" in told[0] and "still on the desk" in told[0]
    assert window.current.edited and window.current.path is None


def test_saving_takes_what_is_being_typed(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    path = tmp_path / "typed"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    entry = field(window, "surroundings[0].temperature")
    QTest.mouseClick(entry, Qt.MouseButton.LeftButton)
    QTest.keyClick(entry, Qt.Key.Key_A, CTRL)
    QTest.keyClicks(entry, "1000 °C")
    QTest.keyClick(entry, Qt.Key.Key_S, CTRL)
    assert '"T_hot": "1000 °C"' in path.with_suffix(".ember").read_text(encoding="utf-8")
    settled(qtbot, window)


def test_names_formulas_and_questions_are_edited_in_place(window: Window, qtbot: QtBot) -> None:
    type_into(field(window, "parameters name t_brick"), "a")
    type_into(field(window, "working name R"), "R_total")
    type_into(field(window, "region brick"), "lining")
    type_into(field(window, "material steel"), "sheet steel")
    type_into(field(window, "question 0"), "loss")
    type_into(field(window, "questions[2].tolerance"), "1 %")
    type_into(field(window, "working.q"), "(T_hot - T_air)/R_total*1.02")
    settled(qtbot, window)
    case = window.current.case
    assert case is not None
    assert case.data["working"]["T_joint"] == "T_hot - q*a/k_brick"
    assert case.data["body"]["regions"]["blanket"]["right_of"] == "lining"
    assert window.checks.cards["loss"].verdict.text() == "✕ off"
    assert window.checks.cards["hot face"].verdict.text() == "✓ agrees"
    assert window.checks.findChild(QLabel, "summary").text() == "4 agree · 1 off"
    for _ in range(7):
        QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled(qtbot, window)
    assert case.data != demo_case().data
    assert window.current.case is not None and window.current.case.data == demo_case().data
    assert not window.current.edited


def test_a_taken_name_and_a_used_parameter_are_kept(window: Window) -> None:
    entry = field(window, "region brick")
    type_into(entry, "shell")
    assert entry.property("wrong") and entry.text() == "shell"
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    assert entry.text() == "brick"
    button = window.sheet.findChild(QToolButton, "remove parameters t_brick")
    assert button is not None
    button.click()
    bar = window.statusBar()
    assert bar is not None and "'t_brick' is not defined" in bar.currentMessage()
    assert window.current.case is not None and "t_brick" in window.current.case.data["parameters"]


def test_a_slip_of_our_own_is_written_down_and_the_window_lives(
    window: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    _survive_slips(window)
    try:
        raise RuntimeError("made on purpose")
    except RuntimeError as error:
        sys.excepthook(type(error), error, error.__traceback__)
    assert "made on purpose" in log_path().read_text(encoding="utf-8")
    bar = window.statusBar()
    assert bar is not None and "the case is as it was" in bar.currentMessage()
    assert window.isVisible()


@pytest.mark.parametrize("size", [(1000, 640), (1280, 800), (1920, 1080)])
def test_nothing_is_cut_off_at_everyday_sizes(window: Window, qtbot: QtBot, size: tuple[int, int]) -> None:
    window.resize(*size)
    qtbot.wait(60)
    labels: list[Any] = [label for label in window.findChildren(QLabel) if label.isVisible() and not label.wordWrap()]
    kept = {"strong", "heading", "value", "parameter", "state", None, ""}
    cut = [
        label.text()
        for label in labels
        if label.property("role") in kept and label.text() and label.width() + 1 < label.sizeHint().width()
    ]
    assert not cut


@pytest.mark.parametrize("word", ["brick.left", "a surface of which the name is far too long to be shown whole " * 3])
def test_a_word_that_is_cut_is_said_whole_while_it_is_pointed_at(qapp: QApplication, qtbot: QtBot, word: str) -> None:
    button = WordButton()
    qtbot.addWidget(button)
    button.setText(word)
    at = QPointF(2, 2)
    QApplication.sendEvent(button, QEnterEvent(at, at, at))
    assert button.toolTip() == ("" if len(word) < 20 else word)
    QApplication.sendEvent(button, QEvent(QEvent.Type.Leave))
    assert not button.toolTip()
