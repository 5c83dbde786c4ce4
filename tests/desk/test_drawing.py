"""Outlines drawn on the stage with real clicks and keys, and their points moved about."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.window import Window
from blunt_ember.desk.stage.tools.picture_editor import DimensionEditor
from blunt_ember.gallery.families import family
from blunt_ember.picture.palette import LIGHT
from tests.desk.conftest import choose, settled


@pytest.fixture
def drawing(window: Window, qtbot: QtBot) -> Window:
    """The plane wall, with a new outline begun through the sheet."""
    window.show_case(family("plane-wall").case(), None)
    settled(qtbot, window)
    window.stage.zoom(0.4)
    window.stage.grab()
    choose(window, "add region", "an outline drawn on the stage")
    assert window.stage.tool.active
    return window


def pixel(window: Window, x: float, y: float) -> QPoint:
    """The pixel of a place in mm."""
    assert window.stage._view is not None
    place = window.stage._view.pixels(np.array([[x, y]]) / 1000)[0]
    return QPoint(round(place[0]), round(place[1]))


def click(window: Window, x: float, y: float) -> None:
    QTest.mouseMove(window.stage, pixel(window, x, y))
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=pixel(window, x, y))


def type_point(window: Window, text: str) -> None:
    entry = window.stage.findChild(QLineEdit, "drawing entry")
    assert entry is not None and entry.isVisible()
    QTest.keyClicks(entry, text)
    QTest.keyClick(entry, Qt.Key.Key_Return)


def test_an_outline_is_clicked_typed_and_closed(drawing: Window, qtbot: QtBot) -> None:
    window = drawing
    click(window, 32.1, 80.2)  # snaps to the upper right corner of the plate
    type_point(window, "50 mm at 0°")
    type_point(window, "82 mm, 20 mm")
    entry = window.stage.findChild(QLineEdit, "drawing entry")
    assert entry is not None
    QTest.keyClick(entry, Qt.Key.Key_A)  # an arc through the next point
    type_point(window, "57 mm, 5 mm")
    type_point(window, "32 mm, 20 mm")
    assert window.stage.tool.drawing is not None and len(window.stage.tool.drawing.points) == 5
    click(window, 32.0, 80.0)  # the first point closes it
    assert not window.stage.tool.active
    assert window.current.case is not None
    region = window.current.case.data["body"]["regions"]["part"]
    assert region["start"] == ["32 mm", "80 mm"]
    assert region["path"][0]["to"] == ["82 mm", "80 mm"] and region["path"][2]["through"] == ["57 mm", "5 mm"]
    choose(window, "material of part", "plate")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.geometry is not None and window.outcome.solution is not None
    assert "plate|part" in window.outcome.geometry.surfaces
    window.current.undo()
    window.current.undo()
    assert "part" not in window.current.case.data["body"]["regions"]


def test_what_cannot_be_is_explained_and_nothing_is_lost(drawing: Window) -> None:
    window = drawing
    type_point(window, "25 mm at 30°")
    assert "first point" in window.stage._message()[0]
    entry = window.stage.findChild(QLineEdit, "drawing entry")
    assert entry is not None and entry.text() == "25 mm at 30°"
    entry.clear()
    type_point(window, "0 mm, 0 mm")
    type_point(window, "40 mm, 0 K")
    assert "length" in window.stage._message()[0]
    entry.clear()
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert "three points" in window.stage._message()[0] and window.stage.tool.active
    type_point(window, "30 mm at 90°")
    QTest.keyClick(entry, Qt.Key.Key_Backspace)
    assert window.stage.tool.drawing is not None and len(window.stage.tool.drawing.points) == 1
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    assert not window.stage.tool.active and not window.current.edited


def test_points_are_dragged_and_given_exact_places(drawing: Window, qtbot: QtBot) -> None:
    window = drawing
    for text in ("40 mm, 0 mm", "80 mm, 0 mm", "80 mm, 40 mm"):
        type_point(window, text)
    entry = window.stage.findChild(QLineEdit, "drawing entry")
    assert entry is not None
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert not window.stage.tool.active and window.current.case is not None
    settled(qtbot, window)
    window.stage.set_lens("Shape")
    window.stage.grab()
    assert [handle.text for handle in window.stage.points.found] == ["40 mm, 0 mm", "80 mm, 0 mm", "80 mm, 40 mm"]
    start, end = pixel(window, 80, 40), pixel(window, 32.2, 80.3)
    QTest.mousePress(window.stage, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(window.stage, (start + end) / 2)
    QTest.mouseMove(window.stage, end)
    QTest.mouseRelease(window.stage, Qt.MouseButton.LeftButton, pos=end)
    path = window.current.case.data["body"]["regions"]["part"]["path"]
    assert path[1]["to"] == ["32 mm", "80 mm"]  # it met the corner of the plate
    window.stage.grab()
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=pixel(window, 80, 0))
    editor = window.stage.findChild(DimensionEditor, "dimension editor")
    assert editor is not None and editor.text() == "80 mm, 0 mm"
    QTest.keyClicks(editor, "7 cm, -12.5 mm")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    path = window.current.case.data["body"]["regions"]["part"]["path"]
    assert path[0]["to"] == ["7 cm", "-12.5 mm"]


def test_an_outline_that_crosses_itself_is_marked_where_it_does_and_not_closed(drawing: Window, qtbot: QtBot) -> None:
    window = drawing
    for text in ("40 mm, 0 mm", "80 mm; 40 mm", "80,0 mm, 0 mm"):
        type_point(window, text)
    tool = window.stage.tool
    assert tool.drawing is not None and not len(tool.drawing.crossed())
    plain = colours_about(window, 60, 20)
    type_point(window, "40 mm, 40 mm")
    assert tool.drawing is not None and tool.drawing.crossed() == pytest.approx(np.array([[0.06, 0.02]]))
    assert colours_about(window, 60, 20) != plain and LIGHT.off.lower() in colours_about(window, 60, 20)
    before = window.current.case
    QTest.keyClick(window.stage, Qt.Key.Key_Return)
    assert tool.active and window.current.case is before and "crosses itself" in window.stage._message()[0]
    entry = window.stage.findChild(QLineEdit, "drawing entry")
    assert entry is not None
    QTest.keyClick(entry, Qt.Key.Key_Backspace)
    type_point(window, "40 mm at 180°")
    assert tool.drawing is not None and not len(tool.drawing.crossed(tool.drawing.start))


def colours_about(window: Window, x: float, y: float) -> set[str]:
    image, at = window.stage.grab().toImage(), pixel(window, x, y)
    return {image.pixelColor(at.x() + i, at.y() + j).name() for i in range(-6, 7) for j in range(-6, 7)}
