"""The window driven by hand: keys, clicks, files, and a solver that is killed."""

from __future__ import annotations

import json
import os
import signal
import tempfile
import time
from functools import partial
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRect, Qt, QTimer, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QMessageBox, QPushButton, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.files.case_file import read_case, write_case
from blunt_ember.desk.app.faults_dialog import FaultsDialog
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.fields import EntryField
from blunt_ember.desk.solver import solver as solving
from blunt_ember.desk.stage.tools.picture_editor import DimensionEditor
from blunt_ember.flow.answering.error_estimate import FINER_NODES
from blunt_ember.gallery.families import family
from tests.desk.conftest import PATIENCE, choose, field, settled, type_into

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


def flux(t_brick: float = 0.114, k_brick: float = 0.35) -> float:
    return 955 / (t_brick / k_brick + 0.05 / 0.12 + 0.003 / 45 + 1 / 12)


def shown_flux(window: Window, name: str = "heat flow") -> float:
    text = window.checks.cards[name].value.text()
    return float(text.replace("\u2009", "").split()[0])


def pixels(image: QImage) -> np.ndarray:
    copy = image.convertToFormat(QImage.Format.Format_RGBA8888)
    bits = copy.constBits()
    assert bits is not None
    return np.frombuffer(bits.asarray(copy.sizeInBytes()), np.uint8).copy()


def test_the_demo_is_solved_and_compared_at_once(window: Window) -> None:
    cards = window.checks.cards
    assert len(cards) == 5
    assert {card.verdict.text() for card in cards.values()} == {"✓ agrees"}
    assert shown_flux(window) == pytest.approx(flux(), rel=1e-6)
    assert window.strip.chart.profile is not None and window.strip.chart.profile.exact is not None
    assert set(window.stage.dimension_labels) == {
        "width of brick",
        "width of blanket",
        "width of shell",
        "height of brick, blanket, shell",
    }
    assert not window.current.edited


def test_a_conductivity_typed_into_the_sheet_moves_everything(window: Window, qtbot: QtBot) -> None:
    before = window.stage.picture()
    profile = window.strip.chart.profile
    type_into(field(window, "materials.brick.k"), "0.7 W/(m K)")
    settled(qtbot, window)
    assert shown_flux(window) == pytest.approx(flux(k_brick=0.7), rel=1e-6)
    assert {card.verdict.text() for card in window.checks.cards.values()} == {"✓ agrees"}
    after = window.stage.picture()
    assert before is not None and after is not None and (pixels(before) != pixels(after)).any()
    assert window.strip.chart.profile is not profile
    assert window.current.case is not None
    assert window.current.case.data["parameters"]["k_brick"] == "0.7 W/(m K)"
    assert window.windowTitle().startswith("Kiln wall") and window.isWindowModified()


def test_a_thickness_is_changed_on_the_picture_and_undone(window: Window, qtbot: QtBot) -> None:
    dimension = window.stage.dimension_labels["width of brick"]
    x, y, width, height = dimension.box
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=QPoint(round(x + width / 2), round(y + height / 2)))
    editor = window.stage.findChild(DimensionEditor, "dimension editor")
    assert editor is not None and editor.text() == "114 mm"
    QTest.keyClicks(editor, "230 mm")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    settled(qtbot, window)
    assert shown_flux(window) == pytest.approx(flux(t_brick=0.23), rel=1e-6)
    assert field(window, "body.regions.brick.size[0]").text() == "230 mm"
    assert window.stage.dimension_labels["width of brick"].label == "230 mm"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled(qtbot, window)
    assert shown_flux(window) == pytest.approx(flux(), rel=1e-6)
    assert field(window, "body.regions.brick.size[0]").text() == "114 mm"
    assert not window.current.edited
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL | SHIFT)
    settled(qtbot, window)
    assert shown_flux(window) == pytest.approx(flux(t_brick=0.23), rel=1e-6)


def test_undo_from_within_a_field_goes_back_in_the_case(window: Window, qtbot: QtBot) -> None:
    for thickness in ("120 mm", "130 mm", "140 mm"):
        type_into(field(window, "body.regions.brick.size[0]"), thickness)
        settled(qtbot, window)
    entry = field(window, "body.regions.brick.size[0]")
    assert entry.hasFocus()
    for expected in ("130 mm", "120 mm", "114 mm"):
        QTest.keyClick(entry, Qt.Key.Key_Z, CTRL)
        assert field(window, "body.regions.brick.size[0]").text() == expected
    settled(qtbot, window)


def test_a_wrong_value_is_kept_in_its_field_and_explained(window: Window) -> None:
    case = window.current.case
    entry = field(window, "body.regions.brick.size[1]")
    type_into(entry, "12 W")
    assert entry.text() == "12 W" and entry.property("wrong")
    assert window.current.case is case
    row = entry.parent()
    assert row is not None
    fault = next(
        label
        for label in window.sheet.findChildren(type(window.checks.cards["heat flow"].name), "fault")
        if label.isVisible()
    )
    assert "'12 W' is not a length" in fault.text()
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    assert entry.text() == "100 mm" and not entry.property("wrong") and not fault.isVisible()


def test_regions_materials_and_statements_are_added_through_the_sheet(window: Window, qtbot: QtBot) -> None:
    choose(window, "add region", "a rectangle", "right of shell")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.trouble is not None
    link = window.sheet.findChild(QToolButton, "open body.regions.part.material")
    assert link is not None and "say what 'part' is made of" in link.text()
    choose(window, "material of part", "steel")
    settled(qtbot, window)
    assert window.outcome.trouble is not None, "shell.right is inside the body now"
    choose(window, "add surrounding", "part.right", "meets a fluid")
    choose(window, "surface 1", "on shell.top instead")
    settled(qtbot, window)
    assert window.outcome.trouble is not None
    type_into(field(window, "region part"), "plate")
    for place in (4, 0):
        button = window.sheet.findChild(QToolButton, f"remove question {place}")
        assert button is not None
        button.click()
    settled(qtbot, window)
    choose(window, "add question", "heat flow through", "plate.right")
    settled(qtbot, window)
    assert window.outcome.trouble is None
    assert window.current.case is not None
    assert [entry["on"] for entry in window.current.case.data["surroundings"]][-1] == "plate.right"
    # No exact solution holds for it, and nothing is expected.
    (check,) = (check for check in window.outcome.checks if check.name == "heat flow")
    assert check.source is not None and check.source.short == "second method"
    assert "✓ agrees" in window.checks.cards["heat flow"].verdict.text()
    assert window.outcome.unstated == (
        "brick.bottom",
        "brick.top",
        "blanket.bottom",
        "blanket.top",
        "shell.bottom",
        "plate.bottom",
        "plate.top",
    )


def test_saving_and_reopening_brings_the_same_case_back(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "mine.ember"
    type_into(field(window, "materials.brick.k"), "0.41 W/(m·K)")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert not window.current.edited and path.exists()
    assert '"k_brick": "0.41 W/(m·K)"' in path.read_text(encoding="utf-8")
    type_into(field(window, "materials.brick.k"), "0.42 W/(m K)")
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert read_case(path).data["parameters"]["k_brick"] == "0.42 W/(m K)"
    assert window.open_path(path)
    settled(qtbot, window)
    assert shown_flux(window) == pytest.approx(flux(k_brick=0.42), rel=1e-6)
    assert window.settings.recent == [path]


def test_a_broken_file_is_explained_and_changes_nothing(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    path = tmp_path / "broken.ember"
    write_case(family("composite-wall").case(), path)
    data = json.loads(path.read_text(encoding="utf-8"))
    data["body"]["regions"]["brick"]["size"][1] = "12 W"
    data["materials"]["brick"]["kk"] = "1 W/(m K)"
    path.write_text(json.dumps(data), encoding="utf-8")
    case, seen = window.current.case, []

    def read_and_close() -> None:
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, FaultsDialog):
            seen.append(dialog.text.toPlainText())
            QTest.keyClick(dialog, Qt.Key.Key_Escape)

    def reached(count: int) -> bool:
        return len(seen) >= count

    for told, raw in enumerate((path.read_text(encoding="utf-8"), '{"format": '), start=1):
        path.write_text(raw, encoding="utf-8")
        QTimer.singleShot(150, read_and_close)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path))])
        drop = QDropEvent(
            QPointF(300, 300), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        window.dropEvent(drop)
        qtbot.waitUntil(partial(reached, told), timeout=PATIENCE)
    assert "body.regions.brick.size[1]: '12 W' is not a length" in seen[0]
    assert "materials.brick.kk: 'kk' is not known here; did you mean 'k'?" in seen[0]
    assert "line 1, column" in seen[1]
    assert window.current.case is case


def test_unsaved_work_is_not_lost_without_a_question(window: Window) -> None:
    entry = field(window, "materials.brick.k")
    QTest.mouseClick(entry, Qt.MouseButton.LeftButton)
    QTest.keyClick(entry, Qt.Key.Key_A, CTRL)
    QTest.keyClicks(entry, "0.5 W/(m K)")  # typed, not even committed
    asked = []

    def answer(button: QMessageBox.StandardButton) -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, QMessageBox):
            asked.append(box.text())
            QTest.mouseClick(box.button(button), Qt.MouseButton.LeftButton)

    QTimer.singleShot(150, lambda: answer(QMessageBox.StandardButton.Cancel))
    assert not window.close()
    assert window.isVisible() and asked and "not saved" in asked[0]
    assert window.current.case is not None
    assert window.current.case.data["parameters"]["k_brick"] == "0.5 W/(m K)"


def test_a_window_closes_where_the_machine_is_slow_to_tell_that_its_solver_has_ended(window: Window) -> None:
    solver = window.solver.pid
    forked_from = int(Path(f"/proc/{solver}/stat").read_text().rpartition(")")[2].split()[1])
    os.kill(forked_from, signal.SIGSTOP)
    try:
        assert window.close() and not window.isVisible()
    finally:
        os.kill(forked_from, signal.SIGCONT)
    assert window.solver.pid is None and not any(Path(tempfile.gettempdir()).iterdir())
    window.show()


def test_a_killed_solver_leaves_the_case_and_works_again(window: Window, qtbot: QtBot) -> None:
    first = window.solver.pid
    type_into(field(window, "mesh.size"), "0.4 mm")  # a hundred thousand cells: seconds of work
    assert window.solver.busy and first is not None
    qtbot.wait(120)
    os.kill(first, signal.SIGKILL)
    qtbot.waitUntil(lambda: window.solver.pid not in (None, first), timeout=PATIENCE)
    qtbot.waitUntil(lambda: not window.solver.busy, timeout=PATIENCE)
    assert window.current.case is not None
    assert window.current.case.data["mesh"]["size"] == "0.4 mm"
    assert "before the last edit" in window.stage._stale
    assert not window.checks.isEnabled()
    type_into(field(window, "mesh.size"), "auto")
    settled(qtbot, window)
    assert window.checks.isEnabled()
    assert shown_flux(window) == pytest.approx(flux(), rel=1e-6)


def test_a_body_and_its_mesh_stay_while_what_surrounds_them_changes(window: Window, qtbot: QtBot) -> None:
    """Also after a mesh that was overtaken by another before it came, and with a solver that knows of none."""
    first = window.outcome.mesh if window.outcome is not None else None
    type_into(field(window, "parameters.k_brick"), "0.5 W/(m K)")
    settled(qtbot, window)
    assert window.outcome is not None and first is not None and window.outcome.mesh is first
    type_into(field(window, "mesh.size"), "1.1 mm")
    type_into(field(window, "mesh.size"), "auto")
    type_into(field(window, "parameters.k_brick"), "0.6 W/(m K)")
    settled(qtbot, window)
    mesh = window.outcome.mesh
    assert mesh is not None and np.array_equal(mesh.points, first.points)
    known = window.solver.pid
    assert known is not None
    os.kill(known, signal.SIGKILL)
    qtbot.waitUntil(lambda: window.solver.pid not in (None, known), timeout=PATIENCE)
    type_into(field(window, "parameters.k_brick"), "0.7 W/(m K)")
    settled(qtbot, window)
    assert window.outcome.mesh is not None and np.array_equal(window.outcome.mesh.points, first.points)
    assert window.outcome.geometry is not None and window.current.case is not None
    assert shown_flux(window) == pytest.approx(flux(k_brick=0.7), rel=1e-6)


def test_where_edits_outrun_answers_the_picture_follows_and_what_is_typed_stays(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(solving, "OVERTAKEN_MS", PATIENCE)  # also where the machine is slow
    entry = field(window, "parameters.k_brick")
    seen: list[tuple[bool, bool, str, str, float]] = []

    def look() -> None:
        seen.append(
            (window.is_current(), window.checks.isEnabled(), window.stage._stale, entry.text(), shown_flux(window))
        )

    window.solver.passed.connect(look)
    hundredths, end = 40, time.monotonic() + PATIENCE / 1000
    while not seen and time.monotonic() < end:
        for _ in range(3):
            hundredths += 1
            type_into(entry, f"{hundredths / 100} W/(m K)")
        QTest.keyClick(entry, Qt.Key.Key_A, CTRL)
        QTest.keyClicks(entry, "0.0")
        qtbot.wait(100)
    current, enabled, stale, typed, through = seen[0]
    assert not current and not enabled and "before the last edit" in stale and typed == "0.0"
    passed = [flux(k_brick=each / 100) for each in range(41, hundredths)]
    assert min(abs(through - each) for each in passed) < 1e-6 * through and through != pytest.approx(flux())
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    settled(qtbot, window)
    assert shown_flux(window) == pytest.approx(flux(k_brick=hundredths / 100), rel=1e-6)
    assert window.checks.isEnabled() and not window.stage._stale


def test_no_answer_on_the_way_is_shown_for_a_case_that_was_opened_meanwhile(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(solving, "OVERTAKEN_MS", PATIENCE)  # also where the machine is slow
    qtbot.wait(700)  # so that the next answer on the way is told
    strangers: list[str] = []

    def look() -> None:
        if window.outcome is not None and window.outcome.case is not window.current.case:
            strangers.append(window.outcome.case.document.title)

    window.solver.passed.connect(look)
    for hundredths in (41, 42, 43):
        type_into(field(window, "parameters.k_brick"), f"{hundredths / 100} W/(m K)")
    with qtbot.waitSignal(window.solver.passed, timeout=PATIENCE):
        window.show_case(family("wall-corner").case(), None)
    assert not strangers and window.outcome is None
    settled(qtbot, window)
    assert (
        window.outcome is not None and window.outcome.case.document.title == family("wall-corner").case().document.title
    )


def test_a_long_solve_stops_when_asked(window: Window, qtbot: QtBot) -> None:
    type_into(field(window, "mesh.size"), "0.2 mm")
    solve = window.header.findChild(QPushButton, "solve")
    assert solve is not None
    qtbot.waitUntil(lambda: solve.text().startswith("Stop"), timeout=PATIENCE)
    qtbot.wait(300)
    QTest.mouseClick(solve, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.solver.busy, timeout=PATIENCE)
    assert "stopped" in window.stage._stale
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    qtbot.waitUntil(lambda: not window.stage._stale, timeout=PATIENCE)


def test_without_live_the_answer_is_marked_stale_until_f5(window: Window, qtbot: QtBot) -> None:
    def darkest(zone: QWidget) -> int:
        seen = window.grab(QRect(zone.mapTo(window, QPoint(0, 0)), zone.size()))
        return int(pixels(seen.toImage()).reshape(-1, 4)[:, 1].min())

    before = darkest(window.checks)
    QTest.keyClick(window, Qt.Key.Key_L, CTRL)
    type_into(field(window, "materials.brick.k"), "0.7 W/(m K)")
    qtbot.wait(150)
    assert darkest(window.checks) > before + 60  # faded
    assert shown_flux(window) == pytest.approx(flux(), rel=1e-6)
    assert not window.checks.isEnabled() and "F5 solves" in window.stage._stale
    QTest.keyClick(window, Qt.Key.Key_F5)
    settled(qtbot, window)
    assert window.checks.isEnabled() and not window.stage._stale and darkest(window.checks) == before
    assert shown_flux(window) == pytest.approx(flux(k_brick=0.7), rel=1e-6)


def test_reading_zooming_and_lenses_by_mouse_and_keys(window: Window, qtbot: QtBot) -> None:
    stage = window.stage
    edge = stage.dimension_labels["width of brick"]
    place = QPointF(edge.end[0], stage.dimension_labels["height of brick, blanket, shell"].start[1] + 40)
    assert "603.3" in stage.reading_at(place) and "876.4" in stage.reading_at(place)
    assert stage.reading_at(QPointF(3, 3)) == ""
    QTest.mouseMove(stage, place.toPoint())
    pictures = []
    for key in (Qt.Key.Key_1, Qt.Key.Key_2, Qt.Key.Key_4, Qt.Key.Key_3):
        QTest.keyClick(window, key, Qt.KeyboardModifier.AltModifier)
        qtbot.wait(30)
        picture = stage.picture()
        assert picture is not None
        pictures.append(pixels(picture))
    assert stage.lens == "Temperature"
    assert all((a != b).any() for a, b in pairwise(pictures))
    stage.setFocus()
    for key in (Qt.Key.Key_Plus, Qt.Key.Key_Left, Qt.Key.Key_Up):
        QTest.keyClick(stage, key)
    qtbot.wait(30)
    moved = stage.picture()
    assert moved is not None and (pixels(moved) != pictures[-1]).any()
    QTest.keyClick(stage, Qt.Key.Key_0)
    qtbot.wait(30)
    back = stage.picture()
    assert back is not None and (pixels(back) == pictures[-1]).mean() > 0.999


def test_dark_is_remembered_and_checks_are_copied_as_text(window: Window, qtbot: QtBot) -> None:
    QTest.keyClick(window, Qt.Key.Key_D, CTRL)
    qtbot.wait(30)
    assert window.settings.dark
    QTest.keyClick(window, Qt.Key.Key_C, CTRL | SHIFT)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().split("\n")
    assert lines[0].split("\t")[:2] == ["question", "mesh"]
    assert any(line.startswith("brick.left\theld\t115.648") for line in lines)


def test_the_start_page_leads_to_a_case(window: Window, qtbot: QtBot) -> None:
    window._pages.setCurrentIndex(0)
    qtbot.wait(300)
    card = window.start_page.findChild(QPushButton, "family plane-wall")
    assert card is not None
    QTest.mouseClick(card, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert {card.verdict.text() for card in window.checks.cards.values()} == {"✓ agrees"}
    assert not window.current.edited, "as long as it is untouched there is nothing to save"


def test_errors_of_a_large_mesh_come_after_its_answers_and_can_be_stopped(window: Window, qtbot: QtBot) -> None:
    card = window.checks.cards["heat flow"]
    assert card.error.text().startswith("± ") and "half the size" in card.error.toolTip()
    assert window.current.case is not None
    before = window.current.case
    wish = {"size": "0.6 mm", "order": 1, "cells": "triangles"}
    window.show_case(with_value(before, ("mesh",), wish), None)
    qtbot.waitUntil(lambda: window.is_current() and bool(window.checks.cards), timeout=PATIENCE)
    state = window.header.findChild(QLabel, "state")
    assert state is not None and state.text().endswith("estimating errors …")
    assert card.error.text() == "± …" and "being estimated" in card.error.toolTip()
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert not window.solver.busy and window.outcome is not None and window.outcome.final
    assert card.error.text() == "± not known" and "stopped" in card.error.toolTip()
    assert window.checks.isEnabled() and not window.stage._stale, "the answer itself is current"
    assert state.text().startswith("current") and not state.text().endswith("…")
    finer = with_value(before, ("mesh",), {"size": "0.4 mm", "order": 1})
    window.show_case(finer, None)
    qtbot.waitUntil(lambda: window.is_current() and card.error.text() == "± …", timeout=PATIENCE)
    process = window.solver.pid
    window.show_case(with_value(finer, ("materials", "brick", "k"), "0.6 W/(m K)"), None)
    settled(qtbot, window)
    assert window.solver.pid == process, "the mesh it knows is worth more than the time to stop in peace"
    assert window.outcome.mesh is not None and window.outcome.mesh.node_count > FINER_NODES[2]
    assert card.error.text().startswith("± ") and "three meshes of larger cells" in card.error.toolTip()


def test_the_tab_key_goes_through_the_zones_and_down_the_sheet(window: Window, qtbot: QtBot) -> None:
    zones = [window.header, window.sheet, window.stage, window.strip]
    option = next(o for o in window.sheet.findChildren(EntryField) if "shelf" in o.placeholderText())
    type_into(option, "lath: 100 x 20 mm at 0, 100 mm of brick")
    settled(qtbot, window)
    assert window.current.case is not None and "lath" in window.current.case.document.body.regions
    window.header.findChildren(EntryField)[0].setFocus()
    met: list[QWidget] = []
    fields: list[int] = []
    for _ in range(400):
        QTest.keyClick(window.focusWidget(), Qt.Key.Key_Tab)
        at = window.focusWidget()
        zone = next((zone for zone in zones if zone is at or zone.isAncestorOf(at)), None)
        if zone is not None and zone not in met:
            met.append(zone)
        if zone is window.sheet and isinstance(at, EntryField):
            fields.append(at.mapTo(window.sheet.widget(), QPoint(0, 0)).y())
        if zone is window.strip:
            break
    assert met == zones
    assert len(fields) > 15 and all(after > before - 8 for before, after in pairwise(fields))  # of one line, or below
