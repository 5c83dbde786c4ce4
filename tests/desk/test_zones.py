"""Zones that fold to their edge and come back, and what is remembered of them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.application import application
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.app.zones import ZoneEdge
from blunt_ember.gallery.families import demo_case
from tests.desk.conftest import PATIENCE, settled


def edge(window: Window, name: str) -> ZoneEdge:
    found = window.findChild(ZoneEdge, f"edge {name}")
    assert found is not None
    return found


def zone(window: Window, name: str) -> QWidget:
    return {"sheet": window.sheet, "checks": window.checks, "strip": window.strip}[name]


def test_zones_fold_by_a_key_and_a_click_and_the_stage_takes_their_room(window: Window, qtbot: QtBot) -> None:
    settled(qtbot, window)
    before = {name: zone(window, name).size() for name in ("sheet", "checks", "strip")}
    stage = window.stage.size()
    QTest.keyClick(window, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.stage.width() >= stage.width() + before["sheet"].width() - 40, timeout=PATIENCE)
    assert not window.sheet.isVisible() and edge(window, "sheet").isVisible()
    QTest.mouseClick(edge(window, "strip"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.stage.height() >= stage.height() + before["strip"].height() - 40, timeout=PATIENCE)
    QTest.mouseClick(edge(window, "sheet"), Qt.MouseButton.LeftButton)
    QTest.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: abs(window.stage.height() - stage.height()) <= 2, timeout=PATIENCE)
    assert {name: zone(window, name).size() for name in before} == before
    QTest.keyClick(window, Qt.Key.Key_F11)
    assert not any(zone(window, name).isVisible() for name in before)
    qtbot.waitUntil(lambda: window.stage.width() > window.width() - 60, timeout=PATIENCE)
    assert window.stage.hasFocus()
    QTest.keyClick(window, Qt.Key.Key_F11)
    assert all(zone(window, name).isVisible() for name in before)


def test_what_is_folded_is_remembered(qapp: object, qtbot: QtBot) -> None:
    application()
    first = shown(qtbot)
    first.fold("checks")
    first.close()
    first.deleteLater()
    again = shown(qtbot)
    assert again.zones["checks"].folded and not again.zones["sheet"].folded
    again.fold("checks")
    qtbot.waitUntil(lambda: again.zones["checks"].width() > 200, timeout=PATIENCE)
    again.close()
    again.deleteLater()


def shown(qtbot: QtBot) -> Window:
    made = Window()
    made.resize(1280, 800)
    made.show_case(demo_case(), None)
    made.show()
    qtbot.waitExposed(made)
    settled(qtbot, made)
    return made
