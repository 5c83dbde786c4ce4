"""What is typed is sacred: nothing wipes it, a number keeps its unit, and what is refused offers what is right."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import value_at, with_value
from blunt_ember.desk.app.window import Window
from blunt_ember.gallery.families import family
from tests.desk.conftest import choose, field, settled, type_into

THICK = "body.regions.brick.size[0]"


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, name: str = "composite-wall") -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)


def stated(window: Window, *path: str | int) -> object:
    assert window.current.case is not None
    return value_at(window.current.case.data, path)


def offered(window: Window) -> list[QToolButton]:
    buttons = window.sheet.findChildren(QToolButton)
    return [each for each in buttons if each.objectName().startswith("instead ") and each.isVisible()]


def test_no_answer_and_no_edit_wipes_what_is_being_typed(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot)
    entry = field(window, THICK)
    QTest.mouseClick(entry, Qt.MouseButton.LeftButton)
    assert entry.selectedText() == entry.text(), "a click selects all of it"
    QTest.keyClicks(entry, "9")
    window.current.edit("another value", lambda case: with_value(case, ("parameters", "T_in"), "940 °C"))
    QTest.keyClicks(entry, "6")
    assert entry.text() == "96" and entry.hasFocus()
    settled(qtbot, window)  # the answer of that edit comes in
    assert entry.text() == "96" and entry.hasFocus()
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert stated(window, "parameters", "t_brick") == "96 mm" and entry.text() == "96 mm"
    assert stated(window, "parameters", "T_in") == "940 °C"
    QTest.mouseClick(entry, Qt.MouseButton.LeftButton, pos=QPoint(20, 8))
    assert not entry.selectedText(), "a click into a field that has the focus puts the cursor there"


def test_a_row_that_is_made_anew_keeps_the_text_the_cursor_and_the_focus(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot)
    key = "surroundings[1].film.h"
    entry = field(window, key)
    QTest.mouseClick(entry, Qt.MouseButton.LeftButton)
    QTest.keyClicks(entry, "1234")
    QTest.keyClick(entry, Qt.Key.Key_Left)

    def also_a_flux(case: Case) -> Case:
        return with_value(case, ("surroundings", 1, "flux"), "20 W/m²")

    assert window.current.edit("another law beside it", also_a_flux) is None
    again = field(window, key)
    assert again is not entry and again.hasFocus() and again.text() == "1234" and again.cursorPosition() == 3
    QTest.keyClick(again, Qt.Key.Key_Backspace)
    QTest.keyClick(again, Qt.Key.Key_Return)
    assert window.current.case is not None and "124" in str(stated(window, "parameters", "h_out"))
    assert stated(window, "surroundings", 1, "flux") == "20 W/m²"


def test_what_can_be_read_in_two_ways_is_one_click_away(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot)
    entry = field(window, THICK)
    type_into(entry, "1,250 mm")
    assert entry.property("wrong") and [button.text() for button in offered(window)] == ["1.250 mm", "1250 mm"]
    QTest.mouseClick(offered(window)[1], Qt.MouseButton.LeftButton)
    assert stated(window, "parameters", "t_brick") == "1250 mm" and not offered(window)
    assert not entry.property("wrong") and entry.text() == "1250 mm"
    type_into(entry, "0,35 W/mK")
    assert entry.property("wrong") and "[" not in entry.toolTip() and "a conductivity" in entry.toolTip()
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    assert not entry.property("wrong") and not offered(window)


def test_the_card_changes_the_case_on_the_desk_not_the_one_that_was_solved(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot)
    window.set_live(False)
    assert window.outcome is not None
    window.card.open_on("shell.right", QPoint(200, 150), window.outcome)
    answered = window.outcome
    for path, value in ((("surroundings", 1, "film", "temperature"), "3 °C"), (("title",), "Another title")):
        assert (
            window.current.edit("meanwhile", lambda case, path=path, value=value: with_value(case, path, value)) is None
        )
    assert window.outcome is answered
    shown: list[QWidget] = [widget for row in window.card._rows.rows for _, widget in row.parts]
    assert any("3 °C" in getattr(widget, "text", str)() for widget in shown)
    window.set_live(True)
    settled(qtbot, window)
    assert stated(window, "title") == "Another title"


def test_what_a_surface_meets_is_changed_in_place_and_keeps_its_temperature(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot)
    choose(window, "law 0 temperature", "meets a fluid")
    assert stated(window, "surroundings", 0) == {
        "on": "brick.left",
        "film": {"h": "10 W/(m² K)", "temperature": "T_hot"},
    }
    choose(window, "law 0 film", "meets a fluid and radiates")
    said = stated(window, "surroundings", 0)
    assert isinstance(said, dict) and set(said) == {"on", "film", "radiation"}
    assert said["film"]["temperature"] == said["radiation"]["temperature"] == "T_hot"
    button = window.sheet.findChild(QToolButton, "law 0 film")
    assert button is not None
    choose(window, "law 0 radiation", "takes in a heat flux")
    choose(window, "law 0 film", "held at a temperature")  # which nothing else can act beside
    assert stated(window, "surroundings", 0) == {"on": "brick.left", "temperature": "T_hot"}
    settled(qtbot, window)
    assert window.outcome is not None and {check.verdict for check in window.outcome.checks} == {"agrees"}
    for _ in range(4):
        window.current.undo()
    assert stated(window, "surroundings", 0) == {"on": "brick.left", "temperature": "T_hot"}
