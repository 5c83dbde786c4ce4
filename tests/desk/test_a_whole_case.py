"""One whole case, as somebody new would do it: chosen, changed, read, asked, compared, refined, written, opened."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from blunt_ember.case.files.case_file import read_case
from blunt_ember.desk.app.window import Window
from blunt_ember.flow.flow import Flow
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into

CONTROL = Qt.KeyboardModifier.ControlModifier
#: The pipe that is made of the family: bore, wall, lagging in m; conductivities; films and the two fluids.
R, K, H, T = (0.06, 0.066, 0.13), (18.0, 0.05), (60.0, 11.0), (420.0, 12.0)


def by_hand() -> tuple[float, dict[str, float]]:
    """Heat per metre in W, and temperatures in °C, as one would work them out on paper."""
    films = [1 / (H[0] * 2 * np.pi * R[0]), 1 / (H[1] * 2 * np.pi * R[2])]
    walls = [np.log(R[place + 1] / R[place]) / (2 * np.pi * K[place]) for place in (0, 1)]
    heat = (T[0] - T[1]) / (sum(films) + sum(walls))
    bore = T[0] - heat * films[0]
    joint = bore - heat * walls[0]
    middle = joint - heat * np.log(0.1 / R[1]) / (2 * np.pi * K[1])
    return heat, {"bore": bore, "joint": joint, "middle": middle, "rim": T[1] + heat * films[1]}


def press(window: Window, name: str) -> None:
    button = next(each for each in window.findChildren(QPushButton, name) if each.isVisible())
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def answer(window: Window, name: str) -> float:
    assert window.outcome is not None
    return next(check.value for check in window.outcome.checks if check.name == name)


def pinned_at(window: Window) -> list[float]:
    """Place in m of the point that was pinned."""
    assert window.current.case is not None
    found = next(each for each in window.current.case.document.questions if each.name == "point")
    assert found.temperature is not None
    return [each.si for each in found.temperature]


def test_a_whole_case_from_the_start_page_to_the_file(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    heat, known = by_hand()
    # Choose.
    window._pages.setCurrentIndex(0)
    card = window.start_page.findChild(QPushButton, "family hollow-cylinder")
    assert card is not None
    QTest.mouseClick(card, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    # Change: every value of the sheet that matters, each with its unit.
    for key, text in (
        ("parameters.r_bore", "60 mm"),
        ("parameters.t_pipe", "6 mm"),
        ("parameters.t_lagging", "6.4 cm"),
        ("parameters.k_pipe", "18 W/(m K)"),
        ("parameters.k_lagging", "0.05 W/(m K)"),
        ("parameters.h_in", "60 W/(m² K)"),
        ("parameters.h_out", "11 W/(m² K)"),
        ("parameters.T_gas", "420 °C"),
        ("parameters.T_air", "12 °C"),
    ):
        type_into(field(window, key), text)
    settled(qtbot, window)
    assert window.outcome is not None and {check.verdict for check in window.outcome.checks} == {"agrees"}
    assert answer(window, "loss per metre") == pytest.approx(heat, rel=1e-5)
    # Look, and read: under the pointer, pinned, along a line.
    stage = window.stage
    for lens in range(1, 8):
        QTest.keyClick(window, Qt.Key(Qt.Key.Key_0 + lens), Qt.KeyboardModifier.AltModifier)
        stage.grab()
    QTest.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    stage.grab()
    view = stage._view
    assert view is not None

    def pixel(x: float, y: float) -> QPoint:
        return QPointF(*view.pixels(np.array([[x, y]]))[0]).toPoint()

    exactly_there = QPointF(*view.pixels(np.array([[0.1, 0.0]]))[0])
    assert f"{known['middle']:.0f}"[:2] in stage.reading_at(exactly_there)
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, CONTROL, pixel(0.0, 0.1))
    settled(qtbot, window)
    QTest.mousePress(stage, Qt.MouseButton.LeftButton, CONTROL, pixel(0.06, 0.0))
    QTest.mouseMove(stage, pixel(0.09, 0.0))
    QTest.mouseMove(stage, pixel(0.13, 0.0))
    QTest.mouseRelease(stage, Qt.MouseButton.LeftButton, CONTROL, pixel(0.13, 0.0))
    settled(qtbot, window)
    at = pinned_at(window)  # a node near the pointer
    in_lagging = known["joint"] - heat * np.log(np.hypot(*at) / R[1]) / (2 * np.pi * K[1])
    assert np.hypot(at[0], at[1] - 0.1) < 0.01
    assert answer(window, "point") - 273.15 == pytest.approx(in_lagging, abs=0.1)
    # Ask: round a circle in the lagging, and set it beside a value with a source.
    choose(window, "add question", "mean temperature round a circle")
    settled(qtbot, window)
    case = window.current.case
    assert case is not None
    number = len(case.document.questions) - 1
    type_into(field(window, f"questions[{number}].mean.radius"), "100 mm")
    settled(qtbot, window)
    choose(window, f"expect {number}", "a value with its source")
    settled(qtbot, window)
    type_into(field(window, f"questions[{number}].expect.value"), f"{known['middle']:.4f} °C")
    type_into(field(window, f"questions[{number}].expect.source"), "worked out on paper")
    type_into(field(window, f"questions[{number}].tolerance"), "0.05 K")
    settled(qtbot, window)
    found = window.outcome.checks[number]
    assert found.verdict == "agrees" and str(found.source) == "worked out on paper" and found.error is not None
    # Compare: the chain as on paper, with the mesh beside it.
    press(window, "view resistances")
    path = window.strip.path
    assert path is not None and path.heat == pytest.approx(heat) == path.mesh_heat
    shown = {junction.name: junction.temperature - 273.15 for junction in path.junctions}
    assert shown["pipe.bore"] == pytest.approx(known["bore"]) and shown["lagging.rim"] == pytest.approx(known["rim"])
    assert shown["pipe|lagging"] == pytest.approx(known["joint"])
    # Read off: a table, filtered, on the clipboard.
    press(window, "view table")
    tables = window.strip.tables
    tables.which.setCurrentText("surfaces")
    tables.which.activated.emit(tables.which.currentIndex())
    type_into(tables.filter, "rim")
    press(window, "copy table")
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    headings, row = (line.split("\t") for line in clipboard.text().splitlines())
    assert float(row[headings.index("heat, W")]) == pytest.approx(-heat, rel=1e-5)
    # Refine: the mesh is fine enough, and how fine is said.
    press(window, "view refinement")
    press(window, "divide every cell")
    qtbot.waitUntil(lambda: not window.strip.refinement.running, timeout=PATIENCE)
    levels = window.strip.refinement.levels
    gaps = [abs(level.values[0] - heat) for level in levels]
    assert len(levels) >= 3 and gaps[2] < gaps[0] / 50
    # Change one thing, beside what was.
    with qtbot.waitActive(window):
        window.activateWindow()  # no window manager gives it back after the menus
    QTest.keyClick(window, Qt.Key.Key_K, CONTROL)
    type_into(field(window, "parameters.k_lagging"), "0.1 W/(m K)")
    settled(qtbot, window)
    assert window.outcome.checks[number].verdict == "off" and answer(window, "loss per metre") > 1.4 * heat
    stage.set_lens("Difference")
    assert window.outcome.kept is not None
    stage.grab()
    QTest.keyClick(window, Qt.Key.Key_Z, CONTROL)
    settled(qtbot, window)
    assert window.outcome.checks[number].verdict == "agrees"
    # Write: the case, the checks, and open it again.
    file = tmp_path / "my pipe.ember"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(file), ""))
    QTest.keyClick(window, Qt.Key.Key_S, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert file.exists() and not window.current.edited
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "checks.csv"), ""))
    QTest.keyClick(window, Qt.Key.Key_E, CONTROL)
    rows = list(csv.reader((tmp_path / "checks.csv").read_text("utf-8").splitlines()))
    assert [each[0] for each in rows[1 : number + 2]] == [check.name for check in window.outcome.checks]
    alone = Flow().run(read_case(file))
    for ours, theirs in zip(alone.checks, window.outcome.checks, strict=True):
        assert (ours.name, ours.verdict) == (theirs.name, theirs.verdict) and ours.value == theirs.value
    assert window.open_path(file)
    settled(qtbot, window)
    assert [check.value for check in window.outcome.checks] == [check.value for check in alone.checks]
    assert window.windowTitle().startswith("my pipe.ember")


def test_slips_on_the_way_are_explained_and_lose_nothing(window: Window, qtbot: QtBot) -> None:
    choose(window, "add question", "mean temperature from one surface to another")
    settled(qtbot, window)
    case = window.current.case
    assert case is not None
    number = len(case.document.questions) - 1
    choose(window, f"between {number} 0", "brick|blanket")
    choose(window, f"between {number} 1", "brick|blanket")
    qtbot.waitUntil(lambda: window.outcome is not None and window.outcome.trouble is not None, timeout=PATIENCE)
    assert "touch, so there is no line between them" in str(window.outcome.trouble)
    assert f"questions[{number}]" in str(window.outcome.trouble)
    window.stage.grab()
    assert "touch" in window.stage._message()[0]
    choose(window, f"between {number} 1", "shell.right")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.trouble is None
    assert window.outcome.checks[number].asked == "Mean temperature from brick|blanket to shell.right"
    choose(window, "add question", "mean temperature round a circle")
    settled(qtbot, window)
    radius = f"questions[{number + 1}].mean.radius"
    for wrong, said in (("-3 mm", "more than zero"), ("3 W", "is not a length"), ("0.4 2", "not expected")):
        type_into(field(window, radius), wrong)
        entry = field(window, radius)
        assert said in entry.toolTip(), entry.toolTip()
        QTest.keyClick(entry, Qt.Key.Key_Escape)
    type_into(field(window, f"questions[{number + 1}].mean.centre[0]"), "9 m")
    qtbot.waitUntil(lambda: window.outcome is not None and window.outcome.trouble is not None, timeout=PATIENCE)
    assert "no part of the line lies in the body" in str(window.outcome.trouble)
    window.strip.choose_view("along a line")
    qtbot.wait(50)
    for _ in range(7):
        window.current.undo()
    settled(qtbot, window)
    assert window.current.case is not None and len(window.current.case.document.questions) == number
    assert window.outcome.trouble is None and window.strip.chart.profile is not None
