"""The sheet as a page: as wide as it is, faults beside their rows, parameters that values follow and leave."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QMenu, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import case_from_data
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.fields import EntryField
from blunt_ember.desk.sheet.grip import GripHandle
from blunt_ember.desk.sheet.rows import RowWidget
from blunt_ember.desk.widgets.wrapped_link import WrappedLink
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, answered, choose, field, settled, type_into


def shown(window: Window, qtbot: QtBot, name: str, **changed: object) -> None:
    window.show_case(case_from_data({**dict(family(name).case().data), **changed}), None)
    settled(qtbot, window)


def test_nothing_of_the_sheet_reaches_beyond_its_edge_however_narrow_it_is(window: Window, qtbot: QtBot) -> None:
    window.resize(800, 700)
    window._left_right.setSizes([300, 500])
    for name in ("floor-through-wall", "cooling-wall", "setting-chamber"):
        window.show_case(family(name).case(), None)
        answered(qtbot, window)
        width = window.sheet.viewport().width()
        assert window.sheet.widget().width() <= width < 320
        for widget in window.sheet.findChildren(QWidget):
            if widget.isVisible() and isinstance(widget, EntryField | QToolButton | QLabel):
                left = widget.mapTo(window.sheet.viewport(), widget.rect().topLeft()).x()
                assert left >= 0 and left + widget.width() <= width + 1, widget.objectName()


def test_of_very_many_lines_the_first_are_shown_and_more_are_a_click_away(window: Window, qtbot: QtBot) -> None:
    named = {f"spare_{number}": f"{number} mm" for number in range(700)}
    shown(window, qtbot, "composite-wall", parameters={**family("composite-wall").case().data["parameters"], **named})
    assert window.sheet.entry("parameters.spare_20") is not None and window.sheet.entry("parameters.spare_200") is None
    assert window.findChild(QToolButton, "add parameter") is not None
    (more,) = window.sheet.findChildren(WrappedLink, "more Parameters")
    assert more.isVisible() and more.text().startswith("show 120 more of ")
    QTest.mouseClick(more, Qt.MouseButton.LeftButton)
    assert window.sheet.entry("parameters.spare_200") is not None
    type_into(field(window, "parameters.spare_200"), "2 cm")
    settled(qtbot, window)
    assert window.current.case.data["parameters"]["spare_200"] == "2 cm" and more.text().startswith("show 120 more of ")
    listed = ", ".join(list(named)[:12])
    choose(window, "clear parameters", f"remove {listed} and 688 more")
    settled(qtbot, window)
    assert not more.isVisible() and not set(named) & set(window.current.case.data["parameters"])


def test_a_fault_stands_beside_its_row_until_the_name_that_was_meant_is_taken(window: Window, qtbot: QtBot) -> None:
    stated = [dict(entry) for entry in family("floor-through-wall").case().data["surroundings"]]
    stated[1]["on"] = "floor.topp"
    window.show_case(case_from_data({**dict(family("floor-through-wall").case().data), "surroundings": stated}), None)
    qtbot.waitUntil(lambda: window.outcome is not None and window.outcome.trouble is not None, timeout=PATIENCE)
    label = next(each for each in window.sheet.findChildren(QLabel) if "floor.topp" in each.text())
    row = label.parent()
    assert isinstance(row, RowWidget) and label.wordWrap()
    assert any("floor.topp" in str(part.text) for part, _ in row.parts if hasattr(part, "text"))
    (use,) = row.findChildren(WrappedLink, "here floor.top")
    QTest.mouseClick(use, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert window.current.case.data["surroundings"][1]["on"] == "floor.top"
    assert window.outcome.trouble is None
    assert not any(each.text().startswith("✕") for each in window.sheet.findChildren(QLabel) if each.isVisible())


def test_what_was_refused_is_taken_as_soon_as_its_cause_is_cured_but_not_by_undo(window: Window, qtbot: QtBot) -> None:
    thickness = field(window, "body.regions.brick.size[0]")
    type_into(thickness, "2*lining")
    assert thickness.property("wrong") and thickness.text() == "2*lining"
    choose(window, "add parameter", "with a value to state")
    assert thickness.property("wrong")
    type_into(field(window, "parameters.p_1"), "60 mm")
    type_into(field(window, "parameters name p_1"), "lining")
    assert not thickness.property("wrong")
    settled(qtbot, window)
    assert window.current.case.document.body.regions["brick"].size[0].si == pytest.approx(0.12)
    window.current.undo()
    assert window.current.case.data["parameters"]["t_brick"] == "114 mm"
    assert window.current.redo_label is not None


def test_edits_are_called_by_what_the_sheet_says(window: Window) -> None:
    type_into(field(window, "body.regions.brick.size[0]"), "120 mm")
    assert window.current.undo_label == "brick: rectangle t_brick = 120 mm"
    type_into(field(window, "surroundings[1].film.h"), "14")
    assert window.current.undo_label == "shell.right: , h h_out = 14 W/(m² K)"


def test_a_value_leaves_its_parameter_becomes_one_and_what_is_left_over_is_cleared(
    window: Window, qtbot: QtBot
) -> None:
    choose(window, "parameter at body.regions.brick.size[0]", "a value of its own: 114 mm")
    assert window.current.case.data["body"]["regions"]["brick"]["size"][0] == "114 mm"
    type_into(field(window, "body.regions.brick.size[0]"), "130 mm")
    assert window.current.case.data["parameters"]["t_brick"] == "114 mm"  # the Working still has it

    type_into(field(window, "surroundings[1].film.h"), "h_wind = 20")
    assert window.current.case.data["parameters"]["h_wind"] == "20 W/(m² K)"  # the unit that stood there
    assert window.current.case.data["surroundings"][1]["film"]["h"] == "h_wind"
    assert window.current.case.data["parameters"]["h_out"] == "12 W/(m² K)"
    entry = field(window, "surroundings[0].temperature")
    type_into(entry, "T_air = 30 °C")  # it would change the air as well
    assert entry.property("wrong") and window.current.case.data["parameters"]["T_air"] == "25 °C"
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    choose(window, "parameter at surroundings[1].film.h", "h_out = 12 W/(m² K)")
    assert window.current.case.data["surroundings"][1]["film"]["h"] == "h_out"

    unused = [each for each in window.sheet.findChildren(QLabel) if each.isVisibleTo(window.sheet)]
    assert sum("nothing uses it" in each.text() for each in unused) == 1
    window.sheet.findChild(QToolButton, "clear parameters").click()
    menu = window.sheet.findChild(QToolButton, "clear parameters").findChild(QMenu)
    menu.actions()[0].trigger()
    menu.close()
    assert (
        "h_wind" not in window.current.case.data["parameters"] and "t_brick" in window.current.case.data["parameters"]
    )
    settled(qtbot, window)


def test_a_value_becomes_a_parameter_by_its_menu(window: Window, qtbot: QtBot) -> None:
    entry = field(window, "body.depth")
    at = entry.rect().center()
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, entry.mapToGlobal(at))
    QApplication.sendEvent(entry, event)
    menu = next(each for each in entry.findChildren(QMenu) if each.isVisible())
    next(action for action in menu.actions() if action.text() == "make it a parameter").trigger()
    menu.close()
    assert window.current.case.data["body"]["depth"] == "depth"
    assert window.current.case.data["parameters"]["depth"] == "1 m"
    settled(qtbot, window)


def test_regions_are_ordered_copied_placed_and_surrounded(window: Window, qtbot: QtBot) -> None:
    shown(window, qtbot, "room-corner")
    choose(window, "more room", "earlier: gives way to the one before (Alt+Up)")
    assert list(window.current.case.data["body"]["regions"]) == ["room", "walls"]
    window.current.undo()
    choose(window, "more walls", "a second level below")
    levels = window.current.case.data["body"]["regions"]["walls"]["levels"]
    assert list(levels) == ["level 2", "level"] and levels["level 2"]["z"][1] == levels["level"]["z"][0]
    window.current.undo()
    choose(window, "more walls", "a copy of it, on its right")
    copy = window.current.case.data["body"]["regions"]["walls 2"]
    assert copy["right_of"] == "walls" and copy["material"] == "brick"
    choose(window, "more walls 2", "at x, y")
    assert window.current.case.data["body"]["regions"]["walls 2"]["at"] == ["840 mm", "0 mm"]
    choose(window, "add region", "a rectangle", "around all that is there")
    around = window.current.case.document.body.regions["around"]
    assert next(iter(window.current.case.document.body.regions)) == "around"
    assert around.size[0].si == pytest.approx(2 * 0.84 + 2 * 0.2)
    settled(qtbot, window)
    assert window.outcome.geometry is not None  # it is a body, whatever is still open


def test_a_region_goes_up_and_down_by_keys_and_is_dragged(window: Window, qtbot: QtBot) -> None:
    def order() -> list[str]:
        return list(window.current.case.data["body"]["regions"])

    shown(window, qtbot, "room-corner")
    choose(window, "more walls", "a copy of it, on its right")
    assert order() == ["walls", "room", "walls 2"]
    name = field(window, "region walls 2")
    name.setFocus()
    QTest.keyClick(name, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert order() == ["walls", "walls 2", "room"]
    focused = window.sheet.focusWidget()
    assert focused is not None and focused.objectName() == "region walls 2"  # it goes on from there
    QTest.keyClick(focused, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert order() == ["walls 2", "walls", "room"]
    grips = {each.part.name: each for each in window.sheet.findChildren(GripHandle) if each.isVisible()}
    target = grips["room"].mapTo(window, grips["room"].rect().center())
    onto = grips["walls 2"].mapFromGlobal(window.mapToGlobal(target))
    QTest.mousePress(grips["walls 2"], Qt.MouseButton.LeftButton)
    QTest.mouseRelease(grips["walls 2"], Qt.MouseButton.LeftButton, pos=onto)
    assert order() == ["walls", "room", "walls 2"]
    assert window.current.undo_label == "walls 2: later"
    settled(qtbot, window)


def test_an_outline_is_drawn_on_the_plan_of_a_solid(window: Window, qtbot: QtBot) -> None:
    shown(window, qtbot, "room-corner")
    choose(window, "add region", "an outline drawn on the stage")
    stage = window.stage
    qtbot.wait(30)
    plan, _ = stage._drawn_on()
    assert plan.pose is None and stage.picture() is not None
    QTest.keyClicks(stage, "3 m, 2 m")
    QTest.keyClick(stage.findChild(QLineEdit, "drawing entry"), Qt.Key.Key_Return)
    grown, _ = stage._drawn_on()
    (x, y), *_ = grown.pixels(np.array([[3.0, 2.0]]))
    assert grown.scale > plan.scale and 0 < x < stage.width() and 0 < y < stage.height()
    QTest.keyClick(stage, Qt.Key.Key_Escape)
    choose(window, "add region", "an outline drawn on the stage")
    for place in ([0.1, 0.1], [0.2, 0.1], [0.2, 0.3]):
        x, y = plan.pixels(np.array([place]))[0]
        QTest.mouseClick(stage, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    QTest.keyClick(stage, Qt.Key.Key_Return)
    drawn = window.current.case.data["body"]["regions"]["part"]
    assert drawn["start"] == ["100 mm", "100 mm"] and drawn["path"][1]["to"] == ["200 mm", "300 mm"]
    assert drawn["z"] == ["0 mm", "840 mm"]
    assert not stage.tool.active
    settled(qtbot, window)


def test_a_material_that_is_used_says_by_what(window: Window, qtbot: QtBot) -> None:
    told: list[str] = []
    window.current.refused.connect(told.append)
    button = next(each for each in window.sheet.findChildren(QToolButton, "remove material brick") if each.isVisible())
    window.sheet.ensureWidgetVisible(button)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert told and "'brick' is made of 'brick'; say what else first" in told[0]
    choose(window, "material of brick", "blanket")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert "brick" not in window.current.case.data["materials"]
    settled(qtbot, window)


def test_a_linear_transmittance_is_asked_and_its_lengths_are_changed(window: Window, qtbot: QtBot) -> None:
    """By the menu of questions, and by the words of its sentence."""
    window.show_case(family("coupled-wall").case(), None)
    settled(qtbot, window)
    choose(window, "add question", "linear transmittance ψ of", "workshop", "to yard")
    settled(qtbot, window)
    *_, flat = window.outcome.checks
    assert flat.name == "psi" and abs(flat.value) < 1e-12 and "by inner lengths" in flat.asked
    place = len(window.outcome.checks) - 1
    choose(window, f"lengths {place}", "by outer lengths")
    settled(qtbot, window)
    assert "by outer lengths" in window.outcome.checks[-1].asked
    assert window.current.case.data["questions"][-1]["lengths"] == "outer"
