"""What is seen of an answer: lenses and what they show, the legend as a control, what opens a solid."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt
from PyQt6.QtGui import QGuiApplication, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QProgressDialog, QPushButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.case import case_from_data
from blunt_ember.desk.app.window import Window
from blunt_ember.fem.reading import field_at, temperature_at
from blunt_ember.gallery.families import family
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.palette import DARK, LIGHT, rgb
from tests.desk.conftest import PATIENCE, field, settled, type_into


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, name: str) -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)
    window.stage.grab()


def shade_of(window: Window) -> Shade:
    window.stage.grab()
    found = window.stage.shade
    assert found is not None
    return found


def colour_at(window: Window, place: tuple[float, float]) -> np.ndarray:
    """The colour of the picture at a place of the section in m."""
    window.stage.grab()
    image, view = window.stage.picture(), window.stage._view
    assert image is not None and view is not None
    x, y = view.pixels(np.array([place]))[0].astype(int)
    return np.array(image.pixelColor(int(x), int(y)).getRgbF()[:3])


def test_the_ends_of_the_legend_are_typed_dragged_and_freed(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hot-edge-plate")
    legend, stage = window.stage.legend, window.stage
    cold, warm = (0.15, 0.01), (0.15, 0.19)
    before = colour_at(window, cold)
    type_into(legend.low, "100")
    found = shade_of(window)
    assert found.low == pytest.approx(373.15) and found.narrowed == (True, False)
    faded = colour_at(window, cold)
    assert np.abs(faded - np.array(rgb(LIGHT.stage))).max() < 0.25 < np.abs(before - faded).max()
    type_into(legend.high, "410 °F")
    assert shade_of(window).high == pytest.approx((410 + 459.67) / 1.8)
    for wrong, said in (("90 W", "is not a temperature"), ("50", "must be more than the lower one")):
        type_into(legend.high, wrong)
        assert legend.high.property("wrong") and said in legend.high.toolTip()
        assert shade_of(window).high == pytest.approx((410 + 459.67) / 1.8)
    QTest.keyClick(legend.high, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(legend.high, Qt.Key.Key_Delete)
    QTest.keyClick(legend.high, Qt.Key.Key_Return)
    assert shade_of(window).high == pytest.approx(533.15) and not legend.high.property("wrong")
    # The lower end is dragged to the middle of the bar, which still shows the whole range.
    start = QPoint(round(legend.bar.center().x()), round(legend.y_of(373.15)))
    middle = QPoint(start.x(), round(legend.bar.center().y()))
    QTest.mousePress(legend, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(legend, middle)
    QTest.mouseRelease(legend, Qt.MouseButton.LeftButton, pos=middle)
    assert shade_of(window).low == pytest.approx((313.15 + 533.15) / 2, abs=2.0)
    assert shade_of(window).outer == pytest.approx((313.15, 533.15))
    hot = colour_at(window, warm)
    QTest.mouseClick(stage.looks.free, Qt.MouseButton.LeftButton)
    assert shade_of(window).narrowed == (False, False)
    assert np.abs(colour_at(window, cold) - before).max() < 0.01 < np.abs(colour_at(window, warm) - hot).max()


def test_bands_are_of_one_colour_with_lines_at_round_values_between(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    window.stage.setFocus()
    QTest.keyClick(window.stage, Qt.Key.Key_B)
    found = shade_of(window)
    assert found.bands and window.stage.looks.bands.isChecked()
    shown = (found.levels - 273.15) / np.diff(found.levels)[0]
    np.testing.assert_allclose(shown, np.round(shown), atol=1e-9)
    assert 6 <= len(found.levels) <= 14
    image = window.stage.picture()
    assert image is not None and window.outcome is not None and window.outcome.geometry is not None
    view = window.stage._view
    assert view is not None
    (x0, y0), (x1, _) = view.pixels(np.array([window.outcome.geometry.low, window.outcome.geometry.high]))
    row = int(y0) - 12
    seen = [tuple(image.pixelColor(x, row).getRgb()[:3]) for x in range(int(x0) + 4, int(x1) - 4)]
    runs = [colour for place, colour in enumerate(seen[1:]) if colour == seen[place]]
    assert len(set(runs)) in (len(found.levels), len(found.levels) + 1)  # the outermost may be narrow
    QTest.keyClick(window.stage, Qt.Key.Key_M)
    assert shade_of(window).marks


def test_every_lens_shows_what_it_says(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "ring-sector")
    outcome, stage = window.outcome, window.stage
    assert outcome is not None and outcome.mesh is not None and outcome.exact_now is not None
    place = outcome.mesh.points[outcome.mesh.blocks[0].nodes[7]].mean(axis=0)

    def value(lens: str, part: str) -> float:
        stage.set_lens(lens)
        stage.grab()
        if part:
            stage.looks.part.setCurrentText(part)
            stage.looks.part.activated.emit(stage.looks.part.currentIndex())
        found = shade_of(window)
        assert outcome.mesh is not None
        return float(field_at(outcome.mesh, found.values, place[None])[0])

    radius = np.linalg.norm(place)
    radial, tangential = value("Heat flow", "radial"), value("Heat flow", "tangential")
    along = np.array([value("Heat flow", "along x"), value("Heat flow", "along y")])
    assert radial == pytest.approx(along @ place / radius, rel=1e-3)
    assert value("Heat flow", "size") == pytest.approx(np.hypot(radial, tangential), rel=1e-3)
    exact = outcome.exact_now.temperature(place[None])[0]
    mesh = temperature_at(outcome.mesh, outcome.solution.temperature, place[None])[0]
    signed = value("Difference", "")
    assert signed == pytest.approx(mesh - exact, abs=1e-4) and shade_of(window).signed
    assert value("Error", "against exact") == pytest.approx(abs(signed), abs=1e-4)
    assert 0 < value("Error", "estimated") < 0.01 * value("Heat flow", "size")
    QTest.mouseClick(stage.looks.part, Qt.MouseButton.LeftButton)
    stage.set_lens("Error")
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_L)
    assert shade_of(window).log and shade_of(window).low > 0
    window.set_dark(True)
    background = np.array(stage.grab().toImage().pixelColor(3, 300).getRgbF()[:3])
    assert np.abs(background - np.array(rgb(DARK.stage))).max() < 0.02
    window.set_dark(False)


def test_an_answer_is_kept_and_the_next_one_set_beside_it(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    before = window.outcome
    assert before is not None and before.solution is not None
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    type_into(field(window, "surroundings[0].temperature"), "700 °C")
    settled(qtbot, window)
    window.stage.set_lens("Difference")
    window.stage.grab()
    parts = [window.stage.looks.part.itemText(number) for number in range(window.stage.looks.part.count())]
    assert parts == ["mesh − exact", "now − kept"]
    window.stage.looks.take(replace(window.stage.look, part="now − kept"))
    found, after = shade_of(window), window.outcome
    assert after is not None and after.solution is not None
    change = np.concatenate([block.ravel() for block in found.values])
    expected = after.solution.temperature - before.solution.temperature
    assert (change.min(), change.max()) == pytest.approx((expected.min(), expected.max()), abs=1e-9)


def test_points_are_pinned_and_lines_drawn_and_become_questions(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "hot-edge-plate")
    stage, view = window.stage, window.stage._view
    assert view is not None
    asked = len(window.current.case.document.questions)

    def pixel(x: float, y: float) -> QPoint:
        return QPointF(*view.pixels(np.array([[x, y]]))[0]).toPoint()

    control = Qt.KeyboardModifier.ControlModifier
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, control, pixel(0.2031, 0.1502))
    settled(qtbot, window)
    QTest.mousePress(stage, Qt.MouseButton.LeftButton, control, pixel(0.05, 0.04))
    QTest.mouseMove(stage, pixel(0.12, 0.09))
    QTest.mouseMove(stage, pixel(0.25, 0.16))
    QTest.mouseRelease(stage, Qt.MouseButton.LeftButton, control, pixel(0.25, 0.16))
    settled(qtbot, window)
    qtbot.waitUntil(lambda: window.strip.chart.profile is not None and window.strip.chart.profile.title == "Along line")
    case, outcome, profile = window.current.case, window.outcome, window.strip.chart.profile
    assert case is not None and outcome is not None and outcome.mesh is not None and outcome.solution is not None
    point, line = case.document.questions[asked:]
    assert (point.name, line.name) == ("point", "line") and window.current.edited
    assert point.temperature is not None and profile is not None and profile.exact is not None
    place = np.array([[each.si for each in point.temperature]])
    assert np.abs(outcome.mesh.points - place).sum(axis=1).min() < 1e-5  # it snapped to a node
    value = next(check.value for check in outcome.checks if check.name == "point")
    assert value == pytest.approx(temperature_at(outcome.mesh, outcome.solution.temperature, place)[0], abs=1e-3)
    assert np.abs(profile.mesh - profile.exact).max() < 0.05
    mean = next(check.value for check in outcome.checks if check.name == "line")
    assert mean == pytest.approx(np.trapezoid(profile.mesh, profile.distance) / profile.distance[-1], abs=0.02)
    QTest.mouseMove(stage, pixel(0.1, 0.1))
    QTest.keyClick(stage, Qt.Key.Key_P)
    assert case is not window.current.case
    for _ in range(3):
        window.current.undo()
    assert len(window.current.case.document.questions) == asked


def test_a_case_is_refined_in_the_strip_and_what_it_tends_to_is_copied(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "wall-corner")
    QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier)
    window.strip.choose_view("refinement")
    view = window.strip.refinement
    QTest.mouseClick(view.divide, Qt.MouseButton.LeftButton)
    assert view.running and not view.divide.isEnabled()
    qtbot.waitUntil(lambda: not view.running, timeout=PATIENCE)
    assert len(view.levels) == 4 and view.levels[-1].nodes > 100_000
    QTest.mouseClick(view.copy, Qt.MouseButton.LeftButton)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    rows = [line.split("\t") for line in clipboard.text().splitlines()]
    assert rows[0][:3] == ["nodes", "cells", "loss"] and [rows[5][0], rows[5][2]] == ["order seen", "1.33"]
    shown = [view.table.item(number, 2).text() for number in range(view.table.rowCount())]
    assert shown == [row[2] for row in rows]
    QTest.mouseClick(view.follow, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(view.levels) >= 1, timeout=PATIENCE)
    QTest.mouseClick(view.stop, Qt.MouseButton.LeftButton)
    assert not view.running and view.levels and view.divide.isEnabled()
    opened(window, qtbot, "plane-wall")  # what was found belongs to the case before
    assert not view.levels and view.table.rowCount() == 0


def test_what_is_seen_is_exported_as_picture_table_and_report(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened(window, qtbot, "composite-wall")
    typed = [("7", True), ("640 x 400", True)]  # a slip is asked again, with the reason
    asked: list[str] = []

    def size(*words: object, **more: object) -> tuple[str, bool]:
        asked.append(str(words[2]))
        return typed.pop(0)

    monkeypatch.setattr(QInputDialog, "getText", size)
    for name, least in (("wall.png", 5_000), ("wall.csv", 200), ("wall.html", 50_000)):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
        qtbot.waitUntil(lambda name=name: (tmp_path / name).exists(), timeout=PATIENCE)
        assert (tmp_path / name).stat().st_size > least
    bar = window.statusBar()
    assert bar is not None
    qtbot.waitUntil(lambda: bar.currentMessage() == f"exported {tmp_path / 'wall.html'}", timeout=PATIENCE)
    assert QImage(str(tmp_path / "wall.png")).size() == QSize(640, 400) and "write it like" in asked[1]
    assert window.outcome is not None and window.outcome.checks[0].asked in (tmp_path / "wall.html").read_text("utf-8")
    said: list[str] = []
    monkeypatch.setattr(QMessageBox, "warning", lambda *words: said.append(words[2]))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "none" / "wall.html"), ""))
    qtbot.waitUntil(lambda: not window.findChildren(QProgressDialog))
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: bool(said), timeout=PATIENCE)
    assert "cannot be written" in said[0]


def test_a_report_is_written_beside_the_work_and_can_be_stopped(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened(window, qtbot, "room-corner")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "room.html"), ""))
    QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert not (tmp_path / "room.html").exists()  # the window is free at once
    type_into(field(window, "mesh.across"), "3")
    (progress,) = window.findChildren(QProgressDialog)
    stop = progress.findChild(QPushButton)
    assert stop is not None
    progress.show()
    QTest.mouseClick(stop, Qt.MouseButton.LeftButton)
    bar = window.statusBar()
    assert bar is not None and "nothing was written" in bar.currentMessage()
    settled(qtbot, window)
    qtbot.wait(300)
    assert list(tmp_path.glob("*room*")) == []


def test_planes_open_a_solid_and_are_read_typed_and_dragged(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "room-corner")
    stage, outcome = window.stage, window.outcome
    assert outcome is not None and outcome.mesh is not None and outcome.solution is not None
    QTest.mouseClick(stage.looks.cuts.buttons[0], Qt.MouseButton.LeftButton)
    (plane,) = shade_of(window).cuts
    assert plane.axis == 0 and plane.at == pytest.approx(0.42)
    point = np.array([0.42, 0.12, 0.5])
    view = stage._view
    assert view is not None
    at = QPointF(*view.pixels(point[None])[0])
    expected = temperature_at(outcome.mesh, outcome.solution.temperature, point[None])[0] - 273.15
    reading = stage.reading_at(at)
    assert "x 420 mm" in reading and f"{expected:.1f}"[:3] in reading, (reading, expected)
    renderer = stage._drawer._renderer
    assert renderer is not None
    scene = renderer._scene
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_Right)
    stage.grab()
    assert stage._view is not view and renderer._scene is scene  # what is drawn stays while only the eye moves
    type_into(stage.looks.cuts.fields[0], "20 cm")
    assert shade_of(window).cuts[0].at == pytest.approx(0.2)
    view = stage._view
    assert view is not None
    handle = stage.planes.places(view)[0].toPoint()
    QTest.mousePress(stage, Qt.MouseButton.LeftButton, pos=handle)
    QTest.mouseMove(stage, handle + QPoint(60, 14))
    QTest.mouseRelease(stage, Qt.MouseButton.LeftButton, pos=handle + QPoint(60, 14))
    assert 0.25 < shade_of(window).cuts[0].at < 0.7
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_Z)
    assert {each.axis for each in shade_of(window).cuts} == {0, 2}
    QTest.keyClick(stage, Qt.Key.Key_X)
    QTest.keyClick(stage, Qt.Key.Key_Z)
    assert shade_of(window).cuts == ()


def test_a_range_opens_a_solid_where_the_rest_is_hidden(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "room-corner")
    stage = window.stage

    def covered() -> int:
        stage.grab()
        image = stage.picture()
        assert image is not None
        pixels = image.constBits()
        assert pixels is not None
        data = np.frombuffer(pixels.asarray(image.sizeInBytes()), dtype=np.uint8).reshape(image.height(), -1, 4)
        return int((np.abs(data[..., :3] / 255 - np.array(rgb(LIGHT.stage))).max(axis=-1) > 0.02).sum())

    whole = covered()
    type_into(stage.legend.low, "30")
    assert covered() > 0.97 * whole  # the rest is faded, not gone
    stage.setFocus()
    QTest.keyClick(stage, Qt.Key.Key_H)
    assert shade_of(window).vanish
    assert covered() < 0.75 * whole
    QTest.keyClick(stage, Qt.Key.Key_R)
    assert covered() == pytest.approx(whole, rel=0.01)


def test_radiation_is_seen_and_read_on_the_surfaces_that_see_each_other(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "plane-wall")
    button = window.stage.looks.findChild(QPushButton, "lens Radiation")
    assert not button.isVisible()
    opened(window, qtbot, "ware-chamber")
    assert button.isVisible()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert "Incident" in shade_of(window).title
    stage = window.stage
    assert stage._view is not None and window.outcome.mesh is not None
    floor, brick = (0.15, 0.0902), (0.15, 0.05)  # just above the floor of the chamber, and within the wall below it
    places = [QPointF(*stage._view.pixels(np.array([place]))[0]) for place in (floor, brick)]
    on_floor, in_brick = (stage.reading_at(place) for place in places)
    assert "W/m²" in on_floor and "W/m²" not in in_brick
    assert np.abs(colour_at(window, brick) - np.array(rgb(LIGHT.hairline))).max() < 0.02
    assert np.abs(colour_at(window, floor) - colour_at(window, brick)).max() > 0.2
    # The same is a curve along the floor, where it is asked to be read.
    edge = {"name": "floor", "mean": {"edge": "kiln.chamber bottom"}}
    stated = family("ware-chamber").data
    window.show_case(case_from_data(stated | {"questions": [*stated["questions"], edge]}), None)
    settled(qtbot, window)
    line = window.strip.line
    for box, text in ((line.lines, "floor"), (line.what, "net radiation")):
        box.setCurrentText(text)
        box.activated.emit(box.currentIndex())
    profile = line.chart.profile
    assert profile is not None and profile.title.endswith("net radiation")
    width, depth = float(profile.distance[-1]), 0.5
    mean = float(np.trapezoid(profile.mesh, profile.distance)) / width
    asked = next(row.heat for row in window.outcome.ledger.rows if row.name == "kiln.chamber bottom")
    assert mean * width * depth == pytest.approx(asked, rel=5e-3)
