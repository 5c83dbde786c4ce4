"""From nothing to a case: a line that is typed, blank bodies, and the gallery that is searched."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit, QPushButton, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.window import Window
from blunt_ember.desk.beginning.noted_line import NotedLine, NotedLineDialog
from blunt_ember.gallery.blank import BLANKS
from tests.desk.conftest import PATIENCE, settled

WALL = "wall 114 mm k 0.35; left 980 °C; right air 12 W/m2K 25 °C"


def typed(qtbot: QtBot, line: NotedLine, text: str) -> None:
    field = line.findChild(QPlainTextEdit, "noted line")
    assert field is not None
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(field, Qt.Key.Key_Delete)
    QTest.keyClicks(field, text)
    assert field.toPlainText() == text
    qtbot.waitUntil(lambda: not line._after.isActive(), timeout=PATIENCE)


def asked(line: NotedLine) -> list[QToolButton]:
    return [each for each in line.findChildren(QToolButton, "noted question") if not each.isHidden()]


def test_a_line_shows_what_it_makes_and_marks_what_it_does_not_understand(window: Window, qtbot: QtBot) -> None:
    window._pages.setCurrentIndex(0)
    line = window.start_page.line
    typed(qtbot, line, "wall 114 mm; left 980 °C; rihgt 25 °C")
    qtbot.waitUntil(lambda: len(asked(line)) == 2, timeout=PATIENCE)
    told, lacks = (each.text() for each in asked(line))
    assert told.startswith("'rihgt' is no side of it") and lacks == "still to say: k of 'wall', such as k 0.35"
    (mark,) = line.field.extraSelections()
    assert mark.cursor.selectedText().strip() == "rihgt"
    QTest.mouseClick(asked(line)[0], Qt.MouseButton.LeftButton)
    assert line.field.textCursor().selectedText().strip() == "rihgt"
    QTest.keyClicks(line.field, "right")
    qtbot.waitUntil(lambda: len(asked(line)) == 1, timeout=PATIENCE)
    typed(qtbot, line, WALL)
    qtbot.waitUntil(lambda: not asked(line), timeout=PATIENCE)
    words = line.sentences.text()
    assert "wall.left is held at 980 °C" in words and "wall.right meets a fluid at 25 °C, h 12 W/m2K" in words
    assert not line.picture.pixmap().isNull()
    QTest.keyClick(line.field, Qt.Key.Key_Return)
    settled(qtbot, window)
    assert [card.verdict.text() for card in window.checks.cards.values()] == ["✓ agrees"] * 3
    assert window.current.edited  # it is nowhere on the disk yet


def test_a_line_can_be_typed_over_a_case_and_given_up(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = window.current.case
    keys = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(window, Qt.Key.Key_N, keys)
    dialog = window.findChild(NotedLineDialog)
    assert dialog is not None
    typed(qtbot, dialog.line, "wall 1")
    QTest.keyClick(dialog, Qt.Key.Key_Escape)
    assert window.current.case is before
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE)
    QTest.keyClick(window, Qt.Key.Key_N, keys)
    dialog = next(each for each in window.findChildren(NotedLineDialog) if each.isVisible())
    typed(qtbot, dialog.line, "ball d 70 mm k 1.1; air 20 °C h 9")
    button = dialog.findChild(QPushButton, "make noted case")
    assert button is not None
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert window.current.case is not None and list(window.current.case.document.body.fillings) == ["ball"]


def test_a_blank_body_lists_what_is_open_one_click_away(window: Window, qtbot: QtBot) -> None:
    for name in BLANKS:
        window._pages.setCurrentIndex(0)
        card = window.start_page.findChild(QPushButton, f"blank {name}")
        assert card is not None
        qtbot.waitUntil(lambda card=card: not card.picture.pixmap().isNull(), timeout=PATIENCE)
        sketch = card.picture.pixmap().toImage()
        seen = {sketch.pixel(x, y) for x in range(0, sketch.width(), 2) for y in range(0, sketch.height(), 2)}
        assert len(seen) > 1  # a body of each kind is drawn, not an empty card
        before = window.outcome
        QTest.mouseClick(card, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(
            lambda before=before: bool(
                window.outcome is not before
                and window.outcome
                and window.outcome.trouble
                and window.outcome.case is window.current.case
            ),
            timeout=PATIENCE,
        )
        links = [each for each in window.sheet.findChildren(QToolButton) if each.objectName().startswith("open ")]
        assert [link.text()[3:] for link in links] == [
            "say what 'part' is made of",
            "say what surrounds it: a surface that is held at a temperature, meets a fluid or radiates",
        ]
        for link in links:
            QTest.mouseClick(link, Qt.MouseButton.LeftButton)
            focus = window.focusWidget()
            assert isinstance(focus, QWidget) and window.sheet.isAncestorOf(focus)
        assert not window.current.edited  # there is nothing to lose yet


def test_the_gallery_is_searched_by_what_its_cases_are(window: Window, qtbot: QtBot) -> None:
    window._pages.setCurrentIndex(0)
    page = window.start_page
    search = page.findChild(QLineEdit, "find a case")
    assert search is not None

    def seen(words: str) -> set[str]:
        search.clear()
        QTest.keyClicks(search, words)
        return {name for name, card in page._cards.items() if card.isVisible()}

    assert seen("transient sphere") == {"cooling-sphere"}
    assert "room-corner" in seen("3-d") and "plane-wall" not in seen("3-d")
    assert "wall-radiation" in seen("radiation") and "composite-wall" not in seen("radiation")
    assert not seen("unheard of") and page._nothing.isVisible()
    search.clear()
    assert len(seen("")) == len(page._cards)
    assert seen("buried in wool") == {"rod-held-tip"}  # it stands on the card of the one it is like
    link = page.findChild(QToolButton, "family rod-insulated-tip")
    assert link is not None
    QTest.mouseClick(link, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert window.current.case.document.title == "Element rod, tip buried in wool"
