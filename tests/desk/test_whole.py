"""More of a body on the stage than is solved, planes face on, both sides of a joint, hints, keys and scaling."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import case_from_data
from blunt_ember.desk.app.keys_overlay import KeysOverlay
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.stage.hints import Hints
from blunt_ember.fem.reading import temperature_at
from blunt_ember.gallery.families import family
from blunt_ember.picture.look import MirrorPlane
from tests.desk.conftest import field, settled, type_into


def opened(window: Window, qtbot: QtBot, name: str) -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)
    window.stage.grab()


def take(window: Window, words: str) -> None:
    """Open what can be drawn beyond what is solved and choose one of it."""
    window.stage.grab()
    menu = window.stage.looks.whole.menu()
    assert menu is not None and window.stage.looks.whole.isVisible()
    next(action for action in menu.actions() if action.text() == words).trigger()
    window.stage.grab()


def pixel(window: Window, place: tuple[float, ...]) -> QPointF:
    view = window.stage._view
    assert view is not None
    return QPointF(*view.pixels(np.array([place]))[0])


def test_a_turned_section_is_seen_turned_and_read_as_the_section(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hollow-sphere")
    stage = window.stage
    assert stage._view is not None and stage._view.pose is None
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_D)
    stage.grab()
    assert stage._view.pose is not None and stage.looks.whole.text() == "drawn turned"
    # On the cut that faces the eye the section itself is read.
    at = pixel(window, (0.08, 0.02, 0.0))
    outcome = window.outcome
    assert outcome is not None and outcome.mesh is not None and outcome.solution is not None
    expected = temperature_at(outcome.mesh, outcome.solution.temperature, np.array([[0.08, 0.02]]))[0] - 273.15
    reading = stage.reading_at(at)
    place, value = reading.split("\n")
    x, y = (float(text) / 1000 for text in re.findall(r"[xy] ([\d.]+) mm", place))
    assert (x, y) == pytest.approx((0.08, 0.02), abs=3e-3)
    assert float(value.split(" °C")[0]) == pytest.approx(expected, abs=3.0)
    asked = len(window.current.case.document.questions)
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at.toPoint())
    settled(qtbot, window)
    question = window.current.case.document.questions[asked]
    assert question.asks == "temperature" and len(question.target) == 2
    assert [each.si for each in question.target] == pytest.approx([0.08, 0.02], abs=3e-3)
    at_target = np.array([[each.si for each in question.target]])
    pinned = temperature_at(outcome.mesh, outcome.solution.temperature, at_target)[0]
    assert window.outcome.checks[-1].value == pytest.approx(pinned, rel=1e-9)
    # Planes and turning work as in a solid.
    QTest.keyClick(stage, Qt.Key.Key_X)
    stage.grab()
    assert stage.shade is not None and len(stage.shade.cuts) == 1
    before = stage._view
    QTest.keyClick(stage, Qt.Key.Key_Left)
    assert stage._view is not before
    QTest.keyClick(stage, Qt.Key.Key_D)
    stage.grab()
    assert stage._view.pose is None and stage.looks.whole.text() == "drawn flat"


def test_a_quarter_is_mirrored_to_the_whole_through_every_lens(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "wall-corner")
    stage = window.stage
    plain = stage.dimension_labels
    assert plain
    take(window, "mirrored at the greatest x")
    take(window, "mirrored at the greatest y")
    assert stage.look.whole.mirrors == (MirrorPlane(0, True), MirrorPlane(1, True))
    assert stage.looks.whole.text() == "drawn mirrored" and not stage.dimension_labels
    outcome = window.outcome
    assert outcome is not None and outcome.mesh is not None and outcome.solution is not None
    place, image = (0.12, 0.7), (2 * 0.96 - 0.12, 2 * 0.96 - 0.7)
    value = temperature_at(outcome.mesh, outcome.solution.temperature, np.array([place]))[0] - 273.15
    for lens in ("Temperature", "Heat flow", "Error", "Mesh", "Shape", "Material"):
        stage.set_lens(lens)
        stage.grab()
        readings = [stage.reading_at(pixel(window, each)).split("\n")[-1] for each in (place, image)]
        if lens in ("Temperature", "Heat flow", "Error"):
            assert readings[0] == readings[1] and readings[0]
    stage.set_lens("Temperature")
    stage.grab()
    assert f"{value:.2f}"[:4] in stage.reading_at(pixel(window, image))
    assert stage.surface_at(pixel(window, (2 * 0.96, 0.5))) == "walls.left"
    # What is pinned in the image is asked of the body.
    asked = len(window.current.case.document.questions)
    QTest.mouseClick(
        stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, pixel(window, image).toPoint()
    )
    settled(qtbot, window)
    pinned = window.current.case.document.questions[asked].temperature
    assert pinned is not None and [each.si for each in pinned] == pytest.approx(place, abs=0.02)
    # An edit that lets heat through an edge takes its mirror away.
    case = window.current.case
    assert case is not None
    window.current.edit_or_tell(
        "open",
        lambda now: now.restated(
            {**now.data, "surroundings": [*now.data["surroundings"], {"on": "walls.right", "flux": "1 W/m²"}]}
        ),
    )
    settled(qtbot, window)
    stage.grab()
    menu = stage.looks.whole.menu()
    assert menu is not None
    assert [action.text() for action in menu.actions()] == ["with its depth", "mirrored at the greatest y"]
    take(window, "with its depth")
    assert stage._view is not None and stage._view.pose is not None and "deep" in stage.looks.whole.text()
    opened(window, qtbot, "plane-wall")
    assert not stage.look.whole and stage._view.pose is None


def test_a_plane_is_seen_face_on_stepped_and_left(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "room-corner")
    stage, outcome = window.stage, window.outcome
    assert outcome is not None and outcome.mesh is not None and outcome.solution is not None
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_Right)
    stage.grab()
    turned = stage._view
    assert turned is not None
    for key in (Qt.Key.Key_X, Qt.Key.Key_Z):
        QTest.keyClick(stage, key)
    QTest.mouseClick(stage.looks.cuts.face_on, Qt.MouseButton.LeftButton)
    stage.grab()
    assert stage.look.face is not None and stage.look.face.axis == 0 and stage.looks.cuts.face_on.text() == "face on x"
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_T)
    stage.grab()
    assert stage.look.face.axis == 2 and stage._view is not None and stage._view.pose is not None
    np.testing.assert_allclose(stage._view.pose.axes[:2], [[1, 0, 0], [0, 1, 0]], atol=1e-12)
    place = np.array([[0.12, 0.5, 0.42]])
    value = temperature_at(outcome.mesh, outcome.solution.temperature, place)[0] - 273.15
    reading = stage.reading_at(pixel(window, tuple(place[0])))
    assert "z 420 mm" in reading and f"{value:.1f}"[:3] in reading
    assert stage.reading_at(pixel(window, (0.6, 0.6, 0.42))) == ""  # the room is empty
    before = stage._view
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Up):
        QTest.keyClick(stage, key)  # pans, and does not turn
    assert stage._view.pose == before.pose and stage._view.centre != before.centre
    stage.fit()
    stage.grab()
    QTest.keyClick(stage, Qt.Key.Key_Period)
    stage.grab()
    assert stage.look.face.at == pytest.approx(0.42 + 0.84 / 50) and stage.shade is not None and stage.shade.flat
    for _ in range(80):
        QTest.keyClick(stage, Qt.Key.Key_Comma)
    assert stage.look.face.at == 0.0  # it stops at the end of the body
    control = Qt.KeyboardModifier.ControlModifier
    type_into(stage.looks.cuts.fields[2], "0.42 m")
    stage.grab()
    start, end = (pixel(window, each).toPoint() for each in ((0.05, 0.6, 0.42), (0.2, 0.7, 0.42)))
    QTest.mousePress(stage, Qt.MouseButton.LeftButton, control, start)
    QTest.mouseMove(stage, start + QPoint(12, 2))
    QTest.mouseMove(stage, end)
    QTest.mouseRelease(stage, Qt.MouseButton.LeftButton, control, end)
    settled(qtbot, window)
    line = window.current.case.document.questions[-1].target
    assert [each.si for each in line.start] == pytest.approx([0.05, 0.6, 0.42], abs=0.02)
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_T)
    stage.grab()
    assert stage.look.face is None and stage._view.pose == turned.pose  # as it was turned before


def test_a_joint_is_read_on_both_sides_and_pinned_twice(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "wall-contact")
    stage = window.stage
    at = pixel(window, (0.012, 0.031))
    reading = stage.reading_at(at)
    assert "plate  242.16 °C" in reading and "casting  231.46 °C" in reading, reading
    asked = len(window.current.case.document.questions)
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at.toPoint())
    settled(qtbot, window)
    pinned = window.current.case.document.questions[asked:]
    assert [each.side for each in pinned] == ["plate", "casting"]
    assert [each.name for each in pinned] == ["point in plate", "point in casting"]
    values = [check.value - 273.15 for check in window.outcome.checks[-2:]]
    assert values == pytest.approx([242.1646, 231.4634], abs=1e-3)
    window.current.undo()
    assert len(window.current.case.document.questions) == asked
    # A perfect interface has one temperature.
    opened(window, qtbot, "composite-wall")
    assert stage.reading_at(pixel(window, (0.114, 0.05))).count("°C") == 1


def test_a_joint_of_a_solid_is_read_where_it_is_seen(window: Window, qtbot: QtBot) -> None:
    flat = family("wall-contact").case().data
    regions = {name: {**region, "z": ["0 mm", "30 mm"]} for name, region in flat["body"]["regions"].items()}
    coat = {
        "shape": "rectangle",
        "size": ["t_casting", "80 mm"],
        "at": ["t_plate", "0 mm"],
        "z": ["30 mm", "30.4 mm"],
        "material": "casting",
    }
    window.show_case(
        case_from_data(
            {
                **flat,
                "body": {"kind": "stacked", "regions": {**regions, "coat": coat}},
                "joints": [*flat["joints"], {"on": "casting|coat", "resistance": "R_contact"}],
                "mesh": {"size": "15 mm", "across": 1},
                "questions": [],
            }
        ),
        None,
    )
    settled(qtbot, window)
    stage, outcome = window.stage, window.outcome
    assert outcome is not None and outcome.mesh is not None and outcome.mesh.dimension == 3, outcome.trouble
    stage.grab()
    sides = ("plate  242.1", "casting  231.4")
    # On the skin beside the joint; and on the coat, with its joint just beneath it, what is seen is the coat.
    beside = stage.reading_at(pixel(window, (0.0121, 0.0, 0.013)))
    assert all(side in beside for side in sides), beside
    upon = stage.reading_at(pixel(window, (0.032, 0.04, 0.0304)))
    assert upon.count("°C") == 1 and "z 30.4 mm" in upon, upon
    # On a plane through the body, and pinned there between the nodes.
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_Y)
    stage.grab()
    cut = float(stage.look.cuts[0].at)
    for height in (0.011, 0.0171):
        at = pixel(window, (0.0119, cut, height))
        reading = stage.reading_at(at)
        assert all(side in reading for side in sides), reading
        QTest.mouseClick(stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at.toPoint())
        settled(qtbot, window)
        assert window.current.case is not None and window.outcome is not None
        pinned = window.current.case.document.questions[-2:]
        assert [each.side for each in pinned] == ["plate", "casting"]
        assert pinned[0].temperature is not None
        assert [each.si for each in pinned[0].temperature] == pytest.approx([0.012, cut, height], abs=0.0012)
        values = [check.value - 273.15 for check in window.outcome.checks[-2:]]
        assert values == pytest.approx([242.1646, 231.4634], abs=0.05)


def test_hints_go_once_they_are_taken_and_stay_gone(window: Window, qtbot: QtBot) -> None:
    stage = window.stage
    stage.set_lens("Shape")
    stage.grab()
    assert stage.hint().startswith("click a surface") and "dimension" in stage.hint()
    place = stage.dimension_labels["width of brick"].box
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, pos=QPoint(round(place[0] + 5), round(place[1] + 5)))
    QTest.keyClick(stage.focusWidget() or stage, Qt.Key.Key_Escape)
    assert "dimension" not in stage.hint()
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, pos=pixel(window, (0.0, 0.03)).toPoint())
    assert "surface" not in stage.hint() and "pins a reading" in stage.hint()
    again = Hints(window.settings)  # as another session has them
    assert again.said(False, True) == stage.hint()
    assert "plane" in again.said(True, False) or "turn" in again.said(True, False)
    for what in ("turn", "reading", "legend", "cut", "zoom", "lens"):
        again.used(what)
    assert again.said(True, True) == "" == stage.hint()


def test_every_key_is_laid_over_the_window_until_it_is_pressed_away(window: Window, qtbot: QtBot) -> None:
    QTest.keyClick(window, Qt.Key.Key_F1)
    (overlay,) = window.findChildren(KeysOverlay)
    assert overlay.isVisible() and overlay.size() == window.size()
    said = " ".join(label.text() for label in overlay.findChildren(QLabel))
    for wanted in ("Ctrl+Z", "Alt+7", "Ctrl+Alt+E", "F5", "pin the reading", "Alt+Shift+6", "face on", "Undo"):
        assert wanted in said
    window.resize(1300, 820)
    qtbot.waitUntil(lambda: overlay.size() == window.size())
    QTest.keyClick(overlay, Qt.Key.Key_Escape)
    assert not overlay.isVisible()
    qtbot.waitUntil(lambda: not window.findChildren(KeysOverlay))


def test_every_choice_that_has_a_key_says_it(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "room-corner")
    looks = window.stage.looks
    for button, key in (
        (looks.bands, "B"),
        (looks.tens, "L"),
        (looks.marks, "M"),
        (looks.vanish, "H"),
        (looks.free, "R"),
        (looks.arrows, "A"),
        (looks.flow_lines, "F"),
        (looks.cuts.face_on, "T"),
        *zip(looks.cuts.buttons, "XYZ", strict=True),
    ):
        assert f"({key})" in button.toolTip()
    assert "(D)" in looks.whole.toolTip()


def test_an_edit_while_more_is_drawn_is_drawn_anew(window: Window, qtbot: QtBot) -> None:
    stage = window.stage
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_D)
    stage.grab()
    before, shade = stage.picture(), stage.shade
    assert before is not None and shade is not None and stage._seen is not None and stage._seen.mesh is not None
    assert np.ptp(stage._seen.mesh.points[:, 2]) == pytest.approx(1.0)
    type_into(field(window, "surroundings[0].temperature"), "300 °C")
    settled(qtbot, window)
    stage.grab()
    assert stage.shade is not None and stage.shade.high == pytest.approx(573.15)
    type_into(field(window, "body.depth"), "0.3 m")
    settled(qtbot, window)
    stage.grab()
    assert stage._seen.mesh is not None and np.ptp(stage._seen.mesh.points[:, 2]) == pytest.approx(0.3)


_SCALED = """
import sys, time
from blunt_ember.desk.app.application import application
from blunt_ember.desk.app.window import Window
from blunt_ember.gallery.families import demo_case
app = application()
window = Window()
window.resize(1280, 800)
window.show_case(demo_case(), None)
window.show()
end = time.monotonic() + 120
while time.monotonic() < end and not (window.outcome is not None and window.outcome.final):
    app.processEvents()
    time.sleep(0.01)
window.strip.choose_view("resistances")
for _ in range(30):
    app.processEvents()
image = window.grab().toImage()
picture = window.stage.picture()
print(image.width(), image.height(), picture.devicePixelRatio(), picture.width(), window.stage.width())
for text in window.stage.looks.findChildren(type(window.stage.looks.bands)):
    if text.isVisible() and text.sizeHint().width() > text.width() + 1:
        print("cut", text.text())
window.close()
"""


def test_all_is_drawn_sharp_at_one_and_a_half_times_the_size(tmp_path: Path) -> None:
    scaled = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "QT_SCALE_FACTOR": "1.5",
        "XDG_CONFIG_HOME": str(tmp_path),
        "XDG_STATE_HOME": str(tmp_path),
    }
    found = subprocess.run(
        [sys.executable, "-c", _SCALED], env=scaled, capture_output=True, text=True, timeout=90, check=True
    )
    width, height, ratio, pixels, stage = found.stdout.splitlines()[0].split()
    assert (int(width), int(height)) == (1920, 1200) and float(ratio) == 1.5
    assert int(pixels) == pytest.approx(1.5 * int(stage), abs=1) and "cut" not in found.stdout
