"""Solids and rods in the window: turned, pointed at, clicked, their heights and pieces edited; files of other kinds."""

from __future__ import annotations

import math
import multiprocessing
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog, QMessageBox, QProgressDialog, QPushButton
from pytestqt.qtbot import QtBot

from blunt_ember.desk.app.exports import export
from blunt_ember.desk.app.faults_dialog import FaultsDialog
from blunt_ember.desk.app.window import Window
from blunt_ember.desk.sheet.fields import WordButton
from blunt_ember.desk.stage.tools.picture_editor import DimensionEditor
from blunt_ember.gallery.families import family
from blunt_ember.mesh.cells.facets import skin_of
from tests.desk.conftest import choose, field, settled, type_into


@pytest.fixture
def window(empty_window: Window) -> Window:
    """Every test here opens a case of its own."""
    return empty_window


def opened(window: Window, qtbot: QtBot, name: str, lens: str = "Shape") -> None:
    window.show_case(family(name).case(), None)
    settled(qtbot, window)
    window.stage.set_lens(lens)
    window.stage.grab()


def seen(window: Window, surface: str) -> QPoint:
    """The pixel in the middle of a facet of a surface that faces the eye, near the middle of what is seen of it."""
    outcome, view = window.outcome, window.stage._view
    assert outcome is not None and outcome.mesh is not None and view is not None and view.pose is not None
    skin = skin_of(outcome.mesh)
    middles = []
    for part in skin.parts:
        own = outcome.mesh.points[part.corners[part.surface == skin.names.index(surface)]]
        facing = np.cross(own[:, 1] - own[:, 0], own[:, 2] - own[:, 0]) @ view.pose.axes[2] > 0
        middles.append(own[facing].mean(axis=1))
    places = np.concatenate(middles)
    pixels = view.pixels(places)
    x, y = pixels[np.linalg.norm(pixels - pixels.mean(axis=0), axis=1).argmin()]
    return QPoint(round(x), round(y))


def test_a_solid_is_turned_by_mouse_and_keys_and_shift_pans(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "stacked-floor")
    first = window.stage._view
    assert first is not None and first.pose is not None and first.pose.upright == 2
    picture = window.stage.picture()
    centre = window.stage.rect().center()
    QTest.mousePress(window.stage, Qt.MouseButton.LeftButton, pos=centre)
    QTest.mouseMove(window.stage, centre + QPoint(80, 30))
    QTest.mouseRelease(window.stage, Qt.MouseButton.LeftButton, pos=centre + QPoint(80, 30))
    turned = window.stage._view
    assert turned is not None and turned.pose is not None
    assert turned.pose.around < first.pose.around and turned.pose.above > first.pose.above
    assert turned.scale == first.scale
    window.stage.grab()
    assert window.stage.picture() != picture
    QTest.keyClick(window.stage, Qt.Key.Key_Left)
    QTest.keyClick(window.stage, Qt.Key.Key_Down)
    keyed = window.stage._view
    assert keyed is not None and keyed.pose is not None and keyed.pose.above < turned.pose.above
    QTest.keyClick(window.stage, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    panned = window.stage._view
    assert panned is not None and panned.pose == keyed.pose and panned.centre != keyed.centre
    QTest.keyClicks(window.stage, "0")
    window.stage.grab()
    fitted = window.stage._view
    assert fitted is not None and fitted.pose == keyed.pose
    for _ in range(40):  # never over the top
        QTest.keyClick(window.stage, Qt.Key.Key_Up)
    assert window.stage._view is not None and window.stage._view.pose is not None
    assert window.stage._view.pose.above < math.pi / 2


def test_a_surface_in_space_is_pointed_at_lit_and_clicked(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "stacked-floor")
    plain = window.stage.picture()
    for surface in ("floor.brick.top", "floor.slab.front", "floor.wool.right"):
        assert window.stage.surface_at(seen(window, surface).toPointF()) == surface
    place = seen(window, "floor.wool.right")
    QTest.mouseMove(window.stage, place)
    window.stage.grab()
    assert window.stage.picture() != plain
    assert "floor.wool.right" in window.stage._hover[1]  # type: ignore[index]
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=place)
    assert window.card.isVisible()
    offer = next(b for b in window.card.findChildren(WordButton) if b.text() == "meets a fluid")
    QTest.mouseClick(offer, Qt.MouseButton.LeftButton)
    assert window.current.case is not None
    assert window.current.case.data["surroundings"][-1]["on"] == "floor.wool.right"


def test_what_is_read_on_the_skin_is_the_field(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "stacked-floor", "Temperature")
    reading = window.stage.reading_at(seen(window, "floor.brick.top").toPointF())
    assert "z 264 mm" in reading and "760 °C" in reading
    assert window.stage.reading_at(QPoint(3, 200).toPointF()) == ""
    window.stage.set_lens("Heat flow")
    window.stage.grab()
    side = window.stage.reading_at(seen(window, "floor.wool.front").toPointF())
    assert "449.78 W/m²" in side  # one-dimensional: the flux is the same everywhere


def test_a_height_is_changed_on_the_picture_and_levels_are_added(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "room-corner")
    dimension = window.stage.dimension_labels["top of walls"]
    assert dimension.label == "z 840 mm"
    x, y, width, height = dimension.box
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=QPoint(round(x + width / 2), round(y + height / 2)))
    editor = window.stage.findChild(DimensionEditor, "dimension editor")
    assert editor is not None and editor.text() == "w + inside"
    QTest.keyClicks(editor, "1.2 m")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.geometry is not None
    assert window.outcome.geometry.high[2] == pytest.approx(1.2)
    choose(window, "more walls", "a second level on top")
    assert window.current.case is not None
    walls = window.current.case.document.body.regions["walls"]
    assert walls.levels is not None and list(walls.levels) == ["level", "level 2"]
    assert walls.levels["level 2"].z[1].si == pytest.approx(1.25)
    choose(window, "material of walls.level 2", "brick")
    settled(qtbot, window)
    assert window.outcome.trouble is None  # what was stated on the walls is stated on their first level
    assert window.current.case.document.members_of("inner")[0] == "walls.level.room left"


def test_a_section_becomes_a_solid_and_comes_back(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "straight-fin")
    before = window.current.case
    heat = {check.name: check.value for check in window.outcome.checks}
    choose(window, "body kind", "stacked: shapes in x and y, levels in z")
    settled(qtbot, window)
    outcome = window.outcome
    assert outcome is not None and outcome.exact is not None and outcome.exact.name == "straight-fin"
    assert outcome.mesh is not None and outcome.mesh.dimension == 3
    assert {check.name: check.value for check in outcome.checks} == pytest.approx(heat, rel=1e-3)
    assert {card.verdict.text() for card in window.checks.cards.values()} == {"✓ agrees"}
    choose(window, "body kind", "plane section")
    settled(qtbot, window)
    assert before is not None and window.current.case is not None and window.outcome is not None
    assert window.current.case.document.surroundings == before.document.surroundings
    assert {check.name: check.value for check in window.outcome.checks} == pytest.approx(heat, rel=1e-9)


def test_a_rod_gains_a_piece_and_is_read_along(window: Window, qtbot: QtBot) -> None:
    opened(window, qtbot, "rod-film-tip", "Temperature")
    choose(window, "add piece", "at the end, like the last")
    settled(qtbot, window)
    assert window.outcome is not None and window.outcome.trouble is None and window.outcome.exact is not None
    assert {row.name for row in window.outcome.ledger.rows} == {"rod.start", "rod.side", "piece.end"}
    profile = window.strip.chart.profile
    assert (
        profile is not None and profile.exact is not None and [name for _, name in profile.joints] == ["rod", "piece"]
    )
    assert np.nanmax(np.abs(profile.mesh - profile.exact)) < 0.05
    choose(window, "section of piece", "by area and perimeter")
    type_into(field(window, "body.pieces.piece.area"), "30 mm²")
    type_into(field(window, "body.pieces.piece.perimeter"), "10 mm")
    assert "so short a perimeter" in field(window, "body.pieces.piece.perimeter").toolTip()


def test_drawings_and_meshes_are_opened_and_exported_through_the_window(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened(window, qtbot, "bowl")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "bowl.vtu"), ""))
    export(window)
    assert (tmp_path / "bowl.vtu").stat().st_size > 10_000
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_: ("m", True))
    assert window.open_path(tmp_path / "bowl.vtu")
    settled(qtbot, window)
    assert window.outcome is not None and "bowl.bowl rim" in window.outcome.geometry.surfaces
    assert window.current.edited and window.current.path is None
    said: list[str] = []
    monkeypatch.setattr(QMessageBox, "warning", lambda *words: said.append(words[2]))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "bowl.svg"), ""))
    export(window)
    assert said and "only a section" in said[0]
    broken = tmp_path / "broken.dxf"
    broken.write_text("0\nSECTION\n", encoding="utf-8")
    case = window.current.case
    with pressed_in_dialog(window, FaultsDialog, "Close"):
        assert not window.open_path(broken)
    assert window.current.case is case


def test_a_large_drawing_is_read_beside_the_window_and_can_be_stopped(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened(window, qtbot, "composite-wall")
    tiles = "".join(f'<rect x="{n % 60 * 20}" y="{n // 60 * 20}" width="18" height="18"/>' for n in range(4000))
    (tmp_path / "tiles.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg" width="1200mm">{tiles}</svg>')
    case = window.current.case
    with pressed_in_dialog(window, QProgressDialog, "Stop"):
        assert not window.open_path(tmp_path / "tiles.svg")
    assert window.current.case is case and not multiprocessing.active_children()[1:]
    (tmp_path / "tiles.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="12mm"><rect id="tile" width="9" height="9"/></svg>'
    )
    assert window.open_path(tmp_path / "tiles.svg")
    assert window.current.case is not None and list(window.current.case.document.body.fillings) == ["tile"]


@contextmanager
def pressed_in_dialog(window: Window, kind: type[QDialog], words: str) -> Iterator[None]:
    """Press a button of a dialog of this kind as soon as one is seen."""
    timer = QTimer()

    def press() -> None:
        for dialog in window.findChildren(kind):
            for button in dialog.findChildren(QPushButton):
                if button.isVisible() and button.text().replace("&", "") == words:
                    QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    timer.timeout.connect(press)
    timer.start(50)
    yield
    timer.stop()
